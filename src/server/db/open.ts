import { existsSync } from 'node:fs'
import { cp, mkdir, open, readFile, rename, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { MessageChannel, Worker, type MessagePort } from 'node:worker_threads'
import { Attention } from './attention'
import type { Database } from './database'
import { migrate } from './migrate'
import { openServer } from './postgres'
import { CannotStart, reasonOf } from '../shell/cannot-start'
import { startWorker } from '../shell/worker'
import { databaseOver } from './wire'

export interface Opened {
  readonly database: Database
  /** How another worker gets at the same database. */
  readonly link: () => DatabaseLink
  /** Says when pages are answered, for those who yield to them. */
  readonly attention: Attention
}

/** Handed to a worker, which opens its own access with it (see link.ts). */
export type DatabaseLink = { readonly url: string } | { readonly port: MessagePort }

/** Opens the server behind DATABASE_URL, or the embedded database in a folder; migrates either. */
export async function openDatabase(folder: string, url: string | undefined): Promise<Opened> {
  const attention = new Attention()
  if (url) {
    const database = openServer(url)
    await migrate(database).catch((error: unknown) => {
      throw new CannotStart(`The database that DATABASE_URL names cannot be used: ${reasonOf(error)}`, error)
    })
    return { database, link: () => ({ url }), attention }
  }
  await mkdir(folder, { recursive: true })
  const unlock = await lock(join(folder, 'lock'))
  const home = join(folder, 'database')
  const fresh = !existsSync(home)
  // A folder is made beside and renamed, so that a kill in its first moments leaves nothing that does not open.
  if (fresh) await makeFolder(home)
  const { worker, connect } = await startDatabaseWorker(home, attention).catch((error: unknown) => {
    throw new CannotStart(
      `The database in ${home} cannot be opened; it may be damaged (${reasonOf(error)}). Bring back a copy of the folder, or choose another one.`,
      error,
    )
  })
  const { port, close } = connect()
  const database = databaseOver(port, async () => {
    close()
    await stop(worker)
    await unlock()
  })
  await migrate(database)
  return {
    database,
    attention,
    link: () => {
      const { port1, port2 } = new MessageChannel()
      worker.postMessage({ open: port1 }, [port1])
      return { port: port2 }
    },
  }
}

async function makeFolder(home: string): Promise<void> {
  const beside = `${home}.new`
  await rm(beside, { recursive: true, force: true })
  const template = fileURLToPath(new URL('./empty-database', import.meta.url))
  if (existsSync(template)) await cp(template, beside, { recursive: true })
  else await stop(await startDatabaseWorker(beside, new Attention()).then(({ worker }) => worker))
  await rename(beside, home)
}

async function startDatabaseWorker(folder: string, attention: Attention) {
  const worker = startWorker(new URL('./embedded-worker.js', import.meta.url), { folder, attention: attention.shared })
  await new Promise<void>((resolve, reject) => {
    worker.once('error', reject)
    worker.once('message', () => resolve())
  })
  const connect = () => {
    const { port1, port2 } = new MessageChannel()
    worker.postMessage({ open: port1 }, [port1])
    return { port: port2, close: () => port2.close() }
  }
  return { worker, connect }
}

async function stop(worker: Worker): Promise<void> {
  const closed = new Promise<void>((resolve) => {
    worker.once('message', () => resolve())
    worker.once('exit', () => resolve())
  })
  worker.postMessage({ close: true })
  await closed
  await worker.terminate()
}

/** Two processes on one folder would lose rows silently, so the folder has a lock with the process number of its holder. */
export async function lock(path: string): Promise<() => Promise<void>> {
  for (let attempt = 0; attempt < 2; attempt++) {
    try {
      const file = await open(path, 'wx')
      await file.writeFile(String(process.pid))
      await file.close()
      return () => rm(path, { force: true })
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error
      const holder = Number(await readFile(path, 'utf8').catch(() => ''))
      if (holder > 0 && holder !== process.pid && isAlive(holder))
        throw new CannotStart(`The data folder is in use by process ${holder}. Stop that one first, or choose another folder.`, error)
      await rm(path, { force: true })
    }
  }
  throw new CannotStart('The data folder could not be locked.', null)
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM'
  }
}
