import { readdir, stat } from 'node:fs/promises'
import { join, relative, sep } from 'node:path'
import type { Context } from '../shell/context'
import { lookAfter } from './look-after'
import { whoseFiles } from './naming'
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

/** How far the reading of files is, of a share whose files are being read just now. */
export interface ScanProgress {
  readonly share: string
  readonly read: number
  readonly of: number
}

/** One scan at a time: whoever asks while one runs gets its end. */
export class Scanning {
  progress: ScanProgress | null = null
  /** What the last one could not do, in words; null where it did all. */
  remark: string | null = null
  #running: Promise<void> | null = null

  /** @param work gives what it could not do */
  alone(work: () => Promise<string | null>): Promise<void> {
    this.#running ??= work()
      .then(
        (remark) => {
          this.remark = remark
        },
        (error: unknown) => {
          this.remark = `The last look ended early: ${error instanceof Error ? error.message : String(error)}`
          throw error
        },
      )
      .finally(() => {
        this.#running = null
        this.progress = null
      })
    return this.#running
  }
}

/** Brings what is known of shares and containers up to date: only files that changed are read again. */
export function scanShares(context: Context): Promise<void> {
  return context.scanning.alone(() => scan(context)).finally(() => context.live.tell('scan'))
}

/** Who holds what, on which hosts that may not live any more; null where the fleet does not answer. */
async function whoHolds(fleet: Context['fleet']) {
  try {
    const holds = new Map((await fleet.holds()).map((hold) => [`${hold.share}|${hold.file}`, hold]))
    const dead = new Set((await fleet.hosts()).filter(({ power, answers }) => power === 'off' || !answers).map(({ host }) => host))
    return { holds, dead }
  } catch {
    return null
  }
}

/** So many files are read, and then kept, at a time: a scan that is cut off loses no more than that. */
const BATCH = 200

async function scan({ fleet, database, disks, now, live, scanning }: Context): Promise<string | null> {
  const shares = await allShares({ fleet, database })
  // Shares that were added by hand are looked at without a fleet, too.
  const told = await whoHolds(fleet)
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
  const whose = await whoseFiles({ database })
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
    const gone = [...known.keys()].filter((id) => !seen.has(id))
    if (gone.length) await database.query('delete from containers where id = any($1)', [gone])
    for (let at = 0; at < fresh.length; at += BATCH) {
      scanning.progress = { share: share.path, read: at, of: fresh.length }
      live.tell('scan')
      const part = fresh.slice(at, at + BATCH)
      const results = await disks.inspect(part.map(({ path }) => path))
      const read = part.flatMap(({ id, file, size, diskBytes, modifiedMs }, i): Found[] => {
        const result = results[i]
        if (!result) return []
        return [
          {
            id,
            share: share.path,
            file,
            person: whose(share.path, file).person,
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
          },
        ]
      })
      await database.query(
        `insert into containers (id, share, file, person, format, kind, state, virtual_bytes, file_bytes, allocated_bytes, disk_bytes, modified_ms, last_used_ms, findings, parent)
        select id, share, file, person, format, kind, state, virtual_bytes, file_bytes, allocated_bytes, disk_bytes, modified_ms, modified_ms, findings, parent from jsonb_to_recordset($1::jsonb) as r(id text, share text, file text, person text, format text, kind text, state text, virtual_bytes bigint, file_bytes bigint, allocated_bytes bigint, disk_bytes bigint, modified_ms bigint, findings jsonb, parent text)
        on conflict (id) do update set format = excluded.format, kind = excluded.kind, state = excluded.state, virtual_bytes = excluded.virtual_bytes, file_bytes = excluded.file_bytes, allocated_bytes = excluded.allocated_bytes, disk_bytes = excluded.disk_bytes, modified_ms = excluded.modified_ms, last_used_ms = greatest(containers.last_used_ms, excluded.last_used_ms), findings = excluded.findings, parent = excluded.parent`,
        [JSON.stringify(read)],
      )
      await keepSizes({ fleet, database, now }, share, read, known.size === 0)
      if (fresh.length > BATCH) live.tell('containers')
    }
    scanning.progress = null
    if (!told) continue
    const { holds, dead } = told
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
  await lookAfter({ database, now }, whose)
  live.tell('containers')
  return told ? null : 'The fleet does not answer: who has files open is not known.'
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
  const before = changed.flatMap(({ id, file }) => {
    const one = then.get(file.split('/', 1)[0]?.toLowerCase() ?? '')
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
