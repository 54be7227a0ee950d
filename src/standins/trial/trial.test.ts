import { describe, expect, it } from 'vitest'
import { correlate, CAUSES } from '../../core/logons'
import { play, type Trial } from './trial'
import { STAGED } from './troubles'

const FROM_MS = Date.UTC(2026, 2, 2)
const DAY_MS = 86_400_000
const trial = (seed: string, troubles: number | readonly string[], more: Partial<Parameters<typeof play>[0]> = {}): Trial =>
  play({ seed, family: 'tuning', people: 200, days: 4, fromMs: FROM_MS, troubles, ...more })

describe('an invented company', () => {
  it('is the same for the same seed, and another for another', () => {
    const [one, again, other] = [trial('a', 3), trial('a', 3), trial('b', 3)]
    expect(again).toEqual(one)
    expect(other.attempts[0]).not.toEqual(one.attempts[0])
    expect(trial('a', 3, { family: 'measuring' }).attempts[0]).not.toEqual(one.attempts[0])
  })

  it('tells what a reader can take: every logon once, in its days, with phases that end after they begin', () => {
    const { observations, attempts } = trial('c', 4)
    for (const { timeMs, durationMs } of observations) {
      expect(Number.isFinite(timeMs)).toBe(true)
      expect(durationMs ?? 0).toBeGreaterThanOrEqual(0)
    }
    expect(attempts.length).toBeGreaterThan(500)
    for (const { startedAtMs } of attempts) expect(Math.abs(startedAtMs - (FROM_MS + 2 * DAY_MS))).toBeLessThan(3 * DAY_MS)
    // What is read out of it is as many logons as there were.
    const read = correlate(observations, FROM_MS + 10 * DAY_MS)
    expect(Math.abs(read.length - attempts.length)).toBeLessThan(0.01 * attempts.length)
  })

  it('whose truth adds up: what an incident cost is what its logons lost, and only catalogued causes are planted', () => {
    const known = new Set(CAUSES.map(({ id }) => id))
    for (const seed of ['d', 'e', 'f']) {
      const { attempts, incidents } = trial(seed, 6)
      for (const { cause } of attempts) if (cause !== null) expect(known).toContain(cause)
      for (const one of incidents) {
        const own = attempts.filter(({ trouble }) => trouble === one.id)
        expect(one.attempts).toBeLessThanOrEqual(own.length)
        expect(one.fromMs).toBeLessThanOrEqual(one.toMs)
        expect(own.every(({ cause }) => cause === one.cause)).toBe(true)
      }
    }
  })

  it('has nothing in it on healthy days but what happens to somebody new', () => {
    const { attempts, incidents } = trial('g', 0, { healthy: true })
    expect(incidents).toEqual([])
    expect(new Set(attempts.map(({ cause }) => cause).filter((cause) => cause !== 'first-logon'))).toEqual(new Set([null]))
  })

  it.each(Object.keys(STAGED))('can play %s, and people feel it', (name) => {
    // Not every company has a place for every trouble (a pool with files, a second zone), or people enough for it.
    const felt = (people: number) => (seed: number) => trial(`${seed} ${name}`, [name], { people }).incidents.filter((one) => one.attempts > 0)
    const tries = [1, 2, 3].map((seed) => () => felt(200)(seed)).concat([4, 5, 6, 7].map((seed) => () => felt(900)(seed)))
    let found: ReturnType<(typeof tries)[number]> = []
    for (const one of tries) if (found.length === 0) found = one()
    expect(found.length).toBeGreaterThan(0)
    for (const one of found) expect([one.cause, one.scope.length > 0]).toEqual([name, true])
  })
})
