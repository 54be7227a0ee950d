import { useNow } from '@vueuse/core'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

const HOUR_MS = 3_600_000
/** The time windows on offer; kept in the address as `window`. */
export const WINDOWS = [
  { id: '1h', title: 'last hour', ms: HOUR_MS },
  { id: '8h', title: 'last 8 h', ms: 8 * HOUR_MS },
  { id: '24h', title: 'last 24 h', ms: 24 * HOUR_MS },
  { id: '7d', title: 'last 7 days', ms: 168 * HOUR_MS },
  { id: '30d', title: 'last 30 days', ms: 720 * HOUR_MS },
] as const

/** The window that applies to every view with a time. Its end is now, in steps of 15 s so that queries can be shared. */
export function useWindow() {
  const route = useRoute()
  const router = useRouter()
  const now = useNow({ interval: 15_000 })
  const chosen = computed(() => WINDOWS.find(({ id }) => id === route.query['window']) ?? WINDOWS[2])
  const toMs = computed(() => Math.ceil(now.value.getTime() / 15_000) * 15_000)
  const fromMs = computed(() => toMs.value - chosen.value.ms)
  const choose = (id: string) => router.replace({ query: { ...route.query, window: id === '24h' ? undefined : id } })
  return { chosen, fromMs, toMs, choose }
}
