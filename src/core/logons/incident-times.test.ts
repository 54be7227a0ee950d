import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { burstOf, partedByPauses, stretchesOf, withoutStragglers } from './incident-times'
import { Ledger } from './ledger'

const HOUR = 3_600_000
/** A ledger with an attempt at each of these hours; a row is its place in time. */
function at(hours: readonly number[]): { ledger: Ledger; rows: number[] } {
  const ledger = new Ledger()
  hours.forEach((hour, i) => {
    ledger.add({ id: `a${i}`, person: 'p', atMs: hour * HOUR, lostMs: 0, failed: false, open: false, cause: 'x', places: {} })
  })
  return { ledger, rows: [...ledger.rows(-Infinity, Infinity)] }
}
const hoursOf = (ledger: Ledger, rows: ArrayLike<number>) => Array.from(rows, (row) => ledger.atMs(row) / HOUR)

describe('a burst', () => {
  it('is where a good part of it happened within a few hours, with a day around it', () => {
    const { ledger, rows } = at([0, 50, 99, 200, 201, 202, 203, 204, 300, 400])
    const hits = rows.filter((row) => ![99, 300].includes(ledger.atMs(row) / HOUR))
    expect(hoursOf(ledger, burstOf(ledger, hits) ?? [])).toEqual([200, 201, 202, 203, 204])
    const near = at([0, 180, 200, 201, 202, 203, 204, 220, 300])
    expect(
      hoursOf(
        near.ledger,
        burstOf(
          near.ledger,
          near.rows.filter((row) => near.ledger.atMs(row) >= 200 * HOUR),
        ) ?? [],
      ),
    ).toEqual([180, 200, 201, 202, 203, 204, 220])
  })

  it('goes on for as many days as have as much of it, with a day before the first and after the last', () => {
    // Half a day each of four, the third with the most of it, and a day before that on which nobody had it.
    const hours = [...[0, 4, 8], ...[24, 48, 72].flatMap((day) => Array.from({ length: day === 48 ? 14 : 10 }, (_, i) => day + i / 2)), 96, 100, 130]
    const { ledger, rows } = at(hours)
    const hits = rows.filter((row) => ledger.atMs(row) >= 24 * HOUR && ledger.atMs(row) < 90 * HOUR)
    const found = hoursOf(ledger, burstOf(ledger, hits) ?? [])
    expect([found[0], found.at(-1)]).toEqual([0, 100])
  })

  it('is nowhere where it is spread evenly, or too seldom', () => {
    const even = at(Array.from({ length: 60 }, (_, i) => i * 10))
    expect(burstOf(even.ledger, even.rows)).toBeNull()
    const two = at([0, 1])
    expect(burstOf(two.ledger, two.rows)).toBeNull()
    expect(burstOf(two.ledger, [])).toBeNull()
  })
})

describe('stretches', () => {
  it('begin and end where the rate changes', () => {
    const rows = Array.from({ length: 120 }, (_, i) => i)
    const hits = new Set(rows.filter((i) => (i >= 40 && i < 60) || (i >= 90 && i < 110)))
    expect(stretchesOf(rows, hits).map((one) => [one[0], one.at(-1), one.length])).toEqual([
      [40, 59, 20],
      [90, 109, 20],
    ])
    expect(stretchesOf(rows, new Set(rows)).map(({ length }) => length)).toEqual([120])
    expect(stretchesOf(rows, new Set())).toEqual([])
  })

  it('are also of what hits but few at a place, where it is many and nobody had it before', () => {
    const rows = Array.from({ length: 4000 }, (_, i) => i)
    const every = (nth: number) => new Set(rows.filter((row) => row >= 2000 && row < 2600 && row % nth === 0))
    expect(stretchesOf(rows, every(25)).map((hits) => [hits[0], hits.at(-1), hits.length])).toEqual([[2000, 2575, 24]])
    expect(stretchesOf(rows, every(100))).toEqual([])
  })

  it('are one where it never was fine, but more had it now and fewer then', () => {
    const rows = Array.from({ length: 400 }, (_, i) => i)
    const hits = new Set(rows.filter((row) => row % 2 === 0 || row >= 300))
    expect(stretchesOf(rows, hits).map((one) => [one[0], one.at(-1), one.length])).toEqual([[0, 399, 250]])
  })

  it('hold only hits, each once, in their order', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { maxLength: 200 }), (list) => {
        const rows = list.map((_, i) => i)
        const hits = new Set(rows.filter((i) => list[i]))
        const all = stretchesOf(rows, hits).flat()
        expect(all).toEqual([...new Set(all)].sort((a, b) => a - b))
        for (const row of all) expect(hits).toContain(row)
      }),
    )
  })
})

describe('a beginning', () => {
  const after = (hours: number[]) => {
    const { ledger, rows } = at(hours)
    return hoursOf(ledger, withoutStragglers(ledger, rows))
  }
  const busy = Array.from({ length: 20 }, (_, i) => 40 + i / 4)

  it('is without one or two who had it long before', () => {
    expect(after([20, ...busy])).toEqual(busy)
    expect(after([2, 20, ...busy])).toEqual(busy)
  })

  it('stays where more had it before, where the pause is short, and where all are far apart', () => {
    for (const hours of [[2, 3, 20, ...busy], [37, ...busy], Array.from({ length: 20 }, (_, i) => 24 * i), [0, 30, 31]])
      expect(after(hours)).toEqual(hours)
  })
})

it('who held a container is parted by pauses of more than a day', () => {
  const { ledger, rows } = at([0, 20, 44, 80, 81])
  expect(partedByPauses(ledger, rows).map((one) => hoursOf(ledger, one))).toEqual([
    [0, 20, 44],
    [80, 81],
  ])
})
