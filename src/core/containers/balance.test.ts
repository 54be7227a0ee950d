import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { DEMAND, fewestBytes, planBalance, shareLoads, SLOTS, slotSays, type BalanceAim, type RoomContainer, type RoomShare } from './balance'

const GIB = 2 ** 30
const share = (path: string, more: Partial<RoomShare> = {}): RoomShare => ({
  path,
  zone: 'Q1',
  totalBytes: 1000 * GIB,
  usedBytes: 0,
  bearsIops: null,
  takes: true,
  ...more,
})
const container = (id: string, on: string, gib: number, more: Partial<RoomContainer> = {}): RoomContainer => ({
  id,
  share: on,
  bytes: gib * GIB,
  slot: null,
  stays: null,
  ...more,
})
const AIM: BalanceAim = { fullTo: 0.8, zones: 'any', empty: [], demand: DEMAND }

describe('the fewest bytes that free enough', () => {
  it('finds the smallest sum, as trying every subset does', () => {
    const sizes = fc.array(fc.integer({ min: 1, max: 60 }), { minLength: 1, maxLength: 12 })
    fc.assert(
      fc.property(sizes, fc.integer({ min: 1, max: 300 }), (list, wanted) => {
        const items = list.map((bytes, i) => ({ bytes, i }))
        let best = Infinity
        for (let set = 0; set < 2 ** list.length; set++) {
          const sum = list.reduce((all, bytes, i) => all + (set & (1 << i) ? bytes : 0), 0)
          if (sum >= wanted && sum < best) best = sum
        }
        const found = fewestBytes(items, wanted)
        if (best === Infinity) return found === null
        // Every item at most once.
        return found !== null && new Set(found).size === found.length && found.reduce((sum, { bytes }) => sum + bytes, 0) === best
      }),
      { numRuns: 300 },
    )
  })

  it('keeps near the smallest where sizes have no common measure', () => {
    const items = Array.from({ length: 400 }, (_, i) => ({ bytes: 1e9 + ((i * 7_919_317) % 3e9) }))
    const sum = (fewestBytes(items, 2e11) ?? []).reduce((all, { bytes }) => all + bytes, 0)
    expect(sum).toBeGreaterThanOrEqual(2e11)
    expect(sum / 2e11).toBeLessThan(1.01)
  })
})

describe('rebalancing', () => {
  it('moves nothing where nothing has to move', () => {
    const plan = planBalance([share('a', { usedBytes: 700 * GIB }), share('b')], [container('x', 'a', 700)], AIM)
    expect(plan).toMatchObject({ moves: [], bytes: 0, atLeastBytes: 0, notMet: [] })
  })

  it('frees what is too much with the fewest bytes', () => {
    const containers = [30, 21, 20, 13, 9].map((gib, i) => container(`c${i}`, 'a', gib))
    // 834 of 1000 are used, 800 are wanted: 34 must go, and 21 + 13 are just that.
    const plan = planBalance([share('a', { usedBytes: 834 * GIB }), share('b')], containers, AIM)
    expect(plan.moves.map(({ id, to, because }) => [id, to, because])).toEqual([
      ['c1', 'b', 'room'],
      ['c3', 'b', 'room'],
    ])
    expect([plan.bytes, plan.atLeastBytes]).toEqual([34 * GIB, 34 * GIB])
    expect(plan.after.map(({ usedBytes }) => usedBytes / GIB)).toEqual([800, 34])
  })

  it('takes load off at the shift start by moving the smallest of those who log on then', () => {
    const early = Array.from({ length: 30 }, (_, i) => container(`early${i}`, 'a', 1 + i, { slot: 68 }))
    const late = Array.from({ length: 10 }, (_, i) => container(`late${i}`, 'a', 0.1, { slot: 164 }))
    const shares = [share('a', { usedBytes: 470 * GIB, bearsIops: 1200 }), share('b', { bearsIops: 400 })]
    const plan = planBalance(shares, [...early, ...late], AIM)
    expect(plan.before[0]).toMatchObject({ peakIops: 1500, peakSlot: 68 })
    expect(slotSays(68)).toBe('05:40')
    expect(plan.moves.map(({ id, because }) => `${id} ${because}`)).toEqual([0, 1, 2, 3, 4, 5].map((i) => `early${i} load`))
    expect(plan.after.map(({ peakIops }) => peakIops)).toEqual([1200, 300])
    // The other share bears only eight at once.
    const tight = planBalance([share('a', { usedBytes: 470 * GIB, bearsIops: 800 }), shares[1] ?? share('b')], early, AIM)
    expect(tight.moves).toHaveLength(8)
    expect(tight.notMet).toEqual(['a is still asked for 1,100 operations a second at 05:40; it bears 800.'])
  })

  it('empties a share, keeps to zones, and says what stays', () => {
    const shares = [share('a', { usedBytes: 50 * GIB }), share('b', { zone: 'H1' }), share('c', { totalBytes: 25 * GIB })]
    const containers = [container('x', 'a', 30), container('y', 'a', 15), container('z', 'a', 5, { stays: 'its parent lies beside it' })]
    const anywhere = planBalance(shares, containers, { ...AIM, empty: ['a'] })
    expect(anywhere.moves.map(({ id, to }) => id + to)).toEqual(['xb', 'yb'])
    expect(anywhere.notMet).toEqual(['One container stays on a: what is left there cannot be moved.'])
    const here = planBalance(shares, containers, { ...AIM, empty: ['a'], zones: 'same' })
    expect(here.moves.map(({ id, to }) => id + to)).toEqual(['yc'])
    expect(here.notMet[0]).toContain('some cannot be moved')
  })

  it('never fills a share beyond the aim, never loses a byte, and says so where it cannot', () => {
    const plans = fc.record({
      used: fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 2, maxLength: 4 }),
      sizes: fc.array(
        fc.record({ on: fc.integer({ min: 0, max: 3 }), gib: fc.integer({ min: 1, max: 90 }), slot: fc.integer({ min: 0, max: SLOTS - 1 }) }),
        { maxLength: 40 },
      ),
      bears: fc.option(fc.integer({ min: 100, max: 1500 })),
    })
    fc.assert(
      fc.property(plans, ({ used, sizes, bears }) => {
        const containers = sizes.map(({ on, gib, slot }, i) => container(`c${i}`, `s${on % used.length}`, gib, { slot }))
        const shares = used.map((gib, i) => {
          const own = containers.filter(({ share: on }) => on === `s${i}`).reduce((sum, { bytes }) => sum + bytes, 0)
          return share(`s${i}`, { usedBytes: Math.min(1000, gib) * GIB + own, totalBytes: 2000 * GIB, bearsIops: bears })
        })
        const plan = planBalance(shares, containers, { ...AIM, fullTo: 0.5 })
        const sum = (list: readonly { usedBytes: number }[]) => list.reduce((all, { usedBytes }) => all + usedBytes, 0)
        expect(sum(plan.after)).toBe(sum(plan.before))
        expect(new Set(plan.moves.map(({ id }) => id)).size).toBe(plan.moves.length)
        for (const [i, { usedBytes, limitBytes, path, peakIops }] of plan.after.entries()) {
          const { usedBytes: usedBefore, peakIops: peakBefore } = plan.before[i] ?? { usedBytes: 0, peakIops: 0 }
          if (usedBytes > limitBytes) expect(plan.notMet.join(' ')).toContain(path)
          // Nobody is brought over a limit.
          if (usedBefore <= limitBytes) expect(usedBytes).toBeLessThanOrEqual(limitBytes)
          if (bears !== null && peakBefore <= bears) expect(peakIops).toBeLessThanOrEqual(bears)
        }
        // What it says of the load afterwards is what the moved containers make of it.
        const at = new Map(plan.moves.map(({ id, to }) => [id, to]))
        const again = shareLoads(
          shares,
          containers.map((one) => ({ ...one, share: at.get(one.id) ?? one.share })),
          AIM,
        )
        expect(plan.after.map(({ peakIops }) => peakIops)).toEqual(again.map(({ peakIops }) => peakIops))
      }),
    )
  })
})
