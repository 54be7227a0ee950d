import { onScopeDispose, ref } from 'vue'
import type { FolderPicture, RulesResult } from '../../core/files'
import type { DeskAsk, ReadSums } from './inventory-desk'

type Answer<A extends DeskAsk> = A['ask'] extends 'read' ? ReadSums : A['ask'] extends 'picture' ? FolderPicture : RulesResult

/** The desk in its worker, for as long as the page lasts. Reading can be stopped: then the worker goes, and a new one comes. */
export function useDesk() {
  const make = () => new Worker(new URL('./inventory-worker.ts', import.meta.url), { type: 'module' })
  let worker = make()
  const readBytes = ref(0)
  const busy = ref(0)
  let last = 0
  const waiting = new Map<number, { resolve: (value: never) => void; reject: (error: Error) => void }>()
  const listen = () => {
    worker.onmessage = ({ data }: MessageEvent<{ id: number; value?: unknown; error?: string; progress?: number }>) => {
      if (data.progress !== undefined) {
        readBytes.value = data.progress
        return
      }
      const entry = waiting.get(data.id)
      waiting.delete(data.id)
      if (data.error === undefined) entry?.resolve(data.value as never)
      else entry?.reject(new Error(data.error))
    }
  }
  listen()
  async function ask<A extends DeskAsk>(question: A): Promise<Answer<A>> {
    busy.value++
    readBytes.value = 0
    try {
      return await new Promise((resolve, reject) => {
        const id = ++last
        waiting.set(id, { resolve, reject })
        worker.postMessage({ id, question })
      })
    } finally {
      busy.value--
    }
  }
  function stop(): void {
    worker.terminate()
    for (const { reject } of waiting.values()) reject(new Error('Stopped. Nothing was kept of it.'))
    waiting.clear()
    worker = make()
    listen()
  }
  onScopeDispose(() => worker.terminate())
  return { ask, stop, busy, readBytes }
}
