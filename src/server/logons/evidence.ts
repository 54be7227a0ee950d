import type { HitHour, Observation, Place } from '../../core/logons'
import type { DatabaseLink } from '../db/open'
import { askWorker } from '../shell/worker'
import type { FoundSince } from './incident-desk'
import type { Ingested } from './intake'
import type { IntakeAsk, UploadProgress } from './intake-worker'

/** The way from the thread that answers requests to the one that takes evidence in. */
export interface Evidence {
  ingest(observations: Observation[], nowMs: number): Promise<Ingested>
  upload(path: string, upload: string, nowMs: number): Promise<UploadProgress>
  cancel(upload: string): Promise<void>
  reconsider(nowMs: number): Promise<Ingested>
  refresh(): Promise<void>
  /** The incidents and single cases of a window. */
  incidents(fromMs: number, toMs: number): Promise<FoundSince>
  /** Hour by hour, how many logged on at a place and how many of them had a cause. */
  hours(scope: readonly Place[], cause: string, fromMs: number, toMs: number): Promise<HitHour[]>
  close(): Promise<void>
}

/** @param onProgress called while an evidence file is read */
export async function startEvidence(link: DatabaseLink, onProgress: (progress: UploadProgress) => void): Promise<Evidence> {
  const worker = await askWorker<IntakeAsk, UploadProgress>(
    new URL('./intake-worker.js', import.meta.url),
    { link },
    'port' in link ? [link.port] : [],
    onProgress,
  )
  return {
    ingest: (observations, nowMs) => worker.ask({ op: 'ingest', observations, nowMs }),
    upload: (path, upload, nowMs) => worker.ask({ op: 'upload', path, upload, nowMs }),
    cancel: (upload) => worker.ask({ op: 'cancel', upload }),
    reconsider: (nowMs) => worker.ask({ op: 'reconsider', nowMs }),
    refresh: () => worker.ask({ op: 'refresh' }),
    incidents: (fromMs, toMs) => worker.ask({ op: 'incidents', fromMs, toMs }),
    hours: (scope, cause, fromMs, toMs) => worker.ask({ op: 'hours', scope, cause, fromMs, toMs }),
    close: () => worker.close(),
  }
}
