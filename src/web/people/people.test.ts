// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import type { OrgListLook } from '../../contract/org'
import type { Job } from '../../contract/other'
import { jobOf } from '../fixtures/lines'
import { clear, Problem, show, type Answers, type Page } from '../fixtures/page'
import PeoplePage from './PeoplePage.vue'

afterEach(clear)

const mara = { id: 'mara', name: 'Mara Lind', enabled: true, groups: ['crew', 'halls'], lastMs: Date.UTC(2026, 10, 23, 5), attempts: 12, bad: 3 }
const tove = { id: 'tove', name: 'Tove Berg', enabled: false, groups: [], lastMs: null, attempts: 0, bad: 0 }
const known: Answers = {
  people: ({ query }) => ({ people: [mara, tove].filter(({ name }) => name.toLowerCase().includes(query['text'] ?? '')), total: 2 }),
}

describe('the list of people', () => {
  it('says how many are known, who cannot sign in, and how logons went', async () => {
    const page = await show(PeoplePage, { answers: known, path: '/people', at: '/people' })
    expect(page.text()).toContain('2 people are known.')
    expect(page.rows()).toEqual([
      'Mara Lind mara | crew, halls | Mon 23 Nov 06:00 | 12 | 3',
      'Tove Berg tove switched off |  | none in 7 days | 0 | 0',
    ])
  })

  it('looks for a part of a name, keeps it in the address and in the export, and says whom it did not find', async () => {
    const page = await show(PeoplePage, { answers: known, path: '/people', at: '/people?text=tove' })
    expect(page.all('tbody tr').map((row) => row.querySelector('a')?.textContent)).toEqual(['Tove Berg'])
    await page.type('[aria-label="Part of a name"]', 'mara')
    await page.until(() => expect(page.all('tbody tr').map((row) => row.querySelector('a')?.textContent)).toEqual(['Mara Lind']))
    expect(page.router.currentRoute.value.query).toEqual({ text: 'mara' })
    expect(page.one('a', 'Export CSV').getAttribute('href')).toBe('/api/people.csv?text=mara')
    await page.type('[aria-label="Part of a name"]', 'nobody')
    await page.until(() => expect(page.text()).toContain('Nobody has “nobody” in a name or account.'))
  })

  it('opens a person by a click anywhere in the line', async () => {
    const page = await show(PeoplePage, { answers: known, path: '/people', at: '/people' })
    await page.click('tbody tr', /Mara Lind/)
    await page.until(() => expect(page.router.currentRoute.value.path).toBe('/people/mara'))
  })

  it('says what went wrong, and tries again when asked', async () => {
    let down = true
    const page = await show(PeoplePage, {
      answers: { people: () => (down ? new Problem(503, 'The database is being started.') : { people: [mara], total: 1 }) },
      path: '/people',
      at: '/people',
    })
    expect(page.text()).toContain('The database is being started.')
    down = false
    await page.click('button', /again/i)
    await page.until(() => expect(page.all('tbody tr')).toHaveLength(1))
  })

  it('lets only administrators give the directory', async () => {
    const shown = async (role: 'viewer' | 'help-desk' | 'administrator') => {
      clear()
      return (await show(PeoplePage, { answers: known, role, path: '/people', at: '/people' })).all('[aria-label="The organisation"]').length
    }
    expect([await shown('viewer'), await shown('help-desk'), await shown('administrator')]).toEqual([0, 0, 1])
  })
})

describe('the directory as a file', () => {
  const lists: OrgListLook[] = [
    { list: 'people', now: 3, then: 2, gone: 2, goneIds: ['aino'] },
    { list: 'groups', now: 0, then: 1, gone: 0, goneIds: [] },
    { list: 'pools', now: 0, then: 0, gone: 0, goneIds: [] },
    { list: 'hosts', now: 1, then: 1, gone: 0, goneIds: [] },
  ]
  const job = (more: Partial<Job>) =>
    jobOf({
      kind: 'explain-anew',
      title: 'Explain 947 logons anew that name what is known only now',
      state: 'running',
      steps: [{ title: 'Read them again, the first ones first', state: 'running', note: null, atMs: null }],
      progress: { done: 400, total: 947 },
      ...more,
    })
  async function pick(page: Page, name: string, text: string): Promise<void> {
    const field = page.one<HTMLInputElement>('[aria-label="The organisation"]')
    Object.defineProperty(field, 'files', { value: [new File([text], name)], configurable: true })
    field.dispatchEvent(new Event('change', { bubbles: true }))
    await page.until(() => expect(page.all('[role=alert], [aria-label="What the file replaces"]')).not.toHaveLength(0))
  }
  const empty: Answers = { people: { people: [], total: 0 }, orgFileLook: { lists } }

  it('is offered at once where nobody is known, and stays open when somebody is', async () => {
    let total = 0
    const page = await show(PeoplePage, {
      answers: {
        ...empty,
        people: () => ({ people: total ? [mara] : [], total }),
        orgFileGive: () => {
          total = 1
          return { people: 1, groups: 0, pools: 0, hosts: 0, anew: null }
        },
      },
      path: '/people',
      at: '/people',
    })
    expect(page.one<HTMLDetailsElement>('details').open).toBe(true)
    await pick(page, 'org.json', '{"people":[{"id":"mara"}]}')
    await page.click('button', 'Replace')
    await page.until(() => expect(page.text()).toContain('1 person is known.'))
    expect(page.one<HTMLDetailsElement>('details').open).toBe(true)
    expect(page.text()).toContain('1 person, 0 groups, 0 pools and 0 hosts are known now.')
    expect(page.asked.find(({ name }) => name === 'orgFileGive')?.body).toEqual({ people: [{ id: 'mara' }] })
  })

  it('says whom it would no longer know, and gives nothing before that was seen', async () => {
    const page = await show(PeoplePage, { answers: empty, path: '/people', at: '/people' })
    await pick(page, 'org.json', '{}')
    expect(page.rows()).toEqual(['people | 3 | 2 | 2: aino and more', 'groups | 0 | 1 | none', 'pools | 0 | 0 | none', 'hosts | 1 | 1 | none'])
    await page.click('button', 'Leave it as it is')
    expect(page.all('[aria-label="What the file replaces"]')).toEqual([])
    expect(page.asked.map(({ name }) => name)).not.toContain('orgFileGive')
  })

  it('says what is wrong with a file', async () => {
    const page = await show(PeoplePage, {
      answers: { ...empty, orgFileLook: () => new Problem(400, 'people.0.id is missing.') },
      path: '/people',
      at: '/people',
    })
    await pick(page, 'half.json', '{"people":[')
    expect(page.one('[role=alert]').textContent).toBe('half.json is not valid JSON.')
    await pick(page, 'wrong.json', '{"people":[{}]}')
    await page.until(() => expect(page.one('[role=alert]').textContent).toContain('people.0.id is missing.'))
  })

  it('shows how far the logons of before are explained anew, and stops it', async () => {
    let state: Partial<Job> = {}
    const page = await show(PeoplePage, {
      answers: {
        ...empty,
        orgFileGive: { people: 90, groups: 3, pools: 2, hosts: 12, anew: { job: 'j1', attempts: 947 } },
        job: () => job(state),
        jobCancel: () => {
          state = {
            state: 'cancelled',
            progress: null,
            steps: [
              {
                title: 'Read them again, the first ones first',
                state: 'failed',
                note: 'Stopped: 400 of 947 were explained anew, the others are as they were.',
                atMs: 1,
              },
            ],
          }
          return job(state)
        },
      },
      path: '/people',
      at: '/people',
    })
    await pick(page, 'org.json', '{}')
    await page.click('button', 'Replace')
    await page.until(() => expect(page.text()).toContain('947 logons that came before name people or hosts that were not known then:'))
    await page.until(() => expect(page.text()).toContain('400 of 947 logons'))
    await page.click('button', 'Stop it')
    await page.until(() => expect(page.text()).toContain('Stopped: 400 of 947 were explained anew'))
    expect(page.asked.find(({ name }) => name === 'jobCancel')?.params).toEqual({ id: 'j1' })
  })
})
