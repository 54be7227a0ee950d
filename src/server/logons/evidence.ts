import type { CohortFigures, CohortFilter, HitHour, Observation, PhaseAsk, PhaseFigures, Place } from '../../core/logons'
import type { Names } from '../../core/people'
import type { DatabaseLink } from '../db/open'
import { askWorker } from '../shell/worker'
import type { FoundSince } from './incident-desk'
import type { Ingested, Reconsidered } from './intake'
import type { IntakeAsk, UploadProgress } from './intake-worker'
import type { Again } from './known'

/** The way from the thread that answers requests to the one that takes evidence in. */
export interface Evidence {
  ingest(observations: Observation[], nowMs: number): Promise<Ingested>
  upload(path: string, upload: string, nowMs: number): Promise<UploadProgress>
  cancel(upload: string): Promise<void>
  reconsider(nowMs: number): Promise<Reconsidered>
  refresh(): Promise<void>
  /** The directory has told of the organisation: says what is known only now. */
  takeOrganisation(): Promise<Names>
  /** Explains attempts again, the first ones first. */
  explainAnew(attempts: readonly Again[], nowMs: number): Promise<Ingested>
  /** The incidents and single cases of a window. */
  incidents(fromMs: number, toMs: number): Promise<FoundSince>
  /** Hour by hour, how many logged on at a place and how many of them had a cause. */
  hours(scope: readonly Place[], cause: string, fromMs: number, toMs: number): Promise<HitHour[]>
  /** What a cohort comes to, from the attempts of a month in memory; null where not all of its window is there. */
  cohort(filter: CohortFilter): Promise<CohortFigures | null>
  /** What phases come to, an answer for each question; null where not all of a window is in memory. */
  phases(asked: readonly PhaseAsk[]): Promise<PhaseFigures[][] | null>
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
    takeOrganisation: () => worker.ask({ op: 'organisation' }),
    explainAnew: (attempts, nowMs) => worker.ask({ op: 'anew', attempts, nowMs }),
    incidents: (fromMs, toMs) => worker.ask({ op: 'incidents', fromMs, toMs }),
    hours: (scope, cause, fromMs, toMs) => worker.ask({ op: 'hours', scope, cause, fromMs, toMs }),
    cohort: (filter) => worker.ask({ op: 'cohort', filter }),
    phases: (asked) => worker.ask({ op: 'phases', asked }),
    close: () => worker.close(),
  }
}
