import { Problem } from '../../contract/errors'
import type { Context, Handlers } from '../shell/context'
import { sendCsv } from '../shell/csv'
import { journalLines, latestJobs, readJob, writeJournal } from './store'

export function journalHandlers({ database, jobs, now }: Context): Handlers<'jobs' | 'job' | 'jobCancel' | 'journal' | 'journalExport'> {
  const jobOr404 = async (id: string) =>
    (await readJob(database, id)) ??
    (() => {
      throw new Problem('job.unknown')
    })()
  return {
    jobs: async () => ({ jobs: await latestJobs(database) }),
    job: async ({ input }) => ({ ...(await jobOr404(input.params.id)), progress: jobs.progressOf(input.params.id) }),
    async jobCancel({ input, caller }) {
      const job = await jobOr404(input.params.id)
      if (job.state === 'running') {
        jobs.cancel(job.id)
        await writeJournal(database, { atMs: now(), who: caller.name, what: `asked to cancel: ${job.title}`, target: job.target, job: job.id })
      }
      return job
    },
    async journal({ input: { query } }) {
      const lines = await journalLines(database, query.text, query.before, 100)
      return { lines, next: lines.length === 100 ? (lines.at(-1)?.id ?? null) : null }
    },
    async journalExport({ input: { query }, reply }) {
      const lines = await journalLines(database, query.text, undefined, 10_000)
      return sendCsv(
        reply,
        'journal.csv',
        lines.map(({ atMs, ...line }) => ({ at: new Date(atMs).toISOString(), ...line })),
      )
    },
  }
}
