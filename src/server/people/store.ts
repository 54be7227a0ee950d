import type { OrgFile } from '../../contract/org'
import { readAccount } from '../../core/people'
import type { Database } from '../db/database'
import { hashOf } from '../admins/gate'

/** Replaces people, groups, pools and hosts by what the directory says. Returns whether anything differs from last time. */
export async function replaceOrg(database: Database, org: OrgFile): Promise<boolean> {
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
      `insert into hosts (id, pool, zone, image, draining) select distinct on (id) id, pool, zone, image, coalesce(draining, false) from jsonb_to_recordset($1::jsonb) as r(id text, pool text, zone text, image text, draining boolean)
      on conflict (id) do update set pool = excluded.pool, zone = excluded.zone, image = excluded.image`,
      [JSON.stringify(org.hosts)],
    )
    await handle.query('delete from hosts where id <> all($1)', [org.hosts.map(({ id }) => id)])
    await handle.query(`insert into facts values ('org', $1::jsonb) on conflict (name) do update set value = excluded.value`, [
      JSON.stringify(fingerprint),
    ])
  })
  return true
}
