import { EMPTY_ORG, readAccount, type Org } from '../../core/people'
import type { Histogram } from '../../core/stats/histogram'
import { packHistograms, unpackHistograms } from '../../core/stats/histogram'
import type { Queryable } from '../db/database'
import { recentChanges } from '../journal/changes'

export const HOUR_MS = 3_600_000
export const DAY_MS = 24 * HOUR_MS

export const dayOf = (ms: number): number => Math.floor(ms / DAY_MS) * DAY_MS
export const hourOf = (ms: number): number => Math.floor(ms / HOUR_MS) * HOUR_MS
export { packHistograms, unpackHistograms, type Histogram }

/** The organisation as the directory last told it, in the form that the computation takes. */
export async function loadOrg(handle: Queryable): Promise<Org> {
  const [row] = await handle.query<Pick<Org, 'people' | 'groups' | 'pools' | 'hosts' | 'shares'>>(`select
    (select coalesce(jsonb_agg(jsonb_strip_nulls(jsonb_build_object('id', id, 'name', name, 'accounts', accounts, 'groups', groups, 'groupsAtSource', coalesce(groups_at_source, groups), 'enabled', enabled, 'sid', sid))), '[]') from people) as people,
    (select coalesce(jsonb_agg(jsonb_build_object('id', id, 'memberOf', member_of)), '[]') from groups) as groups,
    (select coalesce(jsonb_agg(jsonb_strip_nulls(jsonb_build_object('id', id, 'name', name, 'mode', mode, 'binding', binding, 'grants', grants))), '[]') from pools) as pools,
    (select coalesce(jsonb_agg(jsonb_strip_nulls(jsonb_build_object('id', id, 'pool', pool, 'zone', zone, 'site', site, 'image', image, 'draining', draining))), '[]') from hosts) as hosts,
    (select coalesce(jsonb_agg(jsonb_strip_nulls(jsonb_build_object('id', id, 'path', path, 'zone', zone))), '[]') from shares) as shares`)
  return { ...(row ?? EMPTY_ORG), changes: await recentChanges(handle, Date.now()) }
}

type Homes = NonNullable<Org['containers']>

/** Whose container lies on which share: as scans of the shares found it, else as the directory told it. Whoever has some on several shares is not among them. */
export async function loadHomes(handle: Queryable): Promise<Homes> {
  const [told] = await handle.query<{ value: Homes }>(`select value from facts where name = 'homes'`)
  const found = await handle.query<{ person: string; share: string | null }>(
    'select person, case when count(distinct share) = 1 then min(share) end as share from containers where person is not null group by person',
  )
  const scanned = new Set(found.map(({ person }) => person))
  return [
    ...found.flatMap(({ person, share }) => (share === null ? [] : [{ person, share }])),
    ...(told?.value ?? []).filter(({ person }) => !scanned.has(readAccount(person).key)),
  ]
}

/** Differs where containers have come, gone, or moved. */
export async function homesMark(handle: Queryable): Promise<string> {
  const [row] = await handle.query<{ mark: string }>(
    `select count(*) || ' ' || coalesce(sum(hashtext(share || ' ' || person)), 0) as mark from containers where person is not null`,
  )
  return row?.mark ?? ''
}

/** What each of SERIES took, of a row of `attempts`: for most that is what it is blamed for, and kept only once. */
export const TOOK_MS = '(coalesce(took_ms, blame_ms))'
