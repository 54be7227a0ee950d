import { readdir, stat } from 'node:fs/promises'
import { existsSync } from 'node:fs'
import { dirname, join, relative, resolve, sep } from 'node:path'
import { upkeepOf, type ContainerFacts, type UpkeepFinding } from '../../core/containers'
import { groupResolver } from '../../core/people'
import { loadOrg } from '../logons/model'
import type { Context } from '../shell/context'
import { allShares, type KnownShare } from './share-list'

interface Known {
  id: string
  modified_ms: number
  file_bytes: number
}
interface Found {
  id: string
  share: string
  file: string
  person: string | null
  format: string
  kind: string
  state: string
  virtual_bytes: number
  file_bytes: number
  allocated_bytes: number
  disk_bytes: number
  modified_ms: number
  findings: string[]
  parent: string | null
}

/** A person's folder is named after their account; the disk file may lie in it at any depth. */
export function personOf(file: string): string | null {
  const [folder] = file.split('/')
  return folder && file.includes('/') ? folder.toLowerCase() : null
}

/** Where containers lie that were taken out of use; never looked at. */
export const SET_ASIDE = '.set-aside'

interface HostSessions {
  id: string
  sessions: { session: string }[]
  reported_ms: number | null
}

/** A logon that is under way holds its container before its session stands in a report; so only a report well after the hold can deny it. */
const SETTLED_MS = 3 * 60_000

/** Whether the holding session lives, by the host's own report; null while no report can tell. */
function holderAlive(report: HostSessions | undefined, hold: { session: string; sinceMs: number }): boolean | null {
  if (!report?.reported_ms) return null
  if (report.sessions.some(({ session }) => session === hold.session)) return true
  return report.reported_ms > hold.sinceMs + SETTLED_MS ? false : null
}

/** Brings what is known of shares and containers up to date: only files that changed are read again. */
export async function scanShares({ fleet, database, disks, now, live }: Context): Promise<void> {
  const shares = await allShares({ fleet, database })
  const holds = new Map((await fleet.holds()).map((hold) => [`${hold.share}|${hold.file}`, hold]))
  const dead = new Set((await fleet.hosts()).filter(({ power, answers }) => power === 'off' || !answers).map(({ host }) => host))
  const reports = new Map((await database.query<HostSessions>('select id, sessions, reported_ms from hosts')).map((row) => [row.id, row]))
  await database.query(
    `insert into shares (id, path, zone, mount, total_bytes, free_bytes, latency_ms, updated_ms, bears_iops, redundancy)
    select id, path, zone, mount, "totalBytes", "freeBytes", "latencyMs", $2, iops, redundancy from jsonb_to_recordset($1::jsonb) as r(id text, path text, zone text, mount text, "totalBytes" bigint, "freeBytes" bigint, "latencyMs" double precision, iops integer, redundancy text)
    on conflict (id) do update set path = excluded.path, zone = excluded.zone, mount = excluded.mount, total_bytes = excluded.total_bytes, free_bytes = excluded.free_bytes, latency_ms = excluded.latency_ms, updated_ms = excluded.updated_ms, bears_iops = coalesce(shares.bears_iops, excluded.bears_iops), redundancy = excluded.redundancy`,
    [JSON.stringify(shares), now()],
  )
  await database.query(
    `insert into share_samples select path, $2, "totalBytes" - "freeBytes", "latencyMs" from jsonb_to_recordset($1::jsonb) as r(path text, "totalBytes" bigint, "freeBytes" bigint, "latencyMs" double precision)
    on conflict (share, hour_ms) do update set used_bytes = excluded.used_bytes, latency_ms = excluded.latency_ms`,
    [JSON.stringify(shares), Math.floor(now() / 3_600_000) * 3_600_000],
  )
  for (const share of shares) {
    const known = new Map(
      (await database.query<Known>('select id, modified_ms, file_bytes from containers where share = $1', [share.path])).map((row) => [row.id, row]),
    )
    const seen = new Set<string>()
    const fresh: { path: string; id: string; file: string; size: number; diskBytes: number; modifiedMs: number }[] = []
    for (const path of await diskFiles(share.mount)) {
      const file = relative(share.mount, path).split(sep).join('/')
      const id = `${share.path}\\${file.replaceAll('/', '\\')}`
      seen.add(id)
      const stats = await stat(path).catch(() => null)
      if (!stats) continue
      const before = known.get(id)
      if (before && before.modified_ms === Math.round(stats.mtimeMs) && before.file_bytes === stats.size) continue
      fresh.push({ path, id, file, size: stats.size, diskBytes: stats.blocks * 512, modifiedMs: Math.round(stats.mtimeMs) })
    }
    const changed: Found[] = []
    for (let at = 0; at < fresh.length; at += 200) {
      const part = fresh.slice(at, at + 200)
      const results = await disks.inspect(part.map(({ path }) => path))
      part.forEach(({ id, file, size, diskBytes, modifiedMs }, i) => {
        const result = results[i]
        if (result)
          changed.push({
            id,
            share: share.path,
            file,
            person: personOf(file),
            format: result.format,
            kind: result.kind,
            state: result.state,
            virtual_bytes: result.virtualBytes,
            file_bytes: size,
            allocated_bytes: result.allocatedBytes,
            disk_bytes: diskBytes,
            modified_ms: modifiedMs,
            parent: result.parent,
            findings: result.findings.map(({ sentence }) => sentence),
          })
      })
    }
    const gone = [...known.keys()].filter((id) => !seen.has(id))
    if (gone.length) await database.query('delete from containers where id = any($1)', [gone])
    for (let at = 0; at < changed.length; at += 500) {
      await database.query(
        `insert into containers (id, share, file, person, format, kind, state, virtual_bytes, file_bytes, allocated_bytes, disk_bytes, modified_ms, last_used_ms, findings, parent)
        select id, share, file, person, format, kind, state, virtual_bytes, file_bytes, allocated_bytes, disk_bytes, modified_ms, modified_ms, findings, parent from jsonb_to_recordset($1::jsonb) as r(id text, share text, file text, person text, format text, kind text, state text, virtual_bytes bigint, file_bytes bigint, allocated_bytes bigint, disk_bytes bigint, modified_ms bigint, findings jsonb, parent text)
        on conflict (id) do update set format = excluded.format, kind = excluded.kind, state = excluded.state, virtual_bytes = excluded.virtual_bytes, file_bytes = excluded.file_bytes, allocated_bytes = excluded.allocated_bytes, disk_bytes = excluded.disk_bytes, modified_ms = excluded.modified_ms, last_used_ms = greatest(containers.last_used_ms, excluded.last_used_ms), findings = excluded.findings, parent = excluded.parent`,
        [JSON.stringify(changed.slice(at, at + 500))],
      )
    }
    if (changed.length > 0) await keepSizes({ fleet, database, now }, share, changed, known.size === 0)
    const held = [...seen].flatMap((id) => {
      const hold = holds.get(`${share.path}|${id.slice(share.path.length + 1).replaceAll('\\', '/')}`)
      return hold
        ? [
            {
              id,
              host: hold.host,
              session: hold.session,
              since: hold.sinceMs,
              alive: dead.has(hold.host) ? false : holderAlive(reports.get(hold.host), hold),
            },
          ]
        : []
    })
    await database.query(
      `update containers c set holder_host = r.host, holder_session = r.session, held_since_ms = r.since, holder_alive = r.alive, last_used_ms = greatest(c.last_used_ms, r.since) from
      (select k.id, h.host, h.session, h.since, h.alive from containers k left join jsonb_to_recordset($1::jsonb) as h(id text, host text, session text, since bigint, alive boolean) on h.id = k.id where k.share = $2) r
      where c.id = r.id and (c.holder_host, c.holder_session, c.holder_alive) is distinct from (r.host, r.session, r.alive)`,
      [JSON.stringify(held), share.path],
    )
  }
  await lookAfter(database, shares, now())
  live.tell('containers')
}

const DAY_MS = 86_400_000

/** Keeps how large containers are today; of a share that is seen for the first time also what its file server remembers. */
async function keepSizes(
  { fleet, database, now }: Pick<Context, 'fleet' | 'database' | 'now'>,
  share: KnownShare,
  changed: readonly Found[],
  firstTime: boolean,
): Promise<void> {
  const today = changed.map(({ id, file_bytes }) => ({ id, day_ms: now(), file_bytes }))
  const { folders } = firstTime ? await fleet.shareHistory(share.id).catch(() => ({ folders: [] })) : { folders: [] }
  const then = new Map(folders.map((one) => [one.folder.toLowerCase(), one]))
  const before = changed.flatMap(({ id, person }) => {
    const one = person === null ? undefined : then.get(person)
    return one ? [{ id, day_ms: one.atMs, file_bytes: one.bytes }] : []
  })
  const days = [...before, ...today].map((one) => ({ ...one, day_ms: Math.floor(one.day_ms / DAY_MS) * DAY_MS }))
  await database.query(
    `insert into container_days select id, day_ms, file_bytes from jsonb_to_recordset($1::jsonb) as r(id text, day_ms bigint, file_bytes bigint) on conflict do nothing`,
    [JSON.stringify(days)],
  )
}

/** All disk files of a share, but those in folders that begin with a dot: what is set aside or archived there is no longer in use. */
async function diskFiles(mount: string): Promise<string[]> {
  const entries = await readdir(mount, { recursive: true, withFileTypes: true }).catch(() => [])
  const hidden = (folder: string) =>
    relative(mount, folder)
      .split(sep)
      .some((part) => part.startsWith('.'))
  return entries
    .filter((entry) => entry.isFile() && /\.(vhdx|vhd)$/i.test(entry.name) && !hidden(entry.parentPath))
    .map((entry) => join(entry.parentPath, entry.name))
}

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

/** Works out again what should be looked at in every container, and writes what changed. */
async function lookAfter(database: Context['database'], shares: readonly { path: string; mount: string }[], nowMs: number): Promise<void> {
  const [row] = await database.query<{
    list: Kept[] | null
  }>(`select json_agg(json_build_object('id', id, 'share', share, 'file', file, 'person', person, 'state', state, 'kind', kind, 'virtualBytes', virtual_bytes, 'fileBytes', file_bytes, 'allocatedBytes', allocated_bytes, 'lastUsedMs', last_used_ms,
    'holderHost', holder_host, 'holderSession', holder_session, 'holderAlive', holder_alive, 'parent', parent, 'findings', findings, 'upkeep', upkeep)) as list from containers`)
  const containers = row?.list ?? []
  const owners = await ownersOf(database)
  const [policy] = await database.query<{ mib: number }>(
    `select (settings ->> 'sizeLimitMib')::integer as mib from policy_versions order by version desc limit 1`,
  )
  const limits = { nowMs, limitBytes: (policy?.mib ?? 30 * 1024) * 2 ** 20, unusedDays: UNUSED_DAYS, fullFrom: FULL_FROM }
  const mounts = new Map(shares.map(({ path, mount }) => [path, mount]))
  const byPerson = new Map<string, Kept[]>()
  for (const one of containers) if (one.person !== null) byPerson.set(one.person, [...(byPerson.get(one.person) ?? []), one])
  const changed: { id: string; upkeep: UpkeepFinding[] }[] = []
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
    if (said(upkeep) !== said(one.upkeep)) changed.push({ id: one.id, upkeep })
  }
  for (let at = 0; at < changed.length; at += 500)
    await database.query(
      'update containers c set upkeep = r.upkeep from jsonb_to_recordset($1::jsonb) as r(id text, upkeep jsonb) where c.id = r.id',
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
