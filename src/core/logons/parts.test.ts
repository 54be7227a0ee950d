import { describe, expect, it } from 'vitest'
import { longestPart, ownParts } from './parts'

const part = (name: string, startMs: number, endMs: number, phase = 'policy') => ({
  phase,
  part: name,
  startMs,
  endMs,
  ended: true,
  code: null,
  host: null,
})
const own = (...parts: ReturnType<typeof part>[]) => ownParts(parts, 'policy').map((one) => [one.part.part, one.ownMs])

describe('parts of a phase', () => {
  it('that lie one after another, or beside each other, have all of their time', () => {
    expect(own(part('b', 10, 30), part('a', 0, 10), part('c', 20, 45), part('elsewhere', 0, 99, 'shell'))).toEqual([
      ['a', 10],
      ['b', 20],
      ['c', 25],
    ])
  })

  it('in which others lie have what those leave, counted once where they overlap, however deep', () => {
    expect(own(part('all', 0, 100), part('x', 10, 50), part('y', 40, 90), part('in y', 60, 85), part('after', 100, 120))).toEqual([
      ['all', 20],
      ['x', 40],
      ['y', 25],
      ['in y', 25],
      ['after', 20],
    ])
    expect(own(part('whole', 0, 10), part('the same', 0, 10))).toEqual([
      ['whole', 0],
      ['the same', 10],
    ])
  })

  it('are told by the longest of their own time', () => {
    expect(longestPart([part('all', 0, 100), part('printers', 5, 80), part('drives', 80, 99)], 'policy')).toMatchObject({
      part: { part: 'printers' },
      ownMs: 75,
    })
    expect(longestPart([part('all', 0, 100)], 'shell')).toBeNull()
  })
})
