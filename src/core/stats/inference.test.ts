import { mean, medianAbsoluteDeviation } from 'simple-statistics'
import { describe, expect, test } from 'vitest'
import { Random } from '../../standins/random'
import { changePoints, normalCost, rateChanges, rateCost } from './change-points'
import { medianPolish } from './median-polish'
import { contrastGain, discoveries, fisherExact, logFactorial } from './significance'

/** Annual flow of the Nile at Aswan 1871–1970 (10⁸ m³): Cobb 1978, the data set `Nile` of R; from memory. */
// prettier-ignore
const NILE = [
  1120, 1160, 963, 1210, 1160, 1160, 813, 1230, 1370, 1140, 995, 935, 1110, 994, 1020, 960, 1180, 799, 958, 1140, 1100, 1210, 1150, 1250, 1260, 1220,
  1030, 1100, 774, 840, 874, 694, 940, 833, 701, 916, 692, 1020, 1050, 969, 831, 726, 456, 824, 702, 1120, 1100, 832, 764, 821, 768, 845, 864, 862, 698,
  845, 744, 796, 1040, 759, 781, 865, 845, 944, 984, 897, 822, 1010, 771, 676, 649, 846, 812, 742, 801, 1040, 860, 874, 848, 890, 744, 749, 838, 1050,
  918, 986, 797, 923, 975, 815, 1020, 906, 901, 1170, 912, 746, 919, 718, 714, 740,
]

describe('change points', () => {
  test('the Nile fell to another level after 1898 (Cobb 1978)', () => {
    expect(NILE).toHaveLength(100)
    expect(mean(NILE)).toBeCloseTo(919.35, 2)
    const changes = changePoints(normalCost(NILE), 3 * Math.log(100), 5)
    expect(changes.map((at) => 1871 + at)).toEqual([1899])
  })

  test('a rate that rises and falls again is found where it does, on series whose truth is known', () => {
    const random = new Random('rates')
    let off = 0
    for (let run = 0; run < 40; run++) {
      const from = 100 + random.below(100)
      const to = from + 40 + random.below(60)
      const series = Array.from({ length: 400 }, (_, i) => (random.chance(i >= from && i < to ? 0.85 : 0.02) ? 1 : 0))
      const changes = changePoints(rateCost(series), 3 * Math.log(400))
      expect(changes.length).toBeGreaterThanOrEqual(2)
      off += Math.abs((changes[0] ?? 0) - from) + Math.abs((changes.at(-1) ?? 0) - to)
    }
    expect(off / 80).toBeLessThan(2)
  })

  test('series without a change have hardly ever one', () => {
    const random = new Random('flat')
    let cried = 0
    for (let run = 0; run < 100; run++)
      if (changePoints(normalCost(Array.from({ length: 200 }, () => random.normal())), 3 * Math.log(200)).length) cried++
    expect(cried).toBeLessThanOrEqual(5)
  })

  test('of a rate are the same by runs as one by one', () => {
    const random = new Random('runs')
    let changed = 0
    for (let series = 0; series < 60; series++) {
      const [low, high] = [0.02 + 0.1 * random.next(), 0.3 + 0.6 * random.next()]
      const [from, to] = [60 + random.below(60), 160 + random.below(60)]
      const had = Array.from({ length: 300 }, (_, i) => random.chance(i >= from && i < to ? high : low))
      const cost = rateCost(had.map(Number))
      const total = (cuts: readonly number[]) =>
        [...cuts, 300].reduce((sum, at, i) => sum + cost.between(cuts[i - 1] ?? 0, at) + (i > 0 ? 3 * Math.log(300) : 0), 0)
      const found = rateChanges(had, 3 * Math.log(300))
      expect(total(found)).toBeCloseTo(total(changePoints(cost, 3 * Math.log(300), 1)), 6)
      if (found.length > 0) changed++
    }
    expect(changed).toBeGreaterThan(50)
    expect(rateChanges([], 5)).toEqual([])
  })

  test('pruning changes nothing: the same as trying every last change', () => {
    const random = new Random('prune')
    for (let run = 0; run < 30; run++) {
      const series = Array.from({ length: 60 }, (_, i) => random.normal() + (i > 20 && i < 41 ? 2.5 : 0))
      const cost = normalCost(series)
      const best = [-6]
      const last = [0, 0]
      for (let to = 1; to <= 60; to++) {
        best[to] = Infinity
        if (to < 2) continue
        for (let from = 0; from <= to - 2; from++) {
          if (from === 1) continue
          const value = (best[from] ?? Infinity) + cost.between(from, to) + 6
          if (value < (best[to] ?? Infinity)) {
            best[to] = value
            last[to] = from
          }
        }
      }
      const plain: number[] = []
      for (let at = last[60] ?? 0; at > 0; at = last[at] ?? 0) plain.unshift(at)
      expect(changePoints(cost, 6)).toEqual(plain)
    }
  })
})

describe('tests of tables', () => {
  test('the tea tasting: 3 of 4 cups told right (Fisher 1935)', () => {
    const tea = { inside: { hit: 3, n: 4 }, outside: { hit: 1, n: 4 } }
    expect(fisherExact(tea, 'both')).toBeCloseTo(0.4857, 4)
    expect(fisherExact(tea, 'more')).toBeCloseTo(17 / 70, 10)
  })

  test('probabilities of all tables add up to one', () => {
    let all = 0
    for (let k = 0; k <= 6; k++)
      all += Math.exp(
        logFactorial(6) -
          logFactorial(k) -
          logFactorial(6 - k) +
          logFactorial(9) -
          logFactorial(6 - k) -
          logFactorial(3 + k) -
          (logFactorial(15) - logFactorial(6) - logFactorial(9)),
      )
    expect(all).toBeCloseTo(1, 10)
    expect(fisherExact({ inside: { hit: 0, n: 6 }, outside: { hit: 6, n: 9 } }, 'more')).toBeCloseTo(1, 10)
  })

  test('15 tests of which 4 are discoveries at 0.05 (Benjamini and Hochberg 1995, section 3.2)', () => {
    const p = [0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.324, 0.4262, 0.5719, 0.6528, 0.759, 1.0]
    expect(discoveries(p).filter(Boolean)).toHaveLength(4)
    expect(discoveries([...p].reverse()).slice(-4)).toEqual([true, true, true, true])
  })

  test('a contrast gains nothing where the inside is no worse, and most where it is all of it', () => {
    expect(contrastGain({ inside: { hit: 1, n: 10 }, outside: { hit: 10, n: 100 } })).toBe(0)
    const all = contrastGain({ inside: { hit: 10, n: 10 }, outside: { hit: 0, n: 100 } })
    expect(all).toBeGreaterThan(contrastGain({ inside: { hit: 10, n: 20 }, outside: { hit: 0, n: 90 } }))
    expect(all).toBeGreaterThan(contrastGain({ inside: { hit: 8, n: 10 }, outside: { hit: 2, n: 100 } }))
  })
})

describe('median polish', () => {
  test('a table that is additive comes back as it was made, and one wild cell stays in the residuals', () => {
    const [rows, columns] = [
      [0, 4, -3, 7, 1],
      [10, -2, 0, 5, 3],
    ]
    const table = rows.map((row) => columns.map((column) => 100 + row + column))
    ;(table[3] ?? [])[1] = 500
    const { residuals } = medianPolish(table)
    const wild = residuals.flat().map((value) => Math.round(value ?? 0))
    expect(wild.filter((value) => value !== 0)).toEqual([500 - (100 + 7 - 2)])
    expect(medianAbsoluteDeviation(wild)).toBe(0)
  })

  test('deaths from sport parachuting by experience and year (Velleman and Hoaglin 1981, p. 224; as R’s help of medpolish has it, from memory)', () => {
    const table = [
      [14, 15, 14],
      [7, 4, 7],
      [8, 2, 10],
      [15, 9, 10],
      [0, 2, 0],
    ]
    const { overall, rows, columns, residuals } = medianPolish(table)
    expect(overall).toBe(8)
    expect(rows).toEqual([6, -1, 0, 2, -8])
    expect(columns).toEqual([0, -1, 0])
    expect(residuals).toEqual([
      [0, 2, 0],
      [0, -2, 0],
      [0, -5, 2],
      [5, 0, 0],
      [0, 3, 0],
    ])
  })
})
