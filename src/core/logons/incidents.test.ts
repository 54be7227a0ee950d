import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Random } from '../../standins/random'
import { EMPTY_ORG, type Org } from '../people/org'
import { findIncidents, hitsByHour } from './incidents'
import { Ledger, type Seen } from './ledger'
import { FIRST_LOGON, namesOf } from './observation'

const HOUR = 3_600_000
const START = Date.UTC(2026, 10, 16)

/** A company of 3 pools on 12 hosts, 2 shares and 2 networks over some days: a logon every four minutes; `ill` says who has what, `lost` how much that costs. */
function company(
  ill: (seen: Seen, random: Random) => string | null,
  days = 6,
  lost: (seen: Seen, random: Random) => number = () => 20_000,
  otherwise: (seen: Seen) => Seen = (seen) => seen,
): Ledger {
  const random = new Random('incidents test')
  const ledger = new Ledger()
  for (let i = 0; i < days * 360; i++) {
    const n = random.below(12)
    const seen = otherwise({
      id: `a${i}`,
      person: `p${random.below(400)}`,
      atMs: START + i * 240_000,
      lostMs: 0,
      failed: false,
      open: false,
      cause: null,
      places: {
        host: `H${n}`,
        pool: `pool-${n % 3}`,
        image: `img-${n % 3}`,
        share: n % 3 === 0 ? 'S1' : 'S2',
        network: random.chance(0.3) ? 'home' : 'office',
      },
    })
    const cause = ill(seen, random)
    ledger.add(cause === null ? seen : { ...seen, cause, lostMs: lost(seen, random) })
  }
  return ledger
}
const within = (atMs: number, fromHour: number, toHour: number) => atMs >= START + fromHour * HOUR && atMs < START + toHour * HOUR

describe('incidents', () => {
  it('are named by the smallest place that tells, from their beginning to their end', () => {
    const ledger = company(({ atMs, places }) => (places.host === 'H4' && within(atMs, 40, 70) ? 'host-overloaded' : null))
    const { incidents, scattered } = findIncidents(ledger)
    expect(scattered).toEqual([])
    expect(incidents).toHaveLength(1)
    const [one] = incidents
    expect(one).toMatchObject({ cause: 'host-overloaded', scope: [{ dimension: 'host', value: 'H4' }], episodes: 1, failed: 0 })
    expect(one?.fromMs).toBeGreaterThanOrEqual(START + 40 * HOUR)
    expect(one?.fromMs).toBeLessThan(START + 43 * HOUR)
    expect(one?.toMs).toBeLessThan(START + 70 * HOUR)
    expect(one?.contrast.inside).toEqual({ hit: one?.attempts, n: one?.attempts })
    expect(one?.lostMs).toBe(20_000 * (one?.attempts ?? 0))
    const hours = hitsByHour(ledger, EMPTY_ORG, one?.scope ?? [], 'host-overloaded', START, START + 144 * HOUR)
    expect(hours.reduce((sum, { hit }) => sum + hit, 0)).toBe(one?.attempts)
    expect(hours.slice(0, 40).every(({ hit }) => hit === 0)).toBe(true)
  })

  it('tell what only goes along with them: a pool that merely uses that share', () => {
    const [one] = findIncidents(
      company(({ atMs, places }, random) => (places.share === 'S2' && within(atMs, 60, 90) && random.chance(0.9) ? 'share-slow' : null)),
    ).incidents
    expect(one?.scope).toEqual([{ dimension: 'share', value: 'S2' }])
    const home = findIncidents(
      company(({ atMs, places }) => (places.pool === 'pool-0' && places.network === 'home' && within(atMs, 60, 100) ? 'relay-path' : null)),
    ).incidents[0]
    expect(home?.scope.map(({ value }) => value).sort()).toEqual(['home', 'pool-0'])
    expect(home?.alongside.map(({ place }) => place.dimension)).toContain('share')
  })

  it('are one where any second factor has it, and of one factor where only that has', () => {
    // Half of them need none; the others push, code or key, by person.
    const factorOf = (person: string) => ['none', 'push', 'none', 'code', 'none', 'key'][Number(person.slice(1)) % 6] ?? 'none'
    const withFactors = (ill: (factor: string) => boolean) =>
      company((seen) => {
        const factor = factorOf(seen.person)
        Object.assign(seen.places, { factor })
        return within(seen.atMs, 60, 70) && ill(factor) ? 'second-factor-timeout' : null
      })
    const any = withFactors((factor) => factor !== 'none')
    const [one, ...others] = findIncidents(any).incidents
    expect([one?.scope, others]).toEqual([[{ dimension: 'factor', value: 'any' }], []])
    expect(one?.contrast).toMatchObject({ inside: { hit: one?.attempts, n: one?.attempts }, outside: { hit: 0 } })
    const hours = hitsByHour(any, EMPTY_ORG, one?.scope ?? [], 'second-factor-timeout', START, START + 144 * HOUR)
    expect(hours.map(({ hit, n }) => (hit === 0 ? 0 : hit / n)).slice(59, 71)).toEqual([0, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1, 0])
    expect(findIncidents(withFactors((factor) => factor === 'push')).incidents.map(({ scope }) => scope)).toEqual([
      [{ dimension: 'factor', value: 'push' }],
    ])
  })

  it('are of everybody, where their own places are not named, and about every third has it at once', () => {
    const third = (ill: (atMs: number) => boolean) =>
      company(({ atMs, person, places }) => {
        Object.assign(places, { share: '' })
        return Number(person.slice(1)) % 3 === 0 && ill(atMs) ? 'share-slow' : null
      })
    const [one, ...others] = findIncidents(third((atMs) => within(atMs, 80, 84))).incidents
    expect(others).toEqual([])
    expect(one).toMatchObject({ cause: 'share-slow', scope: [] })
    expect(one?.fromMs).toBeLessThan(START + 80.5 * HOUR)
    expect(one?.attempts).toBeGreaterThan(12)
  })

  it('are of where most of it is, where hardly any of those who had it say the place that it sits at', () => {
    const ledger = company(({ atMs, places }, random) => {
      const isThere = places.pool === 'pool-0' && within(atMs, 50, 90)
      // One in twenty elsewhere has a zone, as those of another firm, and some of them have it, too.
      if (places.pool !== 'pool-0' && random.chance(0.05)) Object.assign(places, { zone: random.chance(0.5) ? 'Q1' : 'H1' })
      return isThere ? 'directory-slow' : places.zone !== undefined && random.chance(0.04) ? 'directory-slow' : null
    })
    const { incidents } = findIncidents(ledger)
    expect(incidents.map(({ cause, scope }) => [cause, scope])).toEqual([['directory-slow', [{ dimension: 'share', value: 'S1' }]]])
    expect(incidents[0]?.attempts).toBeGreaterThan(100)
  })

  it('are of first logons, where only these are refused and no place tells them', () => {
    const first = ({ id }: Seen) => Number(id.slice(1)) % 40 === 7
    const ledger = company(
      (seen) => (first(seen) && within(seen.atMs, 50, 110) ? 'container-denied' : null),
      6,
      undefined,
      (seen) => ({ ...seen, places: { ...seen.places, share: 'S1', ...(first(seen) ? { logon: FIRST_LOGON } : {}) } }),
    )
    const { incidents } = findIncidents(ledger)
    expect(incidents.map(({ cause, scope }) => ({ cause, scope }))).toEqual([
      { cause: 'container-denied', scope: [{ dimension: 'logon', value: 'first' }] },
    ])
    expect(incidents[0]?.contrast.inside.n).toBe(incidents[0]?.attempts)
    expect(incidents[0]?.attempts).toBeGreaterThan(20)
    // The same few of everybody are single cases.
    expect(findIncidents(company((seen) => (first(seen) && within(seen.atMs, 50, 110) ? 'container-denied' : null))).incidents).toEqual([])
  })

  it('are none where what happens is scattered, or happens once or twice', () => {
    const { incidents, scattered } = findIncidents(company((_, random) => (random.chance(0.01) ? 'wrong-password' : null)))
    expect(incidents).toEqual([])
    expect(scattered).toMatchObject([{ cause: 'wrong-password' }])
    let n = 0
    expect(findIncidents(company(({ places }) => (places.host === 'H2' && n++ < 2 ? 'host-silent' : null))).incidents).toEqual([])
  })

  it('are none of one among many people who has it a few times, as somebody always has', () => {
    const often = (every: number) => {
      let n = 0
      const isTheirs = (person: string) => person === 'p7' && n++ % every === 0
      return findIncidents(company(({ person }, random) => (isTheirs(person) || random.chance(0.007) ? 'unexplained' : null), 24)).incidents
    }
    expect(often(8)).toEqual([])
    // Who has it at every other logon is told.
    expect(often(2).map(({ scope }) => scope)).toEqual([[{ dimension: 'person', value: 'p7' }]])
  })

  it('are found by their time first, where they were so short that their place does not show in the whole window', () => {
    const short = company(({ atMs, places }) => (places.share === 'S1' && within(atMs, 80, 82) ? 'share-unreachable' : null))
    expect(findIncidents(short).incidents).toMatchObject([{ cause: 'share-unreachable', scope: [{ dimension: 'share', value: 'S1' }] }])
    const all = findIncidents(company(({ atMs }) => (within(atMs, 80, 82) ? 'trust-expired' : null)))
    expect(all.incidents).toMatchObject([{ cause: 'trust-expired', scope: [], attempts: 30 }])
    // Of only two who had nothing meanwhile, no place tells; that all are on one share does, where that is the cause's nature.
    const few = company(({ atMs, places }) => (within(atMs, 80, 80.6) && places.share === 'S2' ? 'share-unreachable' : null))
    expect(findIncidents(few).incidents).toMatchObject([{ cause: 'share-unreachable', scope: [{ dimension: 'share', value: 'S2' }] }])
    // As many within as short a time, but only a few of those who logged on then: nobody's place, and not everybody's.
    expect(findIncidents(company(({ atMs }, random) => (within(atMs, 80, 84) && random.chance(0.2) ? 'trust-expired' : null))).incidents).toEqual([])
  })

  it('begin with those who have it one after another, not with the last of the day before', () => {
    // By day only, every ten minutes, on two images by turns; the last one of the second day has it, then all of the third.
    const ledger = new Ledger()
    for (let i = 0; i < 5 * 60; i++) {
      const atMs = START + Math.floor(i / 60) * 24 * HOUR + 7 * HOUR + (i % 60) * 600_000
      const ill = i % 2 === 1 && (i === 119 || (i >= 120 && i < 180))
      const places = { host: `H${i % 8}`, image: `img-${i % 2}` }
      ledger.add({
        id: `a${i}`,
        person: `p${i % 50}`,
        atMs,
        lostMs: ill ? 9000 : 0,
        failed: false,
        open: false,
        cause: ill ? 'image-regression' : null,
        places,
      })
    }
    expect(findIncidents(ledger).incidents).toMatchObject([
      { cause: 'image-regression', scope: [{ value: 'img-1' }], attempts: 30, fromMs: START + 55 * HOUR + 600_000 },
    ])
  })

  it('are real against all others, where nobody else logged on meanwhile, nor there before', () => {
    const ledger = new Ledger()
    for (let i = 0; i < 30; i++) {
      const ill = i >= 15
      const places = { host: ill ? `N${i % 5}` : 'H1', pool: ill ? 'new' : 'old' }
      const one = { id: `a${i}`, person: `p${i}`, atMs: START + i * 120_000, lostMs: ill ? 1000 : 0, failed: ill, open: false, places }
      ledger.add({ ...one, cause: ill ? 'trust-expired' : null })
    }
    expect(findIncidents(ledger).incidents).toMatchObject([{ cause: 'trust-expired', scope: [{ dimension: 'pool', value: 'new' }], attempts: 15 }])
  })

  it('that come and go at one place are one line where that is wanted', () => {
    const storms = company(({ atMs, places }) => (places.share === 'S1' && atMs % (24 * HOUR) < 2 * HOUR ? 'logon-storm' : null))
    const apart = findIncidents(storms).incidents
    const joined = findIncidents(storms, EMPTY_ORG, { joined: true }).incidents
    expect(apart.length).toBeGreaterThan(3)
    expect(joined).toHaveLength(1)
    expect(joined[0]).toMatchObject({ episodes: apart.length, attempts: apart.reduce((sum, { attempts }) => sum + attempts, 0) })
    // Only the last day is counted, but how long it has been going on is known.
    const [today] = findIncidents(storms, EMPTY_ORG, { shownFromMs: START + 120 * HOUR, joined: true }).incidents
    expect(today?.attempts).toBeLessThan(joined[0]?.attempts ?? 0)
    expect(today?.fromMs).toBe(joined[0]?.fromMs)
  })

  it('that several hosts have at the same time are one line where that is wanted, and two hosts are two', () => {
    const ill = (hosts: readonly string[]) =>
      company(({ atMs, places }) => (hosts.includes(places.host ?? '') && within(atMs, 40, 70) ? 'scanner' : null))
    const four = ['H1', 'H10', 'H5', 'H9']
    const ledger = ill(four)
    const apart = findIncidents(ledger).incidents
    expect(apart.map(({ scope }) => scope.map(({ value }) => value).join()).sort()).toEqual(four)
    const [one, ...others] = findIncidents(ledger, EMPTY_ORG, { joined: true }).incidents
    expect(others).toEqual([])
    expect(one).toMatchObject({ cause: 'scanner', scope: [{ dimension: 'host', value: 'H1, H10, H5, H9' }], episodes: 1 })
    expect(one?.attempts).toBe(apart.reduce((sum, { attempts }) => sum + attempts, 0))
    expect(one?.each.map(({ place, inside }) => [place, inside])).toEqual(
      apart.map(({ scope, contrast }) => [scope[0], contrast.inside]).sort(([a], [b]) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1)),
    )
    expect(one?.each.map(({ fromMs }) => fromMs).sort()).toEqual(apart.map(({ fromMs }) => fromMs).sort())
    // None of those elsewhere had it: the others of them are no longer elsewhere.
    expect(one?.contrast).toMatchObject({ inside: { hit: one?.attempts, n: one?.attempts }, outside: { hit: 0 } })
    const hours = hitsByHour(ledger, EMPTY_ORG, one?.scope ?? [], 'scanner', START, START + 144 * HOUR)
    expect(hours.reduce((sum, { hit }) => sum + hit, 0)).toBe(one?.attempts)
    const two = findIncidents(ill(['H1', 'H5']), EMPTY_ORG, { joined: true }).incidents
    expect(two.map(({ scope }) => scope[0]?.value).sort()).toEqual(['H1', 'H5'])
  })

  it('of more hosts than can tell by themselves name all of them, but none where it is rare', () => {
    const random = new Random('many hosts')
    const ledger = new Ledger()
    for (let i = 0; i < 9000; i++) {
      const n = random.below(90)
      const [atMs, places] = [START + i * 20_000, { host: `H${n}`, pool: `pool-${n % 2}` }]
      const ill = random.chance(n < 60 && within(atMs, 42, 50) ? 0.95 : 0.004)
      ledger.add({
        id: `a${i}`,
        person: `p${i % 900}`,
        atMs,
        lostMs: ill ? 9000 : 0,
        failed: false,
        open: false,
        cause: ill ? 'scanner' : null,
        places,
      })
    }
    const { incidents, scattered } = findIncidents(ledger, EMPTY_ORG, { joined: true })
    expect(incidents.map(({ scope }) => scope.flatMap(namesOf).sort())).toEqual([Array.from({ length: 60 }, (_, n) => `H${n}`).sort()])
    expect(incidents[0]?.each.every(({ inside: { n, hit } }) => hit > n / 2)).toBe(true)
    const all = ledger.rows(START, START + 60 * HOUR).reduce((sum, row) => sum + Number(ledger.cause(row) > 0), 0)
    expect((incidents[0]?.attempts ?? 0) + scattered.reduce((sum, { attempts }) => sum + attempts, 0)).toBe(all)
  })

  it('that some hosts of an image have in most of their logons are told of those hosts, and of the image where all of them have it', () => {
    const ill = (hosts: (n: number) => boolean, rate: number) => {
      const random = new Random('some of an image')
      return company(
        ({ atMs, places }) =>
          places.image === 'img-1' && hosts(Number(places.host?.slice(1))) && within(atMs, 12, 30) && random.chance(rate) ? 'scanner' : null,
        6,
        undefined,
        (seen) => {
          const n = random.below(60)
          return { ...seen, atMs: START + (seen.atMs - START) / 4, places: { ...seen.places, host: `H${n}`, image: `img-${Number(n < 14)}` } }
        },
      )
    }
    const named = (ledger: Ledger) =>
      findIncidents(ledger, EMPTY_ORG, { joined: true }).incidents.map(({ scope: [place] }) => place && [place.dimension, [...namesOf(place)].sort()])
    const five = (n: number) => n % 3 === 1
    for (const rate of [1, 0.75, 0.5]) expect(named(ill(five, rate))).toEqual([['host', ['H1', 'H10', 'H13', 'H4', 'H7']]])
    // A quarter of the logons of each of its hosts: chance makes some of them look worse.
    for (const rate of [1, 0.5, 0.25]) expect(named(ill(() => true, rate))).toEqual([['image', ['img-1']]])
  })

  it('that hosts have one after another stay apart', () => {
    const from: Record<string, number> = { H1: 20, H5: 50, H9: 80 }
    const ledger = company(({ atMs, places }) => {
      const hour = from[places.host ?? '']
      return hour !== undefined && within(atMs, hour, hour + 40) ? 'scanner' : null
    })
    expect(
      findIncidents(ledger, EMPTY_ORG, { joined: true })
        .incidents.map(({ scope }) => scope[0]?.value)
        .sort(),
    ).toEqual(['H1', 'H5', 'H9'])
  })

  it('suspect the change that was made there just before, and not the others', () => {
    const ledger = company(({ atMs, places }) => (places.image === 'img-1' && within(atMs, 50, 144) ? 'image-regression' : null))
    const change = (id: string, hour: number, kind: 'image' | 'share', dimension: string, value: string) => ({
      id,
      atMs: START + hour * HOUR,
      kind,
      scope: [{ dimension, value }],
      sentence: id,
    })
    const org: Org = {
      ...EMPTY_ORG,
      changes: [
        change('elsewhere', 49.5, 'image', 'image', 'img-2'),
        change('it', 49.6, 'image', 'image', 'img-1'),
        change('after', 60, 'image', 'image', 'img-1'),
        change('other kind', 49, 'share', 'share', 'S1'),
      ],
    }
    const [one] = findIncidents(ledger, org).incidents
    expect(one?.scope).toEqual([{ dimension: 'image', value: 'img-1' }])
    expect(one?.change?.id).toBe('it')
    expect(
      one?.suspects.find(({ change: { id } }) => id === 'elsewhere')?.reasons.some((reason) => !reason.for && reason.sentence.includes('Only 0 of')),
    ).toBe(true)
  })
})

describe('an incident that becomes far worse', () => {
  const change = { id: 'it', atMs: START + 94 * HOUR, kind: 'share' as const, scope: [{ dimension: 'share', value: 'S1' }], sentence: 'Snapshots.' }
  const earlier = { ...change, id: 'earlier', atMs: START + 80 * HOUR }
  const org: Org = { ...EMPTY_ORG, changes: [change, earlier, { ...change, id: 'elsewhere', scope: [{ dimension: 'share', value: 'S2' }] }] }
  /** Two hours at midnight, noon and so on; about ten seconds each at first. */
  const storms = (lost: (atMs: number) => number) =>
    company(
      ({ atMs, places }, random) => (places.share === 'S1' && atMs % (12 * HOUR) < 2 * HOUR && random.chance(0.8) ? 'logon-storm' : null),
      6,
      ({ atMs }, random) => lost(atMs) * (0.5 + random.below(1000) / 1000),
    )

  it('says since when, how much more is lost, and which change was made just before that', () => {
    const [one, ...others] = findIncidents(
      storms((atMs) => (atMs < START + 95 * HOUR ? 10_000 : 60_000)),
      org,
      { joined: true },
    ).incidents
    expect(others).toEqual([])
    expect(one?.fromMs).toBeLessThan(START + 2 * HOUR)
    expect(one?.worse?.fromMs).toBeGreaterThanOrEqual(START + 96 * HOUR)
    expect(one?.worse?.fromMs).toBeLessThan(START + 97 * HOUR)
    const times = (one?.worse?.sinceMs ?? 0) / (one?.worse?.beforeMs ?? 1)
    expect(times).toBeGreaterThan(4)
    expect(times).toBeLessThan(9)
    expect(one?.change?.id).toBe('it')
    const [suspected, second] = one?.suspects ?? []
    expect(suspected).toMatchObject({ of: 'its worsening', change: { id: 'it' } })
    expect(suspected?.reasons.map(({ sentence }) => sentence)).toEqual([
      '2 h before they became far worse.',
      'Nobody had it in between.',
      'It was made just where they are: share S1.',
      'A change of this kind can bring it about.',
    ])
    expect(second?.change.id).toBe('earlier')
    expect(second?.reasons[1]).toMatchObject({
      for: false,
      sentence: expect.stringMatching(/^\d+ had it in between, no worse than before\.$/) as string,
    })
  })

  it('is none where it was so all along, only for a time, or by no more than such things vary', () => {
    for (const lost of [
      () => 10_000,
      (atMs: number) => (atMs < START + 95 * HOUR ? 10_000 : 15_000),
      (atMs: number) => (within(atMs, 47, 71) ? 60_000 : 10_000),
      (atMs: number) => (atMs < START + 95 * HOUR ? 60_000 : 10_000),
    ])
      expect(findIncidents(storms(lost), org, { joined: true }).incidents.map(({ worse, change: first }) => [worse, first])).toEqual([[null, null]])
  })
})

describe('the ledger', () => {
  const seen = (id: string, atMs: number, cause: string | null = null): Seen => ({
    id,
    person: id,
    atMs,
    lostMs: 1,
    failed: false,
    open: false,
    cause,
    places: { host: id },
  })

  it('keeps rows in time whatever the order in which they come, come again, or move', () => {
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.nat(20), fc.nat(1000)), { maxLength: 60 }), fc.nat(1000), (list, from) => {
        const ledger = new Ledger()
        const truth = new Map<string, number>()
        list.forEach(([id, atMs], i) => {
          ledger.add(seen(`x${id}`, atMs))
          truth.set(`x${id}`, atMs)
          if (i % 7 === 0) ledger.rows(0, 10)
        })
        const rows = [...ledger.rows(from, Infinity)]
        expect(rows.map((row) => ledger.atMs(row))).toEqual([...truth.values()].filter((ms) => ms >= from).sort((a, b) => a - b))
        for (const id of truth.keys()) expect(ledger.has(id)).toBe(true)
        expect(ledger.has('y')).toBe(false)
      }),
    )
  })

  it('forgets what is old, and keeps the rest as it was', () => {
    const ledger = new Ledger()
    for (let i = 0; i < 5000; i++) ledger.add(seen(`x${i}`, i, i % 2 ? 'share-slow' : null))
    const kept = ledger.since(4000)
    expect(kept.n).toBe(1000)
    const [row = -1] = kept.rows(4001, 4002)
    expect([kept.id(row), kept.causeName(kept.cause(row)), kept.personName(kept.person(row))]).toEqual(['x4001', 'share-slow', 'x4001'])
    ledger.remove('x1')
    expect(ledger.cause(1)).toBe(-1)
  })
})
