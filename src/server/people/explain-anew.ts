import type { Names } from '../../core/people'
import { StepStopped, type NewJob } from '../journal/jobs'
import type { Again } from '../logons/known'
import type { Context } from '../shell/context'

type Need = Pick<Context, 'database' | 'evidence' | 'jobs' | 'now' | 'live'>

/** So many are explained at once: evidence that comes meanwhile does not wait long. */
const AT_ONCE = 400

/** Attempts that name somebody or some host of these, or do not say the share of somebody whose container was found. */
const NAMED = `(person = any($1) or host_key(host) = any($2) or (share is null and person = any($3)))`

/** What is to be done, and how far it is: kept until it is done, so that the next start can go on with it. */
interface Wish {
  readonly names: Names
  readonly author: string
  readonly total: number
  readonly done: number
  /** The last one that was explained. */
  readonly afterMs: number
  readonly after: string
}
const KEPT = 'explain anew '

/** The same where it is found by and by, as by scans: a few are explained at once, without a job. */
export async function explainAnewQuietly(need: Need, names: Names): Promise<void> {
  const few = await named(need, names, AT_ONCE + 1)
  if (few.length > AT_ONCE) await explainAnew(need, names, 'Ikebana')
  else if (few.length > 0) {
    await need.evidence.explainAnew(few, need.now())
    need.live.tell('attempts')
  }
}

/** The first attempts that name any of these, after one of them. */
async function named({ database }: Need, { people, hosts, homes }: Names, most: number, afterMs = -1, after = ''): Promise<Named[]> {
  if (people.length + hosts.length + homes.length === 0) return []
  return database.query<Named>(
    `select id, thread, started_ms as "atMs" from attempts where ${NAMED} and (started_ms, id) > ($4::bigint, $5::text) order by started_ms, id limit ${most}`,
    [people, hosts, homes, afterMs, after],
  )
}
interface Named extends Again {
  readonly id: string
}

/**
 * Logons were read before the organisation knew whom, or which host, they name, or where whose container lies: they are explained anew with what it knows now.
 * @returns the job that does it, and of how many attempts; null where there are none
 */
export async function explainAnew(need: Need, names: Names, author: string): Promise<{ job: string; attempts: number } | null> {
  const { people, hosts, homes } = names
  if (people.length + hosts.length + homes.length === 0) return null
  const [row] = await need.database.query<{ n: number }>(`select count(*)::integer as n from attempts where ${NAMED}`, [people, hosts, homes])
  const total = row?.n ?? 0
  if (total === 0) return null
  const { id } = await need.jobs.start(job(need, { names, author, total, done: 0, afterMs: -1, after: '' }))
  return { job: id, attempts: total }
}

/** Goes on with what a stop of the server cut off. */
export async function goOnExplaining(need: Need): Promise<void> {
  const cut = await need.database.query<{ name: string; value: Wish }>(`select name, value from facts where name like $1`, [`${KEPT}%`])
  for (const { name, value } of cut) {
    await need.jobs.start(job(need, value))
    await need.database.query('delete from facts where name = $1', [name])
  }
}

function job(need: Need, wish: Wish): NewJob {
  const { database, evidence, jobs, now, live } = need
  const { names, total } = wish
  const keep = (id: string, state: Wish) =>
    database.query('insert into facts values ($1, $2::jsonb) on conflict (name) do update set value = excluded.value', [
      KEPT + id,
      JSON.stringify(state),
    ])
  const say = (n: number) => n.toLocaleString('en-GB')
  const left = Math.max(1, total - wish.done)
  return {
    kind: 'explain-anew',
    title: `Explain ${left === 1 ? 'a logon' : `${say(left)} logons`} anew that name what is known only now${wish.done > 0 ? `, the rest of ${say(total)}` : ''}`,
    target: null,
    author: wish.author,
    attempt: null,
    change: { before: 'explained without the organisation', after: 'explained with what it knows' },
    steps: [
      {
        title: 'Read them again, the first ones first',
        async run(id) {
          let { done, afterMs, after } = wish
          await keep(id, wish)
          for (;;) {
            const rows = await named(need, names, AT_ONCE, afterMs, after)
            const last = rows.at(-1)
            if (jobs.isLeaving && last)
              throw new StepStopped(`Ikebana was stopped: ${say(done)} of ${say(total)} were explained anew. The next start goes on with the others.`)
            if (!last || jobs.wantsToStop(id)) {
              await database.query('delete from facts where name = $1', [KEPT + id])
              if (!last) return `${say(done)} explained anew.`
              throw new StepStopped(`Stopped: ${say(done)} of ${say(total)} were explained anew, the others are as they were.`)
            }
            await evidence.explainAnew(rows, now())
            done += rows.length
            ;[afterMs, after] = [last.atMs, last.id]
            await keep(id, { ...wish, done, afterMs, after })
            jobs.tellProgress(id, Math.min(done, total), total)
            live.tell('attempts')
          }
        },
      },
    ],
  }
}
