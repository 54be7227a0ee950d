import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import type { Observation } from '../observation'

const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 1200, policy: 2400, packages: 2200, shell: 4000 }
const MINUTE_MS = 60_000
const SHARES = [String.raw`\\quay-fs1\profiles`, String.raw`\\hill-fs1\profiles`]

function one(pool: string, i: number, at: number, place: { zone: string; share: string }, containerMs: number): Observation[] {
  return logon({
    id: `${pool}${i}`,
    person: `${pool}-p${i % 90}`,
    host: `${pool}-${place.zone}-${i % 5}`,
    pool,
    at,
    attrs: { ...place, network: 'home', image: `${pool} 7` },
    phases: { ...USUAL, container: containerMs, profile: 1100 + (i % 7) * 40 },
  })
}

/** A pool with a logon every four minutes, where one zone is far from one share since START_MS; and another with so many logons in the same time, where all is well. */
function told(others: number): Record<string, number> {
  const small = Array.from({ length: 160 }, (_, i) => {
    const place = { zone: i % 4 < 2 ? 'Q1' : 'H1', share: SHARES[Math.floor(i / 4) % 2] ?? '' }
    const isFar = i >= 80 && place.zone === 'H1' && place.share === SHARES[0]
    return one('attic', i, START_MS + (i - 80) * 4 * MINUTE_MS, place, isFar ? 12_000 : 1100)
  })
  const large = Array.from({ length: others }, (_, i) =>
    one(
      'barn',
      i,
      START_MS + (i / others - 0.5) * 640 * MINUTE_MS,
      { zone: `B${i % 3}`, share: String.raw`\\barn-fs${i % 2}\profiles` },
      1000 + (i % 9) * 30,
    ),
  )
  const counts: Record<string, number> = {}
  for (const { attempt, diagnosis } of analyseAll(
    correlate([...small, ...large].flat(), START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt),
  )) {
    const cause = diagnosis.cause ? `${attempt.pool} ${diagnosis.cause.id}` : null
    if (cause) counts[cause] = (counts[cause] ?? 0) + 1
  }
  return counts
}

describe('a small pool', () => {
  it('is told from its own logons, however many others log on at the same time', () => {
    expect(told(0)).toEqual({ 'attic far-share': 20 })
    const { 'attic far-share': far = 0, ...rest } = told(6000)
    expect(far).toBeGreaterThanOrEqual(17)
    expect(Object.values(rest).reduce((sum, n) => sum + n, 0)).toBeLessThanOrEqual(20 - far)
  })
})
