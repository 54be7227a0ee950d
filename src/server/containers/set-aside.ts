import { existsSync } from 'node:fs'
import { mkdir, rename, rm } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { Problem } from '../../contract/errors'
import { writeJournal } from '../journal/store'
import { StepStopped, type NewJob } from '../journal/jobs'
import type { Context } from '../shell/context'
import { held } from './held'
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
  keepDays: number,
): Promise<string> {
  const keptAs = `${SET_ASIDE}/${job}/${container.file}`
  const target = join(mount, keptAs)
  await mkdir(dirname(target), { recursive: true })
  const atMs = now()
  const untilMs = atMs + keepDays * DAY_MS
  await database.query(
    `insert into set_aside (id, share, file, kept_as, person, bytes, author, at_ms, until_ms, state) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, 'kept') on conflict do nothing`,
    [job, container.share, container.file, keptAs, container.person, container.allocatedBytes, author, atMs, untilMs],
  )
  try {
    await rename(join(mount, container.file), target)
  } catch (error) {
    if (!existsSync(target)) {
      await database.query('delete from set_aside where id = $1', [job])
      throw error
    }
  }
  await database.query('delete from containers where id = $1', [container.id])
  return `kept as ${keptAs} until ${new Date(untilMs).toISOString().slice(0, 10)}`
}

/** The job that puts a container back where it was, unless its person has another one by now. What is archived elsewhere is copied back, and stays in the archive. */
export async function putBackJob(need: Pick<Context, 'database' | 'fleet' | 'disks' | 'now'>, id: string, author: string): Promise<NewJob> {
  const { database, fleet } = need
  const row = await setAsideRow(database, id)
  if (!row) throw new Problem('container.unknown')
  const { mount, home } = row
  if (row.state !== 'kept' || mount === null || home === null)
    throw new Problem('container.busy', row.state === 'kept' ? 'Its share is not known any more.' : 'It is not kept any more.')
  const target = join(home, row.file)
  const kept = join(mount, row.keptAs)
  const elsewhere = row.keptOn !== row.share
  const name = `${row.share}\\${row.file.replaceAll('/', '\\')}`
  return {
    kind: 'put-back',
    title: `Put ${row.file} back`,
    target: name,
    author,
    attempt: null,
    change: { before: elsewhere ? `archived on ${row.keptOn}` : 'set aside', after: 'in its place' },
    steps: held(
      { fleet, database },
      [row],
      [
        {
          title: 'See that its person has no other one',
          run: async () => {
            if (existsSync(target)) throw new StepStopped(`${row.file} exists again: a new container was made meanwhile. Set that one aside first.`)
            const [other] =
              row.person === null ? [] : await database.query<{ id: string }>('select id from containers where person = $1', [row.person])
            if (other) throw new StepStopped(`${row.person} has ${other.id} now. Set that one aside first.`)
            return 'none'
          },
        },
        {
          title: elsewhere ? 'Copy it back, compare, and put it in its place' : 'Move it back',
          run: async (job) => {
            await mkdir(dirname(target), { recursive: true })
            if (elsewhere) await need.disks.copy(kept, target, job)
            else {
              await rename(kept, target)
              await database.query(`update set_aside set state = 'put-back' where id = $1`, [id])
            }
            return elsewhere ? 'copied and compared; it stays in the archive too' : 'in its place'
          },
        },
      ],
    ),
  }
}

/** Lets something that is archived be deleted, after the same waiting time as everything else. */
export async function deleteLater({ database, now }: Pick<Context, 'database' | 'now'>, id: string, author: string): Promise<void> {
  const row = await setAsideRow(database, id)
  if (row?.state !== 'kept') throw new Problem('container.busy', 'It is not kept any more.')
  const untilMs = Math.min(row.untilMs ?? Infinity, now() + KEPT_DAYS * DAY_MS)
  await database.query('update set_aside set until_ms = $2 where id = $1', [id, untilMs])
  const date = (ms: number | null) => (ms === null ? 'kept without end' : `until ${new Date(ms).toISOString().slice(0, 10)}`)
  await writeJournal(database, {
    atMs: now(),
    who: author,
    what: 'said that an archived container may be deleted',
    target: `${row.keptOn}\\${row.keptAs.replaceAll('/', '\\')}`,
    before: date(row.untilMs),
    after: date(untilMs),
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
      target: `${row.keptOn}\\${row.keptAs.replaceAll('/', '\\')}`,
      before: `kept since ${new Date(row.atMs).toISOString().slice(0, 10)}`,
      after: 'deleted',
    })
  }
}
