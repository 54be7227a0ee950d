import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { correlate } from './correlate'
import { logon, START_MS } from './fixtures/builders'
import type { Observation } from './observation'

const NOW = START_MS + 86_400_000
const attempts = (observations: readonly Observation[], now = NOW) => correlate(observations, now).map(({ attempt }) => attempt)

describe('correlate', () => {
  it('makes one attempt of one logon', () => {
    const [attempt, ...rest] = attempts(logon({ id: 'a1' }))
    expect(rest).toEqual([])
    expect(attempt).toMatchObject({ id: 'a1', person: 'mara', host: 'TH-Q1-04', totalMs: 13_100, outcome: 'ready', startedAtMs: START_MS })
  })

  it('keeps two logons of one person on one host apart, with and without an id', () => {
    const twice = [...logon({}), ...logon({ at: START_MS + 3_600_000 })]
    expect(attempts(twice).map(({ totalMs }) => totalMs)).toEqual([13_100, 13_100])
    expect(attempts([...logon({ id: 'a' }), ...logon({ id: 'b', at: START_MS + 2000 })])).toHaveLength(2)
  })

  it('takes the account in any form for the same person', () => {
    const [begin, ...rest] = logon({ person: 'LARKMERE\\Mara' })
    const mixed = [begin as Observation, ...rest.map((o) => ({ ...o, person: 'mara@larkmere.example' }))]
    expect(attempts(mixed)).toHaveLength(1)
  })

  it('ends an attempt after the shell phase and after 15 minutes of silence', () => {
    const noEnd = logon({}).filter(({ kind }) => kind !== 'end')
    expect(attempts(noEnd)[0]).toMatchObject({ outcome: 'ready', totalMs: 13_100 })
    const stuck = logon({ phases: { broker: 600, connect: 1000 } }).filter(({ kind }) => kind !== 'end')
    expect(attempts(stuck, START_MS + 60_000)[0]?.outcome).toBe('open')
    expect(attempts(stuck, START_MS + 20 * 60_000)[0]?.outcome).toBe('abandoned')
    const silent = logon({ phases: { broker: 600 } }).filter(({ kind }) => kind !== 'end')
    expect(attempts(silent, NOW)[0]?.outcome).toBe('failed')
  })

  it('keeps phases that contradict themselves, and says so', () => {
    const odd: Observation[] = [
      { kind: 'begin', attempt: 'o', timeMs: START_MS },
      { kind: 'phase', attempt: 'o', phase: 'profile', timeMs: START_MS, durationMs: -500 },
      { kind: 'phase-end', attempt: 'o', phase: 'policy', timeMs: START_MS + 100 },
      { kind: 'phase-begin', attempt: 'o', phase: 'shell', timeMs: START_MS + 200 },
      { kind: 'end', attempt: 'o', timeMs: START_MS + 5000, outcome: 'ready' },
    ]
    const [attempt] = attempts(odd)
    expect(attempt?.oddities.map(({ code }) => code).sort()).toEqual(['phase.ends-before-it-begins', 'phase.negative', 'phase.never-ended'])
    expect(attempt?.phases.find(({ phase }) => phase === 'shell')).toMatchObject({ ended: false, endMs: 5000 })
  })

  it('gives the same result in any order, and however often anything is given', () => {
    const all = [
      ...logon({ id: 'a' }),
      ...logon({ person: 'jonas' }),
      ...logon({
        person: 'jonas',
        at: START_MS + 1_800_000,
        outcome: 'failed',
        marks: [
          ['0xC0000043', 'container', 5000],
          ['0xC0000043', 'container', 5000.5],
        ],
      }),
      ...logon({ person: 'ilse', host: 'BO-H1-03' }).filter(({ kind }) => kind !== 'end'),
    ]
    const expected = attempts(all)
    expect(expected).toHaveLength(4)
    fc.assert(
      fc.property(fc.shuffledSubarray(all, { minLength: all.length }), fc.array(fc.constantFrom(...all), { maxLength: 20 }), (shuffled, again) => {
        expect(attempts([...again, ...shuffled])).toEqual(expected)
      }),
      { numRuns: 200 },
    )
  })
})
