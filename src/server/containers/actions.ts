import { randomUUID } from 'node:crypto'
import { join } from 'node:path'
import type { ContainerJob, ContainerJobs, ContainerPage } from '../../contract/containers'
import { Problem } from '../../contract/errors'
import { bytesSay, cannotMoveKind, repairable, type Inspection } from '../../core/containers'
import { StepStopped, type NewJob, type Step } from '../journal/jobs'
import { releaseHold } from '../pools/remedies'
import type { Context } from '../shell/context'
import { held } from './held'
import { archive, moveTo, NOBODY_TELLS } from './moving'
import { KEPT_DAYS, setAside } from './set-aside'
import type { ContainerRow, ShareRow } from './store'

type Action = ContainerPage['actions'][number]
type Need = Pick<Context, 'fleet' | 'database' | 'disks' | 'now'>

/** What can be done with a container as it is, and why not what cannot. */
export function actionsFor(row: ContainerRow, inspection: Inspection): Action[] {
  const inUse =
    row.shareAddedBy !== null
      ? NOBODY_TELLS
      : row.holderHost === null
        ? null
        : row.holderAlive === false
          ? `${row.holderHost} still has it open. Release the hold first.`
          : `${row.holderHost} has it open.`
  const { state, kind, format, findings } = inspection
  const unsound =
    format === 'vhd' && kind === 'fixed'
      ? 'A VHD of full size is not written anew here.'
      : state === 'damaged' || state === 'unknown'
        ? 'The structure is damaged: what belongs where would have to be guessed.'
        : kind === 'differencing'
          ? 'It holds only what differs from its parent.'
          : null
  return [
    {
      kind: 'release',
      title: 'Release the hold',
      sentence: 'Closes the open handle, once the holding host has said that the session is gone.',
      whyNot: row.holderHost === null ? 'Nobody holds it.' : row.holderAlive === true ? 'The session lives; the person can log off there.' : null,
    },
    {
      kind: 'repair',
      title: 'Repair',
      sentence: 'Replays the log and makes broken copies good, in a new file that is compared with the old one.',
      whyNot: inUse ?? unsound ?? (repairable({ state, findings }) ? null : 'There is nothing to repair.'),
    },
    {
      kind: 'compact',
      title: 'Compact',
      sentence:
        'Writes the file anew without blocks of zeros and without gaps; the content is compared before the new file takes the old one’s place.',
      whyNot: inUse ?? unsound,
    },
    {
      kind: 'grow',
      title: 'Grow',
      sentence: 'Makes the disk larger; the file grows when the room is used. The host must then extend its file system.',
      whyNot: inUse ?? unsound,
    },
    {
      kind: 'set-aside',
      title: 'Set aside',
      sentence: `Takes it out of use; the next logon makes a new one. It is kept for ${KEPT_DAYS} days and can be put back, then it is deleted.`,
      whyNot: inUse,
    },
    {
      kind: 'move',
      title: 'Move to another share',
      sentence: 'Copies it there, compares, and only then takes the old one out of use. The old one is kept for some days.',
      whyNot: inUse ?? cannotMoveKind(kind),
    },
    {
      kind: 'archive',
      title: 'Archive',
      sentence: 'Copies it to the archive of a share, compares, and takes it away here. It is kept until somebody deletes it, and can be put back.',
      whyNot: inUse ?? cannotMoveKind(kind),
    },
    {
      kind: 'copy',
      title: 'Copy to the archive',
      sentence: 'Leaves it as it is, and keeps a copy in the archive of a share.',
      whyNot: inUse ?? cannotMoveKind(kind),
    },
  ]
}

/** The job for an action. Every one takes the hold first, and gives it back whatever happens. */
export function containerJob(need: Need, row: ContainerRow, wanted: ContainerJob, author: string, shares: readonly ShareRow[] = []): NewJob {
  if (row.mount === null) throw new Problem('container.busy', 'Its share cannot be reached from here.')
  if (row.shareAddedBy !== null) throw new Problem('container.busy', NOBODY_TELLS)
  if (wanted.kind === 'move' || wanted.kind === 'archive' || wanted.kind === 'copy') {
    const to = shares.find(({ id }) => id === wanted.toShare)
    if (!to) throw new Problem('share.unknown')
    return wanted.kind === 'move' ? moveTo(need, row, to, wanted.keepDays ?? 3, author) : archive(need, row, to, wanted.kind, author)
  }
  const path = join(row.mount, row.file)
  const base = { kind: wanted.kind, target: row.id, author, attempt: null }
  if (wanted.kind === 'release') {
    if (row.person === null) throw new Problem('container.busy', 'It belongs to nobody; nobody is waiting for it.')
    return { ...base, title: `Release the hold on ${row.file}`, ...releaseHold(need, row.holderHost ?? 'another session', row.person) }
  }
  if (wanted.kind === 'set-aside') {
    return {
      ...base,
      title: `Set ${row.file} aside`,
      change: { before: 'in use', after: `kept until deleted, ${KEPT_DAYS} days` },
      steps: held(need, [row], [{ title: 'Move it out of use', run: () => setAside(need, row, row.mount ?? '', randomUUID(), author, KEPT_DAYS) }]),
    }
  }
  const grow = wanted.kind === 'grow' ? (wanted.virtualBytes ?? 0) : null
  if (grow !== null && grow <= row.virtualBytes) throw new Problem('request.invalid', `The new size must be more than ${bytesSay(row.virtualBytes)}.`)
  const title =
    wanted.kind === 'compact' ? `Compact ${row.file}` : wanted.kind === 'repair' ? `Repair ${row.file}` : `Grow ${row.file} to ${bytesSay(grow ?? 0)}`
  return {
    ...base,
    title,
    change: {
      before: `${bytesSay(row.fileBytes)} for a disk of ${bytesSay(row.virtualBytes)}, ${row.state}`,
      after: wanted.kind === 'grow' ? `a disk of ${bytesSay(grow ?? 0)}` : 'written anew, content compared',
    },
    steps: held(
      need,
      [row],
      [
        {
          title: 'Write it anew beside the old file, compare, and put it in its place',
          run: async (job) => {
            const [found] = await need.disks.inspect([path])
            if (wanted.kind === 'repair' && found && found.state !== 'damaged' && !repairable(found))
              throw new StepStopped('There is nothing to repair.')
            const { before, after, zeroBlocks } = await need.disks.rewrite(path, job, grow)
            const [now] = await need.disks.inspect([path])
            if (now)
              await need.database.query(
                'update containers set state = $2, findings = $3::jsonb, virtual_bytes = $4, file_bytes = $5, allocated_bytes = $6, modified_ms = 0 where id = $1',
                [
                  row.id,
                  now.state,
                  JSON.stringify(now.findings.map(({ sentence }) => sentence)),
                  now.virtualBytes,
                  now.fileBytes,
                  now.allocatedBytes,
                ],
              )
            const saved = before.fileBytes - after.fileBytes
            return `${bytesSay(before.fileBytes)} → ${bytesSay(after.fileBytes)}${saved > 0 ? `, ${bytesSay(saved)} given back` : ''}; ${zeroBlocks} blocks of zeros left out; content compared block by block.`
          },
        },
      ],
    ),
  }
}

/** One job for many: each container for itself, so that one in use or damaged does not stop the others. */
export function manyContainersJob(
  need: Need,
  rows: readonly ContainerRow[],
  wanted: ContainerJobs,
  author: string,
  shares: readonly ShareRow[] = [],
): NewJob {
  const VERBS = { compact: 'Compact', repair: 'Repair', release: 'Release', 'set-aside': 'Set aside', move: 'Move', archive: 'Archive' } as const
  let refused = 0
  return {
    kind: wanted.kind,
    title: `${VERBS[wanted.kind]} ${rows.length} containers`,
    target: `${rows.length} containers`,
    author,
    attempt: null,
    change: {
      before:
        rows
          .slice(0, 20)
          .map(({ file }) => file)
          .join(', ') + (rows.length > 20 ? ` and ${rows.length - 20} more` : ''),
      get after() {
        return refused === 0 ? 'done with all' : `done with ${rows.length - refused}, refused by ${refused}`
      },
    },
    steps: rows.map((row): Step => ({
      title: row.id,
      run: async (job) => {
        try {
          return await runAsOne(containerJob(need, row, { ...wanted }, author, shares).steps, job)
        } catch (error) {
          refused++
          return `Left as it is: ${error instanceof Error ? error.message : String(error)}`
        }
      },
    })),
  }
}

/**
 * All steps as one, for jobs about many things. What it says is what the last of the work itself said, not what was put back after it.
 * @throws what the first step threw that did not go through, once the steps that always run have run
 */
export async function runAsOne(steps: readonly Step[], job: string): Promise<string> {
  let note = ''
  let failure: Error | null = null
  for (const step of steps) {
    if (failure && !step.always) continue
    try {
      const said = await step.run(job, failure?.message ?? null)
      if (!step.always) note = said
    } catch (error) {
      failure ??= error instanceof Error ? error : new Error(String(error))
    }
  }
  if (failure) throw failure
  return note
}
