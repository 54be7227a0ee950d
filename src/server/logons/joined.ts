import type { Observation } from '../../core/logons'
import type { Queryable } from '../db/database'
import type { Known } from './known'
import type { Worked } from './stored'

/** What became of attempts that were there before. */
export interface Joins {
  /** Attempts of which more is known now. */
  readonly more: readonly string[]
  /** Attempts of which nothing new came: they were only looked at again. */
  readonly untouched: ReadonlySet<string>
  /** Attempts that others have taken records from, or that are parts of them now. */
  readonly moved: readonly { readonly from: string; readonly attempt: string }[]
}

/**
 * @param known the attempts that were there
 * @param named their observations, in the same order, and after them the new ones: those of which `worked` is made
 */
export function joinsOf(worked: readonly Pick<Worked, 'attempt' | 'observations'>[], known: readonly Known[], named: readonly Observation[]): Joins {
  if (known.length === 0) return { more: [], untouched: new Set(), moved: [] }
  const before = new Map<Observation, string>()
  let at = 0
  for (const { id, observations } of known)
    for (let i = 0; i < observations.length; i++) {
      const one = named[at++]
      if (one) before.set(one, id)
    }
  const ids = new Set(known.map(({ id }) => id))
  const more: string[] = []
  const untouched = new Set<string>()
  const moved: { from: string; attempt: string }[] = []
  for (const { attempt, observations } of worked) {
    const sources = new Set(observations.map((one) => before.get(one)))
    if (!sources.has(undefined)) untouched.add(attempt.id)
    else if (ids.has(attempt.id)) more.push(attempt.id)
    for (const from of sources) if (from !== undefined && from !== attempt.id) moved.push({ from, attempt: attempt.id })
  }
  return { more, untouched, moved }
}

/** An evidence file that told of an attempt. */
interface Told {
  readonly upload: string
  readonly attempt: string
}

/**
 * The files that told of attempts from which records have moved to others, as files of those: which file told of which record is not kept. Asked before attempts are
 * removed.
 */
export async function filesOf(handle: Queryable, moved: Joins['moved']): Promise<Told[]> {
  if (moved.length === 0) return []
  return handle.query<Told>(
    `select told.upload, m.attempt from unnest($1::text[], $2::text[]) as m(source, attempt)
    join (select id as attempt, upload from attempts where id = any($1) and upload is not null union all select attempt, upload from joined where attempt = any($1)) told on told.attempt = m.source`,
    [moved.map(({ from }) => from), moved.map(({ attempt }) => attempt)],
  )
}

/** Keeps which files told more of attempts, apart from the file that told of each first. */
export async function keepJoined(handle: Queryable, told: readonly Told[]): Promise<void> {
  if (told.length === 0) return
  await handle.query(
    `insert into joined select distinct r.upload, r.attempt from unnest($1::text[], $2::text[]) as r(upload, attempt)
    join attempts a on a.id = r.attempt where a.upload is distinct from r.upload on conflict do nothing`,
    [told.map(({ upload }) => upload), told.map(({ attempt }) => attempt)],
  )
}
