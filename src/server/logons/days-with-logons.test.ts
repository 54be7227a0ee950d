import { describe, expect, it } from 'vitest'
import { logon } from '../../core/logons/fixtures/builders'
import { emptied, LOGONS } from '../db/fixtures/emptied'
import { DaysWithLogons } from './days-with-logons'
import { Intake } from './intake'

const DAY_MS = 86_400_000
const MONDAY = Date.UTC(2026, 10, 16)
const database = emptied(LOGONS)
const written = () => Promise.resolve()
const daysOf = (days: DaysWithLogons, n: number) =>
  Array.from({ length: n }, (_, i) => i).filter((i) => days.any(MONDAY + i * DAY_MS, MONDAY + (i + 1) * DAY_MS))

describe('the days on which anybody logged on', () => {
  it('may be any until they are read; then they are those of the database, and those that were said since', async () => {
    const days = new DaysWithLogons(database)
    expect(daysOf(days, 3)).toEqual([0, 1, 2])
    await days.read(written)
    expect(daysOf(days, 40)).toEqual([])
    days.add(MONDAY + 3 * DAY_MS + 1)
    expect(daysOf(days, 40)).toEqual([3])
    expect(days.any(MONDAY, MONDAY + 3 * DAY_MS)).toBe(false)
    expect(days.any(MONDAY, MONDAY + 3 * DAY_MS + 1)).toBe(true)

    const at = [0, 0.999999, 2.5, 30, 31]
    await new Intake(database).ingest(
      at.flatMap((day, i) => logon({ id: `a${i}`, person: `p${i}`, at: Math.floor(MONDAY + day * DAY_MS) })),
      MONDAY + 40 * DAY_MS,
    )
    const after = new DaysWithLogons(database)
    let waited = 0
    for (let i = 0; i < 2; i++)
      await after.read(() => {
        waited++
        return written()
      })
    expect(waited).toBe(1)
    expect(daysOf(after, 40)).toEqual([0, 2, 30, 31])
  })

  it('need no waiting where there is nothing before: older days may come while newer ones are still written, and count for them all the same', async () => {
    const day = (n: number) =>
      Array.from({ length: 30 }, (_, i) =>
        logon({
          id: `${n}-${i}`,
          person: `p${i}`,
          at: MONDAY + n * DAY_MS + 7 * 3_600_000 + i * 300_000,
          phases: { broker: 600, profile: n === 4 ? 30_000 : 1200 + 37 * (i % 7), shell: 4000 },
        }),
      ).flat()
    const usual = async (orders: readonly (readonly number[])[]) => {
      await database.exec(`truncate ${LOGONS}`)
      const intake = new Intake(database)
      // Those of one order are given without waiting for each other.
      for (const order of orders) await Promise.all(order.map((n) => intake.ingest(day(n), MONDAY + 6 * DAY_MS)))
      return database.query('select id, usual_ms, lost_ms from attempts where id like $1 order by id', ['4-%'])
    }
    const one = await usual([[0], [1], [2], [3], [4]])
    expect(one).toHaveLength(30)
    expect(await usual([[0, 1, 2, 3, 4]])).toEqual(one)
    expect(await usual([[3, 2, 1, 0], [4]])).toEqual(one)
  })
})
