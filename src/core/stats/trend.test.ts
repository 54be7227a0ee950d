import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { theilSen, weekShape, whenReached, type Trend } from './trend'

const line = (n: number, slope: number, noise: (i: number) => number = () => 0) =>
  Array.from({ length: n }, (_, x) => ({ x, y: 100 + slope * x + noise(x) }))

describe("Theil and Sen's line", () => {
  it('finds a straight line exactly, whatever the order of its points', () => {
    fc.assert(
      fc.property(fc.shuffledSubarray(line(12, 3), { minLength: 12 }), (points) => {
        expect(theilSen(points)).toMatchObject({ slope: 3, low: 3, high: 3, intercept: 100, certain: true })
      }),
    )
  })

  it('is not moved by a quarter of wild points', () => {
    const trend = theilSen(line(40, 2, (i) => (i % 5 === 0 ? 1e6 : Math.sin(i))))
    expect(trend?.slope).toBeGreaterThan(1.5)
    expect(trend?.slope).toBeLessThan(2.5)
  })

  it('says that there is no trend where there is none', () => {
    expect(theilSen(line(30, 0, (i) => Math.sin(i * 2.4) * 10))).toMatchObject({ certain: false })
    expect(
      whenReached(
        theilSen(line(30, 0, (i) => Math.sin(i * 2.4) * 10)) ?? { slope: 0, low: 0, high: 0, intercept: 0, certain: false, n: 0 },
        29,
        100,
        200,
      ),
    ).toBeNull()
    expect([theilSen(line(4, 1)), theilSen(Array.from({ length: 9 }, (_, y) => ({ x: 1, y })))]).toEqual([null, null])
  })

  it('holds the true slope in its interval about as often as it says', () => {
    let state = 12345
    const random = () => {
      state = (Math.imul(state, 1664525) + 1013904223) >>> 0
      return state / 2 ** 32 - 0.5
    }
    let held = 0
    for (let run = 0; run < 400; run++) {
      const trend = theilSen(line(20, 1, () => 12 * (random() + random() + random())))
      if (trend && trend.low <= 1 && trend.high >= 1) held++
    }
    expect(held / 400).toBeGreaterThan(0.91)
    expect(held / 400).toBeLessThan(0.99)
  })

  it('says when a limit is reached, and within what', () => {
    const trend = theilSen(line(20, 2, (i) => Math.sin(i * 2.4)))
    if (!trend) throw new Error('no trend')
    const when = whenReached(trend, 19, 138, 238)
    expect(when?.at).toBeCloseTo(19 + 100 / trend.slope)
    expect([when && when.earliest < when.at, when?.latest !== null && when && (when.latest ?? 0) > when.at]).toEqual([true, true])
  })
})

describe('the shape of a week', () => {
  const SHAPE = [-6, -2, 0, 3, 9, 1, -5]
  const weeks = (n: number, shape: readonly number[], more: (i: number) => number = () => 0) =>
    Array.from({ length: 7 * n }, (_, x) => ({ x, y: 50 + 2 * x + (shape[x % 7] ?? 0) + more(x), day: x % 7, week: Math.floor(x / 7) }))
  /** Noise between -1 and 1, the same each time. */
  const noise = (i: number) => ((Math.imul(i + 7, 2654435761) >>> 0) % 2003) / 1001.5 - 1
  const of = (points: ReturnType<typeof weeks>) => weekShape(points, theilSen(points) as Trend)

  it('is found beside the trend, whatever the trend, and not moved by a wild day', () => {
    const found = of(weeks(5, SHAPE, (i) => (i === 11 ? 1e5 : 0)))
    const middle = found?.[2] ?? 0
    expect(found?.map((off) => Math.round(off - middle))).toEqual(SHAPE)
  })

  it('is not said where days are alike, where noise is larger, or before three weeks', () => {
    expect(of(weeks(5, [0, 0, 0, 0, 0, 0, 0], (i) => 4 * noise(i)))).toBeNull()
    expect(of(weeks(5, SHAPE, (i) => 60 * noise(i)))).toBeNull()
    expect(of(weeks(2, SHAPE))).toBeNull()
  })
})
