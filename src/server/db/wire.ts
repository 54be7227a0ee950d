import type { MessagePort } from 'node:worker_threads'
import type { Database, Queryable, Row } from './database'
import { Turns } from './turns'

/** The messages between a thread that asks and the thread that holds the database. */
type Ask =
  | { id: number; op: 'query' | 'exec'; sql: string; params: readonly unknown[]; transaction: boolean }
  | { id: number; op: 'begin'; yields: boolean }
  | { id: number; op: 'commit' | 'rollback' }
type Answer = { id: number; rows?: unknown[]; error?: { message: string; code?: string } }

type Port = Pick<MessagePort, 'postMessage' | 'on'>

/** Serves a database to another thread. A transaction holds everybody else back until it ends. */
export function serveDatabase(database: Pick<Database, 'query' | 'exec'>, ports: (serve: (port: Port) => void) => void): void {
  const turns = new Turns()
  ports((port) => {
    let endTransaction: (() => void) | null = null
    const finish = () => {
      endTransaction?.()
      endTransaction = null
    }
    const handle = async (ask: Ask): Promise<unknown[]> => {
      if (ask.op === 'begin') {
        await new Promise<void>((granted, refused) => {
          void turns.take(async () => {
            try {
              await database.exec('begin')
            } catch (error) {
              refused(error instanceof Error ? error : new Error(String(error)))
              return
            }
            granted()
            await new Promise<void>((ended) => {
              endTransaction = ended
            })
          }, ask.yields)
        })
        return []
      }
      if (!('sql' in ask)) {
        try {
          await database.exec(ask.op)
        } finally {
          finish()
        }
        return []
      }
      const run = async () => (ask.op === 'exec' ? (await database.exec(ask.sql), []) : database.query(ask.sql, ask.params))
      return ask.transaction ? run() : turns.take(run)
    }
    port.on('message', (ask: Ask) => {
      handle(ask).then(
        (rows) => port.postMessage({ id: ask.id, rows } satisfies Answer),
        (error: Error & { code?: string }) =>
          port.postMessage({ id: ask.id, error: { message: error.message, ...(error.code ? { code: error.code } : {}) } } satisfies Answer),
      )
    })
    port.on('close', () => {
      if (endTransaction) void database.exec('rollback').finally(finish)
    })
  })
}

/** The other side: a Database whose work is done in the thread behind the port. */
export function databaseOver(port: Port, close: () => Promise<void>): Database {
  const waiting = new Map<number, { resolve: (rows: unknown[]) => void; reject: (error: Error) => void }>()
  let last = 0
  port.on('message', ({ id, rows, error }: Answer) => {
    const entry = waiting.get(id)
    waiting.delete(id)
    if (error) entry?.reject(Object.assign(new Error(error.message), error.code ? { code: error.code } : {}))
    else entry?.resolve(rows ?? [])
  })
  type Unnumbered = Ask extends infer A ? (A extends { id: number } ? Omit<A, 'id'> : never) : never
  const ask = (message: Unnumbered) =>
    new Promise<unknown[]>((resolve, reject) => {
      const id = ++last
      waiting.set(id, { resolve, reject })
      port.postMessage({ id, ...message })
    })
  const query =
    (transaction: boolean) =>
    <R = Row>(sql: string, params: readonly unknown[] = []) =>
      ask({ op: 'query', sql, params, transaction }) as Promise<R[]>
  // One port carries one transaction at a time.
  let turn: Promise<unknown> = Promise.resolve()
  return {
    engine: 'embedded',
    query: query(false),
    exec: async (sql) => {
      await ask({ op: 'exec', sql, params: [], transaction: false })
    },
    transaction<T>(work: (handle: Queryable) => Promise<T>, { yields } = { yields: false }) {
      const result = turn.then(async () => {
        await ask({ op: 'begin', yields })
        try {
          const value = await work({ query: query(true) })
          await ask({ op: 'commit' })
          return value
        } catch (error) {
          await ask({ op: 'rollback' }).catch(() => undefined)
          throw error
        }
      })
      turn = result.catch(() => undefined)
      return result
    },
    close,
  }
}
