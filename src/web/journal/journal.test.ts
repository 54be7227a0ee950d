// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import type { ChangeLine } from '../../contract/changes'
import type { Job, JournalLine } from '../../contract/other'
import { jobOf } from '../fixtures/lines'
import { clear, Problem, show, type Answers } from '../fixtures/page'
import ChangesPage from './ChangesPage.vue'
import JobSteps from './JobSteps.vue'
import JournalPage from './JournalPage.vue'

afterEach(clear)

const AT_MS = Date.UTC(2026, 10, 23, 5, 40)
const job = (more: Partial<Job> = {}) =>
  jobOf({
    title: 'Release the container of mara',
    target: 'mara',
    startedMs: AT_MS,
    endedMs: AT_MS + 5000,
    steps: [
      { title: 'Look who holds the container', state: 'done', note: 'TH-Q1-04, session 7', atMs: AT_MS },
      { title: 'Release the hold', state: 'done', note: 'released', atMs: AT_MS },
    ],
    ...more,
  })

describe('the journal', () => {
  const line = (id: number, more: Partial<JournalLine> = {}): JournalLine => ({
    id,
    atMs: AT_MS - id * 60_000,
    who: id % 2 ? 'vaas' : 'orn',
    what: `did ${id}`,
    target: null,
    before: null,
    after: null,
    job: null,
    ...more,
  })
  const lines = Array.from({ length: 5 }, (_, i) => line(i + 1))
  const answers: Answers = {
    journal: ({ query }) => {
      const fit = lines.filter(({ what }) => what.includes(query['text'] ?? ''))
      const from = query['before'] ? fit.findIndex(({ id }) => id > Number(query['before'])) : 0
      const shown = from < 0 ? [] : fit.slice(from, from + 3)
      return { lines: shown, next: from + 3 < fit.length ? (shown.at(-1)?.id ?? null) : null }
    },
    jobs: { jobs: [] },
  }

  it('shows the newest lines, earlier ones when asked, and none twice', async () => {
    const page = await show(JournalPage, { answers, at: '/journal' })
    const said = () => page.all('tbody tr').map((row) => /did \d/.exec(row.textContent)?.[0])
    expect(said()).toEqual(['did 1', 'did 2', 'did 3'])
    await page.click('button', 'Earlier lines')
    await page.until(() => expect(said()).toEqual(['did 1', 'did 2', 'did 3', 'did 4', 'did 5']))
    expect(page.all('button', 'Earlier lines')).toEqual([])
    expect(page.text()).toContain('None has run yet.')
  })

  it('finds a part of a line, and gives the same as CSV', async () => {
    const page = await show(JournalPage, { answers, at: '/journal' })
    await page.type('[aria-label="Part of a line"]', 'did 4')
    await page.until(() => expect(page.all('tbody tr')).toHaveLength(1))
    expect(page.one('a', 'Export CSV').getAttribute('href')).toBe('/api/journal.csv?text=did+4')
    await page.type('[aria-label="Part of a line"]', 'nothing of the kind')
    await page.until(() => expect(page.text()).toContain('No line has “nothing of the kind” in it.'))
  })

  it('tells of each job what its steps did, and what came of it', async () => {
    const outcome = { sentence: 'Their next logon was ready after 13.1 s.', attempt: 'a2' }
    const failed = job({
      id: 'j2',
      state: 'failed',
      title: 'Restart TH-Q1-04',
      steps: [{ title: 'Drain it', state: 'failed', note: 'It refused.', atMs: AT_MS }],
    })
    const page = await show(JournalPage, { answers: { ...answers, jobs: { jobs: [job({ outcome }), failed] } }, at: '/journal' })
    expect(page.all('.job').map((one) => one.querySelector('strong')?.textContent)).toEqual(['Release the container of mara', 'Restart TH-Q1-04'])
    expect(page.text()).toContain('Look who holds the container: TH-Q1-04, session 7')
    expect(page.text()).toContain('Drain it: It refused.')
    expect(page.one('a', 'look').getAttribute('href')).toBe('/logons/a2')
  })
})

describe('a job as it goes', () => {
  const shown = (first: Job, more: Answers = {}) => show(JobSteps, { answers: { job: first, ...more }, props: { id: first.id } })

  it.each([
    ['done', 'Done.'],
    ['failed', 'It did not go through.'],
    ['cancelled', 'Stopped on request.'],
  ] as const)('that is %s says so', async (state, words) => {
    const page = await shown(job({ state }))
    expect(page.one('[role=status]').textContent.trim()).toBe(words)
    expect(page.all('li').map((one) => one.className)).toEqual(['done', 'done'])
    expect(page.all('button', 'Stop it')).toEqual([])
  })

  it.each([
    ['explain-anew', { done: 1200, total: 5000 }, '1,200 of 5,000 logons'],
    ['limit-proof', { done: 60_000, total: 3_600_000 }, /1 min.* of 60 min|1 min.* of 1 h/],
    ['container-move', { done: 2 ** 30, total: 2 ** 32 }, /1(\.0)? Gi?B of 4(\.0)? Gi?B read/],
  ])('of kind %s says how far it is in its own units', async (kind, progress, words) => {
    const page = await shown(job({ kind, state: 'running', endedMs: null, progress }))
    const text = page.one('.quiet.small').textContent.replaceAll(/\s+/g, ' ').trim()
    if (typeof words === 'string') expect(text).toBe(words)
    else expect(text).toMatch(words)
    expect(page.one('[role=status]').textContent).toMatch(/Running since 06:40/)
  })

  it('is stopped by whoever looks on', async () => {
    const running = job({ state: 'running', endedMs: null })
    const page = await shown(running, { jobCancel: running })
    await page.click('button', 'Stop it')
    expect(page.asked.filter(({ name }) => name === 'jobCancel').map(({ params }) => params)).toEqual([{ id: 'j1' }])
  })
})

describe('changes', () => {
  const change = (id: string, more: Partial<ChangeLine> = {}): ChangeLine => ({
    id,
    atMs: AT_MS,
    kind: 'image',
    scope: [{ dimension: 'image', value: '2026.12' }],
    sentence: `Change ${id}.`,
    who: 'the directory',
    toldMs: AT_MS,
    ...more,
  })
  const changes = [change('1'), change('2', { kind: 'other', scope: [], sentence: 'A switch was replaced.' })]
  const answers: Answers = { changes: { changes } }

  it('are listed with where they are, and by kind', async () => {
    const page = await show(ChangesPage, { answers, at: '/journal/changes' })
    expect(page.rows()).toEqual([
      'Mon 23 Nov 06:40 | image | Change 1. | image 2026.12 | the directory | take back',
      'Mon 23 Nov 06:40 | other | A switch was replaced. | everywhere | the directory | take back',
    ])
    const select = page.one<HTMLSelectElement>('select[aria-label=Kind]')
    select.value = 'other'
    select.dispatchEvent(new Event('change', { bubbles: true }))
    await page.until(() => expect(page.rows()).toHaveLength(1))
    expect(decodeURIComponent(page.one('a', 'Export CSV').getAttribute('href') ?? '')).toContain(',other,A switch was replaced.,everywhere,')
  })

  it('are told of with time, kind and place, in the time of the organisation', async () => {
    const page = await show(ChangesPage, { answers: { ...answers, changeTell: change('3') as never }, at: '/journal/changes' })
    await page.type('input[placeholder^="Storage"]', 'New firmware on quay-fs1')
    await page.type('input[type="datetime-local"]', '2026-11-23T06:30')
    const [, kind, where] = page.all('select') as HTMLSelectElement[]
    for (const [field, value] of [
      [kind, 'share'],
      [where, 'share'],
    ] as const) {
      if (!field) throw new Error('no field')
      field.value = value
      field.dispatchEvent(new Event('change', { bubbles: true }))
    }
    await page.until(() => expect(page.all('.pair input')).toHaveLength(1))
    await page.type('.pair input', ' quay ')
    page.one<HTMLFormElement>('aside form').requestSubmit()
    await page.until(() => expect(page.asked.some(({ name }) => name === 'changeTell')).toBe(true))
    expect(page.asked.find(({ name }) => name === 'changeTell')?.body).toEqual({
      at: '2026-11-23T05:30:00.000Z',
      kind: 'share',
      sentence: 'New firmware on quay-fs1',
      scope: [{ dimension: 'share', value: 'quay' }],
    })
  })

  it('that were refused say why, and keep what was typed', async () => {
    const page = await show(ChangesPage, {
      answers: { ...answers, changeTell: () => new Problem(400, 'It lies in the future.') },
      at: '/journal/changes',
    })
    await page.type('input[placeholder^="Storage"]', 'New firmware')
    page.one<HTMLFormElement>('aside form').requestSubmit()
    await page.until(() => expect(page.one('[role=alert]').textContent).toContain('It lies in the future.'))
    expect(page.one<HTMLInputElement>('input[placeholder^="Storage"]').value).toBe('New firmware')
  })

  it('are taken back by administrators only, and told of by nobody who only looks', async () => {
    const taken = await show(ChangesPage, { answers: { ...answers, changeForget: {} as never }, at: '/journal/changes' })
    await taken.click('[aria-label="Take back: A switch was replaced."]')
    expect(taken.asked.find(({ name }) => name === 'changeForget')?.params).toEqual({ id: '2' })
    clear()
    const looked = await show(ChangesPage, { answers, role: 'viewer', at: '/journal/changes' })
    expect([looked.all('button', 'take back').length, looked.all('aside form').length]).toEqual([0, 0])
    expect(looked.text()).toContain('Your role does not include this.')
  })
})
