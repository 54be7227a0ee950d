import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { letGo, Passing } from './passing'

describe('A map for what passes through', () => {
  it('says what a Map says, whatever comes and goes', () => {
    const key = fc.constantFrom('a', 'b', 'c', 'd', 'e', '')
    const step = fc.oneof(
      fc.record({ kind: fc.constant('set' as const), key, value: fc.nat() }),
      fc.record({ kind: fc.constant('delete' as const), key, value: fc.constant(0) }),
      fc.record({ kind: fc.constantFrom('clear' as const), key, value: fc.constant(0) }),
    )
    fc.assert(
      fc.property(fc.array(step, { maxLength: 60 }), (steps) => {
        const [passing, map] = [new Passing<number>(), new Map<string, number>()]
        for (const { kind, key: name, value } of steps) {
          if (kind === 'set') {
            passing.set(name, value)
            map.set(name, value)
          } else if (kind === 'delete') {
            passing.delete(name)
            map.delete(name)
          } else {
            passing.clear()
            map.clear()
          }
          expect(passing.get(name)).toBe(map.get(name))
        }
        expect([...passing]).toEqual([...map])
        expect([...passing.keys()]).toEqual([...map.keys()])
        expect([...passing.values()]).toEqual([...map.values()])
      }),
    )
  })

  it('gives what is there by then, while it is changed', () => {
    const passing = new Passing<number>()
    for (const [i, key] of ['a', 'b', 'c'].entries()) passing.set(key, i)
    const seen: string[] = []
    for (const [key] of passing) {
      seen.push(key)
      if (key === 'a') passing.delete('b')
      if (key === 'c') passing.set('d', 3)
    }
    expect(seen).toEqual(['a', 'c', 'd'])
  })

  it('lets go of all that was in a list', () => {
    const list = [1, 2]
    letGo(list)
    expect(list).toEqual([])
  })
})
