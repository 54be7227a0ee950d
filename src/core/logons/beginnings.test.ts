import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Beginnings } from './beginnings'
import type { Neighbour } from './neighbour'
import { DIMENSIONS, type Places } from './places'

const START_MS = Date.UTC(2026, 4, 4, 6)
const DAY_MS = 86_400_000
const neighbour = (i: number, image: string, slow: boolean, pool = 'hall'): Neighbour => ({
  id: `a${String(i).padStart(4, '0')}`,
  atMs: START_MS + i * 60_000,
  places: { ...Object.fromEntries(DIMENSIONS.map((dimension) => [dimension, ''])), pool, image } as unknown as Places,
  beyond: Number(slow),
  ran: 1,
  failed: false,
  fault: '',
})
const isHit = ({ beyond }: Neighbour) => beyond === 1
/** 40 on the old image, then 40 on the new one, of which all but every fourth are slow; and a pool that has the new one only. */
const all = Array.from({ length: 80 }, (_, i) => neighbour(i, i < 40 ? 'old' : 'new', i >= 40 && i % 4 !== 0))
const other = Array.from({ length: 20 }, (_, i) => neighbour(100 + i, 'new', true, 'office'))
const asker = neighbour(200, 'new', true)

describe('the beginning of an image', () => {
  it('tells of the first on it, and of the last before them on the pool', () => {
    const beginnings = new Beginnings()
    for (const one of [...all, ...other]) beginnings.add(one)
    expect(beginnings.of(asker, isHit)).toEqual({ sinceMs: START_MS + 40 * 60_000, before: { n: 20, hit: 0 }, first: { n: 20, hit: 15 } })
    // Not of itself, and not of those who could not have it.
    expect(beginnings.of(all[41] as Neighbour, isHit)?.first).toEqual({ n: 19, hit: 14 })
    expect(beginnings.of(asker, () => null)).toMatchObject({ before: { n: 0 }, first: { n: 0 } })
    // Of an image that the pool always had, nobody was before.
    expect(beginnings.of({ ...asker, places: { ...asker.places, pool: 'office' } }, isHit)?.before).toEqual({ n: 0, hit: 0 })
    for (const unknown of ['', 'never seen']) expect(beginnings.of({ ...asker, places: { ...asker.places, image: unknown } }, isHit)).toBeNull()
    expect(beginnings.of({ ...asker, atMs: START_MS + 15 * DAY_MS }, isHit)).toBeNull()
  })

  it('is the same in whatever order they come, twice, and as they are known last', () => {
    fc.assert(
      fc.property(fc.shuffledSubarray(all, { minLength: 80 }), (shuffled) => {
        const beginnings = new Beginnings()
        for (const one of [...shuffled, ...shuffled.slice(0, 30)]) beginnings.add(one)
        for (const one of all.slice(40, 44)) beginnings.replace({ ...one, beyond: 1 })
        expect(beginnings.of(asker, isHit)?.first).toEqual({ n: 20, hit: 16 })
        expect(beginnings.of(asker, isHit)?.sinceMs).toBe(START_MS + 40 * 60_000)
      }),
    )
  })

  it('is forgotten when nobody has had it for long, or when there are too many', () => {
    const beginnings = new Beginnings()
    for (const one of all) beginnings.add(one)
    beginnings.forget(START_MS + 14 * DAY_MS)
    expect(beginnings.of(asker, isHit)).not.toBeNull()
    beginnings.forget(START_MS + 15 * DAY_MS)
    expect(beginnings.of(asker, isHit)).toBeNull()
    for (let i = 0; i < 5000; i++) beginnings.add(neighbour(i, `image-${i}`, false, `pool-${i % 2500}`))
    expect(beginnings.of(neighbour(5001, 'image-0', true, 'pool-0'), isHit)).toBeNull()
    expect(beginnings.of(neighbour(5001, 'image-4999', true, 'pool-2499'), isHit)).not.toBeNull()
  })
})
