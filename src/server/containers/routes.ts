import { join } from 'node:path'
import { Problem } from '../../contract/errors'
import { UPKEEP, type Anatomy, type UpkeepCode } from '../../core/containers'
import type { Context, Handlers } from '../shell/context'
import { sendCsv } from '../shell/csv'
import { actionsFor, containerJob, manyContainersJob } from './actions'
import { scanShares } from './scan'
import { deleteLater, putBackJob } from './set-aside'
import { containerRow, containerRows, findingCounts, listContainers, setAsideLines, shareLines, shareRows } from './store'

type Names =
  | 'containers'
  | 'containersExport'
  | 'scan'
  | 'scanNow'
  | 'container'
  | 'containerRoom'
  | 'containerJob'
  | 'containerJobs'
  | 'setAside'
  | 'setAsidePutBack'
  | 'setAsideDelete'
  | 'setAsideExport'
const ORDER = Object.keys(UPKEEP)

export function containerHandlers(context: Context): Handlers<Names> {
  const { database, disks, jobs } = context
  const rowOr404 = async (id: string) =>
    (await containerRow(database, id)) ??
    (() => {
      throw new Problem('container.unknown')
    })()
  return {
    async containers({ input: { query } }) {
      const [containers, shares, counts, [total]] = await Promise.all([
        listContainers(database, query),
        shareLines(database),
        findingCounts(database),
        database.query<{ n: number }>('select count(*) as n from containers'),
      ])
      return {
        containers,
        shares: shares.map(({ updated: _, ...line }) => line),
        total: total?.n ?? 0,
        scannedMs: shares.length ? Math.max(...shares.map(({ updated }) => updated)) : null,
        findings: counts
          .sort((a, b) => ORDER.indexOf(a.code) - ORDER.indexOf(b.code))
          .map((one) => ({ ...one, title: UPKEEP[one.code as UpkeepCode].title, weight: UPKEEP[one.code as UpkeepCode].weight })),
      }
    },
    scan: () => ({ progress: context.scanning.progress, remark: context.scanning.remark }),
    scanNow() {
      // The answer does not wait for the end: the page follows it, and is told what it could not do.
      void scanShares(context).catch(() => undefined)
      return { ok: true as const }
    },
    async containersExport({ input: { query }, reply }) {
      const lines = await listContainers(database, query)
      return sendCsv(
        reply,
        'containers.csv',
        lines.map(({ findings, upkeep, ...line }) => ({
          ...line,
          structure: findings.join(' '),
          findings: upkeep.map(({ code }) => code).join(' '),
        })),
      )
    },
    async container({ input }) {
      const row = await rowOr404(input.params.id)
      const { mount, enabled, modifiedMs, shareAddedBy: _, ...container } = row
      const anatomy = mount === null ? null : await disks.anatomy(join(mount, row.file)).catch((error: Error) => error)
      const read = anatomy !== null && !(anatomy instanceof Error) ? anatomy : null
      return {
        container,
        owner: enabled === null || row.name === null ? null : { name: row.name, enabled },
        modifiedMs,
        blockBytes: read?.inspection.blockBytes ?? 0,
        parent: read?.inspection.parent ?? null,
        structures: read?.structures.map((one) => ({ ...one, values: [...one.values] })) ?? [],
        findings: [...(read?.inspection.findings ?? [])],
        layout: [...(read?.layout ?? [])],
        blocks: read ? runsOf(read) : [],
        otherShares: (await shareRows(database)).flatMap(({ id, path, freeBytes, mount: at }) =>
          at !== null && path !== row.share ? [{ id, path, freeBytes }] : [],
        ),
        unreadable: read
          ? null
          : mount === null
            ? 'Its share cannot be reached from here.'
            : `The file cannot be read: ${anatomy instanceof Error ? anatomy.message : ''}`,
        actions: read ? actionsFor(row, read.inspection) : [],
      }
    },
    async containerRoom({ input }) {
      const row = await rowOr404(input.params.id)
      if (row.mount === null) throw new Problem('container.busy', 'Its share cannot be reached from here.')
      return disks.zeros(join(row.mount, row.file)).catch((error: Error) => {
        throw new Problem('container.busy', error.message)
      })
    },
    containerJob: async ({ input, caller }) =>
      jobs.start(containerJob(context, await rowOr404(input.params.id), input.body, caller.name, await shareRows(database))),
    async containerJobs({ input: { body }, caller }) {
      const rows = await containerRows(database, body.ids)
      if (rows.length === 0) throw new Problem('container.unknown')
      return jobs.start(manyContainersJob(context, rows, body, caller.name, await shareRows(database)))
    },
    setAside: async () => ({ containers: await setAsideLines(database) }),
    setAsidePutBack: async ({ input, caller }) => jobs.start(await putBackJob(context, input.params.id, caller.name)),
    async setAsideDelete({ input, caller }) {
      await deleteLater(context, input.params.id, caller.name)
      return { ok: true as const }
    },
    setAsideExport: async ({ reply }) => sendCsv(reply, 'set-aside.csv', await setAsideLines(database)),
  }
}

/** Blocks in the order of the disk, as runs: a disk of a million blocks is a few of them. */
function runsOf({ blockOffsets }: Anatomy): { present: boolean; count: number }[] {
  const runs: { present: boolean; count: number }[] = []
  for (const offset of blockOffsets) {
    const last = runs.at(-1)
    if (last?.present === offset >= 0) last.count++
    else runs.push({ present: offset >= 0, count: 1 })
  }
  return runs
}
