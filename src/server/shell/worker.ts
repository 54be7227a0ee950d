import { existsSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { parentPort, Worker, type TransferListItem } from 'node:worker_threads'

/** Much of what they make is thrown away at once: with more room for it, less of that is carried along. */
const ROOMY = { maxYoungGenerationSizeMb: 64 }

/** Starts a worker from its built file, or from its source when run from source. */
export function startWorker(built: URL, workerData: unknown, transferList: TransferListItem[] = []): Worker {
  const path = fileURLToPath(built)
  if (existsSync(path)) return new Worker(path, { workerData, transferList, resourceLimits: ROOMY })
  return new Worker(path.replace(/\.js$/, '.ts'), { workerData, transferList, execArgv: ['--import', 'tsx'] })
}

/** A worker that answers questions: each with its answer or error, and news on the way. */
export interface Asked<Ask> {
  ask<T>(question: Ask): Promise<T>
  close(): Promise<void>
}

/** Starts a worker whose file calls answerQuestions; resolves when it is ready. */
export async function askWorker<Ask, News>(
  built: URL,
  workerData: unknown,
  transferList: TransferListItem[],
  onNews: (news: News) => void,
): Promise<Asked<Ask>> {
  const worker = startWorker(built, workerData, transferList)
  const waiting = new Map<number, { resolve: (value: never) => void; reject: (error: Error) => void }>()
  let last = 0
  await new Promise<void>((resolve, reject) => {
    worker.once('error', reject)
    worker.once('message', () => {
      resolve()
    })
  })
  worker.on('message', (message: { id: number; value?: unknown; error?: string } | { news: News }) => {
    if ('news' in message) return onNews(message.news)
    const entry = waiting.get(message.id)
    waiting.delete(message.id)
    if (message.error === undefined) entry?.resolve(message.value as never)
    else entry?.reject(new Error(message.error))
  })
  worker.on('error', (error) => {
    for (const { reject } of waiting.values()) reject(error)
    waiting.clear()
  })
  return {
    ask: (question) =>
      new Promise((resolve, reject) => {
        const id = ++last
        waiting.set(id, { resolve, reject })
        worker.postMessage({ id, question })
      }),
    close: async () => {
      await worker.terminate()
    },
  }
}

/** The other side: answers what is asked, as it comes. Returns how to send news. */
export function answerQuestions<Ask, News>(answer: (question: Ask) => Promise<unknown>): (news: News) => void {
  const port = parentPort
  if (!port) throw new Error('runs only as a worker')
  port.on('message', ({ id, question }: { id: number; question: Ask }) => {
    answer(question).then(
      (value) => {
        port.postMessage({ id, value })
      },
      (error: unknown) => {
        port.postMessage({ id, error: error instanceof Error ? error.message : String(error) })
      },
    )
  })
  port.postMessage({ ready: true })
  return (news) => {
    port.postMessage({ news })
  }
}
