import { describe, expect, it } from 'vitest'
import type { Org } from '../people/org'
import { EMPTY_ORG } from '../people/org'
import { analyseAll } from './batch'
import { CAUSES } from './causes'
import { canonicalCode, codeNumber } from './codes'
import { correlate } from './correlate'
import { logon, START_MS } from './fixtures/builders'
import { findIncidents } from './incidents'
import { Ledger, seenOf } from './ledger'
import type { Attrs, Observation } from './observation'

const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 1200, policy: 2400, shell: 4000 }
/** Plain logons before the one in question, so that there is a usual. */
const before = (attrs: Attrs = {}): Observation[] =>
  Array.from({ length: 120 }, (_, i) =>
    logon({
      id: `before-${i}`,
      person: `p${i}`,
      host: `TH-Q1-${i % 8}`,
      at: START_MS - (i + 1) * 60_000,
      attrs,
      phases: { ...USUAL, profile: 1000 + (i % 5) * 100 },
    }),
  ).flat()

function explain(observations: readonly Observation[], org: Org = EMPTY_ORG, attrs: Attrs = {}) {
  const explained = analyseAll(
    correlate([...before(attrs), ...observations], START_MS + 7_200_000).map(({ attempt }) => attempt),
    org,
  )
  const one = explained.find(({ attempt }) => attempt.id === 'it')
  if (!one) throw new Error('the attempt is missing')
  return one
}
const failed = (attrs: Attrs, marks: [string, string, number][], phases: Record<string, number> = USUAL) =>
  logon({ id: 'it', outcome: 'failed', attrs, marks, phases: { ...phases, shell: 0 } })
const ready = (phases: Record<string, number>, attrs: Attrs = {}) => logon({ id: 'it', attrs, phases: { ...USUAL, ...phases } })

describe('usual and excess', () => {
  it('names the phase that is beyond its usual, and by how much', () => {
    const { excess, usual, lostMs } = explain(ready({ policy: 32_000 }))
    expect(excess).toHaveLength(1)
    expect(excess[0]?.phase).toBe('policy')
    expect(excess[0]?.usualMs).toBeGreaterThan(2300)
    expect(excess[0]?.usualMs).toBeLessThan(2500)
    expect(lostMs).toBeGreaterThan(29_000)
    expect(usual?.basis.sentence).toContain('returning logons on ticket-hall')
  })

  it('says nothing about a plain one, and never compares a first logon with returning ones', () => {
    expect(explain(ready({}))).toMatchObject({ excess: [], diagnosis: { cause: null }, lostMs: 0 })
    expect(explain(ready({ profile: 9000 }, { first: true })).usual).toBeNull()
  })

  it('counts what one phase lost, also where nobody was asked for a second factor this time', () => {
    const asked = (i: number) => ({ ...USUAL, 'sign-on': i % 2 === 0 ? 1800 : 8000 + (i % 7) * 400 })
    const all = Array.from({ length: 120 }, (_, i) =>
      logon({ id: `b${i}`, person: `p${i}`, at: START_MS - (i + 1) * 60_000, phases: asked(i) }),
    ).flat()
    const it = logon({ id: 'it', phases: { ...USUAL, 'sign-on': 1800, shell: 10_000 } })
    const one = analyseAll(correlate([...all, ...it], START_MS + 7_200_000).map(({ attempt }) => attempt)).at(-1)
    // Of the whole it is hardly more than the middle of those who were asked and those who were not.
    expect(one?.attempt.totalMs).toBeLessThan((one?.usual?.series['total']?.medianMs ?? 0) + 6000)
    expect(one?.excess.map(({ phase }) => phase)).toEqual(['shell'])
    expect(one?.lostMs).toBeGreaterThan(5500)
    expect(one?.lostMs).toBeLessThanOrEqual(6200)
  })

  it('calls slow what is beyond the limit of its pool', () => {
    const org: Org = { ...EMPTY_ORG, pools: [{ id: 'ticket-hall', slowMs: 20_000 }] }
    expect(explain(ready({ policy: 32_000 }), org).outcome).toBe('slow')
    expect(explain(ready({ policy: 32_000 })).outcome).toBe('ready')
  })
})

describe('causes', () => {
  it('have ids of their own, and at least ten of them, five about failures', () => {
    expect(new Set(CAUSES.map(({ id }) => id)).size).toBe(CAUSES.length)
    expect(CAUSES.filter(({ about }) => about === 'failure').length).toBeGreaterThanOrEqual(5)
  })

  const org: Org = {
    people: [
      { id: 'mara', groups: ['staff'], groupsAtSource: ['staff', 'halls'] },
      { id: 'ole', groups: ['staff'] },
    ],
    groups: [{ id: 'halls', memberOf: ['hall desktops'] }],
    pools: [{ id: 'ticket-hall', mode: 'container', grants: ['hall desktops'] }],
    hosts: [],
  }
  const refusedFor = (person: string) =>
    logon({ id: 'it', person, outcome: 'failed', phases: { broker: 700 }, marks: [['broker.refused', 'broker', 600]] })
  it.each<[string, Observation[]]>([
    [
      'container-held',
      failed(
        { holderHost: 'TH-Q2-07', holderAlive: false },
        [
          ['0xC0000043', 'container', 5000],
          ['0xc0000043', 'container', 14_000],
        ],
        { ...USUAL, container: 87_000 },
      ),
    ],
    ['container-denied', failed({ first: true }, [['STATUS_ACCESS_DENIED', 'container', 5000]])],
    ['share-full', failed({ shareFreeBytes: 0, containerFreeBytes: 9e9 }, [['0xC000007F', 'container', 5000]])],
    ['container-full', failed({ shareFreeBytes: 9e12, containerFreeBytes: 1000 }, [['0xC000007F', 'profile', 6000]])],
    ['share-unreachable', failed({}, [['0xC00000BE', 'container', 5000]])],
    ['container-damaged', failed({}, [['container.damaged', 'container', 5000]])],
    ['wrong-password', failed({}, [['0xC000006A', 'sign-on', 3000]])],
    ['account-locked', failed({}, [['0xC0000234', 'sign-on', 3000]])],
    ['clock-skew', failed({}, [['KRB_AP_ERR_SKEW', 'sign-on', 3000]])],
    ['second-factor-timeout', failed({ approvalMs: 21_000, gatewayTimeoutMs: 15_000 }, [['factor.timeout', 'sign-on', 16_000]])],
    [
      'pool-exhausted',
      logon({
        id: 'it',
        outcome: 'failed',
        phases: { broker: 30_000 },
        attrs: { freeDesktops: 0, disconnected: 41 },
        marks: [['broker.refused', 'broker', 29_000]],
      }),
    ],
    [
      'all-draining',
      logon({
        id: 'it',
        outcome: 'failed',
        phases: { broker: 700 },
        attrs: { freeDesktops: 0, drainingHosts: 4, hosts: 4 },
        marks: [['broker.refused', 'broker', 600]],
      }),
    ],
    ['directory-lag', refusedFor('mara')],
    ['not-granted', refusedFor('ole')],
    ['host-silent', logon({ id: 'it', phases: { broker: 700 } }).filter(({ kind }) => kind !== 'end')],
    ['leftover-profile', logon({ id: 'it', outcome: 'degraded', attrs: { profileType: 'local' }, marks: [['leftover.found', 'profile', 6000]] })],
    ['leftover-profile', logon({ id: 'it', attrs: { profileType: 'local' }, marks: [['leftover.found', 'profile', 6000]] })],
    [
      'host-not-configured',
      logon({ id: 'it', outcome: 'degraded', attrs: { profileType: 'temporary' }, marks: [['settings.missing', 'profile', 6000]] }),
    ],
    [
      'policy-part-slow',
      [
        ...ready({ policy: 32_000 }),
        { kind: 'phase', attempt: 'it', person: 'mara', timeMs: START_MS + 7000, phase: 'policy', part: 'printers', durationMs: 30_000 },
      ],
    ],
    ['host-cold', ready({ power: 62_000 }, { uptimeS: 60 })],
    ['host-overloaded', ready({ profile: 9000, policy: 11_000, shell: 15_000 }, { hostCpu: 0.97 })],
    ['second-factor-slow', ready({ 'sign-on': 24_000 }, { factor: 'push', approvalMs: 21_000, gatewayTimeoutMs: 120_000 })],
    [
      'container-retry',
      [...ready({ container: 19_000 }), { kind: 'mark', attempt: 'it', timeMs: START_MS + 6000, phase: 'container', code: 'container.retry' }],
    ],
    ['poor-line', ready({ connect: 14_000 }, { rttMs: 420, bandwidthKbps: 300 })],
    ['bloated-profile', ready({ profile: 41_000 }, { profileType: 'files', profileBytes: 6e9, profileFiles: 90_000 })],
    ['autostart-heavy', ready({ shell: 22_000 }, { autostart: 14 })],
  ])('finds %s', (id, observations) => {
    const { diagnosis } = explain(observations, org)
    expect(diagnosis.cause?.id).toBe(id)
    expect(diagnosis.cause?.confidence).toBeGreaterThan(0.6)
    expect(diagnosis.cause?.evidence.some((clue) => clue.for)).toBe(true)
    expect(diagnosis.cause?.sentence).not.toMatch(/null|undefined|NaN/)
  })

  it('tells a storm from a share that is slow on its own by how many log on at once', () => {
    const share = String.raw`\\quay-fs1\profiles`
    const at = (n: number, everyMs: number) =>
      Array.from({ length: n }, (_, i) =>
        logon({
          id: i === n >> 1 ? 'it' : `with-${i}`,
          person: `s${i}`,
          host: `TH-Q1-${i % 8}`,
          at: START_MS + i * everyMs,
          attrs: { share, shareLatencyMs: 40 },
          phases: { ...USUAL, container: 9000 },
        }),
      ).flat()
    const ordinarily = { share, shareLatencyMs: 4 }
    expect(explain(at(80, 2000), EMPTY_ORG, ordinarily).diagnosis.cause?.id).toBe('logon-storm')
    expect(explain(at(12, 60_000), EMPTY_ORG, ordinarily).diagnosis.cause?.id).toBe('share-slow')
  })

  it('calls it a crowd by how many come ordinarily: in a small company a few in four minutes are one, where quiet moments are well', () => {
    const share = String.raw`\\quay-fs1\profiles`
    const on = (id: string, i: number, at: number, ms: number, latency: number) =>
      logon({ id, person: `${id}-p`, host: `TH-Q1-${i % 8}`, at, attrs: { share, shareLatencyMs: latency }, phases: { ...USUAL, container: ms } })
    // Now and then somebody in a quarter of an hour, well; and at the beginning of a shift eight in five minutes, slow.
    const quiet = Array.from({ length: 40 }, (_, i) => on(`q${i}`, i, START_MS - 40_000 - (i + 1) * 900_000, 1100, 4)).flat()
    const shifts = [0, 1].flatMap((shift) =>
      Array.from({ length: 8 }, (_, i) =>
        on(shift === 0 && i === 5 ? 'it' : `s${shift}-${i}`, i, START_MS - shift * 8 * 3_600_000 + i * 36_000, 12_000, 40),
      ).flat(),
    )
    const { diagnosis } = explain([...quiet, ...shifts], EMPTY_ORG)
    expect(diagnosis.cause?.id).toBe('logon-storm')
    expect(diagnosis.cause?.evidence.map(({ sentence }) => sentence).join(' ')).toMatch(/In quiet moments [01] of \d+ on it were slow/)
  })

  it('tells a full share from a full container by whether others on the share fail in the same way', () => {
    const attrs = { share: '\\\\quay-fs1\\profiles', network: 'office' }
    const it = failed(attrs, [['STATUS_DISK_FULL', 'profile', 5500]])
    const others = (n: number) =>
      Array.from({ length: n }, (_, i) =>
        logon({
          id: `full-${i}`,
          person: `f${i}`,
          host: `TH-Q1-${i % 8}`,
          at: START_MS + (i - 4) * 90_000,
          outcome: 'failed',
          attrs,
          marks: [['STATUS_DISK_FULL', 'profile', 5500]],
          phases: { ...USUAL, shell: 0 },
        }),
      ).flat()
    expect(explain([...others(0), ...it], EMPTY_ORG, attrs).diagnosis.cause?.id).toBe('container-full')
    const among = explain([...others(9), ...it], EMPTY_ORG, attrs).diagnosis.cause
    expect(among?.id).toBe('share-full')
    expect(among?.evidence.map(({ sentence }) => sentence).join(' ')).toMatch(/of the 12 nearest logons on this share failed in the same way/)
    // What is known of the room outweighs what happens to others.
    expect(
      explain([...others(9), ...failed({ ...attrs, shareFreeBytes: 4e11 }, [['STATUS_DISK_FULL', 'profile', 5500]])], EMPTY_ORG, attrs).diagnosis
        .cause?.id,
    ).not.toBe('share-full')
  })

  it('a share on which hardly any room is left is not merely slow; one that has always had as little is', () => {
    const share = { share: '\\\\quay-fs1\\profiles', containerBytes: 6e9 }
    const slow = (id: string, person: string, atMs: number, more: Attrs) =>
      logon({
        id,
        person,
        host: 'TH-Q1-2',
        at: atMs,
        attrs: { ...share, shareLatencyMs: 40, ...more },
        phases: { ...USUAL, container: 14_000, profile: 9000 },
      })
    const crowd = (more: Attrs) => Array.from({ length: 12 }, (_, i) => slow(`c${i}`, `c${i}`, START_MS + (i - 6) * 100_000, more)).flat()
    const asked = (ordinaryBytes: number, nowBytes: number) =>
      explain([...crowd({ shareFreeBytes: nowBytes }), ...slow('it', 'mara', START_MS, { shareFreeBytes: nowBytes })], EMPTY_ORG, {
        ...share,
        shareLatencyMs: 3,
        shareFreeBytes: ordinaryBytes,
      }).diagnosis
    const little = asked(9e11, 2e9)
    expect(little.cause?.id).toBe('near-full')
    expect(little.cause?.evidence.map(({ sentence }) => sentence)).toContain('Only 1907 MiB are free on the share.')
    expect(asked(2.1e9, 2e9).cause?.id).not.toBe('near-full')
    expect(asked(9e11, 8.8e11).cause?.id).not.toBe('near-full')
  })

  it('of policy and packages, which run side by side, whichever is waited for is only beyond its usual where it took more than it takes', () => {
    // Now the one is waited for and now the other; both take about 3 s.
    const beside = (policy: number, packages: number, as: Parameters<typeof logon>[0]) =>
      logon({ ...as, phases: { ...USUAL, policy: Math.max(policy, packages) } }).flatMap((o) =>
        o.phase === 'policy'
          ? [
              { ...o, durationMs: policy },
              { ...o, phase: 'packages', durationMs: packages },
            ]
          : [o],
      )
    const many = Array.from({ length: 200 }, (_, i) =>
      beside(2600 + (i % 3 === 0 ? 0 : i), i % 3 === 0 ? 3200 + i : 2300, { id: `many-${i}`, person: `m${i}`, at: START_MS - (i + 1) * 50_000 }),
    ).flat()
    const flipped = analyseAll(
      correlate([...many, ...beside(2600, 3400, { id: 'it' })], START_MS + 7_200_000).map(({ attempt }) => attempt),
      EMPTY_ORG,
    )
    const it = flipped.find(({ attempt }) => attempt.id === 'it')
    expect([it?.excess.map(({ phase }) => phase), it?.lostMs]).toEqual([[], 0])
    const lost = analyseAll(
      correlate([...many, ...beside(2600, 14_000, { id: 'it' })], START_MS + 7_200_000).map(({ attempt }) => attempt),
      EMPTY_ORG,
    )
    expect(lost.find(({ attempt }) => attempt.id === 'it')).toMatchObject({ diagnosis: { cause: { id: 'packages-slow' } } })
  })

  it('what came one after another is lost, however much the whole varies by something else', () => {
    // Some are asked for a second factor, others are not.
    const of = (i: number) => ({ ...USUAL, 'sign-on': i % 3 === 0 ? 6000 + 60 * i : 900, policy: 2400, packages: 900 + (i % 7) * 10 })
    const many = Array.from({ length: 150 }, (_, i) =>
      logon({ id: `many-${i}`, person: `m${i}`, at: START_MS - (i + 1) * 50_000, phases: of(i) }),
    ).flat()
    const it = analyseAll(
      correlate([...many, ...logon({ id: 'it', phases: { ...of(1), packages: 6500 } })], START_MS + 7_200_000).map(({ attempt }) => attempt),
    ).find(({ attempt }) => attempt.id === 'it')
    expect(it).toMatchObject({ diagnosis: { cause: { id: 'packages-slow' } } })
    expect(it?.lostMs).toBeGreaterThan(5000)
  })

  it('says which record is needed for a wait without one', () => {
    const list = ready({}).map((o) => (o.phase === 'shell' || o.kind === 'end' ? { ...o, timeMs: o.timeMs + 40_000 } : o))
    const { diagnosis } = explain(list)
    expect(diagnosis.cause).toMatchObject({ id: 'unknown-wait' })
    expect(diagnosis.cause?.sentence).toContain('after policy, before shell')
  })

  it('shares the belief among all causes: no more than 1 in all', () => {
    const { diagnosis } = explain(
      failed({ holderHost: 'X' }, [
        ['0xC0000043', 'container', 5000],
        ['0xC0000022', 'container', 9000],
      ]),
    )
    const sum = (diagnosis.cause?.confidence ?? 0) + diagnosis.others.reduce((total, { confidence }) => total + confidence, 0)
    expect(sum).toBeLessThanOrEqual(1.01)
    expect(diagnosis.others.map(({ id }) => id)).toContain('container-denied')
  })
})

describe('codes', () => {
  it('have one spelling each', () => {
    expect(['0xC0000043', '0xc0000043', 'status_sharing_violation', ' STATUS_SHARING_VIOLATION '].map(canonicalCode)).toEqual(
      Array.from({ length: 4 }, () => 'STATUS_SHARING_VIOLATION'),
    )
    expect(codeNumber('STATUS_SHARING_VIOLATION')).toBe('0xC0000043')
    expect(['0xC0000043', 'c0000043', '0xFFFFFFFFC0000043', '3221225539', '-1073741757'].map(canonicalCode)).toEqual(
      Array(5).fill('STATUS_SHARING_VIOLATION'),
    )
    // Numbers of other kinds are left alone.
    expect(['43', '24', '3221225473', '0x1234567', 'vendor.code'].map(canonicalCode)).toEqual(['43', '24', '3221225473', '0x1234567', 'vendor.code'])
  })
})

describe('incidents', () => {
  it('are ordered by lost time and named by the place that they share', () => {
    const held = Array.from({ length: 5 }, (_, i) =>
      logon({
        id: `h${i}`,
        person: `h${i}`,
        at: START_MS + i * 60_000,
        outcome: 'failed',
        attrs: { holderHost: 'TH-Q2-07' },
        phases: { ...USUAL, container: 60_000, shell: 0 },
        marks: [['0xC0000043', 'container', 5000]],
      }),
    ).flat()
    const wrong = logon({ id: 'w', person: 'w', outcome: 'failed', phases: { 'sign-on': 3000 }, marks: [['0xC000006A', 'sign-on', 3000]] })
    const ledger = new Ledger()
    for (const one of analyseAll(correlate([...before(), ...held, ...wrong], START_MS + 7_200_000).map(({ attempt }) => attempt)))
      ledger.add(seenOf(one))
    const { incidents: found, scattered } = findIncidents(ledger)
    expect(found.map(({ cause }) => cause)).toEqual(['container-held'])
    expect(scattered).toMatchObject([{ cause: 'wrong-password', attempts: 1, people: 1, failed: 1 }])
    expect(found[0]).toMatchObject({ people: 5, attempts: 5, failed: 5, scope: [{ dimension: 'holderHost', value: 'TH-Q2-07' }] })
  })
})
