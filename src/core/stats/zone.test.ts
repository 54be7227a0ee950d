import { describe, expect, it } from 'vitest'
import { localHourMs, zoneOffsetMs, weekdayOf, weekOf } from './zone'

const HOUR = 3_600_000
const ZONE = 'Europe/Copenhagen'

describe('a time zone', () => {
  it('has the offset of the moment, over the changes of summer time (IANA: last Sundays of March and October, 01:00 UTC)', () => {
    expect(zoneOffsetMs(ZONE, Date.UTC(2026, 0, 1))).toBe(HOUR)
    expect(zoneOffsetMs(ZONE, Date.UTC(2026, 6, 1))).toBe(2 * HOUR)
    expect(zoneOffsetMs(ZONE, Date.UTC(2026, 2, 29, 0, 59))).toBe(HOUR)
    expect(zoneOffsetMs(ZONE, Date.UTC(2026, 2, 29, 1))).toBe(2 * HOUR)
    expect(zoneOffsetMs('Asia/Kathmandu', 0)).toBe(5.5 * HOUR)
    expect(zoneOffsetMs('America/New_York', Date.UTC(2026, 0, 1))).toBe(-5 * HOUR)
  })

  it('knows when it is a certain hour there, on this day and the next', () => {
    const at = Date.UTC(2026, 10, 23, 23, 30) // 00:30 on the 24th there
    expect(localHourMs(ZONE, at, 0, 1)).toBe(Date.UTC(2026, 10, 24, 0))
    expect(localHourMs(ZONE, at, 1, 5)).toBe(Date.UTC(2026, 10, 25, 4))
    // The night in which summer time ends: 01:00 is still summer time, 05:00 is not.
    const before = Date.UTC(2026, 9, 24, 12)
    expect(localHourMs(ZONE, before, 1, 1)).toBe(Date.UTC(2026, 9, 24, 23))
    expect(localHourMs(ZONE, before, 1, 5)).toBe(Date.UTC(2026, 9, 25, 4))
  })
})

describe('weekdays', () => {
  it('are those of the calendar, also before 1970, and a week goes from Monday to Sunday', () => {
    for (let day = -1000; day < 25_000; day++) {
      const weekday = weekdayOf(day)
      expect(weekday).toBe((new Date(day * 86_400_000).getUTCDay() + 6) % 7)
      expect(weekOf(day) - weekOf(day - 1)).toBe(weekday === 0 ? 1 : 0)
    }
  })
})
