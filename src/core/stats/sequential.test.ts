import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Random } from '../../standins/random'
import { sequentialTest } from './sequential'

describe('the sequential test', () => {
  it('has the bounds and steps of Wald 1945', () => {
    // Worked by hand from the formulas of the paper: p0 0.1, p1 0.3, α 0.02, β 0.03 (the example of its section 5.2, from memory).
    const { upper, lower, llr } = sequentialTest([true, false], 0.1, 0.3, 0.02, 0.03)
    expect(upper).toBeCloseTo(Math.log(0.97 / 0.02), 12)
    expect(lower).toBeCloseTo(Math.log(0.03 / 0.98), 12)
    expect(llr).toBeCloseTo(Math.log(3) + Math.log(7 / 9), 12)
  })

  it('is wrong no more often than it promises', () => {
    const wrong = (rate: number, decision: 'first' | 'second') => {
      let n = 0
      for (let i = 0; i < 2000; i++) {
        const random = new Random(`${rate} ${i}`)
        const trials = Array.from({ length: 400 }, () => random.chance(rate))
        if (sequentialTest(trials, 0.5, 0.2, 0.01, 0.05).decision === decision) n++
      }
      return n / 2000
    }
    // Wald's bounds hold a little on the safe side, because a step goes beyond them.
    expect(wrong(0.5, 'second')).toBeLessThan(0.013)
    expect(wrong(0.2, 'first')).toBeLessThan(0.06)
  })

  it('decides nothing on nothing, and refuses rates that tell nothing', () => {
    expect(sequentialTest([], 0.5, 0.2, 0.01, 0.05)).toMatchObject({ decision: 'undecided', after: 0, llr: 0 })
    fc.assert(
      fc.property(fc.constantFrom([0, 0.5], [0.5, 1], [0.3, 0.3], [NaN, 0.2]), ([p0 = 0, p1 = 0]) => {
        expect(() => sequentialTest([], p0, p1, 0.01, 0.05)).toThrow(RangeError)
      }),
    )
  })
})
