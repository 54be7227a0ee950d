import { PGlite } from '@electric-sql/pglite'
import type { Database, Queryable, Row } from './database'

/** PGlite in this thread: for tests, and inside the database worker. `folder` undefined means in memory. */
export async function openEmbedded(folder?: string, loadDataDir?: Blob): Promise<Database> {
  const pg = await PGlite.create({ ...(folder ? { dataDir: folder } : {}), ...(loadDataDir ? { loadDataDir } : {}) })
  let closed = false
  return {
    engine: 'embedded',
    query: async <R = Row>(sql: string, params: readonly unknown[] = []) => (await pg.query<R>(sql, [...params])).rows,
    exec: async (sql) => {
      await pg.exec(sql)
    },
    transaction: (work) =>
      pg.transaction((tx) =>
        work({
          query: async <R = Row>(sql: string, params: readonly unknown[] = []) => (await tx.query<R>(sql, [...params])).rows,
        } satisfies Queryable),
      ),
    close: async () => {
      if (closed) return
      closed = true
      await pg.close()
    },
  }
}
