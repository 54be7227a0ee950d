import { PGlite, types } from '@electric-sql/pglite'
import type { Database, Queryable, Row } from './database'

/**
 * Documents are given as bytes. The way there looks at each letter of a text twice, to know how many bytes it will have; what is bytes already is sent as it is, though the
 * type of a serializer does not say so.
 */
const AS_BYTES = {
  [types.JSON]: (value: unknown) => bytesOf(jsonOf(value)),
  // Documents of this type begin with the number of their version.
  [types.JSONB]: (value: unknown) => bytesOf(`\u0001${jsonOf(value)}`),
}
const bytesOf = (text: string) => Buffer.from(text) as unknown as string
const jsonOf = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value))

/** PGlite in this thread: for tests, and inside the database worker. `folder` undefined means in memory. */
export async function openEmbedded(folder?: string, loadDataDir?: Blob): Promise<Database> {
  const pg = await PGlite.create({ serializers: AS_BYTES, ...(folder ? { dataDir: folder } : {}), ...(loadDataDir ? { loadDataDir } : {}) })
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
