import { describe, expect, it } from 'vitest'
import { absorbed, joinedAt } from './incident-joins'
import type { Candidate } from './incident-search'
import { Ledger } from './ledger'

const MINUTE_MS = 60_000
const START = Date.UTC(2026, 10, 16)
/** A logon a minute: its row is its minute. */
const ledger = new Ledger()
for (let i = 0; i < 600; i++)
  ledger.add({
    ...{ id: `a${String(i).padStart(3, '0')}`, person: `p${i}`, atMs: START + i * MINUTE_MS, lostMs: 0, failed: false, open: false, cause: null },
    places: { share: 'S1', network: 'office' },
  })
const rows = (from: number, to: number) => Array.from({ length: to - from }, (_, i) => from + i)
const SHARE = { dimension: 'share', number: 1 }
const OFFICE = { dimension: 'network', number: 1 }
const candidate = (more: Partial<Candidate>): Candidate => ({
  ...{ cause: 'logon-storm', elements: [SHARE], hits: rows(100, 160), episodes: 1, p: 0.001 },
  contrast: { inside: { n: 60, hit: 60 }, outside: { n: 100, hit: 0 } },
  ...more,
})
const early = candidate({ elements: [SHARE, OFFICE], hits: rows(80, 88) })
/** Whoever is at the second half of a ten is not at the place. */
const isAt = (row: number) => row % 10 < 5
const sizes = (list: readonly Candidate[]) => list.map(({ elements, hits }) => [elements.length, hits.length])

describe('incidents that are one', () => {
  it('are those at a part of a place right before, amid or right after one at all of it', () => {
    const [one, ...others] = absorbed([early, candidate({}), candidate({ elements: [SHARE, OFFICE], hits: rows(170, 175) })], ledger, () => isAt)
    expect(others).toEqual([])
    expect(one?.elements).toEqual([SHARE])
    expect(one?.hits).toEqual([...rows(80, 88), ...rows(100, 160), ...rows(170, 175)])
  })

  it('are not those of another cause, at another place, hours away, or as large as the other', () => {
    for (const other of [
      { ...early, cause: 'share-slow' },
      { ...early, elements: [{ dimension: 'share', number: 2 }, OFFICE] },
      { ...early, hits: rows(20, 28) },
      { ...early, hits: [...rows(80, 88), 300] },
      { ...early, hits: rows(80, 165) },
    ])
      expect(sizes(absorbed([candidate({}), other], ledger, () => isAt))).toHaveLength(2)
  })

  it('are what is too little to tell its place, and goes over into one at whose place all of it is', () => {
    const few = candidate({ elements: [], hits: [40, 51, 60, 74, 80] })
    const [one, ...others] = absorbed([few, candidate({})], ledger, () => isAt)
    expect(others).toEqual([])
    expect(one?.hits).toEqual([...few.hits, ...rows(100, 160)])
    // Somewhere else, a pause between, or too many for that.
    for (const hits of [[40, 51, 60, 76, 80], [20, 51, 60, 74, 80], [40, 51, 60], rows(40, 100).filter(isAt)])
      expect(sizes(absorbed([{ ...few, hits }, candidate({})], ledger, () => isAt))).toHaveLength(2)
  })

  it('are those at one place, again and again', () => {
    const [one, ...others] = joinedAt([candidate({}), early, candidate({ hits: rows(400, 420), p: 0.0001 })], ledger)
    expect(one).toMatchObject({ episodes: 2, p: 0.0001, hits: [...rows(100, 160), ...rows(400, 420)] })
    expect(sizes(others)).toEqual([[2, 8]])
  })
})
