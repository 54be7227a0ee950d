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
  const local = localDay * 86_400_000 + hour * 3_600_000
  // The offset of that moment, not of this one; a second look where the first guess lies on the other side of a change.
  const guess = local - zoneOffsetMs(timeZone, local)
  return local - zoneOffsetMs(timeZone, guess)
}

/** The weekday of a day counted from 1 January 1970, which was a Thursday: 0 is Monday. */
export const weekdayOf = (day: number): number => (((day + 3) % 7) + 7) % 7
/** The week, from Monday on, that such a day is in: a number for it. */
export const weekOf = (day: number): number => Math.floor((day + 3) / 7)
