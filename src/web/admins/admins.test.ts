// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import type { AccountLine, TokenLine } from '../../contract/access'
import { clear, Problem, show, type Answers, type Page } from '../fixtures/page'
import AccessPage from './AccessPage.vue'
import FirstPage from './FirstPage.vue'
import SignInPage from './SignInPage.vue'

afterEach(clear)

const AT_MS = Date.UTC(2026, 10, 23, 5, 40)
const me = {
  name: 'orn',
  fullName: 'Ørn Dahl',
  role: 'help-desk' as const,
  csrf: 'x',
  organisation: 'Larkmere Ferries',
  timeZone: 'Europe/Copenhagen',
}
const fill = async (page: Page, form: string, values: Record<string, string>) => {
  for (const [label, value] of Object.entries(values)) {
    const field = page.one(`${form} label`, new RegExp(`^${label}`)).querySelector('input')
    if (!field) throw new Error(`no field ${label}`)
    field.id ||= `f-${label.replaceAll(/\W/g, '')}`
    await page.type(`#${field.id}`, value)
  }
}
const send = (page: Page, form: string) => page.one<HTMLFormElement>(form).requestSubmit()

describe('signing in', () => {
  const offer = { organisation: 'Larkmere Ferries', first: false, demoAccounts: [] }

  it('goes on to where somebody wanted to go, but never to another site', async () => {
    for (const [then, to] of [
      ['/journal?text=x', '/journal?text=x'],
      ['//evil.example/', '/'],
      ['https://evil.example/', '/'],
    ] as const) {
      const page = await show(SignInPage, {
        answers: { signInOffer: offer, signIn: me },
        path: '/sign-in',
        at: `/sign-in?then=${encodeURIComponent(then)}`,
      })
      await fill(page, 'form', { Name: 'orn', Password: 'a long enough one' })
      send(page, 'form')
      await page.until(() => expect(page.router.currentRoute.value.fullPath).toBe(to))
      expect(page.asked.find(({ name }) => name === 'signIn')?.body).toEqual({ name: 'orn', password: 'a long enough one' })
      clear()
    }
  })

  it('says why it was refused, and lets try again', async () => {
    const page = await show(SignInPage, {
      answers: { signInOffer: offer, signIn: () => new Problem(401, 'Name or password is not right.') },
      path: '/sign-in',
      at: '/sign-in',
    })
    await fill(page, 'form', { Name: 'orn', Password: 'wrong' })
    send(page, 'form')
    await page.until(() => expect(page.one('[role=alert]').textContent).toBe('Name or password is not right.'))
    expect(page.one<HTMLButtonElement>('button', 'Sign in').disabled).toBe(false)
  })

  it('offers demo accounts where this is a demo, and says how to begin where there is no account', async () => {
    const demo = { ...offer, demoAccounts: [{ name: 'vaas', fullName: 'Hedda Vaas', role: 'administrator' as const, password: 'p' }] }
    const page = await show(SignInPage, { answers: { signInOffer: demo, signIn: me }, path: '/sign-in', at: '/sign-in' })
    await page.click('button', 'Hedda Vaas')
    await page.until(() => expect(page.asked.find(({ name }) => name === 'signIn')?.body).toEqual({ name: 'vaas', password: 'p' }))
    clear()
    const first = await show(SignInPage, { answers: { signInOffer: { ...offer, first: true } }, path: '/sign-in', at: '/sign-in' })
    expect([first.all('form').length, first.text()]).toEqual([0, expect.stringContaining('There is no account yet.')])
  })
})

describe('the first account', () => {
  it('is made with the code of the address, its name in small letters', async () => {
    const page = await show(FirstPage, { answers: { firstAccount: { ...me, role: 'administrator' } }, path: '/first', at: '/first?code=abc' })
    await fill(page, 'form', { 'Name to': ' Ada ', 'Full name': 'Ada Holm', Password: 'correct horse battery' })
    send(page, 'form')
    await page.until(() => expect(page.router.currentRoute.value.path).toBe('/'))
    expect(page.asked[0]?.body).toEqual({ code: 'abc', name: 'ada', fullName: 'Ada Holm', password: 'correct horse battery' })
  })

  it('says each thing that is wrong', async () => {
    const page = await show(FirstPage, {
      answers: {
        firstAccount: () => new Problem(400, 'name: a name begins with a letter or digit; password: a password has at least 12 characters'),
      },
      path: '/first',
      at: '/first',
    })
    await fill(page, 'form', { Code: 'abc', 'Name to': 'ada', 'Full name': 'Ada Holm', Password: 'too short but long' })
    send(page, 'form')
    await page.until(() => expect(page.one('[role=alert]').textContent).toContain('a password has at least 12 characters'))
    expect(page.router.currentRoute.value.path).toBe('/first')
  })
})

describe('accounts and tokens', () => {
  const account = (name: string, more: Partial<AccountLine> = {}): AccountLine => ({
    name,
    fullName: name === 'orn' ? 'Ørn Dahl' : 'Hedda Vaas',
    role: 'help-desk',
    madeMs: AT_MS,
    seenMs: AT_MS,
    sessions: 0,
    ...more,
  })
  const token: TokenLine = { id: 't1', name: 'exporter', scopes: ['evidence'], madeMs: AT_MS, madeBy: 'vaas', usedMs: null }
  const answers: Answers = {
    accounts: { accounts: [account('vaas', { role: 'administrator', sessions: 1 }), account('orn', { sessions: 2 })] },
    tokens: { tokens: [token] },
  }
  const shown = (more: Answers = {}, role: 'viewer' | 'administrator' = 'administrator') =>
    show(AccessPage, { answers: { ...answers, ...more }, role, path: '/access', at: '/access' })

  it('say who is signed in now, and what tokens are for and whether they are used', async () => {
    const page = await shown()
    expect(page.rows('[aria-label=Accounts]')).toEqual([
      'Hedda Vaas vaas | administrator | Mon 23 Nov 06:40 | 1 | Change',
      'Ørn Dahl orn | help desk | Mon 23 Nov 06:40 | 2 | Change Forget',
    ])
    expect(page.rows('[aria-label=Tokens]')).toEqual(['exporter t1 | evidence | Mon 23 Nov 06:40, vaas | never | Forget'])
  })

  it('make a token that is shown once', async () => {
    const page = await shown({ tokenMake: { ...token, id: 't2', name: 'agents', token: 'ike_secret' } })
    await fill(page, '[aria-label="New token"]', { 'What it is for': 'agents' })
    send(page, '[aria-label="New token"]')
    await page.until(() => expect(page.one('.made').textContent.replaceAll(/\s+/g, ' ')).toContain('Token “agents”, shown this once: ike_secret'))
    expect(page.asked.find(({ name }) => name === 'tokenMake')?.body).toEqual({ name: 'agents', scopes: ['evidence'] })
  })

  it('change an account without its password, unless a new one is given', async () => {
    const page = await shown({ accountChange: account('orn', { fullName: 'Ørn D. Dahl' }) })
    await page.click('[aria-label=Accounts] tbody tr:nth-child(2) button', 'Change')
    await fill(page, '[aria-label="Change an account"]', { 'Full name': 'Ørn D. Dahl' })
    send(page, '[aria-label="Change an account"]')
    await page.until(() => expect(page.all('[aria-label="Change an account"]')).toEqual([]))
    expect(page.asked.find(({ name }) => name === 'accountChange')).toMatchObject({
      params: { id: 'orn' },
      body: { fullName: 'Ørn D. Dahl', role: 'help-desk' },
    })
  })

  it('forget an account only after it was said what that ends', async () => {
    const page = await shown({ accountForget: { ok: true } })
    await page.click('[aria-label=Accounts] button', 'Forget')
    await page.until(() => expect(page.text()).toContain('Ørn Dahl cannot sign in any more, and 2 open sessions of theirs end.'))
    expect(page.asked.map(({ name }) => name)).not.toContain('accountForget')
    await page.click('.modal button', 'Forget')
    await page.until(() => expect(page.asked.find(({ name }) => name === 'accountForget')?.params).toEqual({ id: 'orn' }))
  })

  it('are nobody’s business who is no administrator: their own password is', async () => {
    const page = await shown({ ownPassword: () => new Problem(403, 'The present password is not right.') }, 'viewer')
    expect([page.one('h1').textContent, page.all('table').length, page.all('form').length]).toEqual(['Your password', 0, 1])
    expect(page.asked.map(({ name }) => name)).toEqual([])
    await fill(page, 'form', { Now: 'one that is wrong', New: 'a new one that is long' })
    send(page, 'form')
    await page.until(() => expect(page.one('[role=alert]').textContent).toContain('The present password is not right.'))
    expect(page.asked.map(({ body }) => body)).toEqual([{ now: 'one that is wrong', next: 'a new one that is long' }])
  })
})
