import { existsSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { Worker, type TransferListItem } from 'node:worker_threads'

/** Starts a worker from its built file, or from its source when run from source. */
export function startWorker(built: URL, workerData: unknown, transferList: TransferListItem[] = []): Worker {
  const path = fileURLToPath(built)
  if (existsSync(path)) return new Worker(path, { workerData, transferList })
  return new Worker(path.replace(/\.js$/, '.ts'), { workerData, transferList, execArgv: ['--import', 'tsx'] })
}
