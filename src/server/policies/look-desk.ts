import { loadOrg } from '../logons/model'
import type { Queryable } from '../db/database'
import { askWorker, type Asked } from '../shell/worker'
import type { Look, PolicySet, SessionFacts, WhyNot } from '../../core/policies'
import type { LookAsk } from './look'

/** What is asked of sets of policies and takes a while: answered by a thread of its own, for the organisation as it is now. */
export interface LookDesk {
  look(before: PolicySet, after: PolicySet): Promise<Look>
  /** Names of the promises that are broken, and that nobody waived. */
  broken(set: PolicySet): Promise<string[]>
  whyNot(set: PolicySet, facts: SessionFacts, policy: string, setting: string | null): Promise<WhyNot>
  close(): Promise<void>
}

/** @param ask whom to ask; without, a thread that is started when it is first needed */
export function lookDesk(database: Queryable, now: () => number, ask?: (question: LookAsk) => Promise<unknown>): LookDesk {
  let worker: Promise<Asked<LookAsk>> | null = null
  const answer =
    ask ??
    (async (question: LookAsk) => {
      worker ??= askWorker<LookAsk, never>(new URL('./look-worker.js', import.meta.url), null, [], () => undefined)
      return (await worker).ask<unknown>(question)
    })
  const about = async () => ({ org: await loadOrg(database), nowMs: now() })
  return {
    look: async (before, after) => (await answer({ ask: 'look', before, after, ...(await about()) })) as Look,
    broken: async (set) => (await answer({ ask: 'broken', set, ...(await about()) })) as string[],
    whyNot: async (set, facts, policy, setting) => (await answer({ ask: 'why not', set, facts, policy, setting, ...(await about()) })) as WhyNot,
    async close() {
      if (worker) await (await worker).close()
    },
  }
}
