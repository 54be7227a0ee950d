import type { Database } from './database'
import type { Turns } from './turns'

/** Tables whose rows are written over and over. */
const WORN = ['hours', 'usual_days', 'hosts', 'containers', 'uploads', 'jobs']

/** Makes the room of rows that were written over free again: the embedded engine does not do that on its own. One table at a time, as each needs a turn without a transaction. */
export async function sweep(database: Pick<Database, 'exec'>, turns: Turns, tables: readonly string[] = WORN): Promise<void> {
  for (const table of tables) await turns.take(() => database.exec(`vacuum ${table}`), true)
}
