import type { ContainerLine, ContainerQuery, SetAsideLine, ShareLine } from '../../contract/containers'
import type { z } from 'zod'
import type { Queryable } from '../db/database'

const LINE = `c.id, c.share, c.file, c.person, p.name, c.format, c.kind, c.state, c.virtual_bytes as "virtualBytes", c.file_bytes as "fileBytes", c.allocated_bytes as "allocatedBytes", c.disk_bytes as "diskBytes", c.last_used_ms as "lastUsedMs",
  c.holder_host as "holderHost", c.holder_session as "holderSession", c.held_since_ms as "heldSinceMs", c.holder_alive as "holderAlive", c.findings, c.upkeep,
  (c.file_bytes - g.file_bytes)::bigint as "grewBytes", g.day_ms as "grewSinceMs"`
/** With whose it is, and how large it was on the first day that is remembered of it. */
const FROM = `containers c left join people p on p.id = c.person
  left join lateral (select day_ms, file_bytes from container_days d where d.id = c.id order by day_ms limit 1) g on true`

export async function listContainers(database: Queryable, { text, share, held, finding }: z.output<typeof ContainerQuery>): Promise<ContainerLine[]> {
  const [row] = await database.query<{ list: ContainerLine[] | null }>(
    `select json_agg(r) as list from (select ${LINE} from ${FROM}
    where ($1 = '' or concat_ws(' ', c.file, p.name, c.holder_host) ilike $2) and ($3::text is null or c.share = $3) and ($4 = 'all' or c.holder_host is not null) and ($4 <> 'stale' or c.holder_alive = false)
      and ($5::text is null or ($5 = 'any' and c.upkeep <> '[]'::jsonb) or c.upkeep @> jsonb_build_array(jsonb_build_object('code', $5::text))) order by c.allocated_bytes desc, c.id limit 5000) r`,
    [text, `%${text.replaceAll(/[\\%_]/g, '\\$&')}%`, share ?? null, held, finding ?? null],
  )
  return row?.list ?? []
}

export async function containersOf(database: Queryable, person: string): Promise<ContainerLine[]> {
  return database.query<ContainerLine>(`select ${LINE} from ${FROM} where c.person = $1`, [person])
}

export interface ContainerRow extends ContainerLine {
  mount: string | null
  enabled: boolean | null
  modifiedMs: number
  /** Who added its share by hand: then nobody tells who has the file open. */
  shareAddedBy: string | null
}

export async function containerRow(database: Queryable, id: string): Promise<ContainerRow | null> {
  const [row] = await containerRows(database, [id])
  return row ?? null
}

export async function containerRows(database: Queryable, ids: readonly string[]): Promise<ContainerRow[]> {
  return database.query<ContainerRow>(
    `select ${LINE}, s.mount, p.enabled, c.modified_ms as "modifiedMs", s.added_by as "shareAddedBy" from ${FROM} left join shares s on s.path = c.share where c.id = any($1) order by c.id`,
    [ids],
  )
}

/** Whose containers on a share grew most. */
export async function fastestGrowing(database: Queryable, share: string, limit: number): Promise<ContainerLine[]> {
  return database.query<ContainerLine>(
    `select ${LINE} from ${FROM} where c.share = $1 and c.file_bytes > g.file_bytes order by c.file_bytes - g.file_bytes desc, c.id limit $2`,
    [share, limit],
  )
}

/** Forgets sizes of long ago: of each container one stays from before then, so that it is known what it grew from. */
export async function forgetSizes(database: Queryable, beforeMs: number): Promise<void> {
  await database.query(
    `delete from container_days d where d.day_ms < $1 and (not exists (select 1 from containers c where c.id = d.id) or exists (select 1 from container_days e where e.id = d.id and e.day_ms > d.day_ms and e.day_ms <= $1))`,
    [beforeMs],
  )
}

/** How many containers each finding is about, and how much they take. */
export async function findingCounts(database: Queryable): Promise<{ code: string; n: number; bytes: number }[]> {
  return database.query(
    `select f ->> 'code' as code, count(*) as n, sum(c.allocated_bytes)::bigint as bytes from containers c, jsonb_array_elements(c.upkeep) f group by 1`,
  )
}

export async function shareLines(database: Queryable): Promise<(ShareLine & { updated: number })[]> {
  return database.query(`select s.id, s.path, s.zone, s.total_bytes as "totalBytes", s.free_bytes as "freeBytes", s.latency_ms as "latencyMs", s.redundancy, count(c.id) as containers, coalesce(sum(c.allocated_bytes), 0)::bigint as "allocatedBytes", count(c.holder_host) as held, s.updated_ms as updated
    from shares s left join containers c on c.share = s.path group by s.id order by s.path`)
}

const ASIDE = `a.id, a.share, a.file, a.person, a.bytes, a.author, a.at_ms as "atMs", a.until_ms as "untilMs", coalesce(a.kept_share, a.share) as "keptOn", a.state`

export async function setAsideLines(database: Queryable): Promise<SetAsideLine[]> {
  return database.query(`select ${ASIDE} from set_aside a order by a.at_ms desc limit 500`)
}

export interface SetAsideRow extends SetAsideLine {
  keptAs: string
  /** Where the share is mounted on which it is kept, and where the one is where it was. */
  mount: string | null
  home: string | null
}

const ASIDE_ROW = `select ${ASIDE}, a.kept_as as "keptAs", k.mount, s.mount as home from set_aside a left join shares s on s.path = a.share left join shares k on k.path = coalesce(a.kept_share, a.share)`

export async function setAsideRow(database: Queryable, id: string): Promise<SetAsideRow | null> {
  const [row] = await database.query<SetAsideRow>(`${ASIDE_ROW} where a.id = $1`, [id])
  return row ?? null
}

/** Those that were kept long enough. */
export async function outdatedSetAside(database: Queryable, nowMs: number): Promise<SetAsideRow[]> {
  return database.query(`${ASIDE_ROW} where a.state = 'kept' and a.until_ms < $1`, [nowMs])
}

/** A share as it is kept: where it is mounted, and what it bears. */
export interface ShareRow extends ShareLine {
  readonly mount: string | null
  readonly bearsIops: number | null
  /** Who added it by hand; null where the fleet tells of it. */
  readonly addedBy: string | null
}

export async function shareRows(database: Queryable): Promise<ShareRow[]> {
  const [lines, more] = await Promise.all([
    shareLines(database),
    database.query<Pick<ShareRow, 'id' | 'mount' | 'bearsIops' | 'addedBy'>>(
      'select id, mount, bears_iops as "bearsIops", added_by as "addedBy" from shares',
    ),
  ])
  const byId = new Map(more.map((one) => [one.id, one]))
  return lines.map(({ updated: _, ...line }) => ({ ...line, mount: null, bearsIops: null, addedBy: null, ...byId.get(line.id) }))
}
