import { beforeEach, describe, expect, it } from 'vitest'
import type { Stretch } from '../../contract/policies'
import type { Database } from '../db/database'
import { engines, onEngine } from '../db/fixtures/engines'
import { keepStretches, seenLately, stretchLines } from './stretches'

const HOUR_MS = 3_600_000
const MIDNIGHT = Date.UTC(2026, 10, 18)
const from = (onMs: number, more: Partial<Stretch> = {}): Stretch => ({
  session: '2',
  person: 'Mara',
  pool: 'ticket-hall',
  host: 'TH-1',
  onMs,
  offMs: onMs + HOUR_MS,
  ended: 'disconnected',
  network: 'home',
  ...more,
})

describe.each(engines)('when people were connected, on %s', (_, open) => {
  let database: Database
  onEngine(open, (opened) => (database = opened))
  beforeEach(() => database.exec('truncate connected'))

  it('is kept across days, by whoever had a session of that number, and as it was told last', async () => {
    const list = [
      from(MIDNIGHT - 2 * HOUR_MS),
      from(MIDNIGHT + HOUR_MS, { clientKind: 'laptop', clientVersion: '2.1' }),
      from(MIDNIGHT + HOUR_MS, { person: 'ilse', network: 'office' }),
      from(MIDNIGHT + HOUR_MS, { session: '3', offMs: null, ended: null }),
    ]
    await keepStretches(database, list)
    await keepStretches(database, list)
    await keepStretches(database, [from(MIDNIGHT + HOUR_MS, { session: '3', ended: 'logged off' }), from(MIDNIGHT + 3 * HOUR_MS, { ended: 'limit' })])
    const { lines, networks, fromMs } = await stretchLines(database, 1, MIDNIGHT + 5 * HOUR_MS)
    expect(fromMs).toBe(MIDNIGHT - 19 * HOUR_MS)
    const told = lines.map(({ person, on, off, ended, network }) => [
      person,
      on.split(',').map((s) => Number(s) / 3600 - 19),
      off.split(',').map((s) => Number(s) / 3600 - 19),
      ended,
      network.split(',').map((n) => networks[Number(n)]),
    ])
    expect(told).toEqual([
      ['ilse', [1], [2], 'd', ['office']],
      ['mara', [-2, 1, 1, 3], [-1, 2, 2, 4], 'ddol', ['home', 'home', 'home', 'home']],
    ])
    // Of a day that begins in the middle of one that is kept, only what began since.
    expect((await stretchLines(database, 1, MIDNIGHT + 26 * HOUR_MS)).lines.map(({ person, on }) => [person, on])).toEqual([['mara', '3600']])
  })

  it('is kept of hosts that tell of the same person at the same time', async () => {
    await Promise.all(Array.from({ length: 12 }, (_, i) => keepStretches(database, [from(MIDNIGHT + i * HOUR_MS, { host: `TH-${i}` })])))
    expect((await stretchLines(database, 1, MIDNIGHT + 12 * HOUR_MS)).lines.map(({ ended }) => ended)).toEqual(['d'.repeat(12)])
  })

  it('tells which networks and clients there are', async () => {
    expect(await seenLately(database)).toEqual({ networks: [], clientKinds: [] })
    await keepStretches(database, [
      from(MIDNIGHT - 72 * HOUR_MS, { clientKind: 'phone' }),
      from(MIDNIGHT - HOUR_MS, { network: null, clientKind: 'laptop' }),
      from(MIDNIGHT + HOUR_MS),
    ])
    expect(await seenLately(database)).toEqual({ networks: ['home'], clientKinds: ['laptop'] })
  })
})
