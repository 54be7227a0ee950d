import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { makeWorld, type World } from '../containers/fixtures/world'
import type { Live } from '../shell/live'
import { Jobs, StepStopped, type NewJob } from './jobs'
import { readJob } from './store'

let world: World
let told: string[]
let jobs: Jobs
beforeAll(async () => {
  world = await makeWorld()
})
afterAll(() => world.close())
beforeEach(async () => {
  await world.reset()
  await world.database.exec('delete from jobs; delete from journal; delete from changes')
  told = []
  jobs = new Jobs(world.database, { tell: (event: string) => told.push(event) } as unknown as Live, () => world.nowMs)
})

const job = (steps: NewJob['steps'], more: Partial<NewJob> = {}): NewJob => ({
  kind: 'test',
  title: 'Turn it round',
  target: 'TH-1',
  author: 'vaas',
  attempt: null,
  change: { before: 'left', after: 'right' },
  steps,
  ...more,
})
const step = (title: string, run: NewJob['steps'][number]['run'] = () => Promise.resolve(title), always = false) => ({
  title,
  run,
  ...(always ? { always } : {}),
})
const ended = async (wanted: NewJob) => {
  const { id } = await jobs.start(wanted)
  await jobs.settle()
  const made = await readJob(world.database, id)
  if (!made) throw new Error('the job is missing')
  return made
}
const journal = () => world.database.query('select who, what, target, before, after from journal order by id')

describe('a job', () => {
  it('runs its steps in order, keeps what each says, and stands in the journal with before and after', async () => {
    const order: string[] = []
    const made = await ended(job(['one', 'two'].map((title) => step(title, () => Promise.resolve((order.push(title), `did ${title}`))))))
    expect([order, made.state, made.steps.map(({ state, note }) => [state, note])]).toEqual([
      ['one', 'two'],
      'done',
      [
        ['done', 'did one'],
        ['done', 'did two'],
      ],
    ])
    expect(await journal()).toEqual([
      { who: 'vaas', what: 'began: Turn it round', target: 'TH-1', before: null, after: null },
      { who: 'vaas', what: 'finished: Turn it round', target: 'TH-1', before: 'left', after: 'right' },
    ])
    expect(told).toContain('job')
  })

  it('that stops says why, skips the rest, puts back what it must, and tells those steps why', async () => {
    let heard: string | null | undefined
    const made = await ended(
      job([
        step('try', () => Promise.reject(new StepStopped('It is locked.'))),
        step('go on'),
        step('put back', (_, why) => Promise.resolve(((heard = why), 'as before')), true),
      ]),
    )
    expect([made.state, made.steps.map(({ state }) => state), heard]).toEqual(['failed', ['failed', 'skipped', 'done'], 'It is locked.'])
    expect((await journal())[1]).toMatchObject({ what: 'failed: Turn it round', before: 'left', after: 'It is locked.' })
  })

  it('that is cancelled ends between two steps, or within one that asks; what must be put back is', async () => {
    const between = await ended(
      job([step('one', (id) => Promise.resolve((jobs.cancel(id), 'done'))), step('two'), step('put back', undefined, true)]),
    )
    expect([between.state, between.steps.map(({ state }) => state)]).toEqual(['cancelled', ['done', 'skipped', 'done']])
    const within = await ended(
      job([
        step('wait', (id) => {
          jobs.cancel(id)
          return jobs.wantsToStop(id) ? Promise.reject(new StepStopped('Stopped on request.')) : Promise.resolve('')
        }),
        step('two'),
      ]),
    )
    expect([within.state, within.steps.map(({ state }) => state)]).toEqual(['cancelled', ['failed', 'skipped']])
  })

  it('says how far a long step is, to whoever looks, and forgets it at the end', async () => {
    let seen: unknown
    const made = await ended(job([step('long', (id) => Promise.resolve((jobs.tellProgress(id, 3, 10), (seen = jobs.progressOf(id)), 'all')))]))
    expect([seen, jobs.progressOf(made.id), told.includes('progress')]).toEqual([{ done: 3, total: 10 }, null, true])
  })

  it('tells what it altered of the places where people log on, only where it was done', async () => {
    const alters = { kind: 'host' as const, scope: [{ dimension: 'host', value: 'TH-1' }] }
    await ended(job([step('one')], { alters }))
    await ended(job([step('no', () => Promise.reject(new Error('no')))], { alters }))
    expect(await world.database.query('select kind, scope, sentence from changes')).toEqual([
      { kind: 'host', scope: [{ dimension: 'host', value: 'TH-1' }], sentence: 'Turn it round.' },
    ])
  })

  it('that ran when the server stopped is closed with a sentence', async () => {
    let go: () => void = () => undefined
    const waiting = new Promise<void>((resolve) => (go = resolve))
    const { id } = await jobs.start(job([step('one'), step('two', async () => (await waiting, 'late'))]))
    await expect.poll(async () => (await readJob(world.database, id))?.steps[1]?.state).toBe('running')
    expect(jobs.isRunning(id)).toBe(true)
    const after = new Jobs(world.database, { tell: () => undefined } as unknown as Live, () => world.nowMs)
    await after.closeOrphans()
    expect(await readJob(world.database, id)).toMatchObject({
      state: 'failed',
      steps: [{ state: 'done' }, { state: 'failed', note: 'Ikebana was stopped during this step. Look whether it took effect.' }],
    })
    go()
    await jobs.settle()
    expect(jobs.isRunning(id)).toBe(false)
  })

  it('is judged by what the person did next: one that had begun before it was done and failed says nothing, one that worked does', async () => {
    const minute = 60_000
    const began = world.nowMs
    const logOn = (id: string, minutes: number, outcome: string) =>
      world.database.query(
        `insert into attempts (id, thread, person, started_ms, last_ms, total_ms, outcome, first, network, blame_ms, lost_ms, slow_ms)
        values ($1, $1, 'mara', $2, $2, 9000, $3, false, 'office', '{}', 0, 0)`,
        [id, began + minutes * minute, outcome],
      )
    await logOn('held', -1, 'failed')
    const takesFiveMinutes = step('release', () => {
      world.nowMs += 5 * minute
      return Promise.resolve('released')
    })
    const { id } = await ended(job([takesFiveMinutes], { attempt: 'held' }))
    const outcome = async () => (await readJob(world.database, id))?.outcome
    await logOn('meanwhile', 2, 'failed')
    await logOn('running', 6, 'open')
    expect(await outcome()).toBeNull()
    await logOn('after', 7, 'failed')
    expect(await outcome()).toEqual({ attempt: 'after', sentence: 'Their next logon failed too.' })
    await logOn('worked', 3, 'ready')
    expect(await outcome()).toEqual({ attempt: 'worked', sentence: 'Their next logon worked, in 9.0 s.' })
  })
})
