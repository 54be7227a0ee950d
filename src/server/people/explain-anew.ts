import type { Names } from '../../core/people'
import { StepStopped, type NewJob } from '../journal/jobs'
import type { Context } from '../shell/context'

type Need = Pick<Context, 'database' | 'evidence' | 'jobs' | 'now' | 'live'>

/** So many are explained at once: evidence that comes meanwhile does not wait long. */
const AT_ONCE = 400

/** Attempts that name somebody or some host of these. */
const NAMED = `(person = any($1) or split_part(lower(host), '.', 1) = any($2))`

/**
 * Logons were read before the organisation knew whom, or which host, they name: they are explained anew with what it knows now.
 * @returns the job that does it, and of how many attempts; null where there are none
 */
export async function explainAnew(need: Need, { people, hosts }: Names, author: string): Promise<{ job: string; attempts: number } | null> {
  if (people.length + hosts.length === 0) return null
  const [row] = await need.database.query<{ n: number }>(`select count(*)::integer as n from attempts where ${NAMED}`, [people, hosts])
  const attempts = row?.n ?? 0
  if (attempts === 0) return null
  const { id } = await need.jobs.start(job(need, [people, hosts], attempts, author))
  return { job: id, attempts }
}

function job(
  { database, evidence, jobs, now, live }: Need,
  names: [people: readonly string[], hosts: readonly string[]],
  total: number,
  author: string,
): NewJob {
  return {
    kind: 'explain-anew',
    title: `Explain ${total === 1 ? 'a logon' : `${total.toLocaleString('en-GB')} logons`} anew that name what is known only now`,
    target: null,
    author,
    attempt: null,
    change: { before: 'explained without the organisation', after: 'explained with what it knows' },
    steps: [
      {
        title: 'Read them again, the first ones first',
        async run(id) {
          let [done, afterMs, after] = [0, -1, '']
          for (;;) {
            const rows = await database.query<{ id: string; thread: string; atMs: number }>(
              `select id, thread, started_ms as "atMs" from attempts where ${NAMED} and (started_ms, id) > ($3::bigint, $4::text) order by started_ms, id limit ${AT_ONCE}`,
              [...names, afterMs, after],
            )
            const last = rows.at(-1)
            if (!last) return `${done.toLocaleString('en-GB')} explained anew.`
            if (jobs.wantsToStop(id))
              throw new StepStopped(
                `Stopped: ${done.toLocaleString('en-GB')} of ${total.toLocaleString('en-GB')} were explained anew, the others are as they were.`,
              )
            await evidence.explainAnew(
              rows.map(({ thread, atMs }) => ({ thread, atMs })),
              now(),
            )
            done += rows.length
            ;[afterMs, after] = [last.atMs, last.id]
            jobs.tellProgress(id, Math.min(done, total), total)
            live.tell('attempts')
          }
        },
      },
    ],
  }
}
