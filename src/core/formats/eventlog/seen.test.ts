import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Seen } from './seen'

const START = 1_794_283_695_913.9712

describe('Seen', () => {
  it('finds what a list of all of them would find', () => {
    const moment = fc.record({
      key: fc.constantFrom('th-q1-03', 'th-q1-04'),
      // A few stretches of two minutes, to a ten-thousandth of a millisecond.
      atMs: fc.integer({ min: -2_000_000_000, max: 6_000_000_000 }).map((units) => START + units / 10_000),
      name: fc.constantFrom('LARKMERE\\vaas', 'brandt', 'okoro@larkmere.example'),
    })
    fc.assert(
      fc.property(fc.array(moment, { minLength: 1, maxLength: 60 }), moment, fc.integer({ min: 1, max: 400_000 }), (moments, asked, withinMs) => {
        const seen = new Seen()
        for (const { key, atMs, name } of moments) seen.add(key, atMs, name)
        const listed = (all: Iterable<{ timeMs: number; name: string }>) => [...all].map(({ timeMs, name }) => `${timeMs.toFixed(2)} ${name}`).sort()
        const expected = moments.filter(({ key, atMs }) => key === asked.key && Math.abs(atMs - asked.atMs) <= withinMs)
        expect(new Set(listed(seen.near(asked.key, asked.atMs, withinMs)))).toEqual(
          new Set(listed(expected.map(({ atMs, name }) => ({ timeMs: atMs, name })))),
        )
      }),
    )
  })

  it('keeps the order in which they came, and one of two that follow each other and are the same', () => {
    const seen = new Seen()
    for (const [s, name] of [
      [1, 'a'],
      [1, 'a'],
      [0, 'b'],
      [1, 'a'],
      [2, 'c'],
    ] as const)
      seen.add('host', START + s, name)
    expect([...seen.near('host', START, 5)].map(({ name }) => name)).toEqual(['a', 'b', 'a', 'c'])
    // Of two that are as near, the first.
    expect(seen.nearest('host', START + 1.5, 5)).toBe('a')
  })

  it('forgets the stretches that were first there, beyond five thousand, and uses their room again', () => {
    const seen = new Seen()
    const at = (stretch: number) => START + stretch * 120_000
    for (let i = 0; i < 5100; i++) for (const ms of [0, 1]) seen.add('host', at(i) + ms, `p${i % 7}`)
    seen.add('other', at(0), 'p0')
    expect(seen.nearest('host', at(99), 1000)).toBeUndefined()
    expect([...seen.near('host', at(100), 1000)]).toHaveLength(2)
    expect([...seen.near('host', at(5099), 1000)].map(({ name }) => name)).toEqual(['p3', 'p3'])
    expect([...seen.near('other', at(0), 1000)].map(({ name }) => name)).toEqual(['p0'])
  })
})
