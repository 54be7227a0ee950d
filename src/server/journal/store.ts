import type { Job, JournalLine } from '../../contract/other'
import type { Queryable } from '../db/database'

export interface JournalEntry {
  atMs: number
  who: string
  what: string
  target?: string | null
  before?: string | null
  after?: string | null
  job?: string | null
}

export async function writeJournal(handle: Queryable, entry: JournalEntry): Promise<void> {
  await handle.query('insert into journal (at_ms, who, what, target, before, after, job) values ($1, $2, $3, $4, $5, $6, $7)', [
    entry.atMs,
    entry.who,
    entry.what,
    entry.target ?? null,
    entry.before ?? null,
    entry.after ?? null,
    entry.job ?? null,
  ])
}

export async function journalLines(handle: Queryable, text: string, before: number | undefined, limit: number): Promise<JournalLine[]> {
  return handle.query<JournalLine>(
    `select id, at_ms as "atMs", who, what, target, before, after, job from journal where ($1::bigint is null or id < $1) and ($2 = '' or concat_ws(' ', who, what, target, before, after) ilike $3) order by id desc limit $4`,
    [before ?? null, text, `%${text.replaceAll(/[\\%_]/g, '\\$&')}%`, limit],
  )
}

const JOB = `j.id, j.kind, j.title, j.target, j.state, j.author, j.started_ms as "startedMs", j.ended_ms as "endedMs", j.steps`

export async function readJob(handle: Queryable, id: string): Promise<Job | null> {
  const [job] = await readJobs(handle, 'where j.id = $1', [id])
  return job ?? null
}

export async function latestJobs(handle: Queryable): Promise<Job[]> {
  return readJobs(handle, '', [])
}

/**
 * Jobs with what came of them: the first attempt that the same person made after the job had ended,
 * or one while it ran that worked. One that began before there was a remedy and failed says nothing of it.
 */
async function readJobs(handle: Queryable, where: string, params: readonly unknown[]): Promise<Job[]> {
  const rows = await handle.query<Omit<Job, 'outcome' | 'progress'> & { next: string | null; nextOutcome: string | null; nextMs: number | null }>(
    `select ${JOB}, n.id as next, n.outcome as "nextOutcome", n.total_ms as "nextMs" from jobs j left join attempts a on a.id = j.attempt
    left join lateral (select id, outcome, total_ms from attempts b where b.person = a.person and b.started_ms > case when b.outcome = 'failed' then j.ended_ms else j.started_ms end and b.outcome <> 'open' order by b.started_ms limit 1) n on j.state = 'done' ${where} order by j.started_ms desc limit 100`,
    params,
  )
  return rows.map(({ next, nextOutcome, nextMs, ...job }) => ({
    ...job,
    progress: null,
    outcome:
      next === null
        ? null
        : {
            attempt: next,
            sentence:
              nextOutcome === 'failed' ? 'Their next logon failed too.' : `Their next logon worked, in ${((nextMs ?? 0) / 1000).toFixed(1)} s.`,
          },
  }))
}

export async function saveJob(handle: Queryable, job: Job, attempt: string | null): Promise<void> {
  await handle.query(
    `insert into jobs values ($1, $2, $3, $4, $5, $6, $7, $8, $9::jsonb, $10) on conflict (id) do update set state = excluded.state, ended_ms = excluded.ended_ms, steps = excluded.steps`,
    [job.id, job.kind, job.title, job.target, job.state, job.author, job.startedMs, job.endedMs, JSON.stringify(job.steps), attempt],
  )
}
