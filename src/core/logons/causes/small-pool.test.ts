import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import type { Observation } from '../observation'

const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, policy: 2400, packages: 2200, shell: 4000 }
const MINUTE_MS = 60_000
const SHARES = [String.raw`\\quay-fs1\profiles`, String.raw`\\hill-fs1\profiles`]

interface Place {
  readonly zone: string
  readonly share: string
  readonly image: string
}

function one(pool: string, i: number, at: number, place: Place, phases: Record<string, number>): Observation[] {
  return logon({
    id: `${pool}${i}`,
    person: `${pool}-p${i % 90}`,
    host: `${pool}-${place.zone}-${i % 5}`,
    pool,
    at,
    attrs: { ...place, network: 'home' },
    phases: { ...USUAL, profile: 1100 + (i % 7) * 40, ...phases },
  })
}

/**
 * A pool with a logon every four minutes, where since START_MS one zone is far from one share, or the new image of all hosts is slow with profiles; and another with so
 * many logons in the same time, where all is well.
 */
function told(trouble: 'far' | 'image', others: number): Record<string, number> {
  const small = Array.from({ length: 160 }, (_, i) => {
    const isSince = i >= 80
    const place = {
      zone: i % 4 < 2 ? 'Q1' : 'H1',
      share: SHARES[Math.floor(i / 4) % 2] ?? '',
      image: trouble === 'image' && isSince ? 'attic 8' : 'attic 7',
    }
    const slow =
      trouble === 'image' ? { profile: 12_000 + (i % 7) * 300 } : place.zone === 'H1' && place.share === SHARES[0] ? { container: 12_000 } : {}
    return one('attic', i, START_MS + (i - 80) * 4 * MINUTE_MS, place, isSince ? slow : {})
  })
  const large = Array.from({ length: others }, (_, i) => {
    const place = { zone: `B${i % 3}`, share: String.raw`\\barn-fs${i % 2}\profiles`, image: 'barn 7' }
    return one('barn', i, START_MS + (i / others - 0.5) * 640 * MINUTE_MS, place, { container: 1000 + (i % 9) * 30 })
  })
  const attempts = correlate([...small, ...large].flat(), START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt)
  const counts: Record<string, number> = {}
  for (const { attempt, diagnosis } of analyseAll(attempts)) {
    if (!diagnosis.cause) continue
    const cause = `${attempt.pool} ${diagnosis.cause.id}`
    counts[cause] = (counts[cause] ?? 0) + 1
  }
  return counts
}

const sum = (counts: Record<string, number>) => Object.values(counts).reduce((all, n) => all + n, 0)

describe('a small pool', () => {
  it('is told from its own logons, however many others log on at the same time', () => {
    expect(told('far', 0)).toEqual({ 'attic far-share': 20 })
    const { 'attic far-share': far = 0, ...rest } = told('far', 6000)
    expect(far).toBeGreaterThanOrEqual(17)
    expect(sum(rest)).toBeLessThanOrEqual(20 - far)
  })

  it('of four hosts has three that are overloaded: what works on each takes several times as long, on the fourth it does not', () => {
    const told = (ill: number, phases: Record<string, number>) => {
      const list = Array.from({ length: 400 }, (_, i) =>
        logon({
          id: `l${i}`,
          person: `p${i % 90}`,
          host: `attic-${i % 4}`,
          pool: 'attic',
          at: START_MS + (i - 320) * 4 * MINUTE_MS,
          phases: { ...USUAL, profile: 1100 + (i % 7) * 40, ...(i >= 320 && i % 4 < ill ? phases : {}) },
        }),
      )
      const counts: Record<string, number> = {}
      for (const { diagnosis } of analyseAll(correlate(list.flat(), START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt)))
        if (diagnosis.cause) counts[diagnosis.cause.id] = (counts[diagnosis.cause.id] ?? 0) + 1
      return counts
    }
    const busy = { profile: 4200, policy: 8000, packages: 7500, shell: 14_000 }
    const { 'host-overloaded': overloaded = 0, ...rest } = told(3, busy)
    expect(overloaded).toBeGreaterThanOrEqual(51)
    expect(sum(rest)).toBeLessThanOrEqual(60 - overloaded)
    // Where all of them have it, or in one phase only, no host is to blame for it.
    expect(told(4, busy)['host-overloaded'] ?? 0).toBeLessThan(4)
    expect(told(3, { profile: 12_000 })['host-overloaded']).toBeUndefined()
  })

  it('has a new image that is slow, and no slow share, which only goes along with it', () => {
    const { 'attic image-regression': image = 0, ...rest } = told('image', 6000)
    expect(image).toBeGreaterThanOrEqual(76)
    expect(sum(rest)).toBeLessThanOrEqual(80 - image)
  })
})
