/** The offset of a time zone from UTC at a moment, in milliseconds: what is to be added to UTC for local time. */
export function zoneOffsetMs(timeZone: string, atMs: number): number {
  const format = new Intl.DateTimeFormat('en-US', {
    timeZone,
    hourCycle: 'h23',
    year: 'numeric',
    month: 'numeric',
    day: 'numeric',
    hour: 'numeric',
    minute: 'numeric',
    second: 'numeric',
  })
  const parts = Object.fromEntries(format.formatToParts(atMs).map(({ type, value }) => [type, Number(value)]))
  const { year = 0, month = 1, day = 1, hour = 0, minute = 0, second = 0 } = parts
  return Date.UTC(year, month - 1, day, hour, minute, second) - Math.floor(atMs / 1000) * 1000
}
