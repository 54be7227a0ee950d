import { describe, expect, it } from 'vitest'
import { EMPTY_ORG, type Org } from '../../people/org'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import type { Attrs, Observation } from '../observation'

const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, profile: 1200, policy: 2400, packages: 2200, shell: 4000 }
const MINUTE_MS = 60_000
const SHARES = [String.raw`\\quay-fs1\profiles`, String.raw`\\hill-fs1\profiles`]

interface More {
  readonly phases?: Record<string, number>
  readonly attrs?: Attrs
}
interface Place {
  readonly pool: string
  readonly zone: string
  readonly image: string
  readonly share: string
}

const isRelayed = (i: number) => i % 7 < 3

/** A logon a minute on three pools and two zones, each pool with an image of its own; well until START_MS. */
function told(
  trouble: (place: Place, i: number) => More | null,
  org: Org = EMPTY_ORG,
  /** What is so of each before. */
  always: (i: number) => More = () => ({}),
) {
  const observations = Array.from({ length: 360 }, (_, i): Observation[] => {
    const pool = ['hall', 'office', 'drawing'][i % 3] ?? ''
    const place = { pool, zone: i % 4 < 2 ? 'Q1' : 'H1', image: `${pool} 7`, share: SHARES[Math.floor(i / 4) % 2] ?? '' }
    const at = START_MS + (i - 180) * MINUTE_MS
    const wrong = at >= START_MS ? trouble(place, i) : always(i)
    return logon({
      id: `l${i}`,
      person: `p${i % 90}`,
      host: `${pool}-${place.zone}-${i % 5}`,
      pool,
      at,
      attrs: {
        zone: place.zone,
        image: place.image,
        network: 'home',
        transport: isRelayed(i) ? 'relay' : 'direct',
        ...(pool === 'drawing' ? {} : { share: place.share, shareLatencyMs: 4 }),
        ...wrong?.attrs,
      },
      phases: { ...USUAL, ...(pool === 'drawing' ? {} : { container: 1100 }), profile: 1100 + (i % 7) * 40, ...wrong?.phases },
    })
  }).flat()
  const explained = analyseAll(
    correlate(observations, START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt),
    org,
  )
  const found = explained.filter(({ diagnosis }) => diagnosis.cause)
  const counts: Record<string, number> = {}
  for (const { diagnosis } of found) counts[diagnosis.cause?.id ?? ''] = (counts[diagnosis.cause?.id ?? ''] ?? 0) + 1
  return { counts, explained, found, evidence: found.flatMap(({ diagnosis }) => diagnosis.cause?.evidence ?? []) }
}

describe('where a trouble sits', () => {
  it('is asked only among those who go through what is slow: a pool without containers says nothing of them', () => {
    const { counts, evidence } = told(({ pool, zone, share }) =>
      pool !== 'drawing' && zone === 'H1' && share === SHARES[0] ? { phases: { container: 12_000 }, attrs: { shareLatencyMs: 16 } } : null,
    )
    expect(counts).toEqual({ 'far-share': 30 })
    // Sixty of all 179 others never had a container.
    const [all = 0] = evidence.flatMap(({ sentence }) => {
      const [, inside, outside] =
        /of (\d+) other logons with zone H1 and share \S+ were slow in container; elsewhere \d+ of (\d+)\.$/.exec(sentence) ?? []
      return inside && outside ? [Number(inside) + Number(outside)] : []
    })
    expect(all).toBeGreaterThan(150)
    expect(all).toBeLessThan(245)
  })

  it('is not said to be an image version where each pool has always had one of its own', () => {
    const slow = ({ pool }: Place) => (pool === 'office' ? { phases: { packages: 26_000 }, attrs: { packages: 12 } } : null)
    expect(told(slow).counts).toEqual({ 'packages-slow': 60 })
    // In the shell nothing would explain it: it was well with the same version an hour ago. Unless somebody told of a roll-out.
    const shell = ({ pool }: Place) => (pool === 'office' ? { phases: { shell: 20_000 } } : null)
    expect(told(shell).counts).toEqual({})
    const change = {
      id: 'c1',
      atMs: START_MS - 1000,
      kind: 'image' as const,
      scope: [{ dimension: 'image', value: 'office 7' }],
      sentence: 'Office 7 came',
    }
    expect(told(shell, { ...EMPTY_ORG, changes: [change] }).counts).toEqual({ 'image-regression': 60 })
  })

  it('is not the way where the others who are relayed are as quick as those who go direct', () => {
    const one = told(({ pool, zone }, i) => (pool === 'office' && zone === 'Q1' && i % 5 === 0 ? { phases: { shell: 20_000 } } : null))
    expect(one.counts['relay-path']).toBeUndefined()
    // Where they are not, it is.
    const all = told((_, i) => (isRelayed(i) ? { phases: { connect: 12_000 } } : null))
    expect(Object.keys(all.counts)).toEqual(['relay-path'])
    expect(all.counts['relay-path']).toBeGreaterThan(70)
  })

  it('is the directory where sign-on without the approval, and policy, are slow on hosts of one zone', () => {
    // Every other one is asked for an approval: a sign-on of 11 s is nothing unusual.
    const asked = (i: number) => (i % 2 === 0 ? { attrs: { approvalMs: 8000 }, phases: { 'sign-on': 10_800 } } : {})
    const { counts, evidence } = told(
      ({ zone }, i) => (zone === 'H1' && i % 2 === 1 ? { phases: { 'sign-on': 11_000, policy: 14_000 } } : asked(i)),
      EMPTY_ORG,
      asked,
    )
    expect(Object.keys(counts)).toEqual(['directory-slow'])
    expect(counts['directory-slow']).toBeGreaterThan(38)
    expect(evidence.map(({ sentence }) => sentence)).toContain('Sign-on and policy were both slow: 8.2 s and 12 s beyond their usual.')
  })

  it('is an image version where all on it have it, and hardly one where half of them are well', () => {
    const newer = (part: number) =>
      told(({ pool }, i) =>
        pool === 'office' && i % 2 === 0 ? { attrs: { image: 'office 8' }, ...(i % 12 < part ? { phases: { shell: 20_000 } } : {}) } : null,
      )
    expect(newer(12).counts).toEqual({ 'image-regression': 30 })
    const half = newer(6).evidence.filter(({ sentence }) => /^Only \d+ of \d+ other logons with image office 8 had it\.$/.test(sentence))
    expect(half.map((clue) => clue.for)).toEqual(Array.from({ length: 15 }, () => false))
  })

  it('is no share far away where those who come the same way are slow only on a new image', () => {
    const org: Org = { ...EMPTY_ORG, shares: SHARES.map((path, i) => ({ id: path, path, zone: i === 0 ? 'Q1' : 'H1' })) }
    // The pool that has it is in both zones; nearly all of those who come to the first share from H1 are of it.
    const observations = Array.from({ length: 480 }, (_, i) => {
      const isOffice = i % 4 === 0
      const isFromAfar = isOffice ? i % 8 === 0 : i % 40 === 1
      const isNew = isOffice && i >= 240
      return logon({
        id: `l${i}`,
        person: `p${i % 90}`,
        pool: isOffice ? 'office' : 'hall',
        host: `${isOffice ? 'O' : 'A'}-${isFromAfar ? 'H1' : 'Q1'}-${i % 5}`,
        at: START_MS + (i - 240) * 3 * MINUTE_MS,
        attrs: { zone: isFromAfar ? 'H1' : 'Q1', share: SHARES[0] ?? '', image: isOffice ? `office ${isNew ? 8 : 7}` : 'hall 7' },
        phases: { ...USUAL, container: 1100, profile: (isNew ? 12_000 : 1100) + (i % 7) * 40 },
      })
    }).flat()
    const explained = analyseAll(
      correlate(observations, START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt),
      org,
    )
    const causes = explained.filter(({ attempt }) => attempt.startedAtMs > START_MS).flatMap(({ diagnosis }) => diagnosis.cause?.id ?? [])
    expect(new Set(causes)).toEqual(new Set(['image-regression']))
    expect(causes.length).toBeGreaterThan(50)
  })

  it('is a poor line where only clients with one report their bandwidth, which is ordinary then', () => {
    const poor = (_: Place, i: number): More | null =>
      i % 5 === 0 ? { attrs: { rttMs: 420, bandwidthKbps: 350 + (i % 7) * 40 }, phases: { connect: 11_000 } } : { attrs: { rttMs: 20 + (i % 9) } }
    const { counts } = told(poor, EMPTY_ORG, (i) => poor({} as Place, i) ?? {})
    expect(Object.keys(counts)).toEqual(['poor-line'])
  })

  it('is a poor line also where nobody measures lines, if all who come from one network are slow to connect, and nobody else', () => {
    const isFrom = (i: number) => Math.floor(i / 3) % 6 === 0
    const from = (i: number): Attrs => (isFrom(i) ? { network: 'port' } : {})
    const slow = (i: number, transport: string): More => ({ attrs: { ...from(i), transport }, phases: isFrom(i) ? { connect: 9000 } : {} })
    const { counts, found } = told(
      (_, i) => slow(i, 'direct'),
      EMPTY_ORG,
      (i) => ({ attrs: { ...from(i), transport: 'direct' } }),
    )
    expect(Object.keys(counts)).toEqual(['poor-line'])
    expect(found[0]?.diagnosis.cause?.sentence).toBe(
      'Connecting is slow for those who come from port: the line that they share is poor, or what they connect through.',
    )
    expect(found[0]?.diagnosis.cause?.remedy?.label).toBe('Look at the line of port')
    // That they are relayed now, and were not before, explains it.
    const relayed = told(
      (_, i) => slow(i, isFrom(i) ? 'relay' : 'direct'),
      EMPTY_ORG,
      (i) => ({ attrs: { ...from(i), transport: 'direct' } }),
    )
    expect(Object.keys(relayed.counts)).toEqual(['relay-path'])
  })

  it('is a site whose directory is slow also where nobody reports sites: some hosts of all pools have it, and the others do not', () => {
    const { counts, evidence } = told(
      ({ zone, pool }) => ({ attrs: { zone: '', share: '' }, phases: zone === 'Q1' && pool !== 'drawing' ? { 'sign-on': 9000, policy: 9000 } : {} }),
      EMPTY_ORG,
      () => ({ attrs: { zone: '', share: '' } }),
    )
    expect(Object.keys(counts)).toEqual(['directory-slow'])
    expect(counts['directory-slow']).toBeGreaterThan(45)
    expect(evidence.map(({ sentence }) => sentence).filter((one) => one.startsWith('On ')).length).toBeGreaterThan(40)
  })

  it('is a host that is overloaded, where nobody reports its processors: the more that works on it is slow at once, the more it says', () => {
    const weightOf = (phases: Record<string, number>) => {
      const { counts, evidence } = told(({ pool }, i) => (pool === 'hall' && i % 5 < 1 ? { phases } : null))
      expect(Object.keys(counts)).toEqual(['host-overloaded'])
      return evidence.find(({ sentence }) => sentence === `${Object.keys(phases).length} phases that work on the host were slow at once.`)?.weight
    }
    expect(weightOf({ profile: 9000, policy: 9000, shell: 14_000 })).toBe(2)
    expect(weightOf({ profile: 9000, policy: 9000, packages: 8500, shell: 14_000 })).toBe(2.6)
  })
})
