import { onScopeDispose, ref } from 'vue'

/** A worker of a page that answers questions one by one; it goes with the page. `busy`: how many wait. What is asked must be plain, not reactive. */
export function usePageWorker<Ask>(make: () => Worker) {
  const worker = make()
  const busy = ref(0)
  let last = 0
  const waiting = new Map<number, { resolve: (value: never) => void; reject: (error: Error) => void }>()
  worker.onmessage = ({ data }: MessageEvent<{ id: number; value?: unknown; error?: string }>) => {
    const entry = waiting.get(data.id)
    waiting.delete(data.id)
    if (data.error === undefined) entry?.resolve(data.value as never)
    else entry?.reject(new Error(data.error))
  }
  onScopeDispose(() => worker.terminate())
  return {
    busy,
    async ask<T>(question: Ask): Promise<T> {
      busy.value++
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
  }
}
