import { describe, expect, it } from 'vitest'
import type { StretchLines } from '../../contract/policies'
import { LimitsDesk } from './limits-desk'
import { columnsOf } from './stretches'
import { freeId, sayCondition, sayThen } from './set'

const HOUR = 3600
// Mara leaves for 45 minutes, Jonas for 3 hours; Ilse’s session still goes on.
const LINES: StretchLines = {
  networks: ['home', 'office'],
  clients: ['laptop 2.1'],
  fromMs: 1_800_000_000_000,
  untilMs: 1_800_000_000_000 + 24 * HOUR * 1000,
  lines: [
    { person: 'ilse', pool: 'halls', on: `${HOUR}`, off: '-1', ended: '-', network: '1', client: '0', rtt: '3', kbps: '-1' },
    {
      person: 'jonas',
      pool: 'halls',
      on: `0,${4 * HOUR}`,
      off: `${HOUR},${5 * HOUR}`,
      ended: 'do',
      network: '0,0',
      client: '0,0',
      rtt: '30,31',
      kbps: '900,800',
    },
    {
      person: 'mara',
      pool: 'halls',
      on: `0,${HOUR + 2700}`,
      off: `${HOUR},${3 * HOUR}`,
      ended: 'dl',
      network: '1,1',
      client: '0,0',
      rtt: '3,3',
      kbps: '900,900',
    },
  ],
}

describe('sessions of the last days in the page', () => {
  it('come as columns, in order', () => {
    const columns = columnsOf(LINES)
    expect([columns.people, columns.pools, columns.person]).toEqual([['ilse', 'jonas', 'mara'], ['halls'], [0, 1, 1, 2, 2]])
    expect(columns.loggedOff).toEqual([1, 0, 1, 0, 0])
    expect([columns.offMs[0], columns.kbps[0]]).toEqual([LINES.untilMs, -1])
  })

  it('are replayed under one limit, with exceptions, and as given for each', () => {
    const desk = new LimitsDesk()
    expect(() => desk.replay({ kind: 'one', minutes: 30, exceptions: [] })).toThrow('nothing was loaded')
    desk.load(columnsOf(LINES), 'UTC')
    const returns = (plan: Parameters<LimitsDesk['replay']>[0]) => desk.replay(plan).returns[0]
    expect(returns({ kind: 'one', minutes: 30, exceptions: [] })).toEqual({ found: 0, gone: 2, lateMs: 2.5 * HOUR * 1000 })
    expect(returns({ kind: 'one', minutes: 60, exceptions: [] })).toMatchObject({ found: 1, gone: 1 })
    expect(returns({ kind: 'one', minutes: 30, exceptions: [{ people: [1], minutes: 240 }] })).toMatchObject({ found: 1, gone: 1 })
    expect(returns({ kind: 'given', disconnected: [[2, 0, 60]], session: [[0, 0, 60]] })).toMatchObject({ found: 2, gone: 0 })
    expect(desk.replay({ kind: 'given', disconnected: [], session: [[0, 0, 60]] }).interrupted).toBe(22)
  })

  it('suggest a limit only where enough came back', () => {
    const desk = new LimitsDesk()
    desk.load(columnsOf(LINES), 'UTC')
    expect(
      desk.suggest(0, [
        { group: 'crew', people: [0, 1, 2] },
        { group: 'nobody', people: [] },
      ]),
    ).toEqual([{ group: 'crew', people: 3, minutes: null, found: 0, returns: 2 }])
  })
})

describe('a policy in words', () => {
  it('says for whom and when apart', () => {
    expect(sayCondition({ all: [] })).toEqual({ whom: 'everybody', when: null })
    expect(sayCondition({ all: [{ group: ['crew', 'deck'] }, { none: [{ network: ['office'] }] }] })).toEqual({
      whom: 'crew or deck',
      when: 'network is not office',
    })
    expect(sayCondition({ none: [{ person: ['mara'] }] })).toEqual({ whom: 'nobody of mara', when: null })
    expect(sayCondition({ any: [{ group: ['crew'] }, { pool: ['x'] }] })).toEqual({ whom: 'everybody', when: 'group is crew or pool is x' })
  })

  it('says what it does in the order of the catalogue, and keeps what is not known', () => {
    const policy = {
      id: 'p',
      name: '',
      owner: '',
      note: '',
      state: 'on' as const,
      when: { all: [] },
      settings: { lockMinutes: 5, futureThing: [1], disconnectedMinutes: 'none' },
    }
    expect(sayThen(policy).map(({ title, said }) => `${title}: ${said}`)).toEqual([
      'Disconnected limit: never',
      'Lock after: 5 min',
      'futureThing: [1]',
    ])
  })

  it('finds an id that is free', () => {
    const set = { base: {}, networks: [], promises: [], policies: [{ id: 'new-policy' }, { id: 'new-policy-2' }] } as never
    expect([freeId(set, 'New policy!'), freeId(set, 'base'), freeId(set, '…')]).toEqual(['new-policy-3', 'base-2', 'policy'])
  })
})
