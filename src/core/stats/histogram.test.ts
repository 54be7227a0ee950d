import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Histogram, packHistograms, unpackHistograms } from './histogram'
import { shortHash } from './hash'

const of = (values: readonly number[]) => {
  const h = new Histogram()
  for (const ms of values) h.add(ms)
  return h
}

describe('histogram', () => {
  it('gives quantiles within 2.5 % of the exact ones', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 80_000_000 }), { minLength: 1, maxLength: 300 }),
        fc.double({ min: 0.01, max: 1, noNaN: true }),
        (values, q) => {
          const exact = [...values].sort((a, b) => a - b)[Math.max(1, Math.ceil(q * values.length)) - 1] ?? 0
          expect(Math.abs(of(values).quantile(q) / exact - 1)).toBeLessThan(0.0251)
        },
      ),
    )
  })

  it('forgets exactly what is taken back, adds up, and comes back from its packed form', () => {
    fc.assert(
      fc.property(fc.array(fc.nat(1e7)), fc.array(fc.nat(1e7)), (a, b) => {
        const both = of([...a, ...b])
        const sum = of(a)
        sum.merge(of(b))
        expect([...sum.counts]).toEqual([...both.counts])
        for (const ms of b) both.add(ms, -1)
        const [first, second] = unpackHistograms(packHistograms([both, sum]))
        expect([...(first?.counts ?? [])]).toEqual([...of(a).counts])
        expect(second?.n).toBe(a.length + b.length)
      }),
    )
    expect(() => unpackHistograms(Uint8Array.of(5, 1))).toThrow('broken packed histogram')
  })
})

// Values of FNV-1a, 64 bits: from memory of the authors' test suite.
it.each([
  ['', 'cbf29ce484222325'],
  ['a', 'af63dc4c8601ec8c'],
  ['foobar', '85944171f73967e8'],
])('the short name of %j', (text, hash) => {
  expect(shortHash(text)).toBe(hash)
})
