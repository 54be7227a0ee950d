import { Problem } from '../../contract/errors'
import { readStory } from '../logons/story'
import type { Context, Handlers } from '../shell/context'
import { sendCsv } from '../shell/csv'
import { proofJob } from './proof'
import { poolJob, readPools } from './readiness'
import { remedyJob } from './remedies'

/** Remedies that act on more than one person are for administrators. */
const FOR_ONE_PERSON = new Set(['release-hold'])

export function poolHandlers(context: Context): Handlers<'remedy' | 'pools' | 'poolJob' | 'poolProof' | 'poolsExport'> {
  return {
    pools: () => readPools(context),
    poolJob: async ({ input, caller }) => context.jobs.start(await poolJob(context, input.params.id, input.body, caller.name)),
    async poolProof({ input: { params, body }, caller }) {
      const [pool] = await context.database.query<{ id: string; mode: string | null }>('select id, mode from pools where id = $1', [params.id])
      if (!pool) throw new Problem('pool.unknown')
      return context.jobs.start(await proofJob(context, pool, body.person, caller.name))
    },
    async poolsExport({ reply }) {
      const { pools } = await readPools(context)
      const lines = pools.flatMap(({ id, hosts }) =>
        hosts.map(({ toDo, leftovers, ...host }) => ({
          pool: id,
          ...host,
          toDo: toDo.map(({ sentence }) => sentence).join(' '),
          leftovers: leftovers.map(({ person }) => person).join(' '),
        })),
      )
      return sendCsv(reply, 'hosts.csv', lines)
    },
    async remedy({ input, caller }) {
      const story = await readStory(context.database, input.params.id, context.now())
      const finding = story.diagnosis.cause
      if (!finding) throw new Problem('remedy.none', 'No cause is known for this attempt.')
      if (finding.remedy && !FOR_ONE_PERSON.has(finding.remedy.kind) && caller.role !== 'administrator')
        throw new Problem('role.insufficient', 'This remedy touches more than one person; an administrator can run it.')
      return context.jobs.start(remedyJob(context, story, finding, caller.name))
    },
  }
}
