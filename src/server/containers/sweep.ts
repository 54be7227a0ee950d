import { readdir, rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { Context } from '../shell/context'
import { finishMoves } from './moving'
import { REWRITING } from './rewrite-file'
import { allShares } from './share-list'

/** What a stop in the middle of a job left: half-written new files (the old ones are still in their place), moves, and containers that the job held. */
export async function sweepHalfWritten(context: Context): Promise<void> {
  const { fleet } = context
  await finishMoves(context)
  for (const { share, file, host, session } of await fleet.holds()) if (host === 'ikebana') await fleet.giveBack(share, file, session)
  for (const { mount } of await allShares(context)) {
    const entries = await readdir(mount, { recursive: true, withFileTypes: true }).catch(() => [])
    for (const entry of entries) if (entry.isFile() && entry.name.endsWith(REWRITING)) await rm(join(entry.parentPath, entry.name), { force: true })
  }
}
