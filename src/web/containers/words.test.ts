import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { drawStretches, offsetWords } from './words'

describe('stretches of a file on a strip', () => {
  it('fill it from end to end, none narrower than the least, and in order', () => {
    fc.assert(fc.property(fc.array(fc.integer({ min: 1, max: 2 ** 40 }), { minLength: 1, maxLength: 30 }), (sizes) => {
      const drawn = drawStretches(sizes.map((bytes, i) => ({ what: 'block', offset: i, bytes })), 900, 7)
      expect(Math.min(...drawn.map(({ width }) => width))).toBeGreaterThanOrEqual(7 - 1e-6)
      expect(drawn.reduce((sum, { width }) => sum + width, 0)).toBeCloseTo(900, 6)
      drawn.forEach(({ x, width }, i) => { if (i + 1 < drawn.length) expect(drawn[i + 1]?.x).toBeCloseTo(x + width, 6) })
    }))
    expect(drawStretches([], 900, 7)).toEqual([])
  })

  it('names a place in a file', () => { expect([0, 100, 1_048_576].map(offsetWords)).toEqual(['byte 0', 'byte 100', 'byte 1,048,576 (1.0 MiB)']) })
})
