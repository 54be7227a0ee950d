import { describe, expect, it } from 'vitest'
import { Random } from '../../standins/random'
import { analyseAll } from './batch'
import { clockOffsets, corrected } from './clocks'
import { correlate } from './correlate'
import { START_MS } from './fixtures/builders'
import type { Observation } from './observation'

/** Logons that a broker hands over to hosts, each of which has a clock of its own; a directory server writes inside the sign-on. */
function logons(offsets: Readonly<Record<string, number>>, n = 120): Observation[] {
  const random = new Random('clocks')
  const hosts = Array.from({ length: 8 }, (_, i) => `H-${i}`)
  return Array.from({ length: n }, (_, i): Observation[] => {
    const host = hosts[i % hosts.length] ?? ''
    const common = { attempt: `a${i}`, person: `p${i}` }
    const at = (clock: string, ms: number) => START_MS + i * 60_000 + ms + (offsets[clock] ?? 0)
    const handed = 700 + 40 + random.below(400)
    const signed = handed + 2000 + random.below(800)
    return [
      { ...common, kind: 'begin', host, source: 'BROKER', timeMs: at('BROKER', 0) },
      { ...common, kind: 'phase', phase: 'broker', host, source: 'BROKER', timeMs: at('BROKER', 0), durationMs: 700 },
      { ...common, kind: 'phase', phase: 'sign-on', host, timeMs: at(host, handed), durationMs: signed - handed },
      { ...common, kind: 'mark', phase: 'sign-on', host, source: 'DC', text: 'ticket', timeMs: at('DC', handed + 900 + random.below(600)) },
      { ...common, kind: 'phase', phase: 'shell', host, timeMs: at(host, signed + 30), durationMs: 4000 },
      { ...common, kind: 'end', outcome: 'ready', host, timeMs: at(host, signed + 4030) },
    ]
  }).flat()
}
const attempts = (offsets: Readonly<Record<string, number>>) => correlate(logons(offsets), START_MS + 86_400_000).map(({ attempt }) => attempt)

describe('clocks', () => {
  it('that agree are left alone', () => {
    expect(clockOffsets(attempts({}))).toEqual(new Map())
    expect(clockOffsets(attempts({ BROKER: 3_600_000 })).size).toBe(0)
  })

  it('that are off are found, with how sure that is, and what they timed is put right', () => {
    const offsets = { 'H-3': 330_000, 'H-6': -45_000 }
    const found = clockOffsets(attempts(offsets))
    expect([...found.keys()].sort()).toEqual(['H-3', 'H-6'])
    for (const [machine, offset] of Object.entries(offsets)) {
      const one = found.get(machine)
      expect(Math.abs((one?.offsetMs ?? 0) - offset)).toBeLessThanOrEqual(Math.max(300, one?.uncertaintyMs ?? 0))
      expect(one?.uncertaintyMs).toBeLessThan(1000)
      expect(one?.n).toBe(15)
    }
    const right = new Map(attempts({}).map((attempt) => [attempt.id, attempt]))
    for (const attempt of attempts(offsets)) {
      const mended = corrected(attempt, found)
      const truth = right.get(attempt.id)
      expect(Math.abs(mended.totalMs - (truth?.totalMs ?? 0))).toBeLessThan(600)
      expect(mended.startedAtMs).toBe(truth?.startedAtMs)
      for (const { startMs } of mended.phases) expect(startMs).toBeGreaterThan(-600)
    }
  })

  it('are put right before anything is measured, and said in the evidence of who could not sign on', () => {
    const list = logons({ 'H-3': 400_000 })
    const refused = list.map((o) =>
      o.attempt === 'a3' && o.kind === 'end' ? { ...o, outcome: 'failed' as const, code: 'KRB_AP_ERR_SKEW', phase: 'sign-on' } : o,
    )
    const told: number[] = []
    const explained = analyseAll(
      correlate(refused, START_MS + 86_400_000).map(({ attempt }) => attempt),
      undefined,
      (found) => told.push(...[...found.values()].map(({ offsetMs }) => offsetMs)),
    )
    expect(told).toHaveLength(1)
    expect(Math.abs((told[0] ?? 0) - 400_000)).toBeLessThan(1000)
    expect(explained.filter(({ attempt }) => attempt.totalMs > 60_000)).toEqual([])
    const one = explained.find(({ attempt }) => attempt.id === 'a3')
    expect(one?.diagnosis.cause?.id).toBe('clock-skew')
    expect(one?.diagnosis.cause?.evidence.map(({ sentence }) => sentence).join(' ')).toContain('6 min')
  })
})
