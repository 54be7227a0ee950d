import { useQueryClient } from '@tanstack/vue-query'
import { onScopeDispose, ref } from 'vue'

/** Which queries an event makes old. */
const STALE: Record<string, string[]> = {
  attempts: ['today', 'attempts', 'person', 'incident'],
  job: ['room', 'job', 'jobs', 'journal', 'container', 'containers', 'set-aside', 'share', 'pools'],
  progress: ['job'],
  upload: ['uploads', 'upload'],
  policy: ['policy', 'policies', 'versions', 'session-policies', 'local-admins', 'pools', 'loss'],
  // Hosts report all the time: only what shows their reports.
  report: ['policy', 'session-policies', 'local-admins', 'pools'],
  containers: ['containers', 'container', 'share', 'person', 'room', 'loss', 'set-aside'],
  scan: ['scan'],
  people: ['people', 'person'],
  journal: ['journal'],
  changes: ['changes', 'incident'],
}

/** Follows the server's events, so that pages change without a reload. `connected` is false while the line is down. */
export function useLive() {
  const client = useQueryClient()
  const connected = ref(true)
  const source = new EventSource('/api/events')
  source.onopen = () => {
    connected.value = true
  }
  source.onerror = () => {
    connected.value = false
  }
  for (const [event, keys] of Object.entries(STALE))
    source.addEventListener(event, () => {
      for (const key of keys) void client.invalidateQueries({ queryKey: [key] })
    })
  onScopeDispose(() => source.close())
  return { connected }
}
