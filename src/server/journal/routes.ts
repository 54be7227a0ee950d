import { Problem } from '../../contract/errors'
import type { Request } from '../../contract/routes'
import type { Scope } from '../../contract/changes'
import type { Context, Handlers } from '../shell/context'
import { sendCsv } from '../shell/csv'
import { forgetChange, keepChanges, listChanges } from './changes'
import { journalLines, latestJobs, readJob, writeJournal } from './store'

/** Evidence and changes from further ahead come from a wrong clock. */
const AHEAD_MS = 86_400_000
const scopeWords = (scope: Scope) => (scope.length ? scope.map(({ dimension, value }) => `${dimension} ${value}`).join(', ') : null)

type Names = 'jobs' | 'job' | 'jobCancel' | 'journal' | 'journalExport' | 'changes' | 'changeTell' | 'changeTellByToken' | 'changeForget'

export function journalHandlers({ database, evidence, jobs, live, now }: Context): Handlers<Names> {
  async function tell({ at, id, ...change }: Request<'changeTell'>['body'], who: string): Promise<{ id: string }> {
    const atMs = Date.parse(at)
    if (atMs > now() + AHEAD_MS) throw new Problem('request.invalid', 'The change is more than a day ahead.')
    const [kept = ''] = await keepChanges(database, [{ ...change, ...(id === undefined ? {} : { id }), atMs, who }], now())
    await writeJournal(database, {
      atMs: now(),
      who,
      what: 'told of a change',
      target: scopeWords(change.scope),
      before: null,
      after: change.sentence,
    })
    await evidence.refresh()
    for (const what of ['changes', 'journal', 'attempts'] as const) live.tell(what)
    return { id: kept }
  }
  const jobOr404 = async (id: string) =>
    (await readJob(database, id)) ??
    (() => {
      throw new Problem('job.unknown')
    })()
  return {
    changes: async ({ input: { query } }) => ({
      changes: await listChanges(database, query.fromMs ?? now() - 30 * 86_400_000, query.toMs ?? now() + AHEAD_MS),
    }),
    changeTell: ({ input: { body }, caller }) => tell(body, caller.name),
    changeTellByToken: ({ input: { body }, caller }) => tell(body, caller.name),
    async changeForget({ input: { params }, caller }) {
      const gone = await forgetChange(database, params.id)
      if (!gone) throw new Problem('change.unknown')
      await writeJournal(database, {
        atMs: now(),
        who: caller.name,
        what: 'took a change back',
        target: scopeWords(gone.scope),
        before: gone.sentence,
        after: null,
      })
      await evidence.refresh()
      for (const what of ['changes', 'journal', 'attempts'] as const) live.tell(what)
      return { ok: true }
    },
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
