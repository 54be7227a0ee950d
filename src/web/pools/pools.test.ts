// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import type { PoolsPage as Pools } from '../../contract/pools'
import { jobOf } from '../fixtures/lines'
import { clear, Problem, show, type Answers } from '../fixtures/page'
import PoolsPage from './PoolsPage.vue'

afterEach(clear)

const AT_MS = Date.UTC(2026, 10, 23, 5, 40)
type Pool = Pools['pools'][number]
type Host = Pool['hosts'][number]
const host = (name: string, more: Partial<Host> = {}): Host => ({
  host: name,
  zone: 'Q1',
  image: '2026.11',
  agentVersion: '1.4.0',
  version: 7,
  reportedMs: AT_MS,
  draining: false,
  sessions: 0,
  ready: true,
  toDo: [],
  leftovers: [],
  ...more,
})
const halls: Pool = {
  id: 'ticket-hall',
  name: 'Ticket halls',
  mode: 'container',
  verdict: '2 of 3 hosts are ready.',
  proof: null,
  ready: 2,
  hosts: [
    host('TH-1'),
    host('TH-2', { sessions: 4, toDo: [{ code: 'restart', weight: 'soon', sentence: 'Restart it: a setting waits for it.' }] }),
    host('TH-3', {
      ready: false,
      reportedMs: null,
      toDo: [{ code: 'leftovers', weight: 'now', sentence: 'A local profile stands in the way.' }],
      leftovers: [{ person: 'mara', bytes: 3 * 2 ** 30, lastUsedMs: AT_MS }],
    }),
  ],
  unlike: [
    {
      what: 'Image',
      values: [
        { value: '2026.11', hosts: ['TH-1', 'TH-2'] },
        { value: '2026.12', hosts: ['TH-3'] },
      ],
    },
  ],
}
const office: Pool = {
  ...halls,
  id: 'office',
  name: 'Back office',
  mode: 'local',
  verdict: 'All are ready.',
  ready: 1,
  hosts: [host('BO-1')],
  unlike: [],
}
const pools: Pools = { version: 7, pools: [office, halls] }
const job = jobOf({ kind: 'pool', title: 'Restart hosts of Ticket halls', target: 'ticket-hall' })
const shown = (more: Answers = {}, at = '/pools', role: 'viewer' | 'administrator' = 'administrator') =>
  show(PoolsPage, { answers: { pools, job, poolJob: job, ...more }, at, role })

describe('pools', () => {
  it('begin with one that has something to do, and say what on which host', async () => {
    const page = await shown()
    expect(page.one('h1').textContent.replaceAll(/\s+/g, ' ').trim()).toBe('4 hosts in 2 pools')
    expect(page.one('.pools li.on').textContent).toContain('Ticket halls')
    expect(page.rows('[aria-label=Hosts]')).toEqual([
      'TH-1 | ready ready | Q1 | 0 | 1.4.0 |  | Mon 23 Nov 06:40',
      'TH-2 | ready ready | Q1 | 4 | 1.4.0 | Restart it: a setting waits for it. | Mon 23 Nov 06:40',
      'TH-3 | degraded not ready | Q1 | 0 | 1.4.0 | A local profile stands in the way. | never',
    ])
    expect(page.one('.unlike').textContent.replaceAll(/\s+/g, ' ')).toContain('2026.12 on TH-3')
    await page.click('label input[type=checkbox]')
    await page.until(() => expect(page.rows('[aria-label=Hosts]')).toHaveLength(2))
  })

  it('are chosen in the address', async () => {
    const page = await shown({}, '/pools?pool=office')
    expect(page.one('.pools li.on').textContent).toContain('Back office')
    expect(page.text()).toContain('Nothing: settings, agent and image are the same on all hosts that reported.')
    await page.click('.pools button', /Ticket halls/)
    expect(page.router.currentRoute.value.query).toEqual({ pool: 'ticket-hall' })
    await page.until(() => expect(page.one('.pools li.on').textContent).toContain('Ticket halls'))
  })

  it('restart hosts only after it was said how many sessions end', async () => {
    const page = await shown()
    await page.click('button', 'Restart those that wait for it…')
    expect(page.one('.sure').textContent.replaceAll(/\s+/g, ' ')).toContain('1 host, one after another; 4 sessions on them will be logged off.')
    expect(page.asked.map(({ name }) => name)).not.toContain('poolJob')
    await page.click('.sure button', 'Restart')
    await page.until(() => expect(page.text()).toContain('Restart hosts of Ticket halls'))
    expect(page.asked.find(({ name }) => name === 'poolJob')).toMatchObject({ params: { id: 'ticket-hall' }, body: { kind: 'restart' } })
  })

  it('remove local profiles only after each was shown, whose it is and how large', async () => {
    const page = await shown()
    await page.click('button', 'Remove local profiles…')
    expect(page.one('.sure li').textContent.replaceAll(/\s+/g, ' ').trim()).toMatch(/^mara on TH-3, 3(\.0)? GiB, last used Mon 23 Nov 06:40$/)
    await page.click('.sure button', 'Remove 1 local profile')
    await page.until(() => expect(page.asked.find(({ name }) => name === 'poolJob')?.body).toEqual({ kind: 'leftovers' }))
  })

  it('are only looked at by whoever is no administrator', async () => {
    const page = await shown({}, '/pools', 'viewer')
    const buttons = page.all('aside button.go') as HTMLButtonElement[]
    expect(buttons.length).toBeGreaterThan(2)
    expect(buttons.every(({ disabled }) => disabled)).toBe(true)
  })

  it('say why something was refused, and that none is known where that is so', async () => {
    const page = await shown({ poolJob: () => new Problem(409, 'A job runs on this pool already.') })
    await page.click('button', 'Let all 3 fetch their settings now')
    await page.until(() => expect(page.one('[role=alert]').textContent).toContain('A job runs on this pool already.'))
    clear()
    const none = await shown({ pools: { version: 7, pools: [] } })
    expect(none.text()).toContain('No pool is known. The directory import gives them (org.json).')
  })
})
