import type { ClockLine } from '../../contract/logons'
import { isBroker, TICKET_LIMIT_MS, type ClockOffset } from '../../core/logons'
import type { Queryable } from '../db/database'

interface ClockRow {
  machine: string
  offset_ms: number
  uncertainty_ms: number
  n: number
  typical_ms: number | null
  since_ms: number
  seen_ms: number
}

/** The clocks that were off when this last ran: soon judged anew, and never held against a logon that shows otherwise (see offIn). */
export async function recallClocks(handle: Queryable): Promise<ClockOffset[]> {
  const rows = await handle.query<ClockRow>('select * from clocks')
  return rows.map((row) => ({ ...offsetOf(row), typicalMs: row.typical_ms }))
}

const offsetOf = (row: ClockRow) => ({ machine: row.machine, offsetMs: row.offset_ms, uncertaintyMs: row.uncertainty_ms, n: row.n })

/** What is known of clocks now, in the place of what was. Call it inside a transaction. */
export async function keepClocks(handle: Queryable, clocks: readonly ClockOffset[], nowMs: number): Promise<void> {
  await handle.query('delete from clocks where not (machine = any($1))', [clocks.map(({ machine }) => machine)])
  await handle.query(
    `insert into clocks (machine, offset_ms, uncertainty_ms, n, typical_ms, since_ms, seen_ms)
    select machine, "offsetMs", "uncertaintyMs", n, "typicalMs", $2, $2 from jsonb_to_recordset($1::jsonb) as r(machine text, "offsetMs" bigint, "uncertaintyMs" bigint, n integer, "typicalMs" bigint)
    on conflict (machine) do update set offset_ms = excluded.offset_ms, uncertainty_ms = excluded.uncertainty_ms, n = excluded.n, typical_ms = excluded.typical_ms, seen_ms = excluded.seen_ms`,
    [JSON.stringify(clocks), nowMs],
  )
}

/** The clocks that are off, the furthest first. */
export async function listClocks(handle: Queryable): Promise<ClockLine[]> {
  const rows = await handle.query<ClockRow>('select * from clocks order by abs(offset_ms) desc')
  return rows.map((row) => ({
    ...offsetOf(row),
    named: !isBroker(row.machine),
    beyondTickets: Math.abs(row.offset_ms) > TICKET_LIMIT_MS,
    sinceMs: row.since_ms,
    seenMs: row.seen_ms,
  }))
}
