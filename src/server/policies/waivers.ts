import { endedWaivers } from '../../core/policies'
import { writeJournal } from '../journal/store'
import type { Context } from '../shell/context'
import { currentSet } from './sets'

/** Says in the journal, once for each, that a waiver of the published set has ended: from then on its promise must hold again. */
export async function tellEndedWaivers({ database, now, live }: Pick<Context, 'database' | 'now' | 'live'>): Promise<void> {
  const { set } = await currentSet(database)
  for (const { name, waived } of endedWaivers(set, now())) {
    const target = `promise ${name}`
    const before = `waived by ${waived.by} until ${waived.until}: ${waived.reason}`
    const [told] = await database.query(`select 1 as told from journal where what = 'a waiver ended' and target = $1 and before = $2 limit 1`, [
      target,
      before,
    ])
    if (told) continue
    await writeJournal(database, { atMs: now(), who: 'Ikebana', what: 'a waiver ended', target, before, after: 'it must hold again' })
    live.tell('policy')
  }
}
