import type { Observation } from '../../core/logons'
import type { DatabaseLink } from '../db/open'
import { startWorker } from '../shell/worker'
import type { Ingested } from './intake'
import type { IntakeAsk, UploadProgress } from './intake-worker'

/** The way from the thread that answers requests to the one that takes evidence in. */
export interface Evidence {
  ingest(observations: Observation[], nowMs: number): Promise<Ingested>
  upload(path: string, upload: string, nowMs: number): Promise<UploadProgress>
  cancel(upload: string): Promise<void>
  reconsider(nowMs: number): Promise<Ingested>
  refresh(): Promise<void>
  close(): Promise<void>
}

/** @param onProgress called while an evidence file is read */
export async function startEvidence(link: DatabaseLink, onProgress: (progress: UploadProgress) => void): Promise<Evidence> {
  const worker = startWorker(new URL('./intake-worker.js', import.meta.url), { link }, 'port' in link ? [link.port] : [])
  const waiting = new Map<number, { resolve: (value: never) => void; reject: (error: Error) => void }>()
  let last = 0
  await new Promise<void>((resolve, reject) => {
    worker.once('error', reject)
    worker.once('message', () => resolve())
  })
  worker.on('message', (message: { id: number; value?: unknown; error?: string } | { progress: UploadProgress }) => {
    if ('progress' in message) return onProgress(message.progress)
    const entry = waiting.get(message.id)
    waiting.delete(message.id)
    if (message.error === undefined) entry?.resolve(message.value as never)
    else entry?.reject(new Error(message.error))
  })
  worker.on('error', (error) => {
    for (const { reject } of waiting.values()) reject(error)
    waiting.clear()
  })
  const call = <T>(ask: IntakeAsk) => new Promise<T>((resolve, reject) => {
    const id = ++last
    waiting.set(id, { resolve, reject })
    worker.postMessage({ id, ask })
  })
  return {
    ingest: (observations, nowMs) => call({ op: 'ingest', observations, nowMs }),
    upload: (path, upload, nowMs) => call({ op: 'upload', path, upload, nowMs }),
    cancel: (upload) => call({ op: 'cancel', upload }),
    reconsider: (nowMs) => call({ op: 'reconsider', nowMs }),
    refresh: () => call({ op: 'refresh' }),
    close: async () => { await worker.terminate() },
  }
}
