import { randomUUID } from 'node:crypto'
import type { ChangeKind, ChangeLine, Scope } from '../../contract/changes'
import type { OrgChange } from '../../core/people'
import type { Queryable } from '../db/database'

export interface NewChange {
  /** Given by whoever tells of it; the same id again replaces what was told. */
  readonly id?: string
  readonly atMs: number
  readonly kind: ChangeKind
  /** Where; empty means everywhere. */
  readonly scope: Scope
  readonly sentence: string
  readonly who: string
}

/** Keeps that something was altered, so that it can be looked at when something began. */
export async function keepChanges(handle: Queryable, changes: readonly NewChange[], nowMs: number): Promise<string[]> {
  if (changes.length === 0) return []
  const rows = changes.map(({ id, atMs, ...change }) => ({ ...change, id: id ?? randomUUID(), at_ms: Math.round(atMs), told_ms: nowMs }))
  await handle.query(
    `insert into changes select distinct on (id) id, at_ms, kind, scope, sentence, who, told_ms from jsonb_to_recordset($1::jsonb) as r(id text, at_ms bigint, kind text, scope jsonb, sentence text, who text, told_ms bigint)
    on conflict (id) do update set at_ms = excluded.at_ms, kind = excluded.kind, scope = excluded.scope, sentence = excluded.sentence, who = excluded.who`,
    [JSON.stringify(rows)],
  )
  return rows.map(({ id }) => id)
}

const COLUMNS = 'id, at_ms as "atMs", kind, scope, sentence, who, told_ms as "toldMs"'

export async function listChanges(handle: Queryable, fromMs: number, toMs: number): Promise<ChangeLine[]> {
  return handle.query<ChangeLine>(`select ${COLUMNS} from changes where at_ms >= $1 and at_ms < $2 order by at_ms desc, id limit 2000`, [
    fromMs,
    toMs,
  ])
}

export async function forgetChange(handle: Queryable, id: string): Promise<ChangeLine | null> {
  const [gone] = await handle.query<ChangeLine>(`delete from changes where id = $1 returning ${COLUMNS}`, [id])
  return gone ?? null
}

/** So far back a change can be suspected of what goes on now, with room for windows of a month. */
const LOOKED_AT_MS = 45 * 86_400_000

/** The changes of late, as the computation takes them. */
export const recentChanges = (handle: Queryable, nowMs: number): Promise<OrgChange[]> =>
  changesBetween(handle, nowMs - LOOKED_AT_MS, nowMs + 86_400_000)

export async function changesBetween(handle: Queryable, fromMs: number, toMs: number): Promise<OrgChange[]> {
  const lines = await listChanges(handle, fromMs, toMs)
  return lines.map(({ id, atMs, kind, scope, sentence, who }) => ({ id, atMs, kind, scope, sentence, by: who }))
}
