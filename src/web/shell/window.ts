import { useNow } from '@vueuse/core'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { day, when } from '../kit/format'

const MINUTE_MS = 60_000
const HOUR_MS = 3_600_000
/** The time windows on offer that end now; kept in the address as `window`. */
export const WINDOWS = [
  { id: '1h', title: 'last hour', ms: HOUR_MS },
  { id: '8h', title: 'last 8 h', ms: 8 * HOUR_MS },
  { id: '24h', title: 'last 24 h', ms: 24 * HOUR_MS },
  { id: '7d', title: 'last 7 days', ms: 168 * HOUR_MS },
  { id: '30d', title: 'last 30 days', ms: 720 * HOUR_MS },
] as const

/** No more is looked at together. */
export const LONGEST_DAYS = 92

interface Stretch {
  readonly fromMs: number
  readonly toMs: number
}

/** A stretch of time as it stands in the address: an ISO 8601 interval, `2026-11-02T05:00Z/2026-11-02T09:30Z`, to the minute. */
export function stretchId(fromMs: number, toMs: number): string {
  const until = Math.max(Math.ceil(toMs / MINUTE_MS), Math.floor(fromMs / MINUTE_MS) + 1) * MINUTE_MS
  const from = Math.max(Math.floor(fromMs / MINUTE_MS) * MINUTE_MS, until - LONGEST_DAYS * 24 * HOUR_MS)
  return [from, until].map((ms) => `${new Date(ms).toISOString().slice(0, 16)}Z`).join('/')
}

/** The stretch that an address holds; null where it holds none that can be looked at. */
export function readStretch(text: unknown): Stretch | null {
  const [from, to, ...more] = typeof text === 'string' ? text.split('/') : []
  if (from === undefined || to === undefined || more.length > 0) return null
  const [fromMs, toMs] = [Date.parse(from), Date.parse(to)]
  return toMs > fromMs && toMs - fromMs <= LONGEST_DAYS * 24 * HOUR_MS ? { fromMs, toMs } : null
}

/** `Mon 2 Nov 05:00 to 09:30`. */
export function stretchWords({ fromMs, toMs }: Stretch, nowMs = Date.now()): string {
  const [from, until] = [when(fromMs, nowMs), when(toMs, nowMs)]
  if (from === until) return from
  if (day(fromMs, nowMs) === day(toMs, nowMs)) return `${from} to ${until.split(' ').at(-1) ?? until}`
  // A time without a day is of today; here it would seem to be of the day before it.
  return `${from} to ${until.includes(' ') ? until : `today ${until}`}`
}

/** The window that applies to every view with a time: one that ends now, in steps of 15 s so that queries can be shared, or a stretch of time that is over. */
export function useWindow() {
  const route = useRoute()
  const router = useRouter()
  const now = useNow({ interval: 15_000 })
  const stretch = computed(() => readStretch(route.query['window']))
  const chosen = computed(() => {
    const { value } = stretch
    if (value) return { id: String(route.query['window']), title: `time from ${stretchWords(value)}`, ms: value.toMs - value.fromMs }
    return WINDOWS.find(({ id }) => id === route.query['window']) ?? WINDOWS[2]
  })
  const toMs = computed(() => stretch.value?.toMs ?? Math.ceil(now.value.getTime() / 15_000) * 15_000)
  const fromMs = computed(() => stretch.value?.fromMs ?? toMs.value - chosen.value.ms)
  const choose = (id: string) => router.replace({ query: { ...route.query, window: id === '24h' ? undefined : id } })
  return { chosen, stretch, fromMs, toMs, choose }
}
