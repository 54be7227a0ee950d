import { describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import type { Database } from '../db/database'
import { LOGONS } from '../db/fixtures/emptied'
import { engines, onEngine } from '../db/fixtures/engines'
import { Intake } from './intake'

const NOW = START_MS + 3_600_000

describe.each(engines)('what was analysed last, on %s', (_, open) => {
  let database: Database
  onEngine(open, (opened) => (database = opened))
  const all = Array.from({ length: 12 }, (_, i) => logon({ id: `a${i}`, person: `p${i}`, at: START_MS + i * 60_000 })).flat()
  // The first of them makes sure that it is known what ever came; then there are two cuts through an attempt.
  const [first, second, third] = [all.slice(0, 9), all.slice(9, 50), all.slice(50)]
  const state = async () => ({
    attempts: await database.query('select * from attempts order by id'),
    evidence: await database.query('select * from evidence order by attempt'),
    days: await database.query('select day_ms, pool, first, network, slot, n, sketch from usual_days where n <> 0 order by 1, 2, 3, 4, 5'),
    hours: await database.query('select * from hours where n <> 0 order by 1'),
  })
  const emptied = () => database.exec(`truncate ${LOGONS}`)

  /** The same database, where transactions wait, or fail, as they are told, and what is read back is counted. */
  function watched() {
    const seen = { readBack: 0, before: () => Promise.resolve() }
    const through: Database = {
      ...database,
      query: (sql, params) => {
        if (sql.includes('e.body')) seen.readBack++
        return database.query(sql, params)
      },
      transaction: (work) => seen.before().then(() => database.transaction(work)),
    }
    return { seen, through }
  }

  /** An empty database, watched, with the first lot. */
  async function begun() {
    await emptied()
    const { seen, through } = watched()
    const intake = new Intake(through)
    await intake.ingest(first, NOW)
    return { seen, intake }
  }

  /** One lot after another, each once the one before is written. */
  async function inSteps() {
    await emptied()
    const intake = new Intake(database)
    for (const lot of [first, second, third]) await intake.ingest(lot, NOW)
    return state()
  }

  /** The second and the third lot, where the second is not written, or cannot be, until the third has been analysed. */
  async function atOnce(intake: Intake, seen: ReturnType<typeof watched>['seen'], then: () => Promise<void>) {
    let analysed: () => void = () => undefined
    const wait = new Promise<void>((resolve) => (analysed = resolve))
    seen.before = async () => {
      seen.before = () => Promise.resolve()
      await wait
      await then()
    }
    const results = Promise.allSettled([intake.ingest(second, NOW), intake.ingest(third, NOW)])
    while ((await intake.cohort({ fromMs: START_MS, toMs: NOW }))?.logons !== 12) await new Promise(setImmediate)
    analysed()
    return results
  }

  it('is gone on from while it is still being written', async (context) => {
    if (!database) return context.skip()
    const expected = await inSteps()
    const { seen, intake } = await begun()
    const readBack = seen.readBack
    expect((await atOnce(intake, seen, () => Promise.resolve())).map(({ status }) => status)).toEqual(['fulfilled', 'fulfilled'])
    expect(seen.readBack).toBe(readBack)
    expect(await state()).toEqual(expected)
  })

  it('is not gone on from where it could not be written: what rests on it is refused, and nothing is lost when both come again', async (context) => {
    if (!database) return context.skip()
    const expected = await inSteps()
    const { seen, intake } = await begun()
    const results = await atOnce(intake, seen, () => Promise.reject(new Error('no room on the disk')))
    expect(results.map((one) => (one.status === 'rejected' ? (one.reason as Error).message : one.status))).toEqual([
      'no room on the disk',
      'what came just before it could not be written',
    ])
    for (const lot of [second, third]) await intake.ingest(lot, NOW)
    expect(await state()).toEqual(expected)
  })

  it('is read back where it is long ago', async (context) => {
    if (!database) return context.skip()
    const { seen, intake } = await begun()
    await intake.ingest(second, NOW)
    const before = seen.readBack
    for (let lot = 0; lot < 8; lot++)
      await intake.ingest(Array.from({ length: 1000 }, (_, i) => logon({ id: `b${lot}-${i}`, person: `q${i}`, at: START_MS + i * 1000 })).flat(), NOW)
    await intake.ingest(third, NOW)
    expect(seen.readBack).toBeGreaterThan(before)
    const [row] = await database.query<{ n: number }>(`select count(*)::integer as n from attempts where id like 'a%'`)
    expect(row).toEqual({ n: 12 })
  })
})
