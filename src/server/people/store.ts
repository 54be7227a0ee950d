import type { OrgFile } from '../../contract/org'
import { readAccount } from '../../core/people'
import type { Database } from '../db/database'
import { hashOf } from '../admins/gate'
import { keepChanges, type NewChange } from '../journal/changes'

/**
 * Replaces people, groups, pools and hosts by what the directory says, and keeps the changes that it tells of, and those of hosts (another image, pool or zone)
 * that follow from it. Returns whether anything differs from last time.
 */
export async function replaceOrg(
  database: Database,
  org: Omit<OrgFile, 'changes'> & Partial<Pick<OrgFile, 'changes'>>,
  who = 'the directory',
  nowMs = Date.now(),
): Promise<boolean> {
  const fingerprint = hashOf(JSON.stringify(org))
  const [known] = await database.query<{ value: string }>(`select value from facts where name = 'org'`)
  if (known?.value === fingerprint) return false
  const people = org.people.map(({ id, name, accounts = [], groups = [], groupsAtSource, enabled, sid }) => ({
    id: readAccount(id).key,
    name: name ?? id,
    accounts,
    groups,
    groups_at_source: groupsAtSource ?? null,
    enabled: enabled ?? true,
    sid: sid?.toUpperCase() ?? null,
    find: [id, name ?? '', ...accounts].join(' ').toLowerCase(),
  }))
  await database.transaction(async (handle) => {
    const hostsBefore = await handle.query<HostRow>('select id, pool, zone, site, image from hosts')
    const told = (org.changes ?? []).map((change): NewChange => ({ ...change, sentence: change.sentence || `A change of kind ${change.kind}.`, who }))
    await keepChanges(handle, [...told, ...hostChanges(hostsBefore, org.hosts, who, nowMs)], nowMs)
    const replace = async (table: string, columns: string, rows: readonly object[]) => {
      await handle.query(`delete from ${table}`)
      const names = columns.split(',').map((column) => column.trim().split(' ')[0])
      for (let at = 0; at < rows.length; at += 2000)
        await handle.query(
          `insert into ${table} (${names.join(', ')}) select distinct on (id) ${names.join(', ')} from jsonb_to_recordset($1::jsonb) as r(${columns})`,
          [JSON.stringify(rows.slice(at, at + 2000))],
        )
    }
    await replace('people', 'id text, name text, accounts jsonb, groups jsonb, groups_at_source jsonb, enabled boolean, find text, sid text', people)
    await replace(
      'groups',
      'id text, name text, member_of jsonb, sid text',
      org.groups.map(({ id, name, memberOf = [], sid }) => ({ id, name: name ?? null, member_of: memberOf, sid: sid?.toUpperCase() ?? null })),
    )
    await replace(
      'pools',
      'id text, name text, binding text, keep text, seating text, mode text, grants jsonb',
      org.pools.map(({ name, grants = [], ...pool }) => ({ ...pool, name: name ?? pool.id, grants })),
    )
    await handle.query(
      `insert into hosts (id, pool, zone, site, image, draining) select distinct on (id) id, pool, zone, site, image, coalesce(draining, false) from jsonb_to_recordset($1::jsonb) as r(id text, pool text, zone text, site text, image text, draining boolean)
      on conflict (id) do update set pool = excluded.pool, zone = excluded.zone, site = excluded.site, image = excluded.image`,
      [JSON.stringify(org.hosts)],
    )
    await handle.query('delete from hosts where id <> all($1)', [org.hosts.map(({ id }) => id)])
    const keep = (name: string, value: unknown) =>
      handle.query(`insert into facts values ($1, $2::jsonb) on conflict (name) do update set value = excluded.value`, [name, JSON.stringify(value)])
    await keep(
      'homes',
      (org.containers ?? []).filter(({ share }) => share !== undefined),
    )
    await keep('org', fingerprint)
  })
  return true
}

interface HostRow {
  readonly id: string
  readonly pool?: string | null | undefined
  readonly zone?: string | null | undefined
  readonly site?: string | null | undefined
  readonly image?: string | null | undefined
}

/** What an import says has become of hosts, one change for all that changed in the same way. */
function hostChanges(before: readonly HostRow[], after: readonly HostRow[], who: string, atMs: number): NewChange[] {
  const known = new Map(before.map((host) => [host.id, host]))
  const alike = new Map<string, { what: 'image' | 'pool' | 'zone'; from: string | null; to: string; pool: string | null; hosts: string[] }>()
  for (const host of after) {
    const old = known.get(host.id)
    if (!old) continue
    for (const what of ['image', 'pool', 'zone'] as const) {
      const to = host[what]
      if (!to || to === old[what]) continue
      const key = [what, old[what], to, host.pool].join('|')
      const one = alike.get(key) ?? { what, from: old[what] ?? null, to, pool: host.pool ?? null, hosts: [] }
      alike.set(key, one)
      one.hosts.push(host.id)
    }
  }
  return [...alike.values()].map(({ what, from, to, pool, hosts }) => ({
    atMs,
    kind: what === 'image' ? ('image' as const) : ('host' as const),
    scope:
      what === 'image'
        ? [{ dimension: 'image', value: to }]
        : hosts.length === 1
          ? [{ dimension: 'host', value: hosts[0] ?? '' }]
          : [{ dimension: what, value: to }],
    sentence: `${hosts.length === 1 ? hosts[0] : `${hosts.length} hosts`}${pool && what !== 'pool' ? ` of ${pool}` : ''} changed from ${what} ${from ?? '(none)'} to ${to}.`,
    who,
  }))
}
