import { existsSync } from 'node:fs'
import { mkdir, readdir, rename, rm } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { Problem } from '../../contract/errors'
import { writeJournal } from '../journal/store'
import type { Context } from '../shell/context'
import { REWRITING } from './rewrite-file'
import { SET_ASIDE } from './scan'
import { outdatedSetAside, setAsideRow, type ContainerRow } from './store'

/** What is set aside can be put back for so long. */
export const KEPT_DAYS = 14
const DAY_MS = 86_400_000

/** Moves a container out of use, within its share and in one step. The caller holds it. */
export async function setAside(
  { database, now }: Pick<Context, 'database' | 'now'>,
  container: ContainerRow,
  mount: string,
  job: string,
  author: string,
): Promise<string> {
  const keptAs = `${SET_ASIDE}/${job}/${container.file}`
  const target = join(mount, keptAs)
  await mkdir(dirname(target), { recursive: true })
  const atMs = now()
  await database.query(`insert into set_aside values ($1, $2, $3, $4, $5, $6, $7, $8, $9, 'kept')`, [
    job,
    container.share,
    container.file,
    keptAs,
    container.person,
    container.allocatedBytes,
    author,
    atMs,
    atMs + KEPT_DAYS * DAY_MS,
  ])
  try {
    await rename(join(mount, container.file), target)
  } catch (error) {
    await database.query('delete from set_aside where id = $1', [job])
    throw error
  }
  await database.query('delete from containers where id = $1', [container.id])
  return `kept as ${keptAs} until ${new Date(atMs + KEPT_DAYS * DAY_MS).toISOString().slice(0, 10)}`
}

/** Puts it back where it was, unless somebody has a new one there meanwhile. */
export async function putBack({ database, now }: Pick<Context, 'database' | 'now'>, id: string, author: string): Promise<void> {
  const row = await setAsideRow(database, id)
  if (!row) throw new Problem('container.unknown')
  if (row.state !== 'kept' || row.mount === null)
    throw new Problem('container.busy', row.state === 'kept' ? 'Its share is not known any more.' : 'It is not kept any more.')
  const target = join(row.mount, row.file)
  if (existsSync(target))
    throw new Problem('container.busy', `${row.file} exists again: a new container was made meanwhile. Set that one aside first.`)
  await mkdir(dirname(target), { recursive: true })
  await rename(join(row.mount, row.keptAs), target)
  await database.query(`update set_aside set state = 'put-back' where id = $1`, [id])
  await writeJournal(database, {
    atMs: now(),
    who: author,
    what: 'put a container back',
    target: `${row.share}\\${row.file.replaceAll('/', '\\')}`,
    before: 'set aside',
    after: 'in its place',
  })
}

/** Deletes what was set aside and kept long enough. */
export async function deleteOutdated({ database, now }: Context): Promise<void> {
  for (const row of await outdatedSetAside(database, now())) {
    if (row.mount === null) continue
    await rm(join(row.mount, row.keptAs), { force: true })
    await database.query(`update set_aside set state = 'deleted' where id = $1`, [row.id])
    await writeJournal(database, {
      atMs: now(),
      who: 'Ikebana',
      what: 'deleted a container that was set aside',
      target: `${row.share}\\${row.file.replaceAll('/', '\\')}`,
      before: `kept since ${new Date(row.atMs).toISOString().slice(0, 10)}`,
      after: 'deleted',
    })
  }
}

/** What a stop in the middle of a job left: half-written new files (the old ones are still in their place) and containers that the job held. */
export async function sweepHalfWritten({ fleet }: Context): Promise<void> {
  for (const { share, file, host, session } of await fleet.holds()) if (host === 'ikebana') await fleet.giveBack(share, file, session)
  for (const { mount } of await fleet.shares()) {
    const entries = await readdir(mount, { recursive: true, withFileTypes: true }).catch(() => [])
    for (const entry of entries) if (entry.isFile() && entry.name.endsWith(REWRITING)) await rm(join(entry.parentPath, entry.name), { force: true })
  }
}
