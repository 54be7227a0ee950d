import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { bucketMiddle, bucketOf, Histogram, packHistograms } from '../stats/histogram'
import { unusualFrom } from './analyse'
import { ENOUGH, SERIES, slotOf, UsualModel, type Kind } from './usual'

const durations = (totalMs: number, containerMs = 0) => {
  const all = new Int32Array(SERIES.length)
  all[SERIES.indexOf('container')] = containerMs
  all[SERIES.length - 1] = totalMs
  return all
}
const office: Kind = { pool: 'office', first: false, network: 'office', slot: 1 }
const model = (n: number, kind: Kind, ms = 1000) => {
  const usual = new UsualModel()
  for (let i = 0; i < n; i++) usual.add(kind, durations(ms + i))
  return usual
}
const basis = (usual: UsualModel, kind: Kind) => {
  const found = usual.usualFor(kind)
  return found && [found.basis.pool, found.basis.network, found.n]
}

describe('what is unusual', () => {
  // Median 1.7 s, the quarter below it at 1.24 s: 3.5 such spreads as a factor are more than five times the median.
  const usual = { medianMs: 1663, spreadMs: 626, lowMs: 926, highMs: 2579 }

  it('is told by the highest tenth where many show that it lies nearer than the spread below the median says', () => {
    expect(unusualFrom(usual, true, 50)).toBe(5 * 1663)
    // 2579 / 1663 is 1.2816 deviations of the logarithm; 3.5 of them, and a quarter more.
    expect(unusualFrom(usual, true, 163)).toBeCloseTo(1.25 * 1663 * (2579 / 1663) ** (3.5 / 1.2816), 6)
  })

  it('is not told by a highest tenth that nobody knows', () => {
    expect(unusualFrom({ ...usual, highMs: 1663 }, true, 163)).toBe(5 * 1663)
  })
})

describe('the usual', () => {
  it('of a source that writes whole seconds lies between them, and what is unusual is about as far out as it was', () => {
    const took = Array.from({ length: 200 }, (_, i) => 3300 * Math.exp(0.2 * Math.log((i + 0.5) / (199.5 - i))))
    const from = (round: (ms: number) => number) => {
      const usual = new UsualModel()
      for (const ms of took) usual.add(office, durations(round(ms), round(ms)))
      const container = usual.usualFor(office)?.series['container']
      return container ? { medianMs: container.medianMs, unusualMs: unusualFrom(container, true, 200) } : { medianMs: 0, unusualMs: 0 }
    }
    const [fine, whole] = [from(Math.round), from((ms) => Math.round(ms / 1000) * 1000)]
    expect(Math.abs(whole.medianMs / fine.medianMs - 1)).toBeLessThan(0.05)
    expect(Math.abs(whole.unusualMs / fine.unusualMs - 1)).toBeLessThan(0.25)
  })

  it('is of just the kind where there is enough, else of the same network or pool, never of the other sort of logon', () => {
    const usual = model(ENOUGH, office)
    expect(basis(usual, office)).toEqual(['office', 'office', ENOUGH])
    expect(basis(usual, { ...office, network: 'home' })).toEqual(['office', null, ENOUGH])
    expect(basis(usual, { ...office, pool: 'hall' })).toEqual([null, 'office', ENOUGH])
    expect(basis(usual, { pool: 'hall', network: 'home', first: false, slot: 1 })).toEqual([null, null, ENOUGH])
    expect(usual.usualFor({ ...office, first: true })).toBeNull()
    expect(usual.usualFor(office)?.basis.sentence).toBe(`${ENOUGH} earlier returning logons on office from office`)
  })

  it('is of all of the pool for who does not say from which network they come, where others do', () => {
    const usual = model(ENOUGH, { ...office, network: '' })
    expect(basis(usual, { ...office, network: '' })).toEqual(['office', '', ENOUGH])
    for (let i = 0; i < 30; i++) usual.add(office, durations(1000))
    expect(basis(usual, { ...office, network: '' })).toEqual(['office', null, ENOUGH + 30])
    expect(basis(usual, office)).toEqual(['office', 'office', 30])
  })

  it('is that of the same hours where these are much quicker than others, and never where they are slower', () => {
    const usual = new UsualModel()
    for (let i = 0; i < 300; i++) usual.add({ ...office, slot: 1 }, durations(30_000))
    for (let i = 0; i < 80; i++) usual.add({ ...office, slot: 3 }, durations(18_000))
    for (let i = 0; i < 80; i++) usual.add({ ...office, slot: 2 }, durations(60_000))
    for (let i = 0; i < 20; i++) usual.add({ ...office, slot: 4 }, durations(10_000))
    const of = (slot: number) => {
      const found = usual.usualFor({ ...office, slot })
      return found && [Math.round((found.series['total']?.medianMs ?? 0) / 1000), found.n, found.basis.sentence.endsWith('at such hours')]
    }
    expect([of(1), of(2), of(3), of(4), of(5)]).toEqual([
      [30, 480, false],
      [30, 480, false],
      [18, 80, true],
      // Twenty say nothing of their hours.
      [30, 480, false],
      [30, 480, false],
    ])
    for (let i = 0; i < 60; i++) usual.add({ ...office, slot: 3 }, durations(18_000), -1)
    expect(of(3)).toEqual([30, 420, false])
  })

  it('tells four hours from the next, and workdays from weekends, but not first logons', () => {
    // Friday 20 November 2026, 23:59 in UTC.
    const friday = Date.UTC(2026, 10, 20, 23, 59)
    expect([friday, friday + 60_000, friday + 48 * 3_600_000, friday + 48 * 3_600_000 + 60_000].map((ms) => slotOf(ms, false))).toEqual([5, 6, 11, 0])
    expect([0, 4, 8, 12, 16, 20].map((hour) => slotOf(Date.UTC(2026, 10, 18, hour), false))).toEqual([0, 1, 2, 3, 4, 5])
    expect(slotOf(friday, true)).toBe(slotOf(friday + 86_400_000, true))
  })

  it('of few is the widest that has more, and of hardly any there is none', () => {
    expect(model(4, office).usualFor(office)).toBeNull()
    const usual = model(6, office)
    usual.add({ ...office, network: 'home' }, durations(5000))
    expect(basis(usual, office)).toEqual(['office', null, 7])
  })

  it('has the quantiles of all that was added, however many kinds are put together, and takes back what was added', () => {
    const one = fc.record({ pool: fc.constantFrom('a', 'b', 'c'), network: fc.constantFrom('', 'home'), ms: fc.integer({ min: 0, max: 300_000 }) })
    fc.assert(
      fc.property(fc.array(one, { minLength: ENOUGH, maxLength: 80 }), fc.array(one, { maxLength: 20 }), (list, wrong) => {
        const usual = new UsualModel()
        for (const { pool, network, ms } of [...list, ...wrong]) usual.add({ pool, network, first: false, slot: 1 }, durations(ms, ms))
        for (const { pool, network, ms } of wrong) usual.add({ pool, network, first: false, slot: 1 }, durations(ms, ms), -1)
        const found = usual.usualFor({ pool: 'none', network: 'none', first: false, slot: 1 })
        expect(found?.n).toBe(list.length)
        const together = new Histogram()
        for (const { ms } of list) together.add(ms)
        const [low = 0, , median = 0, high = 0] = together.quantiles([0.1, 0.25, 0.5, 0.9])
        for (const name of ['container', 'total'])
          expect(found?.series[name]).toMatchObject({ lowMs: Math.round(low), medianMs: Math.round(median), highMs: Math.round(high) })
        expect(found?.series['policy']).toMatchObject({ medianMs: 0, spreadMs: 0 })
      }),
    )
  })

  it('of many at once is that of one by one', () => {
    const list = Array.from({ length: 50 }, (_, i) => durations(1000 + 37 * i, i % 3 === 0 ? 0 : 200 * i))
    const single = new UsualModel()
    const histograms = SERIES.map(() => new Histogram())
    for (const one of list) {
      single.add(office, one)
      SERIES.forEach((_, i) => histograms[i]?.add(one[i] ?? 0))
    }
    const many = new UsualModel()
    many.addPacked(office, packHistograms(histograms))
    expect(many.usualFor(office)).toEqual(single.usualFor(office))
    expect(many.usualFor(office)?.series['total']?.medianMs).toBe(Math.round(bucketMiddle(bucketOf(1000 + 37 * 24))))
  })

  it('of two together is that of all of both, and without the one again that of the other', () => {
    const kinds = [
      office,
      { ...office, network: 'home' },
      { ...office, pool: 'other' },
      { ...office, first: true },
      { ...office, slot: office.slot + 1 },
    ]
    const [one, other, all] = [new UsualModel(), new UsualModel(), new UsualModel()]
    for (let i = 0; i < 300; i++) {
      const [kind, took] = [kinds[i % kinds.length] as Kind, durations(1000 + 37 * i, i % 3 === 0 ? 0 : 20 * i)]
      ;(i % 2 === 0 ? one : other).add(kind, took)
      all.add(kind, took)
    }
    const both = new UsualModel()
    expect([both.addAll(one), both.addAll(other)]).toEqual([true, true])
    const said = (model: UsualModel) => kinds.map((kind) => model.usualFor(kind))
    expect(said(both)).toEqual(said(all))
    expect(both.addAll(other, -1)).toBe(true)
    expect(said(both)).toEqual(said(one))
    expect(both.kinds).toBe(kinds.length)
    // Where not all kinds are told apart, they cannot be.
    const many = new UsualModel()
    for (let i = 0; i < 2100; i++) many.add({ ...office, pool: `p${i}`, slot: -1 }, durations(1000, 0))
    expect(both.addAll(many)).toBe(false)
    expect(said(both)).toEqual(said(one))
  })

  it('does not grow with names that nobody has: past the most kinds, further ones are one', () => {
    const usual = new UsualModel()
    for (let i = 0; i < 4000; i++) usual.add({ pool: `p${i}`, network: '', first: false, slot: 1 }, durations(1000))
    expect(basis(usual, { pool: 'p3999', network: '', first: false, slot: 1 })).toEqual([null, null, 4000])
    for (let i = 0; i < ENOUGH; i++) usual.add({ pool: 'p1', network: '', first: false, slot: 1 }, durations(1000))
    expect(basis(usual, { pool: 'p1', network: '', first: false, slot: 1 })).toEqual(['p1', '', ENOUGH + 1])
  })
})
