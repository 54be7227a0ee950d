import { afterEach, expect, it } from 'vitest'
import { fieldMs, fieldOf, ago, clock, clockSeconds, count, day, duration, exact, percent, plural, size, timeZone, when } from './format'

afterEach(() => {
  timeZone.value = 'UTC'
})
const AT = Date.UTC(2026, 10, 23, 4, 47, 12)

it.each([
  [0, '0.0 s'],
  [600, '0.6 s'],
  [1100, '1.1 s'],
  [9949, '9.9 s'],
  [9950, '10 s'],
  [41_000, '41 s'],
  [59_600, '1 min'],
  [98_000, '1 min 38 s'],
  [3_599_600, '1 h 00 min'],
  [29_100_000, '8 h 05 min'],
])('%d ms are %s', (ms, words) => {
  expect(duration(ms)).toBe(words)
})

it.each([
  [0, '0 B'],
  [1023, '1023 B'],
  [1536, '1.5 KiB'],
  [30 * 2 ** 30, '30.0 GiB'],
  [200 * 2 ** 30, '200 GiB'],
  [8 * 2 ** 40, '8.0 TiB'],
])('%d bytes are %s', (bytes, words) => {
  expect(size(bytes)).toBe(words)
})

it.each([
  [0, '0 %'],
  [0.004, 'under 1 %'],
  [0.5, '50 %'],
  [0.996, 'over 99 %'],
  [1, '100 %'],
])('a share of %d is %s', (share, words) => {
  expect(percent(share)).toBe(words)
})

it("tells times in the organisation's zone, the day only where it is not today", () => {
  expect(clock(AT)).toBe('04:47')
  timeZone.value = 'Europe/Copenhagen'
  expect([clock(AT), clockSeconds(AT), day(AT, AT)]).toEqual(['05:47', '05:47:12', 'Mon 23 Nov'])
  // Another year is said.
  expect([day(Date.UTC(2027, 1, 28), AT), when(Date.UTC(2025, 4, 17, 12), AT)]).toEqual(['Sun 28 Feb 2027', 'Sat 17 May 2025 14:00'])
  expect(when(AT, AT + 3_600_000)).toBe('05:47')
  expect(when(AT, AT + 86_400_000)).toBe('Mon 23 Nov 05:47')
  expect(exact(AT)).toContain('Europe/Copenhagen')
})

it('takes moments in fields in the zone in which all times are shown', () => {
  timeZone.value = 'Europe/Copenhagen'
  expect(fieldOf(AT)).toBe('2026-11-23T05:47')
  expect(fieldMs('2026-11-23T05:47')).toBe(Math.floor(AT / 60_000) * 60_000)
  // Summer time, and the hour that is left out in spring.
  expect(fieldMs('2026-07-01T12:00')).toBe(Date.UTC(2026, 6, 1, 10))
  expect(fieldOf(fieldMs('2026-03-29T02:30') ?? 0)).toMatch(/^2026-03-29T0[13]:30$/)
  expect([fieldMs(''), fieldMs('tomorrow'), fieldMs('2026-13-01T00:00')]).toEqual([null, null, null])
  timeZone.value = 'UTC'
})

it('tells how long ago, and counts with words', () => {
  expect([ago(AT - 5000, AT), ago(AT - 600_000, AT), ago(AT - 7_200_000, AT), ago(AT - 5 * 86_400_000, AT)]).toEqual([
    '5 s ago',
    '10 min ago',
    '2 h ago',
    '5 days ago',
  ])
  expect([plural(1, 'person', 'people'), plural(2600, 'person', 'people'), plural(0, 'logon'), count(1_000_000)]).toEqual([
    '1 person',
    '2,600 people',
    '0 logons',
    '1,000,000',
  ])
})
