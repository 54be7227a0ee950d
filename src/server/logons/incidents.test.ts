import { existsSync, readFileSync } from 'node:fs'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import type { Database } from '../db/database'
import { openEmbedded } from '../db/embedded'
import { migrate } from '../db/migrate'
import { keepChanges } from '../journal/changes'
import { EMPTY_ORG } from '../../core/people'
import { IncidentDesk } from './incident-desk'
import { incidentLines, readIncident } from './incidents'
import { Intake } from './intake'
import { listAttempts } from './store'

const MINUTE = 60_000
const HOUR = 60 * MINUTE
const template = 'dist/server/empty-database.tar'
let database: Database
let intake: Intake
let nowMs = START_MS + 8 * HOUR
const need = () =>
  ({
    database,
    now: () => nowMs,
    evidence: {
      incidents: (fromMs: number, toMs: number) => intake.incidents(fromMs, toMs),
      hours: async (scope: never, cause: string, fromMs: number, toMs: number) => intake.hoursOf(scope, cause, fromMs, toMs),
    },
  }) as unknown as Parameters<typeof readIncident>[0]

/** A logon every half minute on one of six hosts of two images. @param ill those on image `hall 2` wait for their profile */
const hour = (from: number, ill: boolean) =>
  Array.from({ length: 120 }, (_, i) => {
    const host = `TH-${i % 6}`
    const image = i % 6 < 3 ? 'hall 1' : 'hall 2'
    const profile = ill && image === 'hall 2' ? 30_000 + 10 * i : 1200 + 10 * i
    return logon({
      id: `h${from}-${i}`,
      person: `p${i}`,
      host,
      at: from + i * 30_000,
      phases: { broker: 500, profile, shell: 4000 },
      attrs: { image, share: 's' },
    })
  }).flat()

const ONSET_MS = START_MS + 3 * HOUR
const DONE_MS = ONSET_MS + HOUR + 5 * MINUTE
beforeAll(async () => {
  database = await openEmbedded(undefined, existsSync(template) ? new Blob([readFileSync(template)]) : undefined)
  await migrate(database)
  await keepChanges(
    database,
    [
      {
        id: 'image',
        atMs: ONSET_MS - 10 * MINUTE,
        kind: 'image',
        scope: [{ dimension: 'image', value: 'hall 2' }],
        sentence: 'Image hall 2 everywhere',
        who: 'ada',
      },
      { id: 'late', atMs: DONE_MS + 40 * 24 * HOUR, kind: 'image', scope: [], sentence: 'Long after all of it', who: 'ada' },
      { id: 'other', atMs: DONE_MS + MINUTE, kind: 'gateway', scope: [], sentence: 'Gateway restarted', who: 'ada' },
      { id: 'back', atMs: DONE_MS, kind: 'image', scope: [{ dimension: 'image', value: 'hall 2' }], sentence: 'Profile helper put back', who: 'ada' },
    ],
    START_MS,
  )
  intake = new Intake(database)
  await intake.refresh()
  for (const [from, ill] of [
    [START_MS, false],
    [START_MS + HOUR, false],
    [START_MS + 2 * HOUR, false],
    [ONSET_MS, true],
    [DONE_MS, false],
    [DONE_MS + HOUR, false],
  ] as const)
    await intake.ingest(hour(from, ill), nowMs)
})
afterAll(() => database.close())

describe('an incident', () => {
  const found = async () => incidentLines(await intake.incidents(START_MS, nowMs))

  it('is one line for all of its logons: where, since when, how much, and the change that is suspected', async () => {
    const [line] = await found()
    expect(line?.scope).toEqual([{ dimension: 'image', value: 'hall 2' }])
    expect(Math.abs((line?.sinceMs ?? 0) - ONSET_MS)).toBeLessThan(5 * MINUTE)
    expect(line?.attempts).toBeGreaterThanOrEqual(55)
    expect(line?.people).toBeGreaterThanOrEqual(55)
    expect(line?.change?.id).toBe('image')
  })

  it('has a page with the reasons, its hours, and what was done since: where it sits first', async () => {
    await database.query(
      `insert into jobs (id, kind, title, state, author, started_ms, ended_ms, steps) values ('again', 'explain-anew', 'Explain 9 logons anew', 'done', 'ada', $1, $1, '[]')`,
      [DONE_MS + 2 * MINUTE],
    )
    const [line] = await found()
    const page = await readIncident(need(), line?.id ?? '', START_MS, nowMs, undefined)
    expect(page.contrast.inside.hit).toBeGreaterThan(0.9 * 55)
    expect(page.p).toBeLessThan(1e-6)
    expect(page.done.map(({ sentence, here }) => [sentence, here])).toEqual([
      ['Profile helper put back', true],
      ['Gateway restarted', false],
    ])
    // Months later, what was done long after the last of it is not offered as what may have ended it.
    const later = await readIncident({ ...need(), now: () => DONE_MS + 60 * 24 * HOUR }, line?.id ?? '', START_MS, nowMs, undefined)
    expect(later.done).toEqual(page.done)
    expect(page.hours.reduce((sum, { hit }) => sum + hit, 0)).toBe(line?.attempts)
    expect(page.suspects.map(({ change }) => change.id)).toContain('image')
    expect(page.watch).toBeNull()
  })

  it('is followed from a moment on: it helped, said by those on the same image only', async () => {
    const [line] = await found()
    const { watch } = await readIncident(need(), line?.id ?? '', START_MS, nowMs, DONE_MS)
    expect(watch?.verdict).toBe('helped')
    expect(watch?.sentence).toMatch(/^Helped: 3\d s → \d\.\d s, 120 logons so far\.$/)
    expect(watch?.cohort).toBe('everybody on hall 2')
    // Right after the moment there is nobody to ask.
    nowMs = START_MS + 9 * HOUR
    expect((await readIncident(need(), line?.id ?? '', START_MS, nowMs, START_MS + 8 * HOUR)).watch?.verdict).toBe('waiting')
  })

  it('that is none of this window is not known', async () => {
    await expect(readIncident(need(), 'share-slow~share=x~1', START_MS, nowMs, undefined)).rejects.toMatchObject({ code: 'incident.unknown' })
  })
})

describe('an incident of first logons', () => {
  const then = START_MS + 20 * HOUR
  /** Every tenth logs on for the first time. */
  const refused = (from: number) =>
    Array.from({ length: 120 }, (_, i) => {
      const first = i % 10 === 4
      const denied = first && from >= then + HOUR
      return logon({
        id: `f${from}-${i}`,
        person: first ? `new${from}-${i}` : `p${i}`,
        host: `TH-${i % 6}`,
        at: from + i * 30_000,
        phases: { broker: 500, profile: 1200 + i, shell: 4000 },
        attrs: { image: i % 6 < 3 ? 'hall 1' : 'hall 2', share: 's', first },
        ...(denied ? { outcome: 'failed', phases: { broker: 500, container: 900 }, marks: [['0xC0000022', 'container', 1200]] } : {}),
      })
    }).flat()

  it('says so, lists them, and follows whoever logs on for the first time', async () => {
    const desk = new Intake(database)
    await desk.refresh()
    intake = desk
    for (const from of [then, then + HOUR, then + 2 * HOUR]) await desk.ingest(refused(from), then + 3 * HOUR)
    nowMs = then + 3 * HOUR
    await desk.reconsider(nowMs)
    const [line] = incidentLines(await desk.incidents(then, nowMs))
    expect(line).toMatchObject({ cause: 'container-denied', scope: [{ dimension: 'logon', value: 'first' }], failed: 24, people: 24 })
    const page = await readIncident(need(), line?.id ?? '', then, nowMs, then + 2 * HOUR)
    expect(page.watch).toMatchObject({ cohort: 'everybody who logs on for the first time', after: { n: 12, withCause: 12 } })
    const of = async (which: 'first' | 'returning') =>
      (await listAttempts(database, { fromMs: then + HOUR, toMs: nowMs, logon: which, sort: 'started', limit: 300 })).attempts
    expect((await of('first')).map(({ cause }) => cause)).toEqual(Array.from({ length: 24 }, () => 'container-denied'))
    expect((await of('returning')).filter(({ outcome }) => outcome === 'ready')).toHaveLength(216)
  })
})

describe('an incident of several hosts', () => {
  const then = START_MS + 30 * HOUR
  const hosts = ['TH-1', 'TH-4', 'TH-7']
  const broken = (from: number, ill: readonly string[]) =>
    Array.from({ length: 120 }, (_, i) => {
      const host = `TH-${i % 9}`
      return logon({
        ...{ id: `s${from}-${i}`, person: `p${i}`, host, at: from + i * 30_000, attrs: { image: `hall ${i % 2}`, share: 's' } },
        ...(ill.includes(host)
          ? { outcome: 'failed', phases: { broker: 500, 'sign-on': 900 }, marks: [['0xC000018D', 'sign-on', 1200]] }
          : { phases: { broker: 500, profile: 1200 + i, shell: 4000 } }),
      })
    }).flat()

  it('names them, lists and follows those on any of them, and is found by what it was called when they were fewer', async () => {
    const desk = new Intake(database)
    await desk.refresh()
    intake = desk
    await desk.ingest(broken(then, []), then + HOUR)
    await desk.ingest(broken(then + HOUR, hosts), then + 2 * HOUR)
    nowMs = then + 3 * HOUR
    await desk.ingest(broken(then + 2 * HOUR, ['TH-4']), nowMs)
    await desk.reconsider(nowMs)
    const [line, ...others] = incidentLines(await desk.incidents(then, nowMs))
    expect(others).toEqual([])
    expect(line).toMatchObject({ cause: 'unexplained', scope: [{ dimension: 'host', value: 'TH-1, TH-4, TH-7' }], failed: 53 })
    for (const called of [line?.id ?? '', 'unexplained~host=TH-4~x', 'unexplained~host=TH-7, TH-9~x']) {
      const page = await readIncident(need(), called, then, nowMs, then + 2 * HOUR)
      expect(page.id).toBe(line?.id)
      expect(page.each.map(({ place, inside }) => [place.value, inside.hit])).toEqual([
        ['TH-1', 14],
        ['TH-4', 26],
        ['TH-7', 13],
      ])
      expect(page.watch).toMatchObject({ cohort: 'everybody on TH-1, TH-4, TH-7', after: { n: 40, withCause: 13 } })
      expect(page.hours.reduce((sum, { hit }) => sum + hit, 0)).toBe(53)
    }
    await expect(readIncident(need(), 'unexplained~host=TH-5~x', then, nowMs, undefined)).rejects.toMatchObject({ code: 'incident.unknown' })
    const host = 'TH-1, th-4.larkmere.example, TH-7'
    const listed = await listAttempts(database, { fromMs: then + HOUR, toMs: nowMs, host, sort: 'started', limit: 300 })
    expect([listed.attempts.length, [...new Set(listed.attempts.map((one) => one.host))].sort()]).toEqual([80, hosts])
  })
})

describe('a window that lies before what is held in memory', () => {
  const old = START_MS - 100 * 24 * HOUR
  const lines = async () => incidentLines(await intake.incidents(old, old + 4 * HOUR))

  it('is read from the database: its incidents, when they began, and hour by hour', async () => {
    const desk = new Intake(database)
    await desk.refresh()
    intake = desk
    const change = {
      id: 'then',
      atMs: old + 2 * HOUR - 5 * MINUTE,
      kind: 'image' as const,
      scope: [{ dimension: 'image', value: 'hall 2' }],
      sentence: 'Image hall 2 tried',
      who: 'ada',
    }
    await keepChanges(database, [change], nowMs)
    // A month before now is held; what comes now is of long before.
    await desk.incidents(START_MS, nowMs)
    await desk.reconsider(nowMs)
    for (const [from, ill] of [
      [old, false],
      [old + HOUR, false],
      [old + 2 * HOUR, true],
    ] as const)
      await desk.ingest(hour(from, ill), nowMs)
    await desk.reconsider(nowMs)
    const found = await lines()
    expect(found).toMatchObject([{ cause: 'image-regression', scope: [{ dimension: 'image', value: 'hall 2' }], attempts: 60 }])
    expect(found[0]?.sinceMs).toBeGreaterThanOrEqual(old + 2 * HOUR)
    expect(found[0]?.change?.sentence).toContain('Image hall 2 tried')
    const page = await readIncident(need(), found[0]?.id ?? '', old, old + 4 * HOUR, undefined)
    expect(page.hours.reduce((sum, { hit }) => sum + hit, 0)).toBe(60)
    expect(page.hours.reduce((sum, { n }) => sum + n, 0)).toBeGreaterThan(60)
    // What is held is not touched by it.
    expect(incidentLines(await desk.incidents(START_MS, nowMs))[0]?.cause).toBe('image-regression')
  })

  it('is read once for several who ask at once, and again only where something came to it', async () => {
    const [one, two] = await Promise.all([lines(), lines()])
    expect(one).toEqual(two)
    expect(await intake.incidents(old - 40 * 24 * HOUR, old - 39 * 24 * HOUR)).toMatchObject({ incidents: [], scattered: [] })
  })

  it('that could not be read is read again by the next who asks, and not for ever kept half', async () => {
    let fails = true
    let reads = 0
    const query = async (text: string) => {
      if (text.includes('min(started_ms)')) return [{ first: 0, last: START_MS }]
      if (fails && reads++ > 125) throw new Error('the database is away')
      return [{ rows: null }]
    }
    const desk = new IncidentDesk({ query } as never, (work) => work())
    const asked = () => desk.incidents(EMPTY_ORG, 0, 4 * HOUR)
    // The month that is held is read first.
    await desk.incidents(EMPTY_ORG, START_MS - HOUR, START_MS)
    reads = 1000
    await expect(asked()).rejects.toThrow('the database is away')
    fails = false
    expect(await asked()).toMatchObject({ incidents: [], knownFromMs: -Infinity })
  })
})
