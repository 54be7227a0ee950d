import { existsSync, readFileSync } from 'node:fs'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { bucketFromMs } from '../../contract/compare'
import { SERIES } from '../../core/logons'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import type { Database } from '../db/database'
import { openEmbedded } from '../db/embedded'
import { migrate } from '../db/migrate'
import { readCohort, readPictures, type InMemory } from './compare'
import { Intake } from './intake'

const MINUTE = 60_000
const HOUR = 60 * MINUTE
const template = 'dist/server/empty-database.tar'
let database: Database
let intake: Intake

/** Forty logons an hour on each of two hosts for three hours; on one of them the shell takes ten times as long in the last hour. */
beforeAll(async () => {
  database = await openEmbedded(undefined, existsSync(template) ? new Blob([readFileSync(template)]) : undefined)
  await migrate(database)
  intake = new Intake(database)
  const all = Array.from({ length: 240 }, (_, i) => {
    const host = i % 2 === 0 ? 'TH-1' : 'TH-2'
    const at = START_MS + 20 * MINUTE + Math.floor(i / 80) * HOUR + (i % 80) * 30_000
    const ill = host === 'TH-2' && i >= 160
    return logon({
      id: `c${i}`,
      person: `p${i}`,
      host,
      at,
      phases: { broker: 500, 'sign-on': 2000 + i, shell: ill ? 40_000 + i : 4000 + i },
      attrs: { share: 's' },
    })
  })
  for (let from = 0; from < all.length; from += 80) await intake.ingest(all.slice(from, from + 80).flat(), START_MS + 5 * HOUR)
  await intake.ingest(logon({ id: 'f', host: 'TH-1', at: START_MS + 3 * HOUR, outcome: 'failed', phases: { broker: 500 } }), START_MS + 6 * HOUR)
})
afterAll(() => database.close())

const [fromMs, toMs] = [START_MS, START_MS + 6 * HOUR]

/** Where the attempts of a month lie in columns, and where nothing does: everything comes from the database then. */
const nothing: InMemory = { cohort: () => Promise.resolve(null), phases: () => Promise.resolve(null) }
const everything: InMemory = { cohort: (filter) => intake.cohort(filter), phases: (asked) => intake.phases(asked) }

describe('cohorts', () => {
  beforeAll(async () => {
    // The first question begins the reading of what the database has.
    await vi.waitFor(async () => expect(await intake.cohort({ fromMs, toMs })).not.toBeNull())
  })

  describe.each([
    ['in memory', everything],
    ['in the database', nothing],
  ])('%s', (_, memory) => {
    const read = (id: string) => readCohort(database, memory, id, fromMs, toMs)

    it('are counted with their quantiles, phases and causes, and only those that got in count for durations', async () => {
      const [well, ill] = await Promise.all(['host:th-1', 'host:TH-2'].map(read))
      expect([well?.logons, well?.failed, ill?.logons, ill?.failed]).toEqual([121, 1, 120, 0])
      // Each lasts 6500 ms and twice its number: the middle of the even ones is the 119th.
      expect(well?.medianMs).toBe(6500 + 2 * 119)
      expect(ill?.highMs).toBeGreaterThan(42_000)
      expect(well?.phases.map(({ phase }) => phase)).toEqual(['broker', 'sign-on', 'shell'])
      expect((ill?.causes ?? []).reduce((sum, { n }) => sum + n, 0)).toBeGreaterThanOrEqual(38)
      expect(well?.buckets.reduce((a, b) => a + b, 0)).toBe(120)
      const filled = (ill?.buckets ?? []).flatMap((n, bucket) => (n > 0 ? [bucketFromMs(bucket)] : []))
      expect([(filled[0] ?? 0) <= 6502, (filled.at(-1) ?? 0) > 35_000]).toEqual([true, true])
    })

    it('before and since a moment are all that there are', async () => {
      const moment = START_MS + 20 * MINUTE + 2 * HOUR
      const [before, since] = await Promise.all([`before:${moment}`, `since:${moment}`].map(read))
      expect([before?.logons, since?.logons]).toEqual([160, 81])
      expect(since?.slow).toBeGreaterThanOrEqual(before?.slow ?? 0)
      expect(since?.lostMs).toBeGreaterThan(before?.lostMs ?? 0)
    })

    it('of nothing are empty, and of a kind that does not exist are refused', async () => {
      expect(await read('pool:none')).toMatchObject({ logons: 0, medianMs: 0, phases: [], causes: [] })
      await expect(read('mood:calm')).rejects.toMatchObject({ code: 'request.invalid' })
      await expect(read("host:x' or true --")).resolves.toMatchObject({ logons: 0 })
    })
  })

  it('are the same from memory as from the database, whatever is asked', async () => {
    const moment = START_MS + 100 * MINUTE
    const ids = [
      'host:TH-1',
      'pool:',
      'share:s',
      'network:office',
      'person:P17',
      'person:p17',
      `before:${moment}`,
      `since:${moment}`,
      'transport:relay',
    ]
    for (const [from, to] of [
      [fromMs, toMs],
      [START_MS + 30 * MINUTE, START_MS + 95 * MINUTE],
      [toMs, toMs + HOUR],
    ] as const)
      for (const id of ids) expect(await readCohort(database, everything, id, from, to)).toEqual(await readCohort(database, nothing, id, from, to))
    expect((await readCohort(database, everything, 'person:P17', fromMs, toMs)).logons).toBe(1)
  })

  it('are not told from memory where earlier attempts may be missing there', async () => {
    const later = new Intake(database)
    expect(await later.cohort({ fromMs, toMs })).toBeNull()
    await expect.poll(() => later.cohort({ fromMs, toMs })).toMatchObject({ logons: 241 })
    expect(
      (await later.phases([{ filter: { fromMs, toMs }, phase: 'shell', by: ['host'], limitsMs: [40_000] }]))?.[0]
        ?.map(({ at, logons, beyond }) => [at, logons, beyond])
        .sort(),
    ).toEqual([
      [['TH-1'], 121, [0]],
      [['TH-2'], 120, [40]],
    ])
  })
})

describe('pictures', () => {
  it('are added up from the hours: who got in, who lost time, and how long each phase took', async () => {
    const { week, phases } = await readPictures(database, fromMs, toMs, 'Europe/Copenhagen')
    const filled = week.flatMap((cell, slot) => (cell.n > 0 ? [[slot, cell.n]] : []))
    // Monday 7, 8 and 9 o'clock there.
    expect(filled).toEqual([
      [7, 80],
      [8, 80],
      [9, 80],
    ])
    const [row] = await database.query<{ n: number }>(`select count(*)::int as n from attempts where lost_ms > 0 and outcome in ('ready', 'slow')`)
    expect(week.reduce((sum, { bad }) => sum + bad, 0)).toBe(row?.n)
    expect(week[9]?.bad).toBeGreaterThanOrEqual(38)
    const shell = phases.names.indexOf('shell')
    expect(phases.columns.map(({ n }) => n)).toEqual([80, 80, 80])
    expect(phases.columns.map(({ meanMs }) => (meanMs[shell] ?? 0) > 10_000)).toEqual([false, false, true])
    const [sums] = await database.query<{ sum: number }>(
      `select sum(blame_ms[${SERIES.indexOf('shell') + 1}])::int as sum from attempts where outcome in ('ready', 'slow')`,
    )
    expect(phases.columns.reduce((sum, { n, meanMs }) => sum + n * (meanMs[shell] ?? 0), 0) / (sums?.sum ?? 1)).toBeCloseTo(1, 3)
  })

  it('follow an attempt that is put together again, in another hour or without its loss', async () => {
    const before = await readPictures(database, fromMs, toMs, 'UTC')
    // A late record of c239 is of an hour and a half earlier.
    await intake.ingest(
      [
        {
          kind: 'phase',
          phase: 'broker',
          durationMs: 600,
          attempt: 'c239',
          person: 'p239',
          host: 'TH-2',
          pool: 'ticket-hall',
          timeMs: START_MS + HOUR,
        },
      ],
      START_MS + 7 * HOUR,
    )
    const after = await readPictures(database, fromMs, toMs, 'UTC')
    const total = (list: { n: number }[]) => list.reduce((sum, { n }) => sum + n, 0)
    expect(total(after.week)).toBe(total(before.week))
    expect(after.week.map(({ n }, i) => n - (before.week[i]?.n ?? 0)).filter((n) => n !== 0)).toEqual([1, -1])
  })
})

describe('phases that run side by side', () => {
  it('are compared by what they took, in memory, in the database, and in memory after a start', async () => {
    // Policy beside profile, which the end waits for.
    const at = START_MS + 40 * HOUR
    const who = { attempt: 'side', person: 'nina', host: 'SD-1', pool: 'side' }
    const phase = (name: string, timeMs: number, durationMs: number) => ({ ...who, kind: 'phase' as const, phase: name, timeMs, durationMs })
    await intake.ingest(
      [
        { ...who, kind: 'begin' as const, timeMs: at },
        phase('sign-on', at, 1000),
        phase('policy', at + 1000, 3000),
        phase('profile', at + 1000, 5000),
        phase('shell', at + 6000, 2000),
        { ...who, kind: 'end' as const, timeMs: at + 8000, outcome: 'ready' as const },
      ],
      at + HOUR,
    )
    const later = new Intake(database)
    const asked = { fromMs: at - HOUR, toMs: at + HOUR }
    await expect.poll(() => later.cohort(asked)).not.toBeNull()
    const afterStart: InMemory = { cohort: (filter) => later.cohort(filter), phases: (ask) => later.phases(ask) }
    for (const memory of [everything, nothing, afterStart]) {
      const { phases } = await readCohort(database, memory, 'host:SD-1', asked.fromMs, asked.toMs)
      expect(phases.map(({ phase, medianMs }) => [phase, medianMs])).toEqual([
        ['sign-on', 1000],
        ['profile', 5000],
        ['policy', 3000],
        ['shell', 2000],
      ])
    }
    const [row] = await database.query<{ blamed: number; took: number }>(
      `select blame_ms[$1] as blamed, took_ms[$1] as took from attempts where id = 'side'`,
      [SERIES.indexOf('policy') + 1],
    )
    expect(row).toEqual({ blamed: 0, took: 3000 })
    const [others] = await database.query<{ n: number }>(`select count(*)::int as n from attempts where took_ms is not null and id <> 'side'`)
    expect(others?.n).toBe(0)
  })
})
