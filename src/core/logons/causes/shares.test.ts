import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import { EMPTY_ORG, type Org } from '../../people/org'
import type { Attrs, Observation } from '../observation'

const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 1200, policy: 2400, shell: 4000 }
const QUAY = String.raw`\\quay-fs1\profiles`
const HILL = String.raw`\\hill-fs1\profiles`
const MINUTE_MS = 60_000

/** A logon every minute and a half, by turns on both shares and from both zones: well before the trouble begins, as told after it. */
function day(trouble: (i: number, zone: string, share: string) => { phases?: Record<string, number>; attrs?: Attrs } | null, n = 160): Observation[] {
  return Array.from({ length: n }, (_, i) => {
    const [zone, share] = [i % 4 < 2 ? 'Q1' : 'H1', i % 2 === 0 ? QUAY : HILL]
    const at = START_MS + (i - n / 2) * 1.5 * MINUTE_MS
    const wrong = at >= START_MS ? trouble(i, zone, share) : null
    return logon({
      id: `l${i}`,
      person: `p${i}`,
      host: `TH-${zone}-${i % 5}`,
      at,
      attrs: { zone, share, shareLatencyMs: 4, ...wrong?.attrs },
      phases: { ...USUAL, profile: 1100 + (i % 7) * 40, ...wrong?.phases },
    })
  }).flat()
}

function said(observations: readonly Observation[], org: Org = EMPTY_ORG) {
  const explained = analyseAll(
    correlate(observations, START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt),
    org,
  )
  const slow = explained.filter(({ attempt, diagnosis }) => attempt.startedAtMs >= START_MS && diagnosis.cause)
  const counts: Record<string, number> = {}
  for (const { diagnosis } of slow) counts[diagnosis.cause?.id ?? ''] = (counts[diagnosis.cause?.id ?? ''] ?? 0) + 1
  return { counts, evidence: slow.flatMap(({ diagnosis }) => diagnosis.cause?.evidence ?? []).map(({ sentence }) => sentence) }
}

describe('what is slow on a share', () => {
  const slow = { container: 12_000, profile: 5000 }

  it('is the share where its latency is high for all who come, in quiet moments, too', () => {
    const { counts, evidence } = said(day((_, __, share) => (share === QUAY ? { phases: slow, attrs: { shareLatencyMs: 40 } } : null)))
    expect(counts).toEqual({ 'share-slow': 40 })
    expect(evidence.join('\n')).toContain('Latency of the share 40 ms; ordinarily 4.0 ms.')
  })

  it('is a share that nobody names where many have it at once at no place that tells, and nothing where only a few have', () => {
    const unnamed = (trouble: (i: number) => boolean) =>
      said(day((i) => (trouble(i) ? { phases: slow } : null)).map(({ attrs, ...one }) => ({ ...one, attrs: attrs && { zone: attrs['zone'] ?? '' } })))
    // The people of one of three shares, on whichever host.
    const { counts, evidence } = unnamed((i) => (i * 7) % 3 === 0)
    expect(counts['share-slow']).toBeGreaterThanOrEqual(25)
    expect(Object.keys(counts)).toEqual(['share-slow'])
    expect(evidence.join('\n')).toMatch(
      /Of the \d+ nearest logons whose share is not known, \d+ on \d+ hosts were slow in container, at no place that tells\./,
    )
    expect(unnamed((i) => i % 13 === 0).counts).toEqual({})
  })

  it('is no share where two images are slow, each of its pool: whoever is on another one happened to be slow', () => {
    const bare = (attrs: Attrs | undefined, i: number): Attrs => ({
      zone: attrs?.['zone'] ?? '',
      image: `v${i % 2}${i % 4 === 3 || i % 4 === 0 ? ' new' : ''}`,
    })
    const logons = day((i) => (i % 4 === 3 || i % 4 === 0 || i === 121 ? { phases: { profile: 7000 } } : null))
    const { counts } = said(
      logons.map((one) => ({
        ...one,
        attrs: one.attrs && bare(one.attrs, Number(one.attempt?.slice(1))),
        pool: `hall ${Number(one.attempt?.slice(1)) % 2}`,
      })),
    )
    expect(counts).toEqual({})
  })

  it('is no crowd on a share that nobody names where as many did no harm on the day before', () => {
    const DAY_MS = 24 * 60 * MINUTE_MS
    // Some all day long, and a rush of twenty minutes, today with nearly all of it slow.
    const rush = (today: boolean) =>
      [...Array.from({ length: 40 }, (_, i) => i * 0.5), ...Array.from({ length: 40 }, (_, i) => 60 + i * 8)].map((minute, i) =>
        logon({
          id: `${today ? 't' : 'y'}${i}`,
          person: `p${i}`,
          host: `TH-${i % 6}`,
          at: START_MS + (today ? 0 : -DAY_MS) + minute * MINUTE_MS,
          attrs: { zone: 'Q1' },
          phases: { ...USUAL, profile: 1100 + (i % 7) * 40, ...(today && minute < 30 && i % 4 > 0 ? slow : {}) },
        }),
      )
    const { counts, evidence } = said([...rush(false), ...rush(true)].flat())
    expect(Object.keys(counts)).toEqual(['share-slow'])
    expect(evidence.join('\n')).toMatch(/As many at once did it no harm at other times: 0 of \d+ were slow in container\./)
    // Where nobody else came in such a crowd, it may well be that.
    expect(Object.keys(said([...rush(false).slice(40), ...rush(true)].flat()).counts)).toEqual(['logon-storm'])
  })

  it('is a share that nobody names, too, beside very many others whose shares are known', () => {
    const others = day(() => null, 320).map((one) => ({
      ...one,
      attempt: `o${one.attempt}`,
      person: `o${one.person}`,
      host: `BO-${one.host}`,
      pool: 'back-office',
    }))
    const some = day((i) => ((i * 7) % 3 === 0 ? { phases: slow } : null)).map(({ attrs, ...one }) => ({
      ...one,
      attrs: attrs && { zone: attrs['zone'] ?? '' },
    }))
    const { counts } = said([...others, ...some])
    expect(counts['share-slow']).toBeGreaterThanOrEqual(25)
    expect(Object.keys(counts)).toEqual(['share-slow'])
  })

  it('is its want of room where it answers as ever and nobody reports how much is left', () => {
    const { counts, evidence } = said(day((_, __, share) => (share === QUAY ? { phases: slow, attrs: { shareLatencyMs: 4.4 } } : null)))
    expect(counts['near-full']).toBeGreaterThanOrEqual(36)
    expect(evidence).toContain('How much room is left on the share was not reported.')
    // Where it is reported, and is much, that is no explanation.
    const known = said(day((_, __, share) => (share === QUAY ? { phases: slow, attrs: { shareLatencyMs: 4.4, shareFreeBytes: 9e12 } } : null)))
    expect(known.counts['near-full']).toBeUndefined()
  })

  it('is its want of room also where most of what is reported is of that share, and is little', () => {
    const shares = day((i, _, share) =>
      share === QUAY ? { phases: slow, attrs: { shareFreeBytes: 2e9 } } : i % 8 === 1 ? { attrs: { shareFreeBytes: 9e11 } } : null,
    )
    expect(said(shares).counts).toEqual({ 'near-full': 40 })
  })

  it('is the way where only those are slow who come from elsewhere, and never where those are, too, who are near', () => {
    const org: Org = {
      ...EMPTY_ORG,
      shares: [
        { path: QUAY, zone: 'Q1' },
        { path: HILL, zone: 'H1' },
      ],
    }
    const far = said(
      day((_, zone, share) => (share === QUAY && zone === 'H1' ? { phases: slow } : null)),
      org,
    )
    expect(far.counts['far-share']).toBeGreaterThanOrEqual(18)
    expect(far.evidence).toContain('The host is in H1, the share in Q1.')
    const both = said(
      day((_, __, share) => (share === QUAY ? { phases: slow } : null)),
      org,
    )
    expect(both.counts['far-share']).toBeUndefined()
  })

  it('is the way also where the host counts it into the latency, and evidence names the share by its id', () => {
    const org: Org = {
      ...EMPTY_ORG,
      shares: [
        { id: 'quay', path: QUAY, zone: 'Q1' },
        { id: 'hill', path: HILL, zone: 'H1' },
      ],
    }
    const named = (list: Observation[]) =>
      list.map((one) => (one.attrs ? { ...one, attrs: { ...one.attrs, share: one.attrs['share'] === QUAY ? 'quay' : 'hill' } } : one))
    const far = said(named(day((_, zone, share) => (share === QUAY && zone === 'H1' ? { phases: slow, attrs: { shareLatencyMs: 31 } } : null))), org)
    expect(Object.keys(far.counts)).toEqual(['far-share'])
    expect(far.counts['far-share']).toBeGreaterThanOrEqual(18)
    expect(far.evidence).toContain('The host is in H1, the share in Q1.')
  })

  it('that an answer is as quick as ever is not taken for a sign of a far share', () => {
    const one = day((i) => (i === 101 ? { phases: slow } : null))
    const explained = analyseAll(correlate(one, START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt))
    const it = explained.find(({ attempt }) => attempt.id === 'l101')
    expect([it?.diagnosis.cause?.id, ...(it?.diagnosis.others.map(({ id }) => id) ?? [])]).not.toContain('far-share')
  })
})

describe('a busy host', () => {
  it('is the cause where each phase took somewhat longer, and not a scanner because the container is the first of them', () => {
    const busy = { container: 3600, profile: 2300, policy: 4600, shell: 7900, 'sign-on': 5200 }
    const list = day((i) => (i % 5 === 3 ? { phases: busy, attrs: { hostCpu: 0.97 } } : null)).map((one) =>
      one.attrs ? { ...one, attrs: { hostCpu: 0.4, ...one.attrs } } : one,
    )
    const { counts, evidence } = said(list)
    expect(Object.keys(counts)).toEqual(['host-overloaded'])
    expect(counts['host-overloaded']).toBeGreaterThanOrEqual(14)
    expect(evidence.join('\n')).toContain('processors were 97 % busy; ordinarily 40 %.')
  })
})

describe('what several clues show together', () => {
  it('is said of logons that took only a little longer, where all at the place did', () => {
    // A policy that takes four seconds more is nothing by itself: everybody of the zone has it, nobody else.
    const parts = (at: number, each: number): Observation[] =>
      Array.from({ length: 5 }, (_, i) => ({ kind: 'phase', timeMs: at + i * each, phase: 'policy', part: `part ${i}`, durationMs: each }))
    const withParts = (list: Observation[], slowFrom: (o: Observation) => boolean) =>
      list.flatMap((one) =>
        one.phase === 'policy' && one.kind === 'phase'
          ? [one, ...parts(one.timeMs, slowFrom(one) ? 1300 : 480).map((part) => ({ ...one, ...part }))]
          : [one],
      )
    const list = withParts(
      day((_, zone) => (zone === 'H1' ? { phases: { policy: 6500 } } : null)),
      (one) => (one.durationMs ?? 0) > 6000,
    )
    const { counts, evidence } = said(list)
    expect(counts['directory-slow']).toBeGreaterThanOrEqual(30)
    expect(Object.keys(counts)).toEqual(['directory-slow'])
    expect(evidence.join('\n')).toMatch(/other logons with zone H1 were slow in policy; elsewhere 0 of/)
  })

  it('of two troubles names the one that took more, also where no single clue shows it', () => {
    const { counts, evidence } = said(
      day((_, __, share) =>
        share === QUAY
          ? { phases: { ...slowAnd(5000), packages: 17_000 }, attrs: { shareLatencyMs: 40, packages: 12 } }
          : { phases: { packages: 17_000 } },
      ),
    )
    expect(Object.keys(counts)).toEqual(['packages-slow'])
    expect(evidence.join('\n')).toContain('It explains more of the time than what is shown as well: share answers slowly.')
  })
  const slowAnd = (containerMs: number) => ({ container: 1100 + containerMs, profile: 3000 })
})
