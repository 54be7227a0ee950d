import { answerQuestions } from '../shell/worker'
import { anatomyAt, inspectAll, zeroBlocks } from './disk-work'
import { planBalance, type BalanceAim, type RoomContainer, type RoomShare } from '../../core/containers'
import { copyFile } from './copy-file'
import { rewriteFile } from './rewrite-file'

/** The thread in which disk files are read and written. */
export type DiskAsk =
  | { op: 'inspect'; paths: readonly string[] }
  | { op: 'anatomy'; path: string }
  | { op: 'zeros'; path: string }
  | { op: 'rewrite'; path: string; job: string; virtualBytes: number | null; guids: { fileWrite: string; dataWrite: string | null } }
  | { op: 'copy'; from: string; to: string; job: string }
  | { op: 'plan'; shares: readonly RoomShare[]; containers: readonly RoomContainer[]; aim: BalanceAim }
  | { op: 'cancel'; job: string }

export interface DiskNews {
  readonly job: string
  readonly done: number
  readonly total: number
}

const cancelled = new Set<string>()

async function answer(question: DiskAsk): Promise<unknown> {
  if (question.op === 'inspect') return inspectAll(question.paths)
  if (question.op === 'anatomy') return anatomyAt(question.path)
  if (question.op === 'zeros') return zeroBlocks(question.path)
  if (question.op === 'cancel') return void cancelled.add(question.job)
  if (question.op === 'plan') return planBalance(question.shares, question.containers, question.aim)
  if (question.op === 'copy') return copyFile(question.from, question.to, { progress: told(question.job) })
  const { path, job, virtualBytes, guids } = question
  return rewriteFile(path, { virtualBytes, guids, progress: told(job) })
}

/** Tells how far a job is, a few times a second, and stops it on request. */
function told(job: string): (done: number, total: number) => void {
  let saidMs = 0
  return (done, total) => {
    if (cancelled.has(job)) throw new Error('Stopped on request. The file was left as it is.')
    if (Date.now() - saidMs > 250) {
      saidMs = Date.now()
      tell({ job, done, total })
    }
  }
}

const tell = answerQuestions<DiskAsk, DiskNews>(answer)
