import { anatomyOf, inspect, onlyZeros, readForRewrite, type Anatomy, type Inspection } from '../../core/containers'
import { answerQuestions } from '../shell/worker'
import { openDisk } from './open-disk'
import { rewriteFile } from './rewrite-file'

/** The thread in which disk files are read and written. */
export type DiskAsk =
  | { op: 'inspect'; paths: readonly string[] }
  | { op: 'anatomy'; path: string }
  | { op: 'zeros'; path: string }
  | { op: 'rewrite'; path: string; job: string; virtualBytes: number | null; guids: { fileWrite: string; dataWrite: string | null } }
  | { op: 'cancel'; job: string }

export interface DiskNews { readonly job: string; readonly done: number; readonly total: number }

const cancelled = new Set<string>()

async function on<T>(path: string, work: (disk: ReturnType<typeof openDisk>) => Promise<T>): Promise<T> {
  const disk = openDisk(path)
  try {
    return await work(disk)
  } finally {
    disk.close()
  }
}

/** Payload blocks that are present but hold only zeros, and their size. */
async function zeroBlocks(path: string): Promise<{ blocks: number; bytes: number }> {
  return on(path, async (disk) => {
    const { blockOffsets, inspection: { blockBytes }, replayed } = await readForRewrite(disk)
    let blocks = 0
    for (const offset of blockOffsets) {
      if (offset < 0) continue
      let empty = true
      for (let at = 0; at < blockBytes && empty; at += 1 << 20) empty = onlyZeros(await replayed.read(offset + at, 1 << 20))
      if (empty) blocks++
    }
    return { blocks, bytes: blocks * blockBytes }
  })
}

async function answer(question: DiskAsk): Promise<unknown> {
  if (question.op === 'inspect') return Promise.all(question.paths.map((path): Promise<Inspection | null> => on(path, inspect).catch(() => null)))
  if (question.op === 'anatomy') return on(question.path, (disk): Promise<Anatomy> => anatomyOf(disk))
  if (question.op === 'zeros') return zeroBlocks(question.path)
  if (question.op === 'cancel') return void cancelled.add(question.job)
  const { path, job, virtualBytes, guids } = question
  let saidMs = 0
  return rewriteFile(path, {
    virtualBytes, guids, progress: (done, total) => {
      if (cancelled.has(job)) throw new Error('Stopped on request. The file was left as it is.')
      if (Date.now() - saidMs > 250) { saidMs = Date.now(); tell({ job, done, total }) }
    },
  })
}

const tell = answerQuestions<DiskAsk, DiskNews>(answer)
