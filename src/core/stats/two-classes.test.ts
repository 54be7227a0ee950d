import { describe, expect, it } from 'vitest'
import { variance } from 'simple-statistics'
import fc from 'fast-check'
import { twoClasses } from './two-classes'

/** The variance within both classes, by the peer; a class of one has none. */
const within = (sorted: readonly number[], lower: number) =>
  [sorted.slice(0, lower), sorted.slice(lower)].reduce((sum, part) => sum + (part.length > 1 ? part.length * variance(part) : 0), 0)

describe('two classes', () => {
  it('splits where they lie apart, however many are in each', () => {
    expect(twoClasses([1, 2, 2, 3, 30, 31, 33])).toBe(4)
    expect(twoClasses([1, 2, 2, 3, 2, 2, 40].sort((a, b) => a - b))).toBe(6)
  })

  it('does not tell equal ones apart', () => {
    expect(twoClasses([5, 5, 5, 5])).toBe(4)
    expect(twoClasses([])).toBe(0)
    expect(twoClasses([5, 5, 9])).toBe(2)
  })

  it('leaves no more variance within than any other split (peer: simple-statistics)', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 2, maxLength: 30 }), (values) => {
        const sorted = values.sort((a, b) => a - b)
        const lower = twoClasses(sorted)
        if (lower === sorted.length) expect(new Set(sorted).size).toBe(1)
        else for (let other = 1; other < sorted.length; other++) expect(within(sorted, lower)).toBeLessThanOrEqual(within(sorted, other) * (1 + 1e-9))
      }),
      { examples: [[[787, 787]], [[1, 2, 2]]] },
    )
  })
})
