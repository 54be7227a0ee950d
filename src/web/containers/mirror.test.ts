import { describe, expect, it } from 'vitest'
import { mirrorDay } from '../../core/containers'
import { drawMirror } from './mirror'

describe('a mirrored day as a drawing', () => {
  const day = mirrorDay({ locations: ['a', 'b'], required: 1, onFailure: 'refuse' }, [
    { atMin: 10, kind: 'logon' },
    { atMin: 20, kind: 'lost', location: 'a' },
    { atMin: 30, kind: 'write', bytes: 2 ** 20 },
    { atMin: 60, kind: 'back', location: 'a' },
    { atMin: 90, kind: 'logoff' },
  ])

  it('has a stroke for each time between two steps, none outside the picture, and no gap', () => {
    const { rows, sessions, marks, width } = drawMirror(day, ['a', 'b'], 600)
    expect(rows[0]?.pieces.map(({ state }) => state)).toEqual(['current', 'current', 'lost', 'lost', 'current', 'current'])
    expect(rows[0]?.pieces[3]?.words).toBe('cannot be reached, lacks 1.0 MiB')
    for (const { pieces } of rows) {
      pieces.forEach(({ to }, i) => pieces[i + 1] && expect(pieces[i + 1]?.from).toBe(to))
      expect(Math.max(...pieces.map(({ to }) => to))).toBeLessThanOrEqual(width)
    }
    expect([sessions.length, marks.map(({ n }) => n)]).toEqual([4, [1, 2, 3, 4, 5]])
  })

  it('draws a day on which nothing happens', () => {
    const empty = mirrorDay({ locations: ['a', 'b'], required: 1, onFailure: 'refuse' }, [])
    expect(drawMirror(empty, ['a', 'b'], 600).rows.map(({ pieces }) => pieces.length)).toEqual([1, 1])
  })
})
