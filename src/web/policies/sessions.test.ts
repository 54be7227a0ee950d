// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import type { AdminLine, SessionProof, StretchLines } from '../../contract/policies'
import { atNow, jobOf, NOW_MS } from '../fixtures/lines'
import { Problem, show, workerAnswers, type Answers, type Page } from '../fixtures/page'
import { basePage, PolicyDesk, setOf, when } from '../fixtures/policies'
import { LimitsDesk } from './limits-desk'
import LimitsPage from './LimitsPage.vue'
import LinesPage from './LinesPage.vue'
import ProofPage from './ProofPage.vue'
import { columnsOf } from './stretches'

atNow()
const limits = new LimitsDesk()
workerAnswers((question) => limits.answer(question))

const HOUR = 3600
const DAYS = 5
/** Five days of the season crew: every day mara pauses for 20 minutes, tove for two hours. */
function crewLines(): StretchLines {
  const days = Array.from({ length: DAYS }, (_, i) => i * 24 * HOUR)
  const line = (person: string, pauseS: number, line: { network: string; kbps: number; rtt: number }) => ({
    person,
    pool: 'season-crew',
    on: days.flatMap((at) => [at, at + HOUR + pauseS]).join(),
    off: days.flatMap((at) => [at + HOUR, at + 5 * HOUR]).join(),
    ended: days.map(() => 'do').join(''),
    network: days.flatMap(() => [line.network, line.network]).join(),
    client: days.flatMap(() => ['0', '1']).join(),
    // One pause long, the line is worse.
    rtt: days.flatMap(() => [line.rtt, line.rtt * 4]).join(),
    kbps: days.flatMap(() => [line.kbps, Math.round(line.kbps / 4)]).join(),
  })
  return {
    networks: ['office', 'ship'],
    clients: ['terminal 2.12.1', 'terminal 2.9.4'],
    fromMs: NOW_MS - DAYS * 24 * HOUR * 1000,
    untilMs: NOW_MS,
    lines: [line('mara', 1200, { network: '0', kbps: 900_000, rtt: 3 }), line('tove', 2 * HOUR, { network: '1', kbps: 880, rtt: 60 })],
  }
}
const desk = () =>
  new PolicyDesk(
    setOf({
      base: { disconnectedMinutes: 240 },
      policies: [{ id: 'board', name: 'On board', owner: '', when: when('network is ship'), settings: { transport: 'relay' }, state: 'on' }],
    }),
  )
const limitsOf: Answers['limitsOf'] = {
  version: 7,
  disconnected: [
    [0, 0, 240],
    [1, 0, 240],
  ],
  session: [],
  groups: [{ group: 'crew', people: [0, 1] }],
}
const shown = (component: object, server: PolicyDesk, more: Answers) => show(component as never, { answers: { ...server.answers, ...more } })
const figures = (page: Page) => page.one('.figures').textContent.replaceAll(/\s+/g, ' ').trim()

describe('time limits', () => {
  it('tells by the day what another limit would have done, over the days that there are', async () => {
    const page = await shown(LimitsPage, desk(), { stretches: crewLines(), limitsOf })
    // Held all day: 5 h each with a limit of four hours. With half an hour tove gives back an hour and a half of her two.
    await page.until(() =>
      expect(figures(page)).toBe('2 desktops at most, now 2 9 desktop hours a day, now 10 50 % of those who come back find nothing, now 0 %'),
    )
    expect(page.text()).toContain('These are the 20 stretches in which people were connected in the last 5 days')
    expect(page.text()).toContain('5 returns in 5 days would have come too late, half of them by more than 1 h 30 min.')
    await page.type('input[type=range]', '120')
    await page.until(() => expect(figures(page)).toContain('0 % of those who come back find nothing, now 0 %'))
  })

  it('takes a limit and its exception into the draft', async () => {
    const server = desk()
    const page = await shown(LimitsPage, server, { stretches: longer(30), limitsOf })
    await page.until(() => expect(page.rows('[aria-label=Suggestions]')).toEqual(['crew | 2 | 60 | 2 h 00 min | 100 % | make it an exception']))
    await page.click('button', 'make it an exception')
    await page.until(() =>
      expect(page.text()).toMatch(/Were the limit only to be set for the whole pool, all would need 2 h 00 min: 2 desktops at most/),
    )
    await page.click('button', 'Take it into the draft')
    await page.until(() => expect(server.draft?.set.policies.map(({ name }) => name)).toHaveLength(3))
    const [exception, limit] = server.draft?.set.policies ?? []
    expect([exception?.name, exception?.settings]).toEqual(['crew on season-crew: longer', { disconnectedMinutes: 120 }])
    expect([limit?.when, limit?.settings, limit?.note]).toEqual([{ pool: ['season-crew'] }, { disconnectedMinutes: 30 }, 'From a replay of 30 days.'])
  })

  it('says so where nothing was told yet', async () => {
    const page = await shown(LimitsPage, desk(), { stretches: { networks: [], clients: [], fromMs: 0, untilMs: NOW_MS, lines: [] }, limitsOf })
    await page.until(() => expect(page.text()).toContain('No session was told of yet.'))
  })
})

/** The same over more days, so that there are returns enough to suggest a limit. */
function longer(days: number): StretchLines {
  const { lines, ...rest } = crewLines()
  const again = (text: string, step: number) =>
    Array.from({ length: days / DAYS }, (_, i) => text.split(',').map((one) => Number(one) + i * step)).join()
  const step = DAYS * 24 * HOUR
  return {
    ...rest,
    fromMs: NOW_MS - days * 24 * HOUR * 1000,
    lines: lines.map((line) => ({
      ...line,
      on: again(line.on, step),
      off: again(line.off, step),
      ended: line.ended.repeat(days / DAYS),
      network: again(line.network, 0),
      client: again(line.client, 0),
      rtt: again(line.rtt, 0),
      kbps: again(line.kbps, 0),
    })),
  }
}

describe('the days of sessions', () => {
  it('are those that they lie in, at least one', () => {
    const days = (given: Partial<StretchLines>) => columnsOf({ ...crewLines(), ...given }).days
    expect([days({}), days({ untilMs: NOW_MS + 36 * HOUR * 1000 }), days({ lines: [] })]).toEqual([5, 6.5, 1])
    expect(columnsOf(longer(30)).days).toBe(30)
  })
})

describe('lines', () => {
  const answers = (): Answers => ({
    stretches: crewLines(),
    policy: basePage(),
    ways: { ways: [{ network: 'ship', transport: 'relay', logons: 40, connectMs: 2600, lost: 4 }] },
  })

  it('class what was measured, network by network; limits are tried in the page', async () => {
    const page = await shown(LinesPage, desk(), answers())
    await page.until(() =>
      expect(page.rows('[aria-label="Sessions by line"]')).toEqual([
        'office | 0 % | 0 % | 100 % | 900 Mbit/s | 12 ms | ',
        'ship | 50 % | 0 % | 50 % | 880 kbit/s | 240 ms | ',
      ]),
    )
    expect(page.text()).toContain('in the last 5 days counts once')
    expect(page.rows('[aria-label="Who flips"]')).toEqual(['tove | ship | 9 | 9 | 10'])
    await page.type('[aria-label="Low below"]', '100')
    await page.until(() => expect(page.rows('[aria-label="Sessions by line"]')[1]).toBe('ship | 0 % | 50 % | 50 % | 880 kbit/s | 240 ms | '))
    expect(page.rows('[aria-label=Ways]')).toEqual(['ship | over the relay | 40 | 100 % | 2.6 s | 10 %'])
    expect(page.one('aside').textContent.replaceAll(/\s+/g, ' ')).toContain('On board: always over the relay')
  })

  it('say which hosts and clients are not ready, for the versions that are asked for', async () => {
    const page = await shown(LinesPage, desk(), answers())
    await page.until(() => expect(page.text()).toContain('1 host cannot: BR-1 (no report)'))
    expect(page.rows('[aria-label=Clients]').map((row) => row.split(' | ').slice(0, 2))).toEqual([
      ['terminal 2.12.1', '10'],
      ['terminal 2.9.4', '10'],
    ])
    expect(page.rows('[aria-label=Clients]')[0]).toMatch(/yes$/)
    expect(page.rows('[aria-label=Clients]')[1]).not.toMatch(/yes$/)
    await page.type('[aria-label="Agent from"]', '1.4.1')
    await page.until(() => expect(page.text()).toContain('3 hosts cannot: TH-1 (1.4.0), TH-2 (1.4.0), BR-1 (no report)'))
  })
})

describe('what is in force', () => {
  const odd = (session: string, more: Partial<SessionProof>): Omit<SessionProof, 'effective' | 'facts'> => ({
    session,
    host: 'SC-1',
    person: 'tove',
    sinceMs: NOW_MS - 3_600_000,
    state: 'active',
    endsMs: null,
    reportedMs: NOW_MS,
    version: 7,
    reportedVersion: 6,
    verdict: 'differs',
    differences: [{ setting: 'printing', title: 'Printing', should: 'off', reported: 'on', takesEffect: 'next logon' }],
    way: null,
    ...more,
  })
  const admin = (host: string, state: string, more: Partial<AdminLine> = {}): AdminLine => ({
    host,
    pool: 'naval-drawing',
    assigned: 'una',
    state,
    sentence: `${state}.`,
    now: [],
    wide: [],
    ...more,
  })
  const job = jobOf({ title: 'A job' })
  const answers = (more: Answers = {}): Answers => ({
    policy: basePage(),
    sessionsProof: { sessions: 12, odd: [odd('s1', {})], ways: { known: 10, secondChoice: 2, against: 1 } },
    localAdmins: { lines: [admin('ND-1', 'to be given'), admin('ND-2', 'as it should be'), admin('ND-3', 'to be taken away')] },
    limitProofs: { proofs: [] },
    job: job,
    ...more,
  })

  it('names the sessions that differ and what differs, and the ways that logons went', async () => {
    const page = await shown(ProofPage, desk(), answers())
    await page.until(() =>
      expect(page.rows('[aria-label="Sessions that differ"]')).toEqual(['tove | SC-1 | differs Printing: on, should be off | 6 | 09:00']),
    )
    expect(page.text()).toContain('12 sessions run; 1 has something else in force than should be, or goes a way that the policy does not allow.')
    expect(page.text()).toContain('2 had to take the relay though the policy prefers the direct way, and 1 went against it.')
  })

  it('gives the right to a desktop, and takes it away, where it is to be', async () => {
    const page = await shown(ProofPage, desk(), answers({ localAdminSet: job }))
    await page.until(() => expect(page.rows('[aria-label="Administrators of desktops"]')).toHaveLength(3))
    expect(page.all('button', 'Give it')).toHaveLength(1)
    await page.click('button', 'Take it away')
    await page.until(() => expect(page.asked.find(({ name }) => name === 'localAdminSet')?.params).toEqual({ id: 'ND-3' }))
    await page.until(() => expect(page.one('aside').textContent).toContain('A job'))
  })

  it('proves a limit with a test person, and says why it cannot be', async () => {
    const refusing = answers({ limitProof: () => new Problem(409, 'Nobody is called so.') })
    const page = await shown(ProofPage, desk(), refusing)
    await page.until(() => expect(page.all('aside select option').length).toBeGreaterThan(1))
    const go = () => page.one<HTMLButtonElement>('aside button', 'Prove it')
    expect(go().disabled).toBe(true)
    await page.type('aside select', 'bridge')
    await page.type('aside input', 'proof.crew')
    page.one('aside form').dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
    await page.until(() => expect(page.one('aside [role=alert]').textContent).toContain('Nobody is called so.'))
    expect(page.asked.find(({ name }) => name === 'limitProof')).toMatchObject({ params: { id: 'bridge' }, body: { person: 'proof.crew' } })
  })
})
