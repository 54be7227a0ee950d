import pg from 'pg'
import type { Database, Queryable, Row } from './database'

const INT8 = 20
const BYTEA = 17

/** A PostgreSQL server, by connection string. */
export function openServer(url: string): Database {
  const types = {
    getTypeParser: (oid: number): unknown => {
      if (oid === INT8) return Number
      if (oid === BYTEA) return (text: string) => Uint8Array.from(Buffer.from(text.slice(2), 'hex'))
      return pg.types.getTypeParser(oid)
    },
  }
  const pool = new pg.Pool({ connectionString: url, max: 8, types })
  pool.on('error', () => {
    /* an idle connection was closed by the server; the next query opens a new one */
  })
  const run = async <R>(client: pg.Pool | pg.PoolClient, sql: string, params: readonly unknown[]) =>
    (await client.query(sql, [...params])).rows as R[]
  return {
    engine: 'server',
    query: <R = Row>(sql: string, params: readonly unknown[] = []) => run<R>(pool, sql, params),
    exec: async (sql) => {
      await pool.query(sql)
    },
    async transaction<T>(work: (handle: Queryable) => Promise<T>) {
      const client = await pool.connect()
      try {
        await client.query('begin')
        let last: Promise<unknown> = Promise.resolve()
        const inTurn = <R = Row>(sql: string, params: readonly unknown[] = []) => {
          const rows = last.then(() => run<R>(client, sql, params))
          last = rows.catch(() => undefined)
          return rows
        }
        try {
          const result = await work({ query: inTurn })
          await inTurn('commit')
          return result
        } catch (error) {
          await inTurn('rollback').catch(() => undefined)
          throw error
        }
      } finally {
        client.release()
      }
    },
    close: () => pool.end(),
  }
}
