import { describe, expect, it } from 'vitest'
import { logon } from '../../core/logons/fixtures/builders'
import type { Kind } from '../../core/logons'
import { SERIES } from '../../core/logons'
import { emptied, LOGONS } from '../db/fixtures/emptied'
import { Intake } from './intake'
import { UsualDays } from './usual-days'

const DAY_MS = 86_400_000
const MONDAY = Date.UTC(2026, 10, 16)
const database = emptied(LOGONS)

/** A small office: so many logons a day; from Thursday on, every third host has 30 s more of policy. */
const day = (n: number, logons = 24) =>
  Array.from({ length: logons }, (_, i) => {
    const ill = n >= 3 && i % 3 === 0
    return logon({
      id: `${n}-${i}`,
      person: `p${i}`,
      host: `BO-${i % 3}`,
      at: MONDAY + n * DAY_MS + 7 * 3_600_000 + i * 300_000,
      phases: { broker: 600, connect: 1000, profile: 1200, policy: (ill ? 32_400 : 2400) + 37 * (i % 7), shell: 4000 },
    })
  }).flat()
const week = [0, 1, 2, 3, 4]
const lost = async () => database.query<{ id: string; lost: number }>('select id, lost_ms as lost from attempts where lost_ms > 0 order by id')

describe('what is usual', () => {
  it('is what was usual on the days before, also where these come in one file: what is ill now does not excuse itself', async () => {
    const intake = new Intake(database)
    await intake.ingest(
      week.flatMap((n) => day(n)),
      MONDAY + 5 * DAY_MS,
    )
    const together = await lost()
    expect(together.map(({ id }) => id).sort()).toEqual([3, 4].flatMap((n) => [0, 3, 6, 9, 12, 15, 18, 21].map((i) => `${n}-${i}`)).sort())
    for (const { lost: ms } of together) expect(Math.abs(ms - 30_000)).toBeLessThan(500)
  })

  it('is, where there is nothing earlier, how those log on that are not at the place that is ill', async () => {
    await new Intake(database).ingest(day(3, 60), MONDAY + 5 * DAY_MS)
    expect((await lost()).map(({ id }) => id).sort()).toEqual(Array.from({ length: 20 }, (_, i) => `3-${3 * i}`).sort())
  })

  it('is the same day by day, in one file, and after a start in between', async () => {
    const found: string[][] = []
    for (const files of [[week], week.map((n) => [n]), [[0, 1, 2, 3], [4]]]) {
      await database.exec(`truncate ${LOGONS}`)
      for (const days of files)
        await new Intake(database).ingest(
          days.flatMap((n) => day(n)),
          MONDAY + 5 * DAY_MS,
        )
      found.push((await lost()).map(({ id }) => id))
    }
    expect(found[1]).toEqual(found[0])
    expect(found[2]).toEqual(found[0])
  })
  it('of weeks that come day by day is worked out from the day before, and is what the roll-ups say', async () => {
    // Each day takes longer than the one before, so that what is too old shows; one day in between has nobody.
    const days = Array.from({ length: 19 }, (_, n) => n).filter((n) => n !== 7)
    const office = (n: number) =>
      Array.from({ length: 24 }, (_, i) =>
        logon({
          id: `${n}-${i}`,
          person: `p${i}`,
          host: `BO-${i % 3}`,
          at: MONDAY + n * DAY_MS + 7 * 3_600_000 + i * 300_000,
          phases: { broker: 600, profile: 1000 + 100 * n + 13 * i, shell: 4000 },
        }),
      ).flat()
    const usual = async (one: Intake | null) => {
      await database.exec(`truncate ${LOGONS}`)
      for (const n of days) {
        const intake = one ?? new Intake(database)
        await intake.ingest(office(n), MONDAY + 20 * DAY_MS)
        // Nothing of it is left under way.
        await intake.incidents(MONDAY, MONDAY + 20 * DAY_MS)
      }
      return database.query<{ id: string; usual: number[]; lost: number }>(`select id, usual_ms as usual, lost_ms as lost from attempts order by id`)
    }
    const told = await usual(new Intake(database))
    expect(told).toEqual(await usual(null))
    const profile = SERIES.indexOf('profile')
    const middles = days.map((n) => told.find(({ id }) => id === `${n}-5`)?.usual[profile] ?? 0)
    // It grows with the days, also once the first ones are too old to count.
    expect(middles.every((ms, i) => i < 2 || ms >= (middles[i - 1] ?? 0))).toBe(true)
    expect(middles.at(-1)).toBeGreaterThan((middles.at(-3) ?? 0) + 100)
  })
})

describe('the usual of days', () => {
  const kind: Kind = { pool: 'halls', first: false, network: 'office', slot: 1 }
  const durations = (ms: number) => SERIES.map(() => ms)
  const usual = async (days: UsualDays, n: number) => {
    const { before, today } = await days.of(MONDAY + n * DAY_MS)
    return [before.usualFor(kind)?.n ?? 0, today.usualFor(kind)?.n ?? 0]
  }

  it('follows what is counted, on that day and on those after it, for two weeks; and what is taken back', async () => {
    const days = new UsualDays(database, () => Promise.resolve())
    await usual(days, 3)
    for (let i = 0; i < 10; i++) days.count(MONDAY + 2 * DAY_MS, kind, durations(1000))
    expect([await usual(days, 1), await usual(days, 2), await usual(days, 3), await usual(days, 16), await usual(days, 17)]).toEqual([
      [0, 0],
      [0, 10],
      [10, 0],
      [10, 0],
      [0, 0],
    ])
    days.count(MONDAY + 2 * DAY_MS, kind, durations(1000), -1)
    expect(await usual(days, 3)).toEqual([9, 0])
    days.begin()
    days.clear()
    expect(await usual(days, 3)).toEqual([0, 0])
  })

  it('does not lose what a batch counted on a day that is no longer kept', async () => {
    const days = new UsualDays(database, () => Promise.resolve())
    for (let n = 0; n < 12; n++) {
      await days.of(MONDAY + n * DAY_MS)
      for (let i = 0; i < 6; i++) days.count(MONDAY + n * DAY_MS, kind, durations(1000))
    }
    expect(await usual(days, 0)).toEqual([0, 6])
    expect(await usual(days, 11)).toEqual([66, 6])
  })
})
