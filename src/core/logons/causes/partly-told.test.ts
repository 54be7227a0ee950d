import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import type { Attrs } from '../observation'

type Logon = NonNullable<Parameters<typeof logon>[0]>

const USUAL = { broker: 300, connect: 400, 'sign-on': 900, container: 800, profile: 600, policy: 700, shell: 2000 }
const MINUTE_MS = 60_000
const GIB = 2 ** 30

/** A logon a minute for a day on two pools in two zones; of every third, nothing is told that is not told of all. Says the causes from a moment on. */
function told(
  attrsOf: (i: number, zone: string) => Attrs,
  trouble: (i: number, zone: string) => Logon | null,
  fromMinute = 720,
  minutes = 120,
  signOnMs = (_: number) => USUAL['sign-on'],
) {
  const observations = Array.from({ length: 1440 }, (_, i) => {
    const zone = i % 2 === 0 ? 'north' : 'south'
    const at = START_MS + i * MINUTE_MS
    const wrong = i >= fromMinute && i < fromMinute + minutes ? trouble(i, zone) : null
    const vary = (ms: number, k: number) => ms * (0.85 + (((i * 13 + k * 5) % 11) / 10) * 0.3)
    const phases =
      wrong?.outcome === 'failed'
        ? { broker: 300 }
        : Object.fromEntries(Object.entries({ ...USUAL, 'sign-on': signOnMs(i), ...wrong?.phases }).map(([phase, ms], k) => [phase, vary(ms, k)]))
    const attrs = { ...(i % 3 === 1 ? {} : { zone, ...attrsOf(i, zone) }), ...wrong?.attrs }
    return logon({ id: `l${i}`, person: `p${i % 130}`, pool: i % 4 < 2 ? 'desk' : 'lab', host: `${zone}-${i % 10}`, at, ...wrong, phases, attrs })
  }).flat()
  const causes: Record<string, number> = {}
  for (const { attempt, diagnosis, lostMs } of analyseAll(correlate(observations, START_MS + 48 * 60 * MINUTE_MS).map(({ attempt }) => attempt)))
    if (diagnosis.cause || lostMs > 0) {
      const id = diagnosis.cause?.id ?? `nothing of ${attempt.id}`
      causes[id] = (causes[id] ?? 0) + 1
    }
  return causes
}

describe('where not everything is told of each logon', () => {
  it('every host was draining for those as well of whom only is said that no desktop was free', () => {
    const refused = (i: number): Logon => ({
      outcome: 'failed',
      marks: [['broker.refused', 'broker', 200]],
      attrs: { freeDesktops: 0, ...(i % 3 === 0 ? { hosts: 8, drainingHosts: 8 } : i % 3 === 1 ? { drainingHosts: 8 } : {}) },
    })
    expect(
      told(
        () => ({}),
        (i) => (i % 4 < 2 ? refused(i) : null),
        720,
        80,
      ),
    ).toEqual({ 'all-draining': 40 })
  })

  it('the only share is far from the hosts of one zone: of all but the very first and last of them', () => {
    const slow = (zone: string): Logon | null => (zone === 'south' ? { phases: { container: 12_000, profile: 9000 } } : null)
    expect(
      told(
        () => ({ share: '\\\\fs1\\p' }),
        (_, zone) => slow(zone),
      ),
    ).toMatchObject({ 'far-share': 58 })
  })

  it('a slow share is not short of room because that is not said each time', () => {
    const attrs = () => ({ share: '\\\\fs1\\p', shareFreeBytes: 900 * GIB, containerFreeBytes: 20 * GIB })
    expect(told(attrs, () => ({ phases: { container: 15_000 } }))).toEqual({ 'share-slow': 120 })
  })

  it('who has a second factor takes as long as people do, also where nobody says how long; unless all wait', () => {
    // Every other one is asked, and takes 3 to 5 s, one in twenty of them 10 s.
    const asked = (i: number) => (i % 2 === 0 ? (i % 40 === 0 ? 10_000 : 3000 + (i % 11) * 200) : USUAL['sign-on'])
    const attrs = (i: number) => ({ factor: i % 2 === 0 ? 'push' : 'none' })
    const all = (i: number): Logon => ({ attrs: attrs(i) })
    const calm = told(attrs, all, 0, 1440, asked)
    expect(calm).toEqual({})
    const slow = told(attrs, (i) => (i >= 720 && i < 840 ? { phases: { 'sign-on': asked(i) + 15_000 }, attrs: attrs(i) } : all(i)), 0, 1440, asked)
    expect(slow['directory-slow']).toBeGreaterThan(110)
  })
})
