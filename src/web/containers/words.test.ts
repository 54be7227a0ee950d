import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { drawRoom, drawStretches, growthWords, offsetWords, usualLatency, growthSays, weekWords } from './words'

describe('growth', () => {
  it('has its sign', () => {
    expect([growthSays(3 * 2 ** 30), growthSays(-(2 ** 20))]).toEqual(['+3.0 GiB', '−1.0 MiB'])
  })
})

describe('stretches of a file on a strip', () => {
  it('fill it from end to end, none narrower than the least, and in order', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 2 ** 40 }), { minLength: 1, maxLength: 30 }), (sizes) => {
        const drawn = drawStretches(
          sizes.map((bytes, i) => ({ what: 'block', offset: i, bytes })),
          900,
          7,
        )
        expect(Math.min(...drawn.map(({ width }) => width))).toBeGreaterThanOrEqual(7 - 1e-6)
        expect(drawn.reduce((sum, { width }) => sum + width, 0)).toBeCloseTo(900, 6)
        drawn.forEach(({ x, width }, i) => {
          if (i + 1 < drawn.length) expect(drawn[i + 1]?.x).toBeCloseTo(x + width, 6)
        })
      }),
    )
    expect(drawStretches([], 900, 7)).toEqual([])
  })

  it('names a place in a file', () => {
    expect([0, 100, 1_048_576].map(offsetWords)).toEqual(['byte 0', 'byte 100', 'byte 1,048,576 (1.0 MiB)'])
  })
})

describe('how a share grows', () => {
  const growth = { bytesADay: 21 * 2 ** 30, low: 20 * 2 ** 30, high: 22 * 2 ** 30, certain: true, days: 30 }

  it('in words, with its interval, or that there is no trend, or that it cannot be told', () => {
    expect(growthWords({ growth })).toBe('It grows by 21.0 GiB a day (20.0 GiB to 22.0 GiB, from the last 30 days).')
    expect(growthWords({ growth: { ...growth, bytesADay: -21 * 2 ** 30, low: -22 * 2 ** 30, high: -20 * 2 ** 30 } })).toBe(
      'It shrinks by 21.0 GiB a day (20.0 GiB to 22.0 GiB, from the last 30 days).',
    )
    expect(growthWords({ growth: { ...growth, certain: false } })).toBe('No trend in the last 30 days.')
    expect(growthWords({ growth: null })).toBe('Too little has been seen to tell how it grows.')
    expect(weekWords([-3, 0, 1, 2, 5, 0, -4].map((n) => n * 2 ** 30))).toBe(
      'Within a week it is fullest on Friday and emptiest on Sunday; 9.0 GiB lie between.',
    )
    expect(weekWords(null)).toBe('')
  })

  it('as a picture: the limit in sight, the past up to now, and the way on only where there is one', () => {
    const nowMs = Date.UTC(2026, 10, 23)
    const samples = Array.from({ length: 30 }, (_, i) => ({ atMs: nowMs - (30 - i) * 86_400_000, usedBytes: 5e12 + i * 1e10 }))
    const room = { totalBytes: 8e12, freeBytes: 2.7e12, samples, growth }
    const drawn = drawRoom(room, 900, 150, nowMs)
    expect(drawn.limitY).toBeGreaterThan(0)
    expect(drawn.nowX).toBeCloseTo(450)
    expect(drawn.past.startsWith('M0.0')).toBe(true)
    expect([drawn.ahead === '', drawn.cone.endsWith('Z')]).toEqual([false, true])
    expect(drawRoom({ ...room, growth: { ...growth, certain: false } }, 900, 150, nowMs)).toMatchObject({ ahead: '', cone: '' })
  })
})

it('the usual latency of a share is its median, where any was seen', () => {
  expect([
    usualLatency([{ latencyMs: 9 }, { latencyMs: null }, { latencyMs: 3 }, { latencyMs: 4 }]),
    usualLatency([{ latencyMs: null }]),
    usualLatency([]),
  ]).toEqual([4, null, null])
})
