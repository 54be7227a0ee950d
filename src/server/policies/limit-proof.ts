import { Problem } from '../../contract/errors'
import type { LimitProof } from '../../contract/policies'
import type { Queryable } from '../db/database'
import { StepStopped, type NewJob } from '../journal/jobs'
import type { Context } from '../shell/context'
import { factsOfSession } from './sessions'
import { sessionShould } from './should'

type Need = Pick<Context, 'fleet' | 'database' | 'now' | 'jobs'>

/** Longest limit that is waited for: a day. */
const MOST_MINUTES = 24 * 60
const sleep = (ms: number) => new Promise<void>((next) => setTimeout(next, ms))
/** The fleet looks every so often, so a log-off may come a little late. */
const LATE_MS = 20_000

/** Proofs that ran when the server stopped came to nothing; their sessions end by their own limit. */
export async function closeLimitProofs(database: Queryable): Promise<void> {
  await database.query(`update limit_proofs set ok = false, sentence = 'Ikebana was stopped during the proof.' where ok is null`)
}

export async function limitProofs(database: Queryable): Promise<LimitProof[]> {
  return database.query<LimitProof>(
    'select id, pool, person, author, at_ms as "atMs", limit_ms as "limitMs", took_ms as "tookMs", ok, sentence from limit_proofs order by at_ms desc limit 50',
  )
}

/**
 * Proves a disconnected limit with a test person: on, disconnected, the count-down watched, logged off by the fleet at the moment that the policy says. The session is
 * ended whatever happens, and the result is kept. @param pause how to wait between two looks
 */
export async function limitProofJob(need: Need, pool: string, person: string, author: string, pause = sleep): Promise<NewJob> {
  const { fleet, database, now, jobs } = need
  const [known] = await database.query<{ id: string }>('select id from people where id = $1 and enabled', [person.toLowerCase()])
  if (!known) throw new Problem('person.unknown')
  let at: { host: string; session: string } | null = null
  let limitMs = 0
  let leftMs = 0
  let tookMs: number | null = null
  const listed = async () => (at ? (await fleet.sessions(at.host)).find(({ session }) => session === at?.session) : undefined)
  return {
    kind: 'limit-proof',
    title: `Prove the disconnected limit on ${pool} with ${known.id}`,
    target: pool,
    author,
    attempt: null,
    change: { before: 'said by the policy', after: 'seen' },
    steps: [
      {
        title: 'Log the test person on',
        run: async (job) => {
          await database.query('insert into limit_proofs values ($1, $2, $3, $4, $5, null, null, null, null)', [job, pool, known.id, author, now()])
          const { began, host, session, reason } = await fleet.beginSession(known.id, pool)
          if (!began) throw new StepStopped(`The logon did not work: ${reason}.`)
          at = { host, session }
          return `${session} on ${host}`
        },
      },
      {
        title: 'Work out which limit holds',
        run: async () => {
          if (!at) throw new StepStopped('There is no session.')
          await fleet.fetchNow(at.host)
          const facts = (await factsOfSession(database, at.session)) ?? { person: known.id, host: at.host, pool, atMs: now() }
          const { effective } = await sessionShould(database, facts)
          const limit = effective.settings.find(({ setting }) => setting === 'disconnectedMinutes')
          if (typeof limit?.value !== 'number') throw new StepStopped('No limit holds for this session, so there is nothing to prove.')
          if (limit.value > MOST_MINUTES)
            throw new StepStopped(
              `The limit is ${limit.said}, by ${limit.winnerName}. More than a day is not waited for; give the test person a shorter one.`,
            )
          limitMs = limit.value * 60_000
          return `${limit.said}, by ${limit.winnerName}`
        },
      },
      {
        title: 'Disconnect it',
        run: async () => {
          if (!at) throw new StepStopped('There is no session.')
          await fleet.disconnect(at.host, at.session)
          leftMs = now()
          return (await listed())?.state ?? 'gone at once'
        },
      },
      {
        title: 'Watch it count down',
        run: async (job) => {
          while (await listed()) {
            const waited = now() - leftMs
            if (waited > limitMs + LATE_MS) throw new StepStopped(`It still runs ${Math.round((waited - limitMs) / 1000)} s after its limit.`)
            // The fleet is asked every second near the end, seldom while hours are left; whoever wants it to stop does not wait for that.
            for (let rest = Math.min(30_000, Math.max(1000, (limitMs - waited) / 10)); rest > 0; rest -= 1000) {
              jobs.tellProgress(job, Math.min(now() - leftMs, limitMs), limitMs)
              if (jobs.wantsToStop(job)) throw new StepStopped('Stopped on request.')
              await pause(Math.min(1000, rest))
            }
          }
          tookMs = now() - leftMs
          if (tookMs < limitMs - 2000)
            throw new StepStopped(`It was logged off after ${Math.round(tookMs / 1000)} s already; the limit is ${limitMs / 1000} s.`)
          return `logged off by the fleet after ${Math.round(tookMs / 1000)} s; the limit is ${limitMs / 1000} s`
        },
      },
      {
        title: 'Leave nothing behind, and keep the result',
        always: true,
        run: async (job, stopped) => {
          if (at && (await listed())) await fleet.endSession(at.host, at.session)
          const sentence = stopped ?? `Logged off ${Math.round((tookMs ?? 0) / 1000)} s after it was disconnected; the limit is ${limitMs / 1000} s.`
          await database.query('update limit_proofs set limit_ms = $2, took_ms = $3, ok = $4, sentence = $5 where id = $1', [
            job,
            limitMs || null,
            tookMs,
            stopped === null,
            sentence,
          ])
          return sentence
        },
      },
    ],
  }
}
