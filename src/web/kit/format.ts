import { ref } from 'vue'
import { momentOf, wallOf } from '../../core/stats/zone'

/** The organisation's time zone; set once after sign-in. All times on screen are in it. */
export const timeZone = ref('UTC')

const formats = new Map<string, Intl.DateTimeFormat>()
function format(kind: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = `${kind}|${timeZone.value}`
  let found = formats.get(key)
  if (!found) formats.set(key, (found = new Intl.DateTimeFormat('en-GB', { timeZone: timeZone.value, ...options })))
  return found
}

export const clock = (ms: number): string => format('clock', { hour: '2-digit', minute: '2-digit' }).format(ms)
export const clockSeconds = (ms: number): string => format('clock-s', { hour: '2-digit', minute: '2-digit', second: '2-digit' }).format(ms)
const year = (ms: number): string => format('year', { year: 'numeric' }).format(ms)
/** `Mon 23 Nov`; with the year where it is another one. */
export const day = (ms: number, nowMs = Date.now()): string =>
  `${format('day', { weekday: 'short', day: 'numeric', month: 'short' }).format(ms).replace(',', '')}${year(ms) === year(nowMs) ? '' : ` ${year(ms)}`}`
export const exact = (ms: number): string => `${format('exact', { dateStyle: 'full', timeStyle: 'medium' }).format(ms)} (${timeZone.value})`

/** The time alone for today, with its day otherwise. */
export function when(ms: number, nowMs = Date.now()): string {
  return day(ms, nowMs) === day(nowMs, nowMs) ? clock(ms) : `${day(ms, nowMs)} ${clock(ms)}`
}

/** What a field for a moment shows, in the organisation's time zone as all times on screen. */
export const fieldOf = (ms: number): string => wallOf(timeZone.value, ms)
/** The moment that such a field holds; null where it holds none. */
export const fieldMs = (text: string): number | null => momentOf(timeZone.value, text)

/** `0.6 s`, `41 s`, `1 min 38 s`, `8 h 05 min`. */
export function duration(ms: number): string {
  const rounded = Math.round(ms)
  if (rounded < 1000 && rounded > 0) return `${(rounded / 1000).toFixed(1)} s`
  if (rounded < 9_950) return `${(rounded / 1000).toFixed(1)} s`
  const s = Math.round(rounded / 1000)
  if (s < 60) return `${s} s`
  if (s < 3600) return s % 60 === 0 ? `${s / 60} min` : `${Math.floor(s / 60)} min ${s % 60} s`
  const min = Math.round(s / 60)
  return `${Math.floor(min / 60)} h ${String(min % 60).padStart(2, '0')} min`
}

/** `08:05`: minutes since midnight of a made-up day. */
export const clockOfMinutes = (minutes: number): string =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(Math.round(minutes % 60)).padStart(2, '0')}`

/** How long ago, roughly. */
export function ago(ms: number, nowMs: number): string {
  const s = Math.max(0, Math.round((nowMs - ms) / 1000))
  if (s < 60) return `${s} s ago`
  if (s < 3600) return `${Math.round(s / 60)} min ago`
  return s < 172_800 ? `${Math.round(s / 3600)} h ago` : `${Math.round(s / 86_400)} days ago`
}

/** Binary units, as file systems count: `3.2 GiB`. */
export function size(bytes: number): string {
  const units = ['B', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB']
  let value = bytes
  let unit = 0
  while (value >= 1024 && unit < units.length - 1) {
    value /= 1024
    unit++
  }
  return `${unit === 0 || value >= 100 ? Math.round(value) : value.toFixed(1)} ${units[unit]}`
}

export const count = (n: number): string => n.toLocaleString('en-GB')
export const percent = (share: number): string =>
  share > 0 && share < 0.01 ? 'under 1 %' : share > 0.99 && share < 1 ? 'over 99 %' : `${Math.round(share * 100)} %`
export const plural = (n: number, one: string, many = `${one}s`): string => `${count(n)} ${n === 1 ? one : many}`

/** A moment for a file that others read: ISO 8601; null where there is none. */
export const isoOf = (ms: number | null | undefined): string | null => (ms == null ? null : new Date(ms).toISOString())
