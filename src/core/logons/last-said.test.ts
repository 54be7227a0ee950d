import { describe, expect, it } from 'vitest'
import { correlate } from './correlate'
import { logon, START_MS } from './fixtures/builders'
import { LastSaid } from './last-said'
import type { Attrs } from './observation'

const HOUR_MS = 3_600_000

/** Logons of one person on one host, an hour apart. */
const logons = (...attrs: readonly Attrs[]) =>
  correlate(
    attrs.flatMap((one, i) => logon({ id: `l${i}`, at: START_MS + i * HOUR_MS, attrs: one })),
    START_MS + 100 * HOUR_MS,
  ).map(({ attempt }) => attempt)

describe('what was last said', () => {
  it('of a host is so until something else is said of it, and before that as well', () => {
    const filled = new LastSaid().fillAll(logons({}, { zone: 'A', image: 'v1' }, {}, { image: 'v2' }, {}))
    expect(filled.map(({ attrs }) => [attrs['zone'], attrs['image']])).toEqual([
      ['A', 'v1'],
      ['A', 'v1'],
      ['A', 'v1'],
      ['A', 'v2'],
      ['A', 'v2'],
    ])
  })

  it('is that of the time, in whatever order logons are told, and told again', () => {
    const all = logons({ image: 'v1' }, {}, { image: 'v2' }, {}, { image: 'v1' }, {})
    const images = (said: LastSaid) => all.map((one) => said.fill({ ...one, attrs: {} }).attrs['image'])
    for (const order of [
      [0, 2, 4],
      [4, 2, 0],
      [2, 4, 0, 2, 0],
    ]) {
      const said = new LastSaid()
      for (const i of order) said.fill(all[i] as (typeof all)[number])
      expect(images(said)).toEqual(['v1', 'v1', 'v2', 'v2', 'v1', 'v1'])
    }
  })

  it('of a person is their share on that pool, once they get to it', () => {
    const said = new LastSaid()
    said.fillAll(logons({ share: 's1' }))
    const [again] = logons({})
    if (!again) throw new Error('no logon')
    expect(said.fill(again).attrs['share']).toBe('s1')
    expect(said.fill({ ...again, pool: 'another' }).attrs['share']).toBeUndefined()
    expect(said.fill({ ...again, person: 'somebody' }).attrs['share']).toBeUndefined()
    expect(said.fill({ ...again, phases: again.phases.filter(({ phase }) => phase === 'broker') }).attrs['share']).toBeUndefined()
  })

  it('is not said of whoever chose the host, while that is all that is known of a logon under way', () => {
    const said = new LastSaid()
    const [one, other] = logons({ image: 'v1' }, {})
    if (!one || !other) throw new Error('no logon')
    const chosen = (attempt: typeof one) => ({
      ...attempt,
      host: 'GATE',
      outcome: 'open' as const,
      phases: attempt.phases.filter(({ phase }) => phase === 'broker'),
    })
    said.fill(chosen(one))
    expect(said.fill(chosen(other)).attrs).toEqual({})
    expect(said.fill({ ...other, host: 'GATE' }).attrs).toEqual({})
    // On its way through the host's own phases, or when it is over, it is that host.
    said.fill({ ...one, outcome: 'open' })
    expect(said.fill({ ...other, outcome: 'open' }).attrs).toEqual({ image: 'v1' })
    expect(said.fill(chosen(other)).attrs).toEqual({})
  })

  it('is nothing where nobody says anything', () => {
    const [one] = logons({})
    if (!one) throw new Error('no logon')
    expect(new LastSaid().fill(one)).toBe(one)
  })
})
