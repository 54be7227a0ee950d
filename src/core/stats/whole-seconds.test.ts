import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { BUCKETS, bucketOf, Histogram } from './histogram'
import { areWholeSeconds, quantilesOfSeconds } from './whole-seconds'

/** Durations of a log-normal distribution, at even steps of its quantiles. */
function spread(medianMs: number, sigma: number, n = 400): number[] {
  return Array.from({ length: n }, (_, i) => {
    const q = (i + 0.5) / n
    // Logistic instead of normal: its quantiles have a plain form.
    return medianMs * Math.exp((sigma * Math.log(q / (1 - q))) / 1.7)
  })
}
const toSeconds = (ms: number) => 1000 * Math.round(ms / 1000)
function counted(values: readonly number[]): { counts: Int32Array; zeros: number } {
  const histogram = new Histogram()
  for (const ms of values) if (ms > 0) histogram.add(ms)
  return { counts: histogram.counts, zeros: values.length - histogram.n }
}

describe('durations that a source rounds to seconds', () => {
  it('are known by that two seconds next to each other are common, and nothing is between them', () => {
    expect(areWholeSeconds(counted(spread(3300, 0.25).map(toSeconds)).counts)).toBe(true)
    expect(areWholeSeconds(counted(spread(3300, 0.25)).counts)).toBe(false)
    // It may take just that long, or have too few.
    expect(areWholeSeconds(counted(Array.from({ length: 200 }, (_, i) => (i < 190 ? 3000 : 12_000))).counts)).toBe(false)
    expect(areWholeSeconds(counted(spread(3300, 0.25, 15).map(toSeconds)).counts)).toBe(false)
    expect(areWholeSeconds(new Int32Array(BUCKETS))).toBe(false)
  })

  it('have quantiles within half a second of the value that is written there', () => {
    fc.assert(
      fc.property(fc.integer({ min: 900, max: 7000 }), fc.double({ min: 0.15, max: 0.5, noNaN: true }), (medianMs, sigma) => {
        const written = spread(medianMs, sigma).map(toSeconds)
        const { counts, zeros } = counted(written)
        const qs = [0.1, 0.25, 0.5, 0.9]
        quantilesOfSeconds(counts, zeros, qs).forEach((ms, i) => {
          const there = written[Math.ceil((qs[i] ?? 0) * written.length) - 1] ?? 0
          // Beyond ten seconds a bucket is not just one second.
          expect(Math.abs(ms - there)).toBeLessThanOrEqual(500 + (there > 10_000 ? 0.026 * there : 0))
        })
      }),
      { numRuns: 300 },
    )
  })

  it('take those of more than ten seconds as they are written', () => {
    const { counts } = counted(Array.from({ length: 100 }, (_, i) => (i < 50 ? 2000 : 60_000)))
    expect(bucketOf(quantilesOfSeconds(counts, 0, [0.75])[0] ?? 0)).toBe(bucketOf(60_000))
  })
})
