import { zoneOffsetMs } from '../../core/stats/zone'
import { clock, day, timeZone } from './format'

const HOUR_MS = 3_600_000
const DAY_MS = 24 * HOUR_MS
const STEPS = [HOUR_MS / 6, HOUR_MS, 4 * HOUR_MS, DAY_MS, 2 * DAY_MS, 5 * DAY_MS, 10 * DAY_MS]

/** Round moments under a picture of a stretch of time, at most so many or a few more where it is very long: hours, or days from midnight on, in the organisation's time. */
export function timeTicks(fromMs: number, toMs: number, most: number): { readonly atMs: number; readonly text: string }[] {
  const step = STEPS.find((ms) => (toMs - fromMs) / ms <= most) ?? 10 * DAY_MS
  const offsetMs = zoneOffsetMs(timeZone.value, fromMs)
  const first = Math.ceil((fromMs + offsetMs) / step) * step - offsetMs
  return Array.from({ length: Math.max(0, Math.floor((toMs - first) / step) + 1) }, (_, i) => first + i * step).map((atMs) => ({
    atMs,
    text: step >= DAY_MS ? day(atMs) : clock(atMs),
  }))
}
