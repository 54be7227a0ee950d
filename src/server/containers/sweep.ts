import { readdir, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import type { Context } from '../shell/context'
import { finishMoves } from './moving'
import { REWRITING } from './beside'
import { allShares } from './share-list'

/**
 * Clears what a stop in the middle of a job left: moves, half-written new files (the old ones are still in their place), and containers that the job held.
 * What began later is left alone, so that it can be tried again while the fleet does not answer.
 * @param beforeMs when this server began
 * @throws where the fleet does not answer
 */
export async function sweepHalfWritten(context: Context, beforeMs: number): Promise<void> {
  const { fleet, jobs } = context
  await finishMoves(context, beforeMs)
  for (const { share, file, host, session } of await fleet.holds())
    if (host === 'ikebana' && !jobs.isRunning(session)) await fleet.giveBack(share, file, session)
  for (const { mount } of await allShares(context)) {
    const entries = await readdir(mount, { recursive: true, withFileTypes: true }).catch(() => [])
    for (const entry of entries) {
      if (!entry.isFile() || !entry.name.endsWith(REWRITING)) continue
      const path = join(entry.parentPath, entry.name)
      // Written to since this server began, it belongs to a job that runs.
      const stats = await stat(path).catch(() => null)
      if (stats && stats.mtimeMs < beforeMs) await rm(path, { force: true })
    }
  }
}
