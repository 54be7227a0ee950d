import { readdir, stat, statfs } from 'node:fs/promises'
import { isAbsolute } from 'node:path'
import { Problem } from '../../contract/errors'
import { readLocation } from '../../core/policies'
import { writeJournal } from '../journal/store'
import type { Fleet } from '../pools/fleet'
import type { Context } from '../shell/context'

export type KnownShare = Awaited<ReturnType<Fleet['shares']>>[number]
type Need = Pick<Context, 'fleet' | 'database'>

interface ByHand {
  readonly id: string
  readonly path: string
  readonly zone: string | null
  readonly mount: string
}

/** The shares that the fleet tells of, and those that were added by hand, measured just now. One that is out of reach is left out. */
export async function allShares({ fleet, database }: Need): Promise<KnownShare[]> {
  const byHand = await database.query<ByHand>('select id, path, zone, mount from shares where added_by is not null')
  const measured = await Promise.all(byHand.map((share) => measure(share).catch(() => null)))
  const own = measured.filter((share) => share !== null)
  const told = await fleet.shares().catch((error: unknown) => {
    // Without a fleet the shares that were added by hand are still there.
    if (own.length === 0) throw error
    return []
  })
  return [...told, ...own.filter(({ path }) => !told.some((one) => one.path === path))]
}

/** Room as the file system says it; latency as the middle of a few listings of the folder takes. */
async function measure({ id, path, zone, mount }: ByHand): Promise<KnownShare> {
  const { bsize, blocks, bavail } = await statfs(mount)
  const times: number[] = []
  for (let i = 0; i < 3; i++) {
    const begun = performance.now()
    await stat(mount)
    times.push(performance.now() - begun)
  }
  const latencyMs = times.sort((a, b) => a - b)[1] ?? 0
  return { id, path, zone: zone ?? '', mount, totalBytes: blocks * bsize, freeBytes: bavail * bsize, latencyMs, iops: null, redundancy: null }
}

/** Adds a share that no fleet tells of, by its path and the folder where it is mounted here. */
export async function addShare(
  { database, fleet, now }: Pick<Context, 'database' | 'fleet' | 'now'>,
  wanted: { path: string; mount: string; zone: string | null },
  author: string,
): Promise<string> {
  const reading = readLocation(wanted.path)
  if (!reading.ok) throw new Problem('request.invalid', reading.sentence)
  if (!isAbsolute(wanted.mount)) throw new Problem('request.invalid', 'The folder where it is mounted must be told in full, beginning with a slash.')
  await readdir(wanted.mount).catch((error: NodeJS.ErrnoException) => {
    const why = error.code === 'ENOENT' ? 'there is no such folder' : error.code === 'ENOTDIR' ? 'it is no folder' : 'it may not be read'
    throw new Problem('request.invalid', `${wanted.mount} cannot be used: ${why}.`)
  })
  const told = await fleet.shares().catch(() => [])
  const [known] = await database.query<{ id: string }>('select id from shares where path = $1 or mount = $2', [reading.path, wanted.mount])
  if (known || told.some(({ path }) => path === reading.path))
    throw new Problem('request.invalid', `${reading.path} is known already, or its folder is.`)
  const id = reading.path.slice(2).replaceAll('\\', ' ')
  const measured = await measure({ id, path: reading.path, zone: wanted.zone, mount: wanted.mount })
  await database.query(
    `insert into shares (id, path, zone, mount, total_bytes, free_bytes, latency_ms, updated_ms, added_by) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
    [id, reading.path, wanted.zone, wanted.mount, measured.totalBytes, measured.freeBytes, measured.latencyMs, now(), author],
  )
  await writeJournal(database, { atMs: now(), who: author, what: 'added a share', target: reading.path, before: null, after: wanted.mount })
  return id
}

/** Forgets a share that was added by hand. Nothing on it is touched. */
export async function forgetShare({ database, now }: Pick<Context, 'database' | 'now'>, id: string, author: string): Promise<void> {
  const [share] = await database.query<{ path: string; by: string | null }>('select path, added_by as by from shares where id = $1', [id])
  if (!share) throw new Problem('share.unknown')
  if (share.by === null) throw new Problem('request.invalid', 'The fleet tells of this share; it is there as long as the fleet says so.')
  await database.query('delete from containers where share = $1', [share.path])
  await database.query('delete from shares where id = $1', [id])
  await writeJournal(database, {
    atMs: now(),
    who: author,
    what: 'forgot a share',
    target: share.path,
    before: 'known',
    after: 'not looked at any more; nothing on it was touched',
  })
}
