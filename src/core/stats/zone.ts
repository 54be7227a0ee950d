const formats = new Map<string, Intl.DateTimeFormat>()

/** The offset of a time zone (IANA name) from UTC at a moment, in milliseconds: what is to be added to UTC for local time. */
export function zoneOffsetMs(timeZone: string, atMs: number): number {
  let format = formats.get(timeZone)
  if (!format) {
    const numeric = 'numeric' as const
    format = new Intl.DateTimeFormat('en-US', {
      timeZone,
      hourCycle: 'h23',
      year: numeric,
      month: numeric,
      day: numeric,
      hour: numeric,
      minute: numeric,
      second: numeric,
    })
    formats.set(timeZone, format)
  }
  const {
    year = 0,
    month = 1,
    day = 1,
    hour = 0,
    minute = 0,
    second = 0,
  } = Object.fromEntries(format.formatToParts(atMs).map(({ type, value }) => [type, Number(value)]))
  return Date.UTC(year, month - 1, day, hour, minute, second) - Math.floor(atMs / 1000) * 1000
}

/** The moment at which it is `hour` o'clock on the local day that contains `atMs`, some days later; right over a change of summer time. */
export function localHourMs(timeZone: string, atMs: number, daysLater: number, hour: number): number {
  const localDay = Math.floor((atMs + zoneOffsetMs(timeZone, atMs)) / 86_400_000) + daysLater
  return utcOf(timeZone, localDay * 86_400_000 + hour * 3_600_000)
}

/** The moment of a local time. The offset of that moment counts, not of this one; a second look where the first guess lies on the other side of a change. */
function utcOf(timeZone: string, localMs: number): number {
  const guess = localMs - zoneOffsetMs(timeZone, localMs)
  return localMs - zoneOffsetMs(timeZone, guess)
}

/** What the clock on the wall shows at a moment: `2026-11-28T05:40`. */
export const wallOf = (timeZone: string, atMs: number): string => new Date(atMs + zoneOffsetMs(timeZone, atMs)).toISOString().slice(0, 16)

/** The moment at which the clock on the wall shows that; null where it is no such text. Of an hour that comes twice in autumn, the second. */
export function momentOf(timeZone: string, wall: string): number | null {
  const localMs = /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?$/.test(wall) ? Date.parse(`${wall}Z`) : NaN
  return Number.isFinite(localMs) ? utcOf(timeZone, localMs) : null
}

/** The weekday of a day counted from 1 January 1970, which was a Thursday: 0 is Monday. */
export const weekdayOf = (day: number): number => (((day + 3) % 7) + 7) % 7
/** The week, from Monday on, that such a day is in: a number for it. */
export const weekOf = (day: number): number => Math.floor((day + 3) / 7)
