import { describe, expect, it } from 'vitest'
import { analyseAll, place } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import type { Observation } from '../observation'
import { EMPTY_ORG, type Org } from '../../people/org'

/** What evidence leaves open, and a mark or what is known of the organisation tells. */
const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 1200, policy: 2400, shell: 4000 }
const MINUTE_MS = 60_000
const before = Array.from({ length: 60 }, (_, i) =>
  logon({ id: `b${i}`, person: `p${i}`, at: START_MS - (i + 1) * MINUTE_MS, phases: { ...USUAL, profile: 1000 + (i % 5) * 100 } }),
).flat()

function finding(observations: readonly Observation[], org: Org = EMPTY_ORG) {
  const explained = analyseAll(
    correlate([...before, ...observations], START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt),
    org,
  )
  const { cause, others } = explained.find(({ attempt }) => attempt.id === 'it')?.diagnosis ?? { cause: null, others: [] }
  return {
    id: cause?.id,
    others: others.map(({ id }) => id),
    evidence: cause?.evidence.map(({ sentence }) => sentence) ?? [],
    sentence: cause?.sentence,
  }
}
const refused = (mark: [string, string, number], attrs = {}) => logon({ id: 'it', outcome: 'failed', attrs, marks: [mark], phases: { broker: 900 } })

describe('a host that does not answer', () => {
  it('is heard of only by whoever connects to it: that it is the host is told by others who were to have it, and others who were not', () => {
    const dead = (id: string, person: string, at: number) =>
      logon({ id, person, host: 'TH-Q1-09', at, outcome: 'failed', phases: { broker: 600, connect: 32_000 } })
    const others = [...Array(5).keys()].flatMap((i) => dead(`o${i}`, `p${i}`, START_MS - (i + 1) * 4 * MINUTE_MS))
    const { id, evidence } = finding([...others, ...dead('it', 'mara', START_MS)])
    expect(id).toBe('host-silent')
    expect(evidence).toContain('Nothing was heard from the host: only that it was connected to.')
    // One alone may as well be the line.
    expect(finding(dead('it', 'mara', START_MS)).id).not.toBe('host-silent')
  })
})

describe('packages that took long', () => {
  const five = { packages: 5 }
  const WITH = { ...USUAL, packages: 1400 }
  /** As many are attached as ever; those at the minutes in question take long. */
  const told = (pool: string, isLong: (i: number) => boolean) =>
    [...Array(90).keys()].flatMap((i) =>
      logon({
        id: i === 0 ? 'it' : `${pool}${i}`,
        person: i === 0 ? 'mara' : `q${i}`,
        pool,
        host: `${pool}-${i % 4}`,
        at: START_MS - i * MINUTE_MS,
        attrs: five,
        phases: isLong(i) ? { ...WITH, packages: 12_000 } : { ...WITH, packages: 1300 + (i % 9) * 30 },
      }),
    )
  it('are told where others of the pool have it, not of one alone for whom as many as ever are attached', () => {
    expect(finding(told('studio', (i) => i === 0)).id).toBeUndefined()
    expect(finding(told('studio', (i) => i < 12))).toMatchObject({
      id: 'packages-slow',
      sentence: 'Attaching application packages took longer than it should.',
    })
  })
})

describe('an approval', () => {
  it('that nobody measured took until the mark that says so', () => {
    const late = logon({ id: 'it', phases: { ...USUAL, 'sign-on': 34_000 }, marks: [['factor.approved', 'sign-on', 34_000]] })
    expect(finding(late)).toMatchObject({ id: 'second-factor-slow', evidence: ['The approval took 32 s of 34 s sign-on.'] })
    const atOnce = logon({ id: 'it', phases: { ...USUAL, 'sign-on': 34_000 }, marks: [['factor.approved', 'sign-on', 4000]] })
    expect(finding(atOnce).id).not.toBe('second-factor-slow')
  })

  it('that came after the gateway had given up speaks for its limit', () => {
    const marks: [string, string, number][] = [
      ['factor.timeout', 'sign-on', 21_600],
      ['factor.approved', 'sign-on', 29_000],
    ]
    const { id, evidence } = finding(logon({ id: 'it', outcome: 'failed', marks, phases: { broker: 600, connect: 1000, 'sign-on': 20_000 } }))
    expect(id).toBe('second-factor-timeout')
    expect(evidence).toContain('The approval came after the gateway had given up.')
  })

  it('that is reported of a sign-on for which the gateway waited all of its time is not believed', () => {
    const gaveUp = (signOn: number) =>
      finding(
        logon({
          id: 'it',
          outcome: 'failed',
          marks: [['factor.timeout', 'sign-on', signOn + 1600]],
          attrs: { approvalMs: 2800, gatewayTimeoutMs: 60_000 },
          phases: { broker: 600, connect: 1000, 'sign-on': signOn },
        }),
      )
    expect(gaveUp(60_000)).toMatchObject({ id: 'second-factor-timeout' })
    expect(gaveUp(60_000).evidence).toContain('Sign-on took all of the 1 min 0 s that the gateway waits, though an approval after 2.8 s is reported.')
    expect(gaveUp(8000).id).not.toBe('second-factor-timeout')
  })
})

describe('how long people take to approve', () => {
  /** From 2 to 8 s, as many of each; the one in question takes so long. */
  const asked = (approvalMs: number) => {
    const one = (ms: number, who: object) => logon({ ...who, attrs: { approvalMs: ms }, phases: { ...USUAL, 'sign-on': 2000 + ms } })
    const all = Array.from({ length: 120 }, (_, i) => one(2000 + 50 * i, { id: `a${i}`, person: `q${i}`, at: START_MS - (i + 1) * MINUTE_MS })).flat()
    const explained = analyseAll(correlate([...all, ...one(approvalMs, { id: 'it' })], START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt))
    const { lostMs, diagnosis } = explained.find(({ attempt }) => attempt.id === 'it') ?? { lostMs: -1, diagnosis: { cause: null } }
    return [diagnosis.cause?.id ?? null, lostMs > 0] as const
  }

  it('varies: a little beyond what most take is nothing unusual, far beyond it is', () => {
    expect(asked(12_000)).toEqual([null, false])
    expect(asked(40_000)).toEqual(['second-factor-slow', true])
  })

  it('is none of sign-on where it is much longer than that', () => {
    // The gateway waited for it before: sign-on itself is quick.
    const one = (ms: number, who: object) => logon({ ...who, attrs: { approvalMs: ms }, phases: { ...USUAL, 'sign-on': 3000 } })
    const all = Array.from({ length: 120 }, (_, i) => one(6000 + 50 * i, { id: `a${i}`, person: `q${i}`, at: START_MS - (i + 1) * MINUTE_MS })).flat()
    const explained = analyseAll(correlate([...all, ...one(90_000, { id: 'it' })], START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt))
    expect(explained.filter(({ diagnosis, excess }) => diagnosis.cause !== null || excess.length > 0)).toEqual([])
    expect(explained.at(-1)?.usual?.series['sign-on']?.medianMs).toBeCloseTo(3000, -3)
  })

  it('is no trouble beside another: what is left of sign-on is, where it is out of the ordinary', () => {
    // Every eighth has a second factor, so that sign-on with one is beyond the usual.
    const one = (who: object, approvalMs: number, signOnMs: number, policyMs: number) => {
      const list = logon({
        ...who,
        attrs: approvalMs > 0 ? { factor: 'push', approvalMs } : { factor: 'none' },
        phases: { ...USUAL, 'sign-on': signOnMs + approvalMs, policy: policyMs },
      })
      return list.flatMap((told) => (told.phase === 'policy' ? [told, { ...told, part: 'printers', durationMs: policyMs - 1200 }] : [told]))
    }
    const all = Array.from({ length: 400 }, (_, i) =>
      one({ id: `a${i}`, person: `q${i}`, at: START_MS - (i + 1) * MINUTE_MS }, i % 8 === 0 ? 5000 + 100 * (i % 48) : 0, 2000 + (i % 7) * 60, 2400),
    ).flat()
    const evidenceOf = (signOnMs: number) => {
      const attempts = correlate([...all, ...one({ id: 'it' }, 9000, signOnMs, 14_000)], START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt)
      const it = analyseAll(attempts).find(({ attempt }) => attempt.id === 'it')
      return {
        id: it?.diagnosis.cause?.id,
        excess: it?.excess.map(({ phase }) => phase).sort(),
        said: it?.diagnosis.cause?.evidence.map(({ sentence }) => sentence).join(' '),
      }
    }
    const quick = evidenceOf(2000)
    expect(quick).toMatchObject({ id: 'policy-part-slow', excess: ['policy'] })
    expect(quick.said).not.toContain('It explains only')
    const slow = evidenceOf(12_000)
    expect(slow.excess).toEqual(['policy', 'sign-on'])
    expect(slow.said).toContain('for the rest there is: directory answers slowly')
  })
})

describe('mirrored locations', () => {
  const counted = (writable: number) =>
    finding(
      logon({
        id: 'it',
        outcome: 'failed',
        attrs: { locationsWritable: writable, locationsRequired: 2 },
        marks: [['0xC0000001', 'container', 3000]],
        phases: { broker: 600, connect: 1000, container: 1500 },
      }),
    )

  it('are too few by their counts, where the code says nothing', () => {
    expect(counted(1)).toMatchObject({ id: 'too-few-locations', evidence: ['1 of 2 locations that are required could be written.'] })
    expect(counted(2).id).toBeUndefined()
  })
})

describe('a broker that refuses without saying why', () => {
  const org: Org = {
    ...EMPTY_ORG,
    people: [{ id: 'u-1', accounts: ['LARKMERE\\mara'], groups: ['staff'], groupsAtSource: ['staff'] }],
    pools: [{ id: 'ticket-hall', grants: ['halls'] }],
    hosts: [
      { id: 'TH-Q1-04', pool: 'ticket-hall', draining: true },
      { id: 'TH-Q1-05', pool: 'ticket-hall', draining: false },
    ],
  }
  const notSaid = refused(['broker.refused', 'broker', 800])

  it('means that nothing is granted to a person whose groups do not have the pool, whatever they are called in evidence', () => {
    expect(finding(notSaid, org)).toMatchObject({ id: 'not-granted', evidence: ['None of their groups has ticket-hall.', 'The broker refused.'] })
  })

  it('means that the grant has not arrived where it is there at the source only', () => {
    const waiting = { ...org, people: [{ id: 'u-1', accounts: ['LARKMERE\\mara'], groups: ['staff'], groupsAtSource: ['staff', 'halls'] }] }
    expect(finding(notSaid, waiting).id).toBe('directory-lag')
  })

  it('means that all hosts are draining where that is known of them, and is left open where one is not', () => {
    const granted = { ...org, people: [] }
    expect(finding(notSaid, granted).id).not.toBe('all-draining')
    const draining = { ...granted, hosts: granted.hosts.map((host) => ({ ...host, draining: true })) }
    expect(finding(notSaid, draining)).toMatchObject({ id: 'all-draining', evidence: ['All 2 hosts of the pool are draining, as far as is known.'] })
    // What the broker counted itself counts more.
    expect(finding(refused(['broker.refused', 'broker', 800], { drainingHosts: 1, hosts: 2 }), draining).id).not.toBe('all-draining')
  })
})

describe('whoever the organisation knows', () => {
  it('is one person, by whatever account they signed on, and their place is filled in where evidence does not say it', () => {
    const org: Org = {
      ...EMPTY_ORG,
      people: [{ id: 'U-1', accounts: ['LARKMERE\\mara', 'm.lindqvist@larkmere.example'] }],
      hosts: [{ id: 'th-q1-04', zone: 'Q1', site: 'quay', image: 'hall 2', pool: 'halls' }],
      shares: [{ id: 'quay', path: String.raw`\\quay-fs1\profiles` }],
      containers: [{ person: 'u-1', share: 'quay' }],
    }
    const [one, two, other] = correlate(
      [
        ...logon({ id: 'a', person: String.raw`LARKMERE\MARA` }),
        ...logon({ id: 'b', person: 'm.lindqvist@larkmere.example', at: START_MS + MINUTE_MS, attrs: { zone: 'told', share: 'told' } }),
        ...logon({ id: 'c', person: 'nobody', host: 'unknown', at: START_MS + 2 * MINUTE_MS }),
      ],
      START_MS + 60 * MINUTE_MS,
    ).map(({ attempt }) => attempt)
    if (!one || !two || !other) throw new Error('attempts are missing')
    expect(place(one, org)).toMatchObject({
      person: 'u-1',
      account: String.raw`LARKMERE\MARA`,
      pool: 'ticket-hall',
      attrs: { zone: 'Q1', site: 'quay', image: 'hall 2', share: 'quay' },
    })
    expect(place({ ...two, pool: null }, org)).toMatchObject({ person: 'u-1', pool: 'halls', attrs: { zone: 'told', site: 'quay', share: 'told' } })
    expect(place(other, org)).toBe(other)
  })
})

describe('a write that was refused for lack of room', () => {
  const share = String.raw`\\quay-fs1\profiles`
  const of = (freeBytes: number): Org => ({
    ...EMPTY_ORG,
    people: [{ id: 'mara' }],
    shares: [{ id: 'quay', path: share, freeBytes }],
    containers: [{ person: 'mara', share: 'quay' }],
  })
  const full = refused(['0xC000007F', 'container', 850])

  it('is the share where that is known to have no room, and the container where it has', () => {
    expect(finding(full, of(20 * 2 ** 20))).toMatchObject({ id: 'share-full', sentence: 'No room is left on quay.' })
    expect(finding(full, of(2e12)).id).toBe('container-full')
  })

  it('is the container where that is known to be full, also of those whose neighbours’ are, too', () => {
    const many = Array.from({ length: 6 }, (_, i) =>
      logon({
        id: i === 3 ? 'it' : `full-${i}`,
        person: `q${i}`,
        at: START_MS + i * MINUTE_MS,
        outcome: 'failed',
        attrs: { share, containerFreeBytes: 0 },
        marks: [['0xC000007F', 'container', 850]],
        phases: { broker: 900 },
      }),
    ).flat()
    expect(finding(many, of(2e12)).id).toBe('container-full')
  })
})

describe('one part of policy', () => {
  /** Policy took 33 s, all of it within a step that waits for the parts. */
  const within = (parts: readonly [string, number][]) => {
    const whole = logon({ id: 'it', phases: { ...USUAL, policy: 33_000 } })
    const policy = whole.find(({ phase }) => phase === 'policy')
    const { timeMs = 0 } = policy ?? {}
    const part = (name: string, atMs: number, durationMs: number): Observation => ({ ...policy, kind: 'phase', part: name, timeMs: atMs, durationMs })
    let at = timeMs + 500
    const inner = parts.map(([name, ms]) => part(name, (at += ms) - ms, ms))
    return [...whole, part('what waits for all', timeMs, 33_000), ...inner]
  }

  it('is the one that took the time, not what it lies in', () => {
    expect(
      finding(
        within([
          ['drive maps', 800],
          ['printers', 30_000],
          ['registry', 900],
        ]),
      ),
    ).toMatchObject({
      id: 'policy-part-slow',
      sentence: 'Part “printers” takes nearly all of the time in policy.',
      evidence: expect.arrayContaining(['Part “printers” took 30 s of 33 s.']) as unknown,
    })
  })

  it('is none where all that it lies in took long', () => {
    const even = finding(
      within([
        ['drive maps', 8000],
        ['printers', 8000],
        ['registry', 8000],
        ['folders', 8000],
      ]),
    )
    expect(even.id).not.toBe('policy-part-slow')
  })
})

describe('a desktop that takes long, where nobody records what starts with it', () => {
  it('is not said to be that, but shown as what it could be', () => {
    const found = finding(logon({ id: 'it', phases: { ...USUAL, shell: 34_000 } }))
    expect([found.id, found.others]).toEqual([undefined, ['autostart-heavy']])
    const few = finding(logon({ id: 'it', phases: { ...USUAL, shell: 34_000 }, attrs: { autostart: 3 } }))
    expect([few.id, few.others]).toEqual([undefined, []])
  })
})
