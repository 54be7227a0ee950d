import { SHIFT_STARTS, type Staff } from '../directory/larkmere'
import type { Random } from '../random'

const DAY_MS = 86_400_000
const offsets = new Map<string, number>()

/** The offset of a time zone from UTC at a moment, in milliseconds. */
export function offsetMs(timeZone: string, atMs: number): number {
  const key = `${timeZone}|${Math.floor(atMs / 3_600_000)}`
  const known = offsets.get(key)
  if (known !== undefined) return known
  const parts = Object.fromEntries(
    new Intl.DateTimeFormat('en-US', {
      timeZone,
      hourCycle: 'h23',
      year: 'numeric',
      month: 'numeric',
      day: 'numeric',
      hour: 'numeric',
      minute: 'numeric',
      second: 'numeric',
    })
      .formatToParts(atMs)
      .map(({ type, value }) => [type, Number(value)]),
  )
  const local = Date.UTC(
    parts['year'] ?? 0,
    (parts['month'] ?? 1) - 1,
    parts['day'] ?? 1,
    parts['hour'] ?? 0,
    parts['minute'] ?? 0,
    parts['second'] ?? 0,
  )
  const offset = Math.round((local - atMs) / 60_000) * 60_000
  offsets.set(key, offset)
  return offset
}

/** The moments at which somebody logs on, on the local day that begins at `localDayMs` (UTC midnight of that date); none on a day off. */
export function logonsOn(staff: Staff, localDayMs: number, timeZone: string, random: Random): number[] {
  const weekday = new Date(localDayMs).getUTCDay()
  if (staff.restDays.includes(weekday)) return []
  const start = staff.shift === 'office' ? 8 * 60 + 20 : (SHIFT_STARTS[staff.shift] ?? 0)
  const minutes = start + random.normal() * (staff.shift === 'office' ? 38 : 3.4) + (staff.shift === 'office' ? 0 : 3)
  const first = localDayMs + minutes * 60_000
  const local = [first]
  if (random.chance(0.24)) local.push(first + (1 + random.next() * 5.5) * 3_600_000)
  return local.map((ms) => ms - offsetMs(timeZone, ms - offsetMs(timeZone, ms)))
}

export { DAY_MS }
