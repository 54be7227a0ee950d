import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { pauses, replay, suggestLimit, type LimitColumns, type Stretches } from './replay'

const HOUR = 3_600_000
const MIN = 60_000
interface Row {
  readonly person: number
  readonly pool: number
  readonly on: number
  readonly off: number
  readonly left: boolean
}
const columns = (rows: readonly Row[]): Stretches => ({
  person: Int32Array.from(rows, ({ person }) => person),
  pool: Int32Array.from(rows, ({ pool }) => pool),
  onMs: Float64Array.from(rows, ({ on }) => on),
  offMs: Float64Array.from(rows, ({ off }) => off),
  loggedOff: Uint8Array.from(rows, ({ left }) => Number(left)),
})
const limitsFor = (n: number, disconnected: number, session = Infinity): LimitColumns => ({
  disconnectedMs: new Float64Array(n).fill(disconnected),
  sessionMs: new Float64Array(n).fill(session),
})
const localHour = (ms: number) => (ms / HOUR) % 24
const UNTIL = 40 * HOUR
const run = (rows: readonly Row[], disconnected: number, session = Infinity) =>
  replay(columns(rows), limitsFor(rows.length, disconnected, session), { untilMs: UNTIL, pools: 2, localHour })

/** Rows as they can be: of one person and pool one after another. */
const rows: fc.Arbitrary<Row[]> = fc
  .array(fc.array(fc.tuple(fc.integer({ min: 0, max: 300 }), fc.integer({ min: 1, max: 200 }), fc.boolean()), { maxLength: 5 }), { maxLength: 5 })
  .map((people) =>
    people.flatMap((list, person) => {
      let at = 0
      return list.map(([gap, length, left]) => {
        const on = at + gap * MIN
        at = on + length * MIN
        return { person, pool: person % 2, on, off: at, left }
      })
    }),
  )

/** Minute by minute: whose desktop is held. Slow and obvious. */
function byMinute(list: readonly Row[], limit: number): { peaks: number[]; minutes: number; found: number; gone: number } {
  const held = new Map<string, Set<number>>()
  let [found, gone] = [0, 0]
  for (const [i, row] of list.entries()) {
    const key = `${row.pool} ${row.person}`
    const minutes = held.get(key) ?? new Set<number>()
    held.set(key, minutes)
    for (let m = row.on / MIN; m < row.off / MIN; m++) minutes.add(m)
    if (row.left) continue
    const next = list[i + 1]
    const returns = next?.person === row.person && next.pool === row.pool && next.on < UNTIL
    const stop = Math.min(row.off + limit, UNTIL, returns && next.on <= row.off + limit ? next.on : Infinity)
    for (let m = row.off / MIN; m < stop / MIN; m++) minutes.add(m)
    if (returns) {
      if (next.on <= row.off + limit) found++
      else if (next.on - row.off <= 12 * HOUR) gone++
    }
  }
  const peaks = [0, 1].map((pool) => {
    let peak = 0
    for (let m = 0; m < UNTIL / MIN; m++)
      peak = Math.max(peak, [...held].filter(([key, minutes]) => key.startsWith(`${pool} `) && minutes.has(m)).length)
    return peak
  })
  return { peaks, minutes: [...held.values()].reduce((n, minutes) => n + minutes.size, 0), found, gone }
}

describe('replay of sessions under other limits', () => {
  it('comes to what a count minute by minute comes to', () => {
    fc.assert(
      fc.property(rows, fc.constantFrom(1, 10, 30, 120, 240), (list, minutes) => {
        const result = run(list, minutes * MIN)
        const slow = byMinute(list, minutes * MIN)
        expect(result.pools.map(({ peak }) => peak)).toEqual(slow.peaks)
        expect(result.pools.reduce((sum, { heldMs }) => sum + heldMs, 0)).toBe(slow.minutes * MIN)
        expect([result.found, result.gone.length]).toEqual([slow.found, slow.gone])
        for (const pool of result.pools) expect(Math.max(0, ...pool.hourPeaks)).toBe(pool.peak)
      }),
      { numRuns: 200 },
    )
  })

  it('a shorter limit never needs more desktops for one person, and never lets more come back in time', () => {
    fc.assert(
      fc.property(rows, (list) => {
        const [short, long] = [run(list, 30 * MIN), run(list, 240 * MIN)]
        expect(short.found).toBeLessThanOrEqual(long.found)
        for (const [at, pool] of short.pools.entries()) expect(pool.heldMs).toBeLessThanOrEqual(long.pools[at]?.heldMs ?? 0)
      }),
    )
  })

  it('tells who came too late and by how much, and whom the limit of the whole session put out', () => {
    const list = [
      { person: 0, pool: 0, on: 8 * HOUR, off: 9 * HOUR, left: false },
      { person: 0, pool: 0, on: 9 * HOUR + 45 * MIN, off: 12 * HOUR, left: true },
      { person: 1, pool: 0, on: 8 * HOUR, off: 18 * HOUR, left: true },
    ]
    const result = run(list, 30 * MIN, 8 * HOUR)
    expect([[...result.gone], [...result.goneRow], result.found, result.interrupted]).toEqual([[15 * MIN], [0], 0, 1])
    expect(result.pools[0]).toMatchObject({ peak: 2, sessions: 4, idleMs: 30 * MIN })
    expect(run(list, 60 * MIN).found).toBe(1)
    // Without a limit the desktop is held until the end of the record.
    expect(run([{ person: 0, pool: 0, on: 0, off: HOUR, left: false }], Infinity).pools[0]?.heldMs).toBe(UNTIL)
  })

  it('agrees with Little’s law and with Erlang B on traffic of Poisson', () => {
    // Arrivals at 20 an hour, held 1.5 h on average: the mean level is 30 (L = λW), and, with room for all, the level is distributed as Poisson(30).
    let seed = 12345
    const random = () => ((seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) + 0.5) / 2 ** 32
    const list: Row[] = []
    const hours = 4000
    for (let at = 0, person = 0; at < hours * HOUR; person++) {
      at += (-Math.log(random()) / 20) * HOUR
      list.push({ person, pool: 0, on: at, off: at - Math.log(random()) * HOUR, left: false })
    }
    const result = replay(columns(list), limitsFor(list.length, 30 * MIN), { untilMs: hours * HOUR, pools: 1, localHour })
    const [pool] = result.pools
    const mean = (pool?.heldMs ?? 0) / (hours * HOUR)
    expect(mean).toBeGreaterThan(29)
    expect(mean).toBeLessThan(31)
    // By Erlang B (its recursion) with 30 erlangs, 60 desktops would turn away fewer than one in 100,000: so a peak far above is not to be expected in 80,000 sessions.
    let blocked = 1
    for (let n = 1; n <= 60; n++) blocked = (30 * blocked) / (n + 30 * blocked)
    expect(blocked).toBeLessThan(1e-5)
    expect(pool?.peak).toBeGreaterThan(45)
    expect(pool?.peak).toBeLessThanOrEqual(62)
  })

  it('suggests the smallest usual limit that most returns need', () => {
    const list = Array.from({ length: 40 }, (_, i) => [
      { person: i, pool: 0, on: 0, off: HOUR, left: false },
      { person: i, pool: 0, on: HOUR + (i < 38 ? 20 : 200) * MIN, off: 6 * HOUR, left: true },
    ]).flat()
    const found = pauses(columns(list), () => true)
    expect(suggestLimit(found)).toEqual({ minutes: 30, found: 38, returns: 40 })
    expect(suggestLimit(found, 0.99)).toEqual({ minutes: 240, found: 40, returns: 40 })
    expect(suggestLimit(found.slice(0, 5)).minutes).toBeNull()
    expect(pauses(columns(list), (row) => row === 0).length).toBe(1)
  })
})
