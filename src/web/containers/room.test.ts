import { describe, expect, it } from 'vitest'
import type { ShareLoad } from '../../contract/room'
import { nextNight, roomBars } from './room'

const load = (more: Partial<ShareLoad>): ShareLoad => ({
  path: 'a',
  zone: null,
  totalBytes: 1000,
  usedBytes: 0,
  limitBytes: 800,
  containers: 0,
  peakIops: 0,
  peakSlot: 68,
  bearsIops: null,
  ...more,
})

describe('shares as bars', () => {
  it('says what is and what will be, and what is too much', () => {
    const [bar] = roomBars([load({ usedBytes: 900, peakIops: 1500, bearsIops: 1200 })], [load({ usedBytes: 790, peakIops: 1200, bearsIops: 1200 })])
    expect(bar).toMatchObject({ now: 0.9, then: 0.79, limit: 0.8, tooFull: true, tooBusy: true, words: '90 % → 79 % of 1000 B' })
    expect(bar?.loadWords).toBe('1,500 → 1,200 operations a second at 05:40; it bears 1,200')
    expect(roomBars([load({})], [])[0]).toMatchObject({ words: '0 % of 1000 B', loadWords: 'nobody logs on from it', tooFull: false })
  })
})

describe('the next night', () => {
  // An hour ahead of UTC.
  const at = (day: number, hour: number) => Date.UTC(2026, 10, day, hour - 1)
  it.each([
    [at(23, 15), 1, 5, at(24, 1), at(24, 5)],
    [at(23, 3), 1, 5, at(23, 1), at(23, 5)],
    [at(23, 23), 22, 4, at(23, 22), at(24, 4)],
    [at(23, 2), 22, 4, at(22, 22), at(23, 4)],
    [at(23, 5), 22, 4, at(23, 22), at(24, 4)],
  ])('after %d, from %d to %d', (now, from, until, fromMs, untilMs) => {
    expect(nextNight(now, from, until, 'Europe/Copenhagen')).toEqual({ fromMs, untilMs })
  })
})
