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

/**
 * Serves a database to another thread. A transaction holds everybody else back until it ends.
 * @returns the turns, for what is done here: in between, it would come into somebody's transaction
 * @param isAwaited whether somebody waits for a page now: transactions that yield wait for them
 */
export function serveDatabase(
  database: Pick<Database, 'query' | 'exec'>,
  ports: (serve: (port: Port) => void) => void,
  isAwaited: () => boolean = () => false,
): Turns {
  const turns = new Turns(isAwaited)
  ports((port) => {
    // What is asked within a transaction may come before it has begun, and waits for that.
    let begun: Promise<void> | null = null
    let endTransaction: (() => void) | null = null
    let isGone = false
    const finish = () => {
      endTransaction?.()
      endTransaction = null
    }
    const begin = (yields: boolean) =>
      new Promise<void>((granted, refused) => {
        void turns.take(async () => {
          if (isGone) return
          try {
            await database.exec('begin')
          } catch (error) {
            refused(error instanceof Error ? error : new Error(String(error)))
            return
          }
          const ended = new Promise<void>((end) => {
            endTransaction = end
          })
          granted()
          await ended
        }, yields)
      })
    const handle = async (ask: Ask): Promise<unknown[]> => {
      if (ask.op === 'begin') {
        begun = begin(ask.yields)
        await begun
        return []
      }
      const run = async () => {
        if (!('sql' in ask)) return database.exec(ask.op).finally(finish)
        if (ask.op === 'exec') return database.exec(ask.sql)
        return database.query(ask.sql, ask.params)
      }
      if ('sql' in ask && !ask.transaction) return (await turns.take(run)) ?? []
      await begun
      return (await run()) ?? []
    }
    port.on('message', (ask: Ask) => {
      handle(ask).then(
        (rows) => port.postMessage({ id: ask.id, rows } satisfies Answer),
        (error: Error & { code?: string }) =>
          port.postMessage({ id: ask.id, error: { message: error.message, ...(error.code ? { code: error.code } : {}) } } satisfies Answer),
      )
    })
    port.on('close', () => {
      isGone = true
      if (endTransaction) void database.exec('rollback').finally(finish)
    })
  })
  return turns
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
        // The first statements are sent right behind it.
        const begun = ask({ op: 'begin', yields })
        begun.catch(() => undefined)
        try {
          const value = await work({ query: query(true) })
          await begun
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
