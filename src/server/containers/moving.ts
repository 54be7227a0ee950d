import { randomUUID } from 'node:crypto'
import { existsSync, statSync } from 'node:fs'
import { rm } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { Problem } from '../../contract/errors'
import { bytesSay, cannotMoveKind } from '../../core/containers'
import { StepStopped, type NewJob } from '../journal/jobs'
import { writeJournal } from '../journal/store'
import type { Context } from '../shell/context'
import { held } from './held'
import { setAside } from './set-aside'
import { containerRow, type ContainerRow, type ShareRow } from './store'

/** Where containers lie that are archived; never looked at by hosts, nor by the scan. */
const ARCHIVE = '.archive'
type Need = Pick<Context, 'fleet' | 'database' | 'disks' | 'now'>

/** Of a share that was added by hand. */
export const NOBODY_TELLS = 'The share was added by hand: no fleet tells who has its files open, so nothing is changed on it.'

interface MoveRow {
  readonly id: string
  readonly kind: 'move' | 'archive' | 'copy'
  readonly container: string
  readonly fromShare: string
  readonly fromFile: string
  readonly toShare: string
  readonly toFile: string
  readonly keepDays: number
  readonly author: string
  readonly atMs: number
}

/** The job that brings a container to another share; the old one is kept there for some days, out of use. */
export function moveTo(need: Need, row: ContainerRow, to: ShareRow, keepDays: number, author: string): NewJob {
  if (to.path === row.share) throw new Problem('request.invalid', 'It lies on that share already.')
  return relocation(need, row, to, row.file, { kind: 'move', keepDays, author, title: `Move ${row.file} to ${to.path}` })
}

/** The job that puts a container, or a copy of it, into the archive of a share. */
export function archive(need: Need, row: ContainerRow, to: ShareRow, kind: 'archive' | 'copy', author: string): NewJob {
  const toFile = `${ARCHIVE}/${row.person ?? 'nobody'}/${new Date(need.now()).toISOString().slice(0, 19).replaceAll(':', '-')} ${basename(row.file)}`
  const title = kind === 'archive' ? `Archive ${row.file} on ${to.path}` : `Keep a copy of ${row.file} in the archive of ${to.path}`
  return relocation(need, row, to, toFile, { kind, keepDays: 0, author, title })
}

interface Wanted extends Pick<MoveRow, 'kind' | 'keepDays' | 'author'> {
  readonly title: string
}

function relocation(need: Need, row: ContainerRow, to: ShareRow, toFile: string, { kind, keepDays, author, title }: Wanted): NewJob {
  const why = cannotMoveKind(row.kind)
  if (why !== null) throw new Problem('container.busy', why)
  if (row.shareAddedBy !== null || to.addedBy !== null) throw new Problem('container.busy', NOBODY_TELLS)
  if (row.mount === null || to.mount === null) throw new Problem('container.busy', 'One of the shares cannot be reached from here.')
  if (to.freeBytes < row.fileBytes)
    throw new Problem('container.busy', `${to.path} has only ${bytesSay(to.freeBytes)} left; the file takes ${bytesSay(row.fileBytes)}.`)
  const target = join(to.mount, toFile)
  const source = join(row.mount, row.file)
  const plan: MoveRow = {
    id: randomUUID(),
    kind,
    container: row.id,
    fromShare: row.share,
    fromFile: row.file,
    toShare: to.path,
    toFile,
    keepDays,
    author,
    atMs: need.now(),
  }
  const places = kind === 'move' ? [row, { share: to.path, file: toFile }] : [row]
  return {
    kind,
    title,
    target: row.id,
    author,
    attempt: null,
    change: {
      before: row.share,
      after: kind === 'move' ? to.path : kind === 'archive' ? `archived on ${to.path}` : `where it was; a copy on ${to.path}`,
    },
    steps: held(need, places, [
      {
        title: 'Copy it beside its new place, make that durable, compare, and put it in place',
        run: async (job) => {
          if (existsSync(target)) throw new StepStopped(`There is a ${toFile} on ${to.path} already.`)
          await saveMove(need, plan)
          try {
            const { bytes } = await need.disks.copy(source, target, job)
            return `${bytesSay(bytes)} copied and compared byte by byte`
          } catch (error) {
            await endMove(need, plan.id, 'given up')
            throw error
          }
        },
      },
      { title: kind === 'move' ? 'Let it take the old one’s place' : 'Enter it into the archive', run: () => arrive(need, plan, row) },
    ]),
  }
}

/** The second half of a move: the copy is whole and in its place, the old one goes out of use. Can be done again after a stop. */
async function arrive(need: Pick<Context, 'database' | 'now'>, move: MoveRow, row: ContainerRow): Promise<string> {
  const { database, now } = need
  const arrived = `${move.toShare}\\${move.toFile.replaceAll('/', '\\')}`
  let said: string
  if (move.kind === 'move') {
    if (move.keepDays > 0) said = `the old one is ${await setAside(need, row, row.mount ?? '', move.id, move.author, move.keepDays)}`
    else {
      await rm(join(row.mount ?? '', row.file), { force: true })
      await database.query('delete from containers where id = $1', [row.id])
      said = 'the old one is deleted'
    }
    await database.query('update container_days set id = $2 where id = $1', [row.id, arrived])
    // Known at once under its new place; the next scan reads the file itself.
    await database.query(
      `insert into containers (id, share, file, person, format, kind, state, virtual_bytes, file_bytes, allocated_bytes, disk_bytes, modified_ms, last_used_ms, findings)
        values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, 0, $12, $13::jsonb) on conflict do nothing`,
      [
        arrived,
        move.toShare,
        move.toFile,
        row.person,
        row.format,
        row.kind,
        row.state,
        row.virtualBytes,
        row.fileBytes,
        row.allocatedBytes,
        row.diskBytes,
        row.lastUsedMs,
        JSON.stringify(row.findings),
      ],
    )
  } else {
    await database.query(
      `insert into set_aside (id, share, file, kept_as, person, bytes, author, at_ms, until_ms, state, kept_share) values ($1, $2, $3, $4, $5, $6, $7, $8, null, 'kept', $9) on conflict do nothing`,
      [move.id, row.share, row.file, move.toFile, row.person, row.allocatedBytes, move.author, now(), move.toShare],
    )
    if (move.kind === 'archive') {
      await rm(join(row.mount ?? '', row.file), { force: true })
      await database.query('delete from containers where id = $1', [row.id])
    }
    said = `kept as ${move.toFile} on ${move.toShare} until somebody deletes it`
  }
  await endMove(need, move.id, 'done')
  return said
}

async function saveMove({ database }: Pick<Context, 'database'>, move: MoveRow): Promise<void> {
  await database.query(
    `insert into moves (id, kind, container, from_share, from_file, to_share, to_file, keep_days, author, at_ms, state) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, 'copying')
      on conflict (id) do update set state = excluded.state`,
    [move.id, move.kind, move.container, move.fromShare, move.fromFile, move.toShare, move.toFile, move.keepDays, move.author, move.atMs],
  )
}

async function endMove({ database }: Pick<Context, 'database'>, id: string, state: 'done' | 'given up'): Promise<void> {
  await database.query('update moves set state = $2 where id = $1', [id, state])
}

/**
 * Brings to an end what a stop cut off. A copy has its name only once it is whole and compared: where it is there, the old one goes out of use as
 * planned; where it is not, or somebody has written into either since, the old one simply stays in use.
 * @param beforeMs only moves that began before this: later ones are under way
 */
export async function finishMoves(need: Pick<Context, 'database' | 'now'>, beforeMs: number): Promise<void> {
  const open = await need.database.query<MoveRow & { mount: string | null }>(
    `select m.id, m.kind, m.container, m.from_share as "fromShare", m.from_file as "fromFile", m.to_share as "toShare", m.to_file as "toFile", m.keep_days as "keepDays", m.author, m.at_ms as "atMs", s.mount
      from moves m left join shares s on s.path = m.to_share where m.state = 'copying' and m.at_ms < $1`,
    [beforeMs],
  )
  for (const { mount, ...move } of open) {
    const row = await containerRow(need.database, move.container)
    if (mount !== null && row?.mount && sameFile(join(row.mount, row.file), join(mount, move.toFile))) {
      const after = await arrive(need, move, row)
      await writeJournal(need.database, {
        atMs: need.now(),
        who: 'Ikebana',
        what: 'brought a move to its end that a stop had cut off',
        target: move.container,
        before: move.fromShare,
        after,
      })
    } else await endMove(need, move.id, 'given up')
  }
}

/** Whether a copy is still what was copied: it has the size and the time of change of the original. */
function sameFile(original: string, copy: string): boolean {
  if (!existsSync(original) || !existsSync(copy)) return false
  const [a, b] = [statSync(original), statSync(copy)]
  return a.size === b.size && Math.round(a.mtimeMs) === Math.round(b.mtimeMs)
}
