import { describe, expect, it } from 'vitest'
import { incidentPlace, incidentQuery, PLACES, sinceWords } from './incident'

const MINUTE_MS = 60_000
/** A Friday, half past eleven in the morning where this runs. */
const NOW = new Date(2026, 10, 27, 11, 30).getTime()
const at = (minutesAgo: number) => NOW - minutesAgo * MINUTE_MS

describe('an incident in words', () => {
  it('says where it is by every dimension that its scope may have', () => {
    const scope = [
      { dimension: 'part', value: 'printers' },
      { dimension: 'zone', value: 'H1' },
      { dimension: 'network', value: 'home' },
      { dimension: 'clientVersion', value: '2.9.4' },
      { dimension: 'group', value: 'season crew' },
    ]
    expect(incidentPlace({ scope })).toBe('“printers”, zone H1, from home, clients 2.9.4, people of season crew')
    expect(incidentPlace({ scope: [] })).toBe('')
    // What has no words of its own is said as it is: nothing is left out.
    for (const dimension of PLACES) expect(incidentPlace({ scope: [{ dimension, value: 'X-1' }] })).toContain('X-1')
    expect(incidentPlace({ scope: [{ dimension: 'logon', value: 'first' }] })).toBe('first logons')
    expect(incidentPlace({ scope: [{ dimension: 'holderHost', value: 'TH-Q2-07' }] })).toBe('held by TH-Q2-07')
    const hosts = (n: number) => incidentPlace({ scope: [{ dimension: 'host', value: Array.from({ length: n }, (_, i) => `H${i}`).join(', ') }] })
    expect([hosts(3), hosts(12)]).toEqual(['H0, H1 and H2', 'H0, H1, H2 and 9 other hosts'])
  })

  it('says since when, whether it goes on, and how often it came back', () => {
    const words = (attempts: number, sinceMs: number, toMs: number, episodes = 1) =>
      sinceWords({ attempts, sinceMs, toMs, episodes, worse: null }, NOW)
    expect(words(1, at(45), at(45))).toBe('10:45')
    expect(words(12, at(90), at(10))).toBe('since 10:00, going on')
    expect(words(12, at(180), at(120))).toBe('08:30 to 09:30, last 2 h ago')
    expect(words(12, at(3 * 24 * 60 + 60), at(3 * 24 * 60))).toMatch(/^\w{3} \d+ Nov 10:30 to 11:30, last 3 days ago$/)
    expect(words(12, at(24 * 60), at(120))).toMatch(/^\w{3} \d+ Nov 11:30 to today 09:30, last 2 h ago$/)
    expect(words(40, at(3 * 24 * 60), at(5), 6)).toMatch(/^6 times since .*, last now$/)
    expect(words(40, at(3 * 24 * 60), at(180), 6)).toMatch(/^6 times since .*, last 3 h ago$/)
    const worse = { attempts: 40, sinceMs: at(3 * 24 * 60), toMs: at(5), episodes: 6 }
    expect(sinceWords({ ...worse, worse: { sinceMs: at(300), times: 4.23 } }, NOW)).toMatch(
      /^6 times since .*, last now · far worse since 06:30 \(4.2 times the loss per logon\)$/,
    )
    expect(sinceWords({ ...worse, worse: { sinceMs: at(300), times: 23.4 } }, NOW)).toMatch(
      / · far worse since 06:30 \(23 times the loss per logon\)$/,
    )
  })

  it('is found again as a list by its cause and scope', () => {
    expect(incidentQuery({ cause: 'share-slow', scope: [{ dimension: 'share', value: String.raw`\\quay-fs1\profiles` }] })).toEqual({
      cause: 'share-slow',
      share: String.raw`\\quay-fs1\profiles`,
    })
  })
})
