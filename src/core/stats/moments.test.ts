import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Moments } from './moments'

describe('moments by hash', () => {
  it('are those of a map, in whole seconds rounded up', () => {
    const entry = fc.tuple(fc.oneof(fc.integer({ min: 0, max: 40 }), fc.maxSafeNat()), fc.integer({ min: 1, max: 4e12 }))
    fc.assert(
      fc.property(fc.array(entry, { maxLength: 3000 }), (entries) => {
        const [moments, map] = [new Moments(), new Map<number, number>()]
        for (const [hash, ms] of entries) {
          moments.keep(hash, ms)
          map.set(hash, Math.max(map.get(hash) ?? 0, Math.ceil(ms / 1000) * 1000))
        }
        expect(moments.size).toBe(map.size)
        for (const [hash, ms] of map) expect(moments.get(hash)).toBe(ms)
        expect(moments.get(0x7fffff1)).toBe(map.get(0x7fffff1))
      }),
      { numRuns: 40 },
    )
  })

  it('of a million hashes that follow each other are all found', () => {
    const moments = new Moments()
    for (let hash = 1; hash <= 1_000_000; hash++) moments.keep(hash * 4096, hash * 1000)
    expect(moments.get(4096 * 777_777)).toBeDefined()
    expect(moments.get(3)).toBeUndefined()
  })
})
