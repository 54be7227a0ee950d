import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { LONGEST_DAYS, readStretch, stretchId, stretchWords } from './window'

const AT = Date.UTC(2026, 8, 15, 7, 20, 31)
const MINUTE = 60_000
const DAY = 86_400_000

describe('a stretch of time in the address', () => {
  it('is an interval to the minute that holds all of what was asked for', () => {
    expect(stretchId(AT, AT + 3 * MINUTE)).toBe('2026-09-15T07:20Z/2026-09-15T07:24Z')
    expect(stretchId(AT, AT)).toBe('2026-09-15T07:20Z/2026-09-15T07:21Z')
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 4e12 }), fc.integer({ min: 0, max: (LONGEST_DAYS - 1) * DAY }), (fromMs, ms) => {
        const read = readStretch(stretchId(fromMs, fromMs + ms))
        expect(read?.fromMs).toBeLessThanOrEqual(fromMs)
        expect(read?.toMs).toBeGreaterThanOrEqual(fromMs + ms)
        expect((read?.toMs ?? 0) - (read?.fromMs ?? 0)).toBeLessThanOrEqual(ms + 2 * MINUTE)
      }),
    )
  })

  it('keeps the end of what is too long to be looked at together', () => {
    const read = readStretch(stretchId(AT - 400 * DAY, AT))
    expect(read?.toMs).toBe(Math.ceil(AT / MINUTE) * MINUTE)
    expect((read?.toMs ?? 0) - (read?.fromMs ?? 0)).toBe(LONGEST_DAYS * DAY)
  })

  it.each([
    '24h',
    '',
    '2026-09-15T07:20Z',
    '2026-09-15T07:20Z/soon',
    '2026-09-16T07:20Z/2026-09-15T07:20Z',
    '2026-01-01T00:00Z/2026-12-01T00:00Z',
    'a/b/c',
    undefined,
    ['1', '2'],
  ])('is none in %j', (text) => {
    expect(readStretch(text)).toBeNull()
  })

  it('is said with its day once', () => {
    const now = AT + 70 * DAY
    expect(stretchWords({ fromMs: AT, toMs: AT + 90 * MINUTE }, now)).toBe('Tue 15 Sept 07:20 to 08:50')
    expect(stretchWords({ fromMs: AT, toMs: AT + DAY }, now)).toBe('Tue 15 Sept 07:20 to Wed 16 Sept 07:20')
    expect(stretchWords({ fromMs: AT, toMs: AT + 90 * MINUTE }, AT)).toBe('07:20 to 08:50')
    expect(stretchWords({ fromMs: AT, toMs: AT + 900 }, AT)).toBe('07:20')
  })
})
