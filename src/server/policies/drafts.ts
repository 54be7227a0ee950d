import { Problem } from '../../contract/errors'
import { readSet, rebase, type PolicySet } from '../../core/policies'
import type { Queryable } from '../db/database'
import { currentSet, setOf } from './sets'

export interface DraftRow {
  readonly set: PolicySet
  readonly basedOn: number
  readonly author: string
  readonly updatedMs: number
  readonly review: string | null
}

export async function readDraft(database: Queryable): Promise<DraftRow | null> {
  const [row] = await database.query<DraftRow>(
    'select body as set, based_on as "basedOn", author, updated_ms as "updatedMs", review from policy_draft',
  )
  return row ?? null
}

export async function keepDraft(database: Queryable, set: PolicySet, basedOn: number, author: string, nowMs: number): Promise<void> {
  await database.query(
    `insert into policy_draft values (1, $1::jsonb, $2, $3, $4, null) on conflict (id) do update set body = excluded.body, based_on = excluded.based_on, author = excluded.author, updated_ms = excluded.updated_ms, review = null`,
    [JSON.stringify(set), basedOn, author, nowMs],
  )
}

/** A set from outside, whole; or what was understood of it, where the user said so. Otherwise every fault with its place. */
export function takeSet(given: unknown, parts: 'all' | 'understood'): PolicySet {
  const { set, faults } = readSet(given)
  const wrong = faults.filter(({ weight }) => weight === 'wrong')
  if (wrong.length && parts === 'all')
    throw new Problem(
      'policy.invalid',
      `${wrong.length === 1 ? 'One entry is' : `${wrong.length} entries are`} not understood. Nothing was changed.`,
      wrong.slice(0, 200).map(({ path, sentence }) => ({ path, sentence })),
    )
  return set
}

/** Brings the draft up to date with what was published since it began. */
export async function rebaseDraft(database: Queryable, author: string, nowMs: number): Promise<readonly string[]> {
  const draft = await readDraft(database)
  if (!draft) throw new Problem('draft.none')
  const [from, theirs] = await Promise.all([setOf(database, draft.basedOn), currentSet(database)])
  const { set, conflicts } = rebase(from?.set ?? theirs.set, draft.set, theirs.set)
  await keepDraft(database, set, theirs.version, author, nowMs)
  return conflicts
}
