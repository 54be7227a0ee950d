import { describe, expect, it } from 'vitest'
import { DEMAND, type BalanceAim, type RoomShare } from './balance'
import { loseShares, shareOfLocation, type LocationRule, type LossContainer } from './loss'

const GIB = 2 ** 30
const QUAY = String.raw`\\quay-fs1\profiles`
const HILL = String.raw`\\hill-fs1\profiles`
const AIM: BalanceAim = { fullTo: 0.8, zones: 'any', empty: [], demand: DEMAND }
const shares: RoomShare[] = [
  { path: QUAY, zone: 'Q1', totalBytes: 1000 * GIB, usedBytes: 500 * GIB, bearsIops: 20_000, takes: true },
  { path: HILL, zone: 'H1', totalBytes: 400 * GIB, usedBytes: 300 * GIB, bearsIops: 2000, takes: true },
]
const on = (share: string, n: number, more: Partial<LossContainer> = {}): LossContainer[] =>
  Array.from({ length: n }, (_, i) => ({
    id: `${share}${i}`,
    share,
    bytes: 4 * GIB,
    slot: 68,
    stays: null,
    person: `${share}${i}`,
    pool: 'halls',
    inUse: i % 4 === 0,
    ...more,
  }))
const rule: LocationRule = { locations: [`${QUAY}\\2026`, HILL], mode: 'in-order', required: 1, onFailure: 'refuse' }

describe('the loss of a share', () => {
  it('knows on which share a location lies', () => {
    expect(shareOfLocation(`\\\\QUAY-fs1\\profiles\\2026`, shares)).toBe(QUAY)
    expect(shareOfLocation(String.raw`\\quay-fs1\profiles2`, shares)).toBeNull()
  })

  it('in order: whose container is out of reach begins anew at the first that can be had', () => {
    const result = loseShares(shares, [...on(QUAY, 60), ...on(HILL, 20)], [QUAY], rule, AIM, 2 * GIB)
    expect(result.fates.map(({ fate, people }) => [fate, people])).toEqual([
      ['empty profile', 60],
      ['unaffected', 20],
    ])
    expect(result.sessionsHit).toBe(15)
    expect(result.onlyThere).toEqual({ containers: 60, bytes: 240 * GIB })
    expect(result.left).toHaveLength(1)
    // 80 people log on at 05:40, at 50 operations each; and 60 new profiles of 2 GiB do not fit beside 300 of 400.
    expect(result.left[0]).toMatchObject({ peakIops: 4000, usedBytes: 420 * GIB })
    expect(result.tooMuch).toEqual([
      `${HILL} has no room for the new profiles.`,
      `${HILL} would be asked for 4,000 operations a second; it bears 2,000.`,
    ])
    expect(result.pools).toEqual([{ pool: 'halls', people: 80, hit: 60 }])
  })

  it('without any location left the policy decides', () => {
    const both = loseShares(shares, [...on(QUAY, 3), ...on(HILL, 2)], [QUAY, HILL], rule, AIM, GIB)
    expect(both.fates).toEqual([
      { fate: 'refused', people: 5, sentence: 'cannot log on: no location can be had, and the policy refuses the logon then.' },
    ])
    expect(loseShares(shares, on(QUAY, 3), [QUAY, HILL], { ...rule, onFailure: 'temporary' }, AIM, GIB).fates[0]?.fate).toBe('temporary profile')
  })

  it('mirrored: everybody goes on while enough are writable', () => {
    const mirrored: LocationRule = { ...rule, mode: 'mirrored', locations: [QUAY, HILL] }
    const goes = loseShares(shares, on(QUAY, 10), [QUAY], mirrored, AIM, GIB)
    expect([goes.fates[0]?.fate, goes.sessionsHit, goes.onlyThere.containers]).toEqual(['goes on', 0, 0])
    expect(goes.left[0]?.containers).toBe(10)
    const strict = loseShares(shares, on(QUAY, 10), [QUAY], { ...mirrored, required: 2 }, AIM, GIB)
    expect([strict.fates[0]?.fate, strict.sessionsHit]).toEqual(['refused', 3])
    expect(strict.fates[0]?.sentence).toContain('only 1 of 2 locations are writable, 2 must be')
  })

  it('counts somebody with two containers once, by the worse', () => {
    const pair = [...on(QUAY, 1, { person: 'mara' }), ...on(HILL, 1, { person: 'mara' })]
    expect(loseShares(shares, pair, [QUAY], rule, AIM, GIB).fates.map(({ fate, people }) => [fate, people])).toEqual([['empty profile', 1]])
  })
})
