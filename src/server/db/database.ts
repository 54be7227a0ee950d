/** One row: column names to values. bigint columns are numbers, bytea columns Uint8Arrays, jsonb parsed, whatever the engine. */
export type Row = Record<string, unknown>

export interface Queryable {
  /** Runs one statement with `$1` parameters. The caller names the shape of a row; SQL and type stand side by side in store files. */
  query<R = Row>(sql: string, params?: readonly unknown[]): Promise<R[]>
}

/** A PostgreSQL database: embedded in a folder, or a server. The same SQL runs on both. */
export interface Database extends Queryable {
  readonly engine: 'embedded' | 'server'
  /** Runs several statements without parameters: migrations. */
  exec(sql: string): Promise<void>
  /**
   * All or nothing. Use only the handle inside. What is asked of it without waiting for the answer of what was asked before is done in that order, all the same;
   * after one that failed, nothing is.
   * @param manners `yields`: where one at a time has the database, whoever asks meanwhile goes first. For what nobody looks at a page for.
   */
  transaction<T>(work: (handle: Queryable) => Promise<T>, manners?: { readonly yields: boolean }): Promise<T>
  close(): Promise<void>
}
