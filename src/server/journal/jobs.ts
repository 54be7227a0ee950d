import { randomUUID } from 'node:crypto'
import type { Job } from '../../contract/other'
import type { Database } from '../db/database'
import type { Live } from '../shell/live'
import { keepChanges, type NewChange } from './changes'
import { readJob, saveJob, writeJournal } from './store'

/** One step of a job. It returns a note on what it did, or `skip` with the reason why nothing was to be done. */
export interface Step {
  readonly title: string
  /** Runs even when a step before it failed or somebody stopped the job: it puts something back. */
  readonly always?: boolean
  /**
   * @param job the job's id, under which progress is told and a wish to stop arrives
   * @param stopped why the job ended early, for steps that always run; null where all went well so far
   */
  run(job: string, stopped: string | null): Promise<string>
}

export interface NewJob {
  readonly kind: string
  readonly title: string
  readonly target: string | null
  readonly author: string
  readonly attempt: string | null
  readonly steps: readonly Step[]
  /** What was so before and is so after, for the journal. */
  readonly change: { readonly before: string; readonly after: string }
  /** What it alters of the places where people log on, for whoever looks why something began. */
  readonly alters?: Pick<NewChange, 'kind' | 'scope'>
}

/** Thrown by a step to end its job with a sentence: what was found, and that nothing more was done. */
export class StepStopped extends Error {}

/** Runs jobs step by step, keeps each step, tells whoever looks on, and writes the end into the journal. */
export class Jobs {
  readonly #cancelled = new Set<string>()
  readonly #running = new Set<Promise<void>>()
  readonly #ids = new Set<string>()
  #leaving = false
  readonly #progress = new Map<string, { done: number; total: number }>()

  /** @param onCancel told when somebody wants a job to stop, for work that can stop within a step */
  constructor(
    private readonly database: Database,
    private readonly live: Live,
    private readonly now: () => number,
    private readonly onCancel: (job: string) => void = () => undefined,
  ) {}

  async start(wanted: NewJob): Promise<Job> {
    const job: Job = {
      id: randomUUID(),
      kind: wanted.kind,
      title: wanted.title,
      target: wanted.target,
      state: 'running',
      author: wanted.author,
      startedMs: this.now(),
      endedMs: null,
      outcome: null,
      progress: null,
      steps: wanted.steps.map(({ title }) => ({ title, state: 'waiting' as const, note: null, atMs: null })),
    }
    await saveJob(this.database, job, wanted.attempt)
    await writeJournal(this.database, { atMs: this.now(), who: wanted.author, what: `began: ${wanted.title}`, target: wanted.target, job: job.id })
    this.#ids.add(job.id)
    const run = this.#run(job, wanted).finally(() => {
      this.#running.delete(run)
      this.#ids.delete(job.id)
    })
    this.#running.add(run)
    return job
  }

  cancel(id: string): void {
    this.#cancelled.add(id)
    this.onCancel(id)
  }

  /** How far the step of a job is that takes long. */
  tellProgress(id: string, done: number, total: number): void {
    this.#progress.set(id, { done, total })
    this.live.tell('progress', { id })
  }

  progressOf(id: string): { done: number; total: number } | null {
    return this.#progress.get(id) ?? null
  }

  /** Whether somebody wishes a job to stop, for steps that wait. */
  wantsToStop(id: string): boolean {
    return this.#cancelled.has(id)
  }

  /** The server is being stopped: long steps that can go on at the next start end here. */
  leave(): void {
    this.#leaving = true
  }

  get isLeaving(): boolean {
    return this.#leaving
  }

  isRunning(id: string): boolean {
    return this.#ids.has(id)
  }

  /** Waits until no job runs. */
  async settle(): Promise<void> {
    await Promise.allSettled([...this.#running])
  }

  /** Jobs that ran when the server stopped cannot go on; they are closed with a sentence. */
  async closeOrphans(): Promise<void> {
    for (const { id } of await this.database.query<{ id: string }>(`select id from jobs where state = 'running'`)) {
      const job = await readJob(this.database, id)
      if (!job) continue
      await saveJob(
        this.database,
        {
          ...job,
          state: 'failed',
          endedMs: this.now(),
          steps: job.steps.map((step) =>
            step.state === 'running'
              ? { ...step, state: 'failed', note: 'Ikebana was stopped during this step. Look whether it took effect.' }
              : step,
          ),
        },
        null,
      )
    }
  }

  async #run(job: Job, wanted: NewJob): Promise<void> {
    const steps = [...job.steps]
    let state: Job['state'] = 'done'
    let stopped: string | null = null
    const save = async (ended: boolean) => {
      await saveJob(this.database, { ...job, state: ended ? state : 'running', endedMs: ended ? this.now() : null, steps }, wanted.attempt)
      this.live.tell('job', { id: job.id })
    }
    for (const [index, step] of wanted.steps.entries()) {
      const mark = (change: Partial<Job['steps'][number]>) => {
        steps[index] = { ...(steps[index] ?? { title: step.title, state: 'waiting', note: null, atMs: null }), ...change, atMs: this.now() }
      }
      if (state === 'done' && this.#cancelled.has(job.id)) state = 'cancelled'
      if (state !== 'done' && !step.always) {
        mark({ state: 'skipped' })
        continue
      }
      mark({ state: 'running' })
      await save(false)
      try {
        mark({ state: 'done', note: await step.run(job.id, state === 'cancelled' ? (stopped ?? 'Stopped on request.') : stopped) })
      } catch (error) {
        const note = error instanceof Error ? error.message : String(error)
        mark({ state: 'failed', note })
        stopped ??= note
        // Work that stopped within its step because somebody wished it did not fail.
        if (state === 'done') state = this.#cancelled.has(job.id) ? 'cancelled' : 'failed'
      }
    }
    this.#progress.delete(job.id)
    await save(true)
    if (state === 'done' && wanted.alters)
      await keepChanges(
        this.database,
        [{ ...wanted.alters, id: `job-${job.id}`, atMs: this.now(), sentence: `${wanted.title}.`, who: wanted.author }],
        this.now(),
      )
    const note = steps.find((step) => step.state === 'failed')?.note ?? null
    await writeJournal(this.database, {
      atMs: this.now(),
      who: wanted.author,
      what: `${state === 'done' ? 'finished' : state}: ${wanted.title}`,
      target: wanted.target,
      before: wanted.change.before,
      after: state === 'done' ? wanted.change.after : (note ?? 'unchanged'),
      job: job.id,
    })
    this.live.tell('journal')
  }
}
