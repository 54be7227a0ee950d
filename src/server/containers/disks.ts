import { randomUUID } from 'node:crypto'
import type { Anatomy, BalanceAim, BalancePlan, Inspection, RoomContainer, RoomShare } from '../../core/containers'
import { askWorker } from '../shell/worker'
import type { DiskAsk, DiskNews } from './disk-worker'
import type { Rewritten } from './rewrite-file'

/** The way from the thread that answers requests to the one that reads and writes disk files. */
export interface Disks {
  /** Null for each that could not be read. */
  inspect(paths: readonly string[]): Promise<(Inspection | null)[]>
  anatomy(path: string): Promise<Anatomy>
  zeros(path: string): Promise<{ blocks: number; bytes: number }>
  /** Writes the file anew (see rewrite-file.ts). @param virtualBytes the disk's new size, null keeps it */
  rewrite(path: string, job: string, virtualBytes: number | null): Promise<Rewritten>
  /** Copies a file to a place where none is (see copy-file.ts). */
  copy(from: string, to: string, job: string): Promise<{ bytes: number }>
  /** Plans a rebalancing (core/containers/balance.ts), off the thread that answers requests. */
  plan(shares: readonly RoomShare[], containers: readonly RoomContainer[], aim: BalanceAim): Promise<BalancePlan>
  cancel(job: string): Promise<void>
  close(): Promise<void>
}

/** @param onProgress called while a file is rewritten */
export async function startDisks(onProgress: (news: DiskNews) => void): Promise<Disks> {
  const worker = await askWorker<DiskAsk, DiskNews>(new URL('./disk-worker.js', import.meta.url), null, [], onProgress)
  const guid = () => randomUUID().toUpperCase()
  return {
    inspect: (paths) => worker.ask({ op: 'inspect', paths }),
    anatomy: (path) => worker.ask({ op: 'anatomy', path }),
    zeros: (path) => worker.ask({ op: 'zeros', path }),
    rewrite: (path, job, virtualBytes) =>
      worker.ask({ op: 'rewrite', path, job, virtualBytes, guids: { fileWrite: guid(), dataWrite: virtualBytes === null ? null : guid() } }),
    copy: (from, to, job) => worker.ask({ op: 'copy', from, to, job }),
    plan: (shares, containers, aim) => worker.ask({ op: 'plan', shares, containers, aim }),
    cancel: (job) => worker.ask({ op: 'cancel', job }),
    close: () => worker.close(),
  }
}
