import { existsSync } from 'node:fs'
import { dirname, join, resolve, sep } from 'node:path'
import { upkeepOf, type ContainerFacts, type Owner, type UpkeepFinding } from '../../core/containers'
import { groupResolver } from '../../core/people'
import { loadOrg } from '../logons/model'
import type { Context } from '../shell/context'

/** Not used for so long, a container is worth a question. */
const UNUSED_DAYS = 60
const FULL_FROM = 0.9

interface Kept extends Omit<ContainerFacts, 'holder' | 'parentFound' | 'structure'> {
  readonly share: string
  readonly file: string
  readonly parent: string | null
  readonly holderHost: string | null
  readonly holderSession: string | null
  readonly holderAlive: boolean | null
  readonly findings: string[]
  readonly upkeep: UpkeepFinding[]
}

/** Works out again whose every container is and what should be looked at in it, and writes what changed. */
export async function lookAfter({ database, now }: Pick<Context, 'database' | 'now'>, whose: (share: string, file: string) => Owner): Promise<void> {
  const [row] = await database.query<{
    list: Kept[] | null
  }>(`select json_agg(json_build_object('id', id, 'share', share, 'file', file, 'person', person, 'state', state, 'kind', kind, 'virtualBytes', virtual_bytes, 'fileBytes', file_bytes, 'allocatedBytes', allocated_bytes, 'lastUsedMs', last_used_ms,
    'holderHost', holder_host, 'holderSession', holder_session, 'holderAlive', holder_alive, 'parent', parent, 'findings', findings, 'upkeep', upkeep)) as list from containers`)
  const containers = (row?.list ?? []).map((one) => ({ ...one, wasOf: one.person, person: whose(one.share, one.file).person }))
  const owners = await ownersOf(database)
  const [policy] = await database.query<{ mib: number }>(
    `select (settings ->> 'sizeLimitMib')::integer as mib from policy_versions order by version desc limit 1`,
  )
  const limits = { nowMs: now(), limitBytes: (policy?.mib ?? 30 * 1024) * 2 ** 20, unusedDays: UNUSED_DAYS, fullFrom: FULL_FROM }
  const mounts = new Map(
    (await database.query<{ path: string; mount: string }>('select path, mount from shares where mount is not null')).map(({ path, mount }) => [
      path,
      mount,
    ]),
  )
  const byPerson = new Map<string, Kept[]>()
  for (const one of containers) if (one.person !== null) byPerson.set(one.person, [...(byPerson.get(one.person) ?? []), one])
  const changed: { id: string; person: string | null; upkeep: UpkeepFinding[] }[] = []
  for (const one of containers) {
    const { holderHost, holderSession, holderAlive, parent } = one
    const mount = mounts.get(one.share)
    const upkeep = upkeepOf(
      {
        ...one,
        structure: one.findings,
        holder: holderHost === null ? null : { host: holderHost, session: holderSession ?? '', alive: holderAlive },
        parentFound:
          one.kind !== 'differencing' || parent === null || mount === undefined
            ? null
            : liesOn(mount, resolve(dirname(join(mount, one.file)), parent.replaceAll('\\', '/'))),
      },
      one.person === null ? null : (owners.get(one.person) ?? null),
      (byPerson.get(one.person ?? '') ?? []).filter(({ id }) => id !== one.id),
      limits,
    )
    if (one.person !== one.wasOf || said(upkeep) !== said(one.upkeep)) changed.push({ id: one.id, person: one.person, upkeep })
  }
  for (let at = 0; at < changed.length; at += 500)
    await database.query(
      'update containers c set upkeep = r.upkeep, person = r.person from jsonb_to_recordset($1::jsonb) as r(id text, person text, upkeep jsonb) where c.id = r.id',
      [JSON.stringify(changed.slice(at, at + 500))],
    )
}

const said = (upkeep: readonly UpkeepFinding[]): string => upkeep.map(({ code, sentence }) => `${code} ${sentence}`).join('\n')

/** Whether a file exists, on its share: what a disk file says of its parent leads nowhere else. */
const liesOn = (mount: string, path: string): boolean => path.startsWith(resolve(mount) + sep) && existsSync(path)

/** Everybody whom the directory knows: whether they may sign in, and whether any of their pools works with containers. */
async function ownersOf(database: Context['database']): Promise<Map<string, { enabled: boolean; inScope: boolean | null }>> {
  const { people, groups, pools } = await loadOrg(database)
  const allGroups = groupResolver(groups)
  const inScope = (direct: readonly string[]) =>
    pools.some(({ mode, grants }) => mode === 'container' && grants?.some((grant) => allGroups(direct).has(grant)))
  return new Map(
    people.map(({ id, enabled, groups: direct }) => [
      id.toLowerCase(),
      { enabled: enabled !== false, inScope: pools.length === 0 ? null : inScope(direct ?? []) },
    ]),
  )
}
