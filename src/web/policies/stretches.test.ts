import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import type { StretchLines } from '../../contract/policies'
import { columnsOf } from './stretches'

const FROM = Date.UTC(2026, 10, 1)
const lines = (list: StretchLines['lines']): StretchLines => ({
  lines: list,
  networks: ['office', 'home'],
  clients: ['terminal 2.11.0', 'laptop 2.9.4'],
  fromMs: FROM,
  untilMs: FROM + 86_400_000,
})

describe('stretches of sessions as columns', () => {
  it('have people and pools by their place, moments whole, and what still goes on until now', () => {
    const columns = columnsOf(
      lines([
        {
          person: 'mara',
          pool: 'ticket-hall',
          on: '0,3600',
          off: '1800,-1',
          ended: 'do',
          network: '0,1',
          client: '0,1',
          rtt: '3,32',
          kbps: '1000000,-1',
        },
        { person: 'jonas', pool: 'ticket-hall', on: '60', off: '120', ended: 'o', network: '1', client: '0', rtt: '-1', kbps: '40000' },
      ]),
    )
    expect(columns.people).toEqual(['mara', 'jonas'])
    expect(columns.pools).toEqual(['ticket-hall'])
    expect([columns.person, columns.pool]).toEqual([
      [0, 0, 1],
      [0, 0, 0],
    ])
    expect(columns.onMs).toEqual([FROM, FROM + 3_600_000, FROM + 60_000])
    expect(columns.offMs).toEqual([FROM + 1_800_000, columns.untilMs, FROM + 120_000])
    // Disconnected is a pause; logged off, and still there, are none.
    expect(columns.loggedOff).toEqual([0, 1, 1])
    expect([columns.rttMs, columns.kbps]).toEqual([
      [3, 32, -1],
      [1_000_000, -1, 40_000],
    ])
    expect([columns.network, columns.client]).toEqual([
      [0, 1, 1],
      [0, 1, 0],
    ])
  })

  it('are as many as were told, whoever they are of', () => {
    const line = fc
      .record({ person: fc.constantFrom('a', 'b', 'c'), pool: fc.constantFrom('x', 'y'), n: fc.integer({ min: 1, max: 5 }) })
      .map(({ person, pool, n }) => {
        const of = (value: (i: number) => number) => Array.from({ length: n }, (_, i) => value(i)).join(',')
        return {
          person,
          pool,
          on: of((i) => i * 100),
          off: of((i) => i * 100 + 50),
          ended: 'd'.repeat(n),
          network: of(() => 0),
          client: of(() => 1),
          rtt: of((i) => i),
          kbps: of(() => -1),
        }
      })
    fc.assert(
      fc.property(fc.array(line, { maxLength: 20 }), (list) => {
        const columns = columnsOf(lines(list))
        const n = list.reduce((sum, { ended }) => sum + ended.length, 0)
        for (const column of [columns.person, columns.pool, columns.onMs, columns.offMs, columns.rttMs]) expect(column).toHaveLength(n)
        expect(new Set(columns.person.map((at) => columns.people[at]))).toEqual(new Set(list.map(({ person }) => person)))
        expect(columns.offMs.every((off, i) => off > (columns.onMs[i] ?? Infinity))).toBe(true)
      }),
    )
  })
})
