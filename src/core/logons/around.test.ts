import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Around, FAR_MS, NEAR_MS } from './around'
import type { Neighbour } from './neighbour'
import { DIMENSIONS, type Dimension } from './places'
import { SERIES } from './usual'

const START_MS = Date.UTC(2026, 4, 4, 6)
const PLACES: Readonly<Partial<Record<Dimension, readonly string[]>>> = {
  host: ['', 'h1', 'h2', 'h3'],
  pool: ['hall', 'office'],
  share: ['', 's1', 's2'],
  zone: ['z1', 'z2'],
  image: ['i1', 'i2'],
}
const CONTAINER = SERIES.indexOf('container')

const neighbour = fc
  .record({
    afterMs: fc.integer({ min: 0, max: 4 * 3_600_000 }),
    host: fc.constantFrom(...(PLACES.host ?? [])),
    pool: fc.constantFrom(...(PLACES.pool ?? [])),
    share: fc.constantFrom(...(PLACES.share ?? [])),
    zone: fc.constantFrom(...(PLACES.zone ?? [])),
    image: fc.constantFrom(...(PLACES.image ?? [])),
    slow: fc.boolean(),
    ran: fc.boolean(),
    fault: fc.constantFrom('', '', '', '0xC0000043', 'silent'),
  })
  .map(({ afterMs, slow, ran, fault, ...places }) => ({ afterMs, slow, ran, fault, places }))
const made = fc
  .array(neighbour, { minLength: 1, maxLength: 60 })
  .map((list) =>
    list.map(({ afterMs, slow, ran, fault, places }, i): Neighbour => ({
      id: `a${i}`,
      atMs: START_MS + afterMs,
      places: { ...(Object.fromEntries(DIMENSIONS.map((dimension) => [dimension, ''])) as Record<Dimension, string>), ...places },
      beyond: slow ? 1 << CONTAINER : 0,
      ran: slow || ran ? 1 << CONTAINER : 0,
      failed: fault !== '',
      fault,
    })),
  )

/** The same questions, answered by looking at every neighbour: fewer than 300 of them, all within a day, are all asked. */
const slowly = {
  others: (all: readonly Neighbour[], self: Neighbour) => all.filter(({ id }) => id !== self.id),
  hit: (one: Neighbour, self: Neighbour, phase: string) => (phase === 'failed' ? one.failed && one.fault === self.fault : one.beyond !== 0),
  table(all: readonly Neighbour[], self: Neighbour, phase: string, at: readonly Dimension[], among: readonly Dimension[]) {
    const inside = { n: 0, hit: 0 }
    const outside = { n: 0, hit: 0 }
    for (const one of slowly.others(all, self)) {
      // Who did not go through a phase cannot have been slow in it.
      if (phase !== 'failed' && one.ran === 0) continue
      if (among.some((dimension) => one.places[dimension] !== self.places[dimension])) continue
      if (at.some((dimension) => self.places[dimension] === '')) return null
      if (one.failed && at.some((dimension) => one.places[dimension] === '')) continue
      const side = at.every((dimension) => one.places[dimension] === self.places[dimension]) ? inside : outside
      side.n++
      if (slowly.hit(one, self, phase)) side.hit++
    }
    return { inside, outside }
  },
}
const holding = (all: readonly Neighbour[]) => {
  const around = new Around()
  around.addAll(all)
  return around
}

describe('the neighbours of a logon', () => {
  it('are counted as if each were looked at, wherever they have the same trouble', () => {
    fc.assert(
      fc.property(
        made,
        fc.constantFrom('container', 'failed'),
        fc.constantFrom<Dimension[]>([], ['pool'], ['share', 'zone']),
        (all, phase, among) => {
          const self = all[0] as Neighbour
          const located = holding(all).locate(self, phase, among)
          for (const { at, inside, outside } of located)
            expect({ inside, outside }).toEqual(
              slowly.table(
                all,
                self,
                phase,
                at.map(({ dimension }) => dimension),
                among,
              ),
            )
          // What tells more than nothing is named, the best first.
          for (const dimension of DIMENSIONS) {
            const table = slowly.table(all, self, phase, [dimension], among)
            const tells =
              table !== null && table.inside.n >= 2 && table.outside.n > 0 && table.inside.hit * table.outside.n > table.outside.hit * table.inside.n
            expect(located.some(({ at }) => at.length === 1 && at[0]?.dimension === dimension)).toBe(tells)
          }
          expect(located.map(({ gain }) => gain)).toEqual(located.map(({ gain }) => gain).sort((a, b) => b - a))
        },
      ),
    )
  })

  it('are the same whether they came at once, one by one in any order, or were replaced by what is known now', () => {
    fc.assert(
      fc.property(made, fc.integer(), (all, seed) => {
        const self = all[0] as Neighbour
        const shuffled = [...all].sort((a, b) => ((a.atMs * 7919 + seed) % 1013) - ((b.atMs * 7919 + seed) % 1013))
        const single = new Around()
        for (const one of shuffled) single.add({ ...one, beyond: 0 })
        for (const one of shuffled) single.replace(one)
        expect(single.size).toBe(all.length)
        const whole = holding(all)
        for (const phase of ['container', 'failed']) {
          expect(single.locate(self, phase)).toEqual(whole.locate(self, phase))
          expect(single.contrast(self, 'share', phase)).toEqual(whole.contrast(self, 'share', phase))
          expect(single.nearest(self, ['pool'], phase)).toEqual(whole.nearest(self, ['pool'], phase))
        }
        expect(single.crowd(self, 'container')).toEqual(whole.crowd(self, 'container'))
      }),
    )
  })

  it('nearest in time are asked first, and those beyond half an hour not at all', () => {
    fc.assert(
      fc.property(made, (all) => {
        const self = all[0] as Neighbour
        const near = slowly
          .others(all, self)
          .filter(({ places, atMs, ran }) => ran !== 0 && places.pool === self.places.pool && Math.abs(atMs - self.atMs) < NEAR_MS)
          .sort((a, b) => Math.abs(a.atMs - self.atMs) - Math.abs(b.atMs - self.atMs))
        const { n, hit } = holding(all).nearest(self, ['pool'], 'container', 5)
        expect(n).toBe(Math.min(5, near.length))
        // Those just as far away may be taken in either order.
        const far = Math.abs((near[n - 1]?.atMs ?? self.atMs) - self.atMs)
        const sure = near.filter(({ atMs }) => Math.abs(atMs - self.atMs) < far).filter(({ beyond }) => beyond !== 0).length
        const most = near.filter(({ atMs }) => Math.abs(atMs - self.atMs) <= far).filter(({ beyond }) => beyond !== 0).length
        expect(hit).toBeGreaterThanOrEqual(sure)
        expect(hit).toBeLessThanOrEqual(most)
      }),
    )
  })

  it('are forgotten before a moment, and only those', () => {
    fc.assert(
      fc.property(made, fc.integer({ min: 0, max: 4 * 3_600_000 }), (all, afterMs) => {
        const around = holding(all)
        around.forget(START_MS + afterMs)
        const kept = all.filter(({ atMs }) => atMs >= START_MS + afterMs)
        expect(around.size).toBe(kept.length)
        const self = { ...(all[0] as Neighbour), id: 'another' }
        expect(around.contrast(self, 'pool', 'container')).toEqual(holding(kept).contrast(self, 'pool', 'container'))
      }),
    )
  })

  const at = (ms: number, i: number, slow: boolean): Neighbour => ({
    id: `c${i}`,
    atMs: START_MS + ms,
    places: { ...(Object.fromEntries(DIMENSIONS.map((dimension) => [dimension, ''])) as Record<Dimension, string>), share: 's1' },
    beyond: slow ? 1 << CONTAINER : 0,
    ran: 1 << CONTAINER,
    failed: false,
    fault: '',
  })

  it('of a day are asked where few are near, and a crowd is told from a quiet hour', () => {
    // One every ten minutes over the day, and sixty within four minutes, which are slow.
    const quiet = Array.from({ length: 100 }, (_, i) => at(i * 600_000, i, false))
    const storm = Array.from({ length: 60 }, (_, i) => at(50 * 600_000 + 60_000 + i * 3000, 1000 + i, true))
    const around = holding([...quiet, ...storm])
    const crowd = around.crowd(storm[30] as Neighbour, 'container')
    expect(crowd.aMinute).toBeGreaterThan(10)
    expect(crowd.medianAMinute).toBe(0.25)
    expect([crowd.whenCrowded.hit, crowd.whenQuiet.hit]).toEqual([crowd.whenCrowded.n, 0])
    // The first of them is in it as well, as far as the fullest minutes tell.
    const first = around.crowd(storm[0] as Neighbour, 'container')
    expect(first.mostAMinute).toBe(crowd.mostAMinute)
    expect(first.aMinute).toBeLessThan(first.mostAMinute)
    expect(around.contrast(at(FAR_MS / 2, 9999, false), 'share', 'container').inside.n).toBeGreaterThan(100)
  })

  it('are also those of its own pool that are nearest, where hardly any of the many around are of it', () => {
    const of = (pool: string, one: Neighbour): Neighbour => ({ ...one, places: { ...one.places, pool } })
    const many = Array.from({ length: 600 }, (_, i) => of('hall', at(10 * 3_600_000 + i * 6000, i, false)))
    // One every ten minutes all day long, slow but for the last six hours.
    const own = Array.from({ length: 144 }, (_, i) => of('office', at(i * 600_000, 1000 + i, i < 108)))
    const around = holding([...many, ...own])
    const { inside, outside } = around.contrast(own[63] as Neighbour, 'pool', 'container')
    // Half an hour either side has six of them; the others come from four hours either side.
    expect(inside).toEqual({ n: 47, hit: 47 })
    expect(outside).toEqual({ n: 600, hit: 0 })
    // Of the pool with many it is those around, and no others.
    const hall = around.contrast(many[300] as Neighbour, 'pool', 'container')
    expect([hall.inside.n, hall.outside.n]).toEqual([599, 6])
  })

  it('of a share that was slow before the crowd, and is quick after it, the quiet moments of before tell', () => {
    const before = Array.from({ length: 40 }, (_, i) => at(i * 300_000, i, true))
    const crowd = Array.from({ length: 40 }, (_, i) => at(40 * 300_000 + i * 6000, 100 + i, true))
    const after = Array.from({ length: 40 }, (_, i) => at(42 * 300_000 + i * 120_000, 200 + i, false))
    const { whenQuiet } = holding([...before, ...crowd, ...after]).crowd(crowd[30] as Neighbour, 'container')
    expect(whenQuiet).toEqual({ n: 15, hit: 15 })
    // And of a storm alone, those of both sides.
    const storm = holding([...before.map((one) => ({ ...one, beyond: 0 })), ...crowd, ...after]).crowd(crowd[30] as Neighbour, 'container')
    expect(storm.whenQuiet).toEqual({ n: 30, hit: 0 })
  })

  it('of other crowds counts those with a crest as large, well before or after it', () => {
    const crowd = (beginMs: number, n: number, slow: boolean) =>
      Array.from({ length: n }, (_, i) => at(beginMs + (i * 240_000) / n, beginMs / 1000 + i, slow))
    const quiet = Array.from({ length: 60 }, (_, i) => at(i * 900_000, i, false))
    const now = crowd(10 * 3_600_000, 40, true)
    const others = [...crowd(3 * 3_600_000, 40, false), ...crowd(6 * 3_600_000, 12, true), ...crowd(9 * 3_600_000, 40, true)]
    const inOthers = holding([...quiet, ...others, ...now]).inOtherCrowds(now[20] as Neighbour, 'container')
    // Not the small one, nor the one of an hour before.
    expect(inOthers.hit).toBe(0)
    expect(inOthers.n).toBeGreaterThanOrEqual(38)
    expect(inOthers.n).toBeLessThanOrEqual(42)
  })

  it('at a place that has it only from elsewhere do not speak for it: of those who share what an attempt has besides, none had it', () => {
    // Hosts of one zone are far from one of two shares; nobody else is slow.
    const one = (i: number): Neighbour => {
      const [host, share] = [`h${i % 6}`, i % 4 < 2 ? 's1' : 's2']
      const isFar = share === 's1' && i % 6 === 0
      const base = at(i * 60_000, i, isFar)
      return { ...base, places: { ...base.places, share, host } }
    }
    const all = Array.from({ length: 240 }, (_, i) => one(i))
    const around = holding(all)
    const gain = (self: Neighbour, ...dimensions: Dimension[]) =>
      around.locate(self, 'container').find((place) => place.at.map(({ dimension }) => dimension).join() === dimensions.join())?.gain ?? 0
    const [ill, well] = [all[120], all[126]] as [Neighbour, Neighbour]
    expect([ill.beyond > 0, well.beyond > 0, ill.places.host, well.places.host]).toEqual([true, false, 'h0', 'h0'])
    expect(gain(ill, 'host')).toBeGreaterThan(60)
    expect(gain(well, 'host')).toBe(0)
  })

  it('of a crowd are asked only where they are, if that is wanted', () => {
    const all = Array.from({ length: 80 }, (_, i) => {
      const base = at(i * 300_000, i, i % 2 === 0)
      return { ...base, places: { ...base.places, image: i % 2 === 0 ? 'june' : 'may' } }
    })
    const around = holding(all)
    expect(around.crowd(all[40] as Neighbour, 'container').whenQuiet).toEqual({ n: 30, hit: 14 })
    expect(around.crowd(all[40] as Neighbour, 'container', ['image']).whenQuiet).toEqual({ n: 30, hit: 30 })
  })

  it('tell by host where it is: those on which nearly all had it, hardly any, or some; by the nearest few on each', () => {
    const none = Object.fromEntries(DIMENSIONS.map((dimension) => [dimension, ''])) as Record<Dimension, string>
    const on = (n: number, minute: number, slow: boolean, ran = true): Neighbour => ({
      id: `n${n}-${minute}`,
      atMs: START_MS + minute * 60_000,
      places: { ...none, host: `h${n}`, pool: n % 2 === 0 ? 'hall' : 'office' },
      beyond: slow ? 1 << CONTAINER : 0,
      ran: ran ? 1 << CONTAINER : 0,
      failed: false,
      fault: '',
    })
    const minutes = Array.from({ length: 12 }, (_, i) => 5 * i)
    const all = [0, 1, 2, 3, 4, 5].flatMap((n) =>
      minutes.map((minute) => on(n, minute, n < 3 ? minute < 55 : n === 5 && minute % 10 === 0 && minute > 20)),
    )
    // Too few on a host, and those who did not go through it, tell nothing.
    const odd = [on(7, 31, true), on(8, 29, true), on(8, 30, true), ...minutes.map((minute) => on(9, minute, false, false))]
    const nowhere = minutes.map((minute) => ({ ...on(10, minute, true), places: none }))
    const self = on(0, 32, true)
    expect(holding([...all, ...odd, ...nowhere, self]).byHost(self, 'container')).toEqual({
      ill: 3,
      pools: 2,
      well: 2,
      others: 1,
      ownIll: { n: 5, hit: 5 },
      wellInPool: 1,
    })
    const later = { ...on(0, 400, true), id: 'later' }
    expect(holding([...all, later]).byHost(later, 'container')).toEqual({ ill: 0, pools: 0, well: 0, others: 0, ownIll: null, wellInPool: 0 })
  })
})
