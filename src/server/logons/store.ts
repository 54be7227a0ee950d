import type { ClockOffset, Diagnosis, Usual } from '../../core/logons'
import type { AttemptLine, AttemptQuery } from '../../contract/logons'
import { CAUSE_BY_ID, namesOf, PLACE_DIMENSIONS } from '../../core/logons'
import type { Queryable } from '../db/database'
import { isAt } from './recall'

export interface StoredAttempt {
  id: string
  thread: string
  person: string | null
  account: string | null
  host: string | null
  pool: string | null
  session: string | null
  started_ms: number
  last_ms: number
  total_ms: number
  outcome: string
  first: boolean
  network: string
  share: string | null
  zone: string | null
  site: string | null
  image: string | null
  transport: string | null
  client_kind: string | null
  client_version: string | null
  factor: string | null
  holder_host: string | null
  part: string | null
  package: string | null
  blame_ms: number[]
  /** What each phase took by itself; null where that is the same. */
  took_ms: number[] | null
  usual_ms: number[] | null
  usual: Usual | null
  lost_ms: number
  slow_ms: number
  cause: string | null
  confidence: number | null
  upload: string | null
  /** See Neighbour: one bit for each series that took clearly more than usual; the code that it failed by. */
  beyond: number
  fault: string
  /** Whether it says what is usual. */
  counted: boolean
  /** Whether it has an id, and holds what came without one. */
  mixed: boolean
  /** The clocks that were off in it, and how far. */
  clocks: readonly ClockOffset[] | null
  /** Packed evidence, base64. */
  body: string
  diagnosis: Diagnosis | null
}

const COLUMNS = `id text, thread text, person text, account text, host text, pool text, session text, started_ms bigint, last_ms bigint, total_ms integer, outcome text, first boolean, network text, share text, zone text, site text, image text,
  transport text, client_kind text, client_version text, factor text, holder_host text, part text, package text, beyond integer, fault text, counted boolean, mixed boolean, clocks jsonb, blame_ms integer[], took_ms integer[], usual_ms integer[], usual jsonb, lost_ms integer, slow_ms integer, cause text, confidence real, upload text`
const NAMES = COLUMNS.split(',').map((column) => column.trim().split(' ')[0] ?? '')
const UPDATES = NAMES.filter((name) => name !== 'id' && name !== 'upload')
  .map((name) => `${name} = excluded.${name}`)
  .join(', ')

/** Attempts with their evidence and findings as they are sent to the database. */
export interface PackedAttempts {
  readonly rows: string
  readonly evidence: string
  /** Of all that were there before. */
  readonly known: readonly string[]
  /** Null where there are none. */
  readonly findings: string | null
}

/** @param known those that are to be replaced */
export function packAttempts(attempts: readonly StoredAttempt[], known: readonly string[]): PackedAttempts {
  const found = attempts.filter(({ diagnosis }) => diagnosis)
  return {
    // Evidence and findings have tables of their own: they would only be read here to be thrown away.
    rows: JSON.stringify(attempts.map(({ body: _, diagnosis: __, ...row }) => row)),
    evidence: JSON.stringify(attempts.map(({ id, body }) => ({ id, body }))),
    known,
    findings: found.length > 0 ? JSON.stringify(found.map(({ id, diagnosis }) => ({ id, diagnosis }))) : null,
  }
}

/** Writes attempts; those that were known are replaced. Call it inside a transaction. */
export async function writeAttempts(handle: Queryable, { rows, evidence, known, findings }: PackedAttempts): Promise<void> {
  await Promise.all([
    handle.query(
      `insert into attempts (${NAMES.join(', ')}) select ${NAMES.join(', ')} from json_to_recordset($1::json) as r(${COLUMNS}) on conflict (id) do update set ${UPDATES}, upload = coalesce(attempts.upload, excluded.upload)`,
      [rows],
    ),
    handle.query(
      `insert into evidence select id, decode(body, 'base64') from json_to_recordset($1::json) as r(id text, body text) on conflict (attempt) do update set body = excluded.body`,
      [evidence],
    ),
    known.length > 0 && handle.query('delete from findings where attempt = any($1)', [known]),
    findings !== null &&
      handle.query(`insert into findings select id, diagnosis from jsonb_to_recordset($1::jsonb) as r(id text, diagnosis jsonb)`, [findings]),
  ])
}

export async function removeAttempts(handle: Queryable, ids: readonly string[]): Promise<void> {
  const tables = { joined: 'attempt', findings: 'attempt', evidence: 'attempt', attempts: 'id' }
  await Promise.all(Object.entries(tables).map(([table, column]) => handle.query(`delete from ${table} where ${column} = any($1)`, [ids])))
}

const LINE = `a.id, a.person, p.name, a.host, a.pool, a.started_ms as "startedMs", a.total_ms as "totalMs", a.usual_ms[array_length(a.usual_ms, 1)] as "usualMs", a.outcome, a.cause, a.lost_ms as "lostMs"`
type Line = Omit<AttemptLine, 'causeTitle'>
const titled = (line: Line): AttemptLine => ({
  ...line,
  causeTitle: line.cause === null ? null : (CAUSE_BY_ID.get(line.cause)?.title ?? 'Not explained'),
})

/** Attempts by filter; pages by key (start or figure, and id), never by offset. */
export async function listAttempts(handle: Queryable, query: AttemptQuery): Promise<{ attempts: AttemptLine[]; next: string | null }> {
  const wheres: string[] = []
  const params: unknown[] = []
  const where = (sql: string, value: unknown) => {
    params.push(value)
    wheres.push(sql.replaceAll('?', `$${params.length}`))
  }
  if (query.fromMs !== undefined) where('a.started_ms >= ?', query.fromMs)
  if (query.toMs !== undefined) where('a.started_ms < ?', query.toMs)
  if (query.outcome === 'bad') wheres.push(`a.lost_ms > 0 and (a.outcome <> 'ready' or a.cause is not null)`)
  else if (query.outcome) where('a.outcome = any(?)', query.outcome.split(','))
  for (const dimension of PLACE_DIMENSIONS) {
    const value = query[dimension]
    if (!value) continue
    if (dimension === 'host')
      where('host_key(a.host) = any(select host_key(name) from unnest(?::text[]) name)', [value, ...namesOf({ dimension, value })])
    else wheres.push(`a.${isAt(dimension, value, (one) => `$${params.push(one)}`)}`)
  }
  if (query.group)
    where(
      `a.person in (with recursive inside(id) as (select ?::text union select g.id from groups g join inside i on g.member_of @> to_jsonb(i.id)) select id from people where jsonb_exists_any(groups, (select array_agg(id) from inside)))`,
      query.group,
    )
  if (query.person) where('a.person = ?', query.person.toLowerCase())
  if (query.cause) where('a.cause = ?', query.cause)
  if (query.upload) {
    // A file of a million logons of its own is listed by their order; where others are among them, they are collected first.
    const [joined] = await handle.query('select from joined where upload = $1 limit 1', [query.upload])
    where(
      joined ? 'a.id in (select id from attempts where upload = ? union all select attempt from joined where upload = ?)' : 'a.upload = ?',
      query.upload,
    )
  }
  const column = { started: 'a.started_ms', total: 'a.total_ms', lost: 'a.lost_ms' }[query.sort]
  if (query.before) {
    // Ids may have it in them, too.
    const at = query.before.indexOf('~')
    params.push(Number(query.before.slice(0, at)), query.before.slice(at + 1))
    wheres.push(`(${column}, a.id) < ($${params.length - 1}::bigint, $${params.length})`)
  }
  params.push(query.limit)
  const rows = await handle.query<Line & { key: number }>(
    `select ${LINE}, ${column} as key from attempts a left join people p on p.id = a.person ${wheres.length ? `where ${wheres.join(' and ')}` : ''} order by ${column} desc, a.id desc limit $${params.length}`,
    params,
  )
  const last = rows.at(-1)
  return { attempts: rows.map(({ key: _, ...line }) => titled(line)), next: last && rows.length === query.limit ? `${last.key}~${last.id}` : null }
}

export async function attemptLine(handle: Queryable, id: string): Promise<AttemptLine | null> {
  const [row] = await handle.query<Line>(`select ${LINE} from attempts a left join people p on p.id = a.person where a.id = $1`, [id])
  return row ? titled(row) : null
}

export interface StoryRow extends StoredAttempt {
  evidence: Uint8Array
}

export async function storyRow(handle: Queryable, id: string): Promise<StoryRow | null> {
  const [row] = await handle.query<StoryRow>(
    `select a.*, e.body as evidence, f.diagnosis from attempts a join evidence e on e.attempt = a.id left join findings f on f.attempt = a.id where a.id = $1`,
    [id],
  )
  return row ?? null
}

/**
 * Columns of the attempts of a window, for a picture: one array a column, so that few rows cross threads. Beyond `most` they are thinned
 * evenly by their ids; what cost time only from half as many on.
 */
export async function columnsOf(
  handle: Queryable,
  fromMs: number,
  toMs: number,
  where: { pool?: string | null } = {},
  most = 20_000,
): Promise<{ atMs: number[]; totalMs: number[]; outcome: string[]; id: string[]; lostMs: number[]; of: number }> {
  const pool = where.pool ?? null
  const [row] = await handle.query<{
    at: number[] | null
    total: number[] | null
    outcome: string[] | null
    ids: string[] | null
    lost: number[] | null
    n: number
  }>(
    `with n as (select count(*) as n, count(*) filter (where lost_ms > 0 or outcome <> 'ready') as bad from attempts where started_ms >= $1 and started_ms < $2 and ($3::text is null or pool = $3)),
     kept as (select id, started_ms, total_ms, outcome, lost_ms from attempts, n where started_ms >= $1 and started_ms < $2 and ($3::text is null or pool = $3) and hashtext(id) % greatest(1, ((case when lost_ms > 0 or outcome <> 'ready' then n.bad * 2 else n.n end) / $4)::integer) = 0)
     select json_agg(started_ms) as at, json_agg(total_ms) as total, json_agg(outcome) as outcome, json_agg(id) as ids, json_agg(lost_ms) as lost, (select n from n) as n from kept`,
    [fromMs, toMs, pool, most],
  )
  return { atMs: row?.at ?? [], totalMs: row?.total ?? [], outcome: row?.outcome ?? [], id: row?.ids ?? [], lostMs: row?.lost ?? [], of: row?.n ?? 0 }
}
