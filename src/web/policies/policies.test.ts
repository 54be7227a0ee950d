// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import { atNow } from '../fixtures/lines'
import { clear, Problem, show, workerAnswers, type Answers, type Page } from '../fixtures/page'
import { PolicyDesk, policyOf, setOf, when } from '../fixtures/policies'
import { LimitsDesk } from './limits-desk'
import PoliciesPage from './PoliciesPage.vue'
import PromisesPage from './PromisesPage.vue'
import PublishPage from './PublishPage.vue'
import TryPage from './TryPage.vue'

atNow()
const limits = new LimitsDesk()
workerAnswers((question) => limits.answer(question))

const CREW = policyOf('crew', 'Crew', 'group is crew', { printing: 'off', disconnectedMinutes: 30 })
const HOME = policyOf('home', 'At home', 'network is home', { clientDrives: 'no', lockMinutes: 10 })
const desk = (...policies: object[]) => new PolicyDesk(setOf({ base: { lockMinutes: 15 }, policies: policies.length ? policies : [CREW, HOME] }))
const shown = (component: object, { answers }: PolicyDesk, more: Answers = {}, role: 'viewer' | 'administrator' = 'administrator', at = '/') =>
  show(component as never, { answers: { ...answers, ...more }, role, at, ...(at === '/' ? {} : { path: '/policies/try' }) })
const aside = (page: Page) => page.one('aside').textContent.replaceAll(/\s+/g, ' ')
const order = (page: Page) => page.all('ol.order li').map((line) => line.getAttribute('aria-label'))

describe('the order of policies', () => {
  it('reads as sentences, with whom each reaches; a viewer has nothing to press', async () => {
    const page = await shown(PoliciesPage, desk(), {}, 'viewer')
    await page.until(() => expect(page.text()).toContain('Crew 2 people'))
    expect(page.text()).toContain('For crew: disconnected limit 30 min; printing off.')
    expect(page.text()).toContain('For everybody, when network is home: drives of the client do not appear; lock after 10 min.')
    expect(page.text()).toContain('Version 7 is in force')
    expect(page.all('ol.order button')).toEqual([])
    expect(page.all('button', 'New policy')).toEqual([])
    await page.type('[aria-label=Filter]', 'printing')
    expect(order(page)).toEqual(['1. Crew'])
    await page.type('[aria-label=Filter]', 'gangway')
    expect(page.text()).toContain('No policy has this word.')
  })

  it('is changed by keys and buttons, each change at once a draft', async () => {
    const server = desk()
    const page = await shown(PoliciesPage, server)
    page.all('ol.order li')[1]?.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', altKey: true, bubbles: true }))
    await page.until(() => expect(server.names).toEqual(['At home', 'Crew']))
    await page.until(() => expect(order(page)).toEqual(['1. At home', '2. Crew']))
    expect(page.text()).toContain('Policies: the draft')
    await page.click('[aria-label="Copy Crew"]')
    await page.until(() => expect(server.names).toEqual(['At home', 'Crew', 'Crew, copy (off)']))
    await page.click('[aria-label="Switch off At home"]')
    await page.until(() => expect(server.names).toEqual(['At home (off)', 'Crew', 'Crew, copy (off)']))
    await page.click('[aria-label="Take Crew, copy out"]')
    await page.until(() => expect(server.names).toEqual(['At home (off)', 'Crew']))
    await page.until(() => expect(aside(page)).toContain('3 people would get something else.'))
    await page.click('button', 'Throw the draft away')
    await page.until(() => expect(order(page)).toEqual(['1. Crew', '2. At home']))
  })

  it('splits a policy with alternatives into one for each', async () => {
    const server = desk(policyOf('far', 'Far', 'network is home or pool is season-crew', { printing: 'off' }))
    const page = await shown(PoliciesPage, server)
    await page.click('[aria-label="Split Far"]')
    await page.until(() => expect(server.names).toEqual(['Far', 'Far, 2']))
    await page.until(() => expect(aside(page)).toContain('Nothing, for anybody.'))
  })

  it('says what is odd where it stands, and what was not kept, and shows again what is there', async () => {
    const page = await shown(PoliciesPage, desk(CREW, policyOf('crew2', 'Crew again', 'group is crew', { printing: 'on' })), {
      policyDraft: () => new Problem(409, 'Somebody else keeps a draft.'),
    })
    await page.until(() => expect(page.one('li[aria-label="2. Crew again"]').textContent).toContain('others decide on everything'))
    await page.click('[aria-label="Take Crew again out"]')
    await page.until(() => expect(page.one('section.work [role=alert]').textContent).toContain('Somebody else keeps a draft.'))
    await page.until(() => expect(order(page)).toEqual(['1. Crew', '2. Crew again']))
  })
})

describe('trying policies', () => {
  const row = (page: Page, title: string) => page.rows('[aria-label="What would be in force"]').find((one) => one.startsWith(title))

  it('tells what holds for the facts in the address, who decided, and why another did not', async () => {
    const page = await shown(TryPage, desk(), {}, 'viewer', '/policies/try?person=mara&pool=season-crew')
    await page.until(() => expect(row(page, 'Printing')).toBe('Printing | off | Crew'))
    expect(row(page, 'Lock after')).toMatch(/^Lock after \| 15 min \| .*base/i)
    await page.until(() => expect(aside(page)).toContain('At home'))
    await page.click('aside button', 'Why not?')
    await page.until(() => expect(aside(page)).toMatch(/Why not At home\?.*It would, with the smallest change, if.*home/))
    await page.type('label:nth-child(7) input', 'home')
    await page.until(() => expect(row(page, 'Lock after')).toMatch(/^Lock after \| 10 min \| At home/))
    expect(page.router.currentRoute.value.query).toEqual({ person: 'mara', pool: 'season-crew', network: 'home' })
  })

  it('forgets none of several facts that come faster than the address changes', async () => {
    const page = await shown(TryPage, desk(), {}, 'viewer', '/policies/try')
    const fields = ['person', 'pool', 'host'].map((_, i) => page.one<HTMLInputElement>(`.facts label:nth-of-type(${i + 1}) input`))
    for (const [i, text] of ['mara', 'season-crew', 'SC-1'].entries()) {
      const field = fields[i] as HTMLInputElement
      field.value = text
      field.dispatchEvent(new Event('change', { bubbles: true }))
    }
    await page.until(() => expect(page.router.currentRoute.value.query).toEqual({ person: 'mara', pool: 'season-crew', host: 'SC-1' }))
  })

  it('takes the facts of a real logon, by its id or by its address', async () => {
    const facts: Answers = {
      policyFactsOf: ({ query }) =>
        query['attempt'] === 'a1' || query['session'] === 's9'
          ? { facts: { person: 'ole', pool: 'back-office', first: false, groups: ['office staff'], atMs: Date.UTC(2026, 10, 23, 5, 40) } }
          : new Problem(404, 'No attempt or session has this id.'),
    }
    const page = await shown(TryPage, desk(), facts, 'viewer', '/policies/try?attempt=a1')
    const expected = { person: 'ole', pool: 'back-office', first: 'false', at: '2026-11-23T06:40' }
    await page.until(() => expect(page.router.currentRoute.value.query).toEqual(expected))
    const take = async (id: string) => {
      await page.type('aside input', id)
      page.one('aside form').dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
    }
    await take('zzz')
    await page.until(() => expect(aside(page)).toContain('No attempt or session has this id.'))
    await page.router.replace('/policies/try')
    await take('s9')
    await page.until(() => expect(page.router.currentRoute.value.query).toEqual(expected))
  })

  it('says so where an address is none', async () => {
    const page = await shown(TryPage, desk(), {}, 'viewer', '/policies/try?address=10.0.0.999')
    await page.until(() => expect(page.text()).toContain('“10.0.0.999” is no address: conditions on the address do not hold.'))
  })
})

describe('promises and health', () => {
  const PROMISES = [
    { id: 'lock', name: 'Locked soon', when: when('always'), then: [{ setting: 'lockMinutes', atLeast: 10 }] },
    { id: 'drives', name: 'No drives at home', when: when('network is home'), then: [{ setting: 'clientDrives', is: ['no'] }] },
  ]
  const promising = () => new PolicyDesk(setOf({ base: { lockMinutes: 15 }, policies: [CREW, HOME], promises: PROMISES }))
  const promise = (page: Page, name: string) =>
    page
      .all('.promise')
      .map(({ textContent }) => textContent.replaceAll(/\s+/g, ' ').trim())
      .find((text) => text.startsWith(name))

  it('says which are kept, and where and for whom one is broken, with an example to try', async () => {
    const page = await shown(PromisesPage, promising(), {}, 'viewer')
    await page.until(() => expect(promise(page, 'No drives at home')).toMatch(/kept/))
    expect(promise(page, 'Locked soon')).toMatch(/broken.*Lock after is 15 min by The base policy, for 3 people\. For example/)
    expect(page.one('.broken a').getAttribute('href')).toMatch(/^\/policies\/try\?.*person=/)
    expect(page.all('.promise button')).toEqual([])
  })

  it('waives one until the end of a day, with a reason, and ends the waiver', async () => {
    const server = promising()
    const page = await shown(PromisesPage, server)
    await page.until(() => expect(promise(page, 'Locked soon')).toMatch(/broken/))
    await page.click('button', 'Waive…')
    await page.type('.promise form label:nth-child(1) input', 'To be settled.')
    await page.type('.promise form input[type=date]', '2026-12-24')
    page.one('.promise form').dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
    await page.until(() => expect(promise(page, 'Locked soon')).toMatch(/broken, waived.*Waived by Hedda Vaas until Thu 24 Dec.*To be settled\./))
    // The end of that day in Copenhagen.
    expect(server.draft?.set.promises[0]?.waived?.until).toBe('2026-12-24T22:59:00.000Z')
    await page.click('button', 'End the waiver')
    await page.until(() => expect(server.draft?.set.promises[0]?.waived).toBeUndefined())
  })

  it('makes a new one, and takes one away', async () => {
    const server = promising()
    const page = await shown(PromisesPage, server)
    await page.click('button', 'New promise')
    await page.type('form label input', 'Printing stays')
    await page.type('[aria-label="Demand of a setting"]', 'printing')
    page.one('form.sure').dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
    await page.until(() => expect(server.draft?.set.promises.at(-1)).toMatchObject({ name: 'Printing stays', then: [{ setting: 'printing' }] }))
    page.all('.promise button', 'Remove')[1]?.click()
    await page.until(() => expect(server.draft?.set.promises.map(({ name }) => name)).toEqual(['Locked soon', 'Printing stays']))
  })

  it('does in the draft what is proven to be the same with less', async () => {
    const server = desk(CREW, policyOf('twice', 'Crew twice', 'group is crew', { printing: 'off' }))
    const page = await shown(PromisesPage, server)
    await page.until(() => expect(page.rows('[aria-label=Findings]').some((row) => row.includes('Crew twice'))).toBe(true))
    page.all('.simpler button', 'Do it in the draft')[0]?.click()
    await page.until(() => expect(server.draft?.set.policies).not.toEqual(server.set.policies))
    await page.until(() => expect(aside(page)).toContain('Nothing, for anybody.'))
  })
})

describe('publishing', () => {
  const send = (page: Page) => page.one('aside form').dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))

  it('says what the draft changes and for how many, and publishes it with its reason', async () => {
    const server = desk()
    server.take(setOf({ base: { lockMinutes: 15 }, policies: [{ ...CREW, settings: { printing: 'on', disconnectedMinutes: 30 } }, HOME] }))
    const page = await shown(PublishPage, server, { policyEffects: { effects: [] } })
    await page.until(() => expect(page.text()).toMatch(/2 people would get something else, in 1 way;/))
    await page.type('aside form label:nth-child(1) input', 'Tickets are printed again.')
    await page.type('aside form select', 'at once')
    expect(page.all('aside input[type=number]')).toEqual([])
    send(page)
    await page.until(() => expect(server.version).toBe(8))
    await page.until(() => expect(page.text()).toMatch(/8 .*in force.*Tickets are printed again\..*1 difference/))
    expect(page.asked.find(({ name }) => name === 'policiesPublish')?.body).toMatchObject({ waves: 'at once', note: 'Tickets are printed again.' })
    expect(page.text()).toContain('There is no draft.')
  })

  it('is stopped by a broken promise, and by nothing that differs', async () => {
    const lock = { id: 'lock', name: 'Locked soon', when: when('always'), then: [{ setting: 'lockMinutes', atLeast: 20 }] }
    const server = new PolicyDesk(setOf({ base: { lockMinutes: 15 }, policies: [CREW], promises: [lock] }))
    server.take(setOf({ base: { lockMinutes: 60 }, policies: [CREW], promises: [lock] }))
    const page = await shown(PublishPage, server, { policyEffects: { effects: [] } })
    await page.until(() => expect(aside(page)).toContain('Locked soon: a promise would be broken.'))
    const go = () => page.one<HTMLButtonElement>('button', 'Publish as version 8')
    expect(go().disabled).toBe(true)
    clear()
    const same = desk()
    same.take(same.set)
    const other = await shown(PublishPage, same)
    await other.until(() => expect(other.text()).toContain('Nobody would get anything else.'))
    expect(other.all('button', 'Publish as version 8').every((button) => (button as HTMLButtonElement).disabled)).toBe(true)
  })

  it('reads a set from a file, says what is wrong with it, and takes what was understood', async () => {
    const server = desk()
    const page = await shown(PublishPage, server)
    const give = async (name: string, text: string) => {
      const field = page.one<HTMLInputElement>('input[type=file]')
      Object.defineProperty(field, 'files', { value: [new File([text], name)], configurable: true })
      field.dispatchEvent(new Event('change', { bubbles: true }))
      await page.until(() => expect(page.all('aside .sure, aside > [role=alert]').length).toBeGreaterThan(0))
    }
    await give('broken.json', '{"policies": [')
    await page.until(() => expect(aside(page)).toMatch(/broken\.json is neither JSON nor YAML/))
    await give(
      'set.yaml',
      'policies:\n  - id: a\n    name: A\n    when: { group: [crew] }\n    settings: { printing: off }\n  - id: b\n    name: B\n    when: { group: [crew] }\n    settings: { printing: sometimes }\n',
    )
    await page.until(() => expect(aside(page)).toMatch(/set\.yaml: [12] polic(y|ies) understood\..*printing/))
    await page.click('button', /^Take only what was understood/)
    await page.until(() => expect(server.draft).not.toBeNull())
    expect(server.names).toContain('A')
  })
})
