import { onScopeDispose, ref } from 'vue'

/**
 * A worker of a page that answers questions; it goes with the page. What is asked must be plain, not reactive. `busy`: how many questions wait; `progress`:
 * what the worker told last of the one under way. Stopping ends the worker with all that it knows, and begins a new one.
 */
export function usePageWorker<Ask>(make: () => Worker) {
  const busy = ref(0)
  const progress = ref(0)
  let last = 0
  const waiting = new Map<number, { resolve: (value: never) => void; reject: (error: Error) => void }>()
  const begin = () => {
    const fresh = make()
    fresh.onmessage = ({ data }: MessageEvent<{ id: number; value?: unknown; error?: string; progress?: number }>) => {
      if (data.progress !== undefined) {
        progress.value = data.progress
        return
      }
      const entry = waiting.get(data.id)
      waiting.delete(data.id)
      if (data.error === undefined) entry?.resolve(data.value as never)
      else entry?.reject(new Error(data.error))
    }
    return fresh
  }
  let worker = begin()
  onScopeDispose(() => worker.terminate())
  return {
    busy,
    progress,
    async ask<T>(question: Ask): Promise<T> {
      busy.value++
      progress.value = 0
      try {
        return await new Promise<T>((resolve, reject) => {
          const id = ++last
          waiting.set(id, { resolve, reject })
          worker.postMessage({ id, question })
        })
      } finally {
        busy.value--
      }
    },
    stop(): void {
      worker.terminate()
      for (const { reject } of waiting.values()) reject(new Error('Stopped. Nothing was kept of it.'))
      waiting.clear()
      worker = begin()
    },
  }
}
