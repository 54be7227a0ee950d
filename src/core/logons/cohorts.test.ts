import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { OUTCOMES } from './attempt'
import { cohortFigures, phaseFigures, rowsOf, type CohortFilter } from './cohorts'
import { Ledger, type Seen } from './ledger'
import type { Times } from './times'
import { SERIES } from './usual'

type One = Seen & Times
const text = (...values: string[]) => fc.constantFrom(...values)
const one: fc.Arbitrary<One> = fc
  .record({
    id: fc.integer({ min: 0, max: 60 }),
    person: text('mara', 'Jonas', 'ilse'),
    atMs: fc.integer({ min: 0, max: 1000 }),
    lostMs: fc.constantFrom(0, 0, 500, 4000),
    outcome: fc.constantFrom(...OUTCOMES),
    cause: fc.constantFrom(null, null, 'share-slow', 'unexplained'),
    first: fc.boolean(),
    durations: fc.array(fc.integer({ min: 0, max: 90_000 }), { minLength: SERIES.length, maxLength: SERIES.length }),
    host: text('TH-1', 'th-1', 'TH-2', ''),
    pool: text('halls', 'bridge'),
    transport: text('direct', 'relay', ''),
    factor: text('none', 'push', 'key', ''),
  })
  .map(({ id, host, pool, transport, factor, ...more }) => ({
    ...more,
    id: `a${id}`,
    failed: more.outcome === 'failed',
    open: more.outcome === 'open',
    places: { host, pool, transport, factor },
  }))
const filter: fc.Arbitrary<CohortFilter> = fc
  .record({
    fromMs: fc.integer({ min: 0, max: 600 }),
    length: fc.integer({ min: 0, max: 1000 }),
    pools: fc.option(fc.subarray(['halls', 'bridge', 'none'])),
    host: fc.option(text('TH-1', 'TH-2', '', 'none')),
    factor: fc.option(text('any', 'push', 'none')),
    person: fc.option(text('JONAS', 'mara', 'nobody')),
    first: fc.option(fc.boolean()),
    cause: fc.option(text('share-slow', 'never')),
  })
  .map(({ fromMs, length, pools, host, factor, person, first, cause }) => ({
    fromMs,
    toMs: fromMs + length,
    places: { ...(pools ? { pool: pools } : {}), ...(host === null ? {} : { host: [host] }), ...(factor === null ? {} : { factor: [factor] }) },
    ...(person === null ? {} : { person }),
    ...(first === null ? {} : { first }),
    ...(cause === null ? {} : { cause }),
  }))

/** The plain way: the last of each id, one condition after the other. */
const plainly = (list: readonly One[], { fromMs, toMs, places, person, first, cause }: CohortFilter): One[] => {
  const alike = (a: string | undefined, b: string) => (a ?? '').toLowerCase() === b.toLowerCase()
  return [...new Map(list.map((each) => [each.id, each])).values()].filter(
    (each) =>
      !each.open &&
      each.atMs >= fromMs &&
      each.atMs < toMs &&
      (!places?.pool || places.pool.includes(each.places.pool ?? '')) &&
      (!places?.factor || (places.factor[0] === 'any' ? ['push', 'key'] : places.factor).includes(each.places.factor ?? '')) &&
      (!places?.host || places.host.some((host) => alike(each.places.host, host))) &&
      (person === undefined || alike(each.person, person)) &&
      (first === undefined || each.first === first) &&
      (cause === undefined || each.cause === cause),
  )
}
const filled = (list: readonly One[]) => {
  const ledger = new Ledger(true)
  for (const each of list) ledger.add(each, each)
  return ledger
}
const got = (list: readonly One[]) => list.filter(({ outcome }) => ['ready', 'slow', 'degraded'].includes(outcome))
const middle = (values: readonly number[]): number | null => {
  if (values.length === 0) return null
  const sorted = [...values].sort((a, b) => a - b)
  const [low = 0, high = 0] = [sorted[Math.floor((sorted.length - 1) / 2)], sorted[Math.ceil((sorted.length - 1) / 2)]]
  return (low + high) / 2
}

describe('cohorts in a ledger', () => {
  it('are the same as the plain way finds, whatever is asked', () => {
    fc.assert(
      fc.property(fc.array(one, { maxLength: 80 }), filter, (list, asked) => {
        const ledger = filled(list)
        const expected = plainly(list, asked)
        expect([...rowsOf(ledger, asked)].map((row) => ledger.id(row)).sort()).toEqual(expected.map(({ id }) => id).sort())
        const figures = cohortFigures(ledger, asked)
        expect(figures).toMatchObject({
          logons: expected.length,
          failed: expected.filter(({ failed }) => failed).length,
          slow: expected.filter(({ outcome }) => outcome === 'slow').length,
          lostMs: expected.reduce((sum, { lostMs }) => sum + lostMs, 0),
        })
        expect(figures.phases).toEqual(SERIES.map((_, i) => middle(got(expected).map(({ durations }) => durations[i] ?? 0))))
        expect(figures.quantiles?.[1] ?? null).toBe(figures.phases.at(-1))
        expect(figures.totals).toHaveLength(got(expected).length)
        expect(figures.causes.reduce((sum, { n }) => sum + n, 0)).toBe(expected.filter(({ cause }) => cause !== null).length)
      }),
    )
  })

  it('parted by place add up to the whole, and know what went beyond a limit', () => {
    fc.assert(
      fc.property(fc.array(one, { maxLength: 80 }), filter, fc.nat(90_000), (list, asked, limit) => {
        const ledger = filled(list)
        const expected = plainly(list, asked)
        const [whole] = phaseFigures(ledger, { filter: asked, phase: 'connect', limitsMs: [limit, Infinity] })
        const column = SERIES.indexOf('connect')
        expect(whole).toMatchObject({
          at: [],
          logons: expected.length,
          lost: expected.filter(({ lostMs }) => lostMs > 0).length,
          beyond: [expected.filter(({ durations }) => (durations[column] ?? 0) > limit).length, 0],
          medianMs: middle(got(expected).map(({ durations }) => durations[column] ?? 0)),
        })
        const parts = phaseFigures(ledger, { filter: asked, phase: 'connect', by: ['pool', 'transport'] })
        expect(parts.reduce((sum, { logons }) => sum + logons, 0)).toBe(expected.length)
        expect(new Set(parts.map(({ at }) => at.join())).size).toBe(parts.length)
      }),
    )
  })

  it('stay the same when what is old is forgotten, and are refused where no times are kept', () => {
    fc.assert(
      fc.property(fc.array(one, { maxLength: 80 }), fc.integer({ min: 0, max: 900 }), (list, fromMs) => {
        const ledger = filled(list)
        const asked = { fromMs, toMs: 2000 }
        expect(cohortFigures(ledger.since(fromMs), asked)).toEqual(cohortFigures(ledger, asked))
      }),
    )
    expect(() => cohortFigures(new Ledger(), { fromMs: 0, toMs: 1 })).toThrow('keeps no times')
    expect(() => phaseFigures(new Ledger(true), { filter: { fromMs: 0, toMs: 1 }, phase: 'nap' })).toThrow('nap is no phase')
  })
})
