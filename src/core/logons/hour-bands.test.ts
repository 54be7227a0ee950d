import { describe, expect, it } from 'vitest'
import { Histogram } from '../stats/histogram'
import { HourBands } from './hour-bands'

const HOUR_MS = 3_600_000
const DAY_MS = 24 * HOUR_MS
/** A Monday, midnight. */
const MONDAY = Date.UTC(2026, 10, 2)

const of = (ms: number, n: number) => {
  const histogram = new Histogram()
  histogram.add(ms, n)
  return histogram
}
/** Four weeks: at eight, 20 s on workdays but 40 s on Mondays; 10 s on Saturdays, and nobody on Sundays. */
function weeks(n: number, offsetMs = 0): HourBands {
  const bands = new HourBands(offsetMs)
  for (let day = 0; day < 28; day++) {
    const weekday = day % 7
    if (weekday < 6) bands.add(MONDAY + day * DAY_MS + 8 * HOUR_MS - offsetMs, of(weekday === 0 ? 40_000 : weekday === 5 ? 10_000 : 20_000, n))
  }
  return bands
}
const at = (bands: HourBands, day: number, hour = 8, offsetMs = 0) => {
  const { lowMs, highMs, n, basis } = bands.of(MONDAY + 28 * DAY_MS + day * DAY_MS + hour * HOUR_MS + 1_234_567 - offsetMs)
  return [Math.round(lowMs / 1000), Math.round(highMs / 1000), n, basis]
}

describe('the usual band of an hour', () => {
  it('is that of the same weekday and hour where there is enough of it', () => {
    const bands = weeks(20)
    expect([at(bands, 0), at(bands, 1), at(bands, 5)]).toEqual([
      [40, 40, 80, 'weekday'],
      [20, 20, 80, 'weekday'],
      [10, 10, 80, 'weekday'],
    ])
  })

  it('is that of like days where a weekday alone has too little, and of any day where those have, too', () => {
    const bands = weeks(5)
    // Of a Monday there are 20 only: all workdays have 100, of which a fifth took 40 s.
    expect(at(bands, 0)).toEqual([20, 40, 100, 'like days'])
    // Saturdays and Sundays have 20 together.
    expect(at(bands, 6)).toEqual([10, 40, 120, 'any day'])
    expect(at(bands, 0, 9)).toEqual([0, 0, 0, 'any day'])
  })

  it('does not take one week for a habit', () => {
    const bands = new HourBands(0)
    bands.add(MONDAY + 8 * HOUR_MS, of(90_000, 500))
    for (let day = 1; day < 5; day++) bands.add(MONDAY + day * DAY_MS + 8 * HOUR_MS, of(20_000, 500))
    expect(at(bands, 0)[3]).toBe('like days')
  })

  it('goes by local hours and days', () => {
    // Ten hours ahead: eight in the morning of a Monday is still Sunday in UTC.
    const ahead = 10 * HOUR_MS
    expect(at(weeks(20, ahead), 0, 8, ahead)).toEqual([40, 40, 80, 'weekday'])
    expect(at(weeks(20, ahead), 5, 8, ahead)).toEqual([10, 10, 80, 'weekday'])
  })

  it('knows of what is added later', () => {
    const bands = weeks(20)
    at(bands, 6)
    bands.add(MONDAY + 6 * DAY_MS + 8 * HOUR_MS, of(5000, 40))
    bands.add(MONDAY + 13 * DAY_MS + 8 * HOUR_MS, of(5000, 40))
    expect(at(bands, 6)).toEqual([5, 5, 80, 'weekday'])
  })
})
