import { describe, expect, it } from 'vitest'
import { analyseAll, correlate, type Explained, type Observation } from '.'
import { phase, START_MS } from './fixtures/builders'
import { blame } from './blame'
import { SERIES, tookOf } from './usual'

/** A logon whose policy runs beside container and profile; the shell waits for both. */
function beside(as: { id: string; at: number; person: string }, policyMs: number, containerMs: number, profileMs: number): Observation[] {
  const who = { attempt: as.id, person: as.person, host: 'VD-1', pool: 'desk' }
  const at = as.at + 1000
  const phases: [string, number, number][] = [
    ['sign-on', as.at, 1000],
    ['policy', at, policyMs],
    ['container', at, containerMs],
    ['profile', at + containerMs, profileMs],
    ['shell', at + Math.max(policyMs, containerMs + profileMs), 3000],
  ]
  return [
    { ...who, kind: 'begin', timeMs: as.at, attrs: { share: '\\\\fs\\prof' } },
    ...phases.map(([name, timeMs, durationMs]): Observation => ({ ...who, kind: 'phase', phase: name, timeMs, durationMs })),
    { ...who, kind: 'end', timeMs: at + Math.max(policyMs, containerMs + profileMs) + 3000, outcome: 'ready' },
  ]
}

/** Two hundred as usual: policy 5 to 7 s, container and profile 1.2 s and 2.4 s, never waited for. */
const many = Array.from({ length: 200 }, (_, i) =>
  beside(
    { id: `many-${i}`, at: START_MS - (i + 1) * 90_000, person: `m${i % 60}` },
    5000 + ((i * 37) % 200) * 10,
    1100 + ((i * 13) % 20) * 10,
    2200 + ((i * 7) % 40) * 10,
  ),
).flat()
const told = (...those: Observation[][]): Explained[] =>
  analyseAll(correlate([...many, ...those.flat()], START_MS + 7_200_000).map(({ attempt }) => attempt)).filter(({ attempt }) =>
    attempt.id.startsWith('it'),
  )
const at = (n: number) => ({ id: `it-${n}`, at: START_MS + n * 60_000, person: `p${n}` })

describe('phases that run side by side', () => {
  it('took what they took, whether they were waited for or not', () => {
    const attempt = {
      totalMs: 8000,
      phases: [phase('policy', 0, 5000), phase('container', 0, 1000), phase('container', 500, 1500), phase('shell', 5000, 9000)],
    }
    const took = tookOf(attempt, blame(attempt))
    expect(['policy', 'container', 'shell', 'total'].map((name) => took[SERIES.indexOf(name)])).toEqual([5000, 1500, 3000, 8000])
  })

  it('are no slower because one is waited for that mostly is not', () => {
    // Once there was hardly a policy to apply: container and profile take what they always do, and now the end waits for them.
    const [one, slow] = told(beside(at(1), 60, 1300, 2600), beside(at(2), 6000, 1200, 19_000))
    expect(one?.blame.shares.find(({ phase }) => phase === 'profile')?.ms).toBe(2600)
    expect([one?.excess, one?.mild, one?.lostMs, one?.diagnosis.cause]).toEqual([[], [], 0, null])
    // But who is slower is.
    expect(slow?.excess.map(({ phase }) => phase)).toEqual(['profile'])
    expect(slow?.excess[0]).toMatchObject({ tookMs: 19_000 })
    expect(slow?.lostMs).toBeGreaterThan(12_000)
  })

  it('that nothing waited for cost nothing, but are known to have been slow', () => {
    const [one] = told(beside(at(1), 9000, 4000, 4500))
    expect(one?.excess.filter(({ phase }) => phase !== 'policy')).toEqual([])
    expect(one?.mild.filter(({ ms }) => ms === 0).map(({ phase }) => phase)).toEqual(['profile', 'container'].sort())
  })
})
