import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import { findIncidents } from '../incidents'
import { Ledger, seenOf } from '../ledger'

const MINUTE_MS = 60_000
const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, profile: 1200, shell: 4000 }
/** What parts of policy take on any day: one of them takes most of it. */
const PARTS: Readonly<Record<string, number>> = { folders: 3200, registry: 300, security: 350, printers: 250 }
type Times = (host: number) => { readonly signOn?: number; readonly parts: Readonly<Record<string, number>> }

/** A logon a minute on twelve hosts, six of each zone, and what parts of policy took at each; for two hours something is wrong. What is said of these, and the incidents. */
function told(wrong: Times) {
  const observations = Array.from({ length: 600 }, (_, i) => {
    const [at, host] = [START_MS + (i - 300) * MINUTE_MS, (i * 7) % 12]
    const { signOn = 1, parts } = i >= 300 && i < 420 ? wrong(host) : { parts: {} }
    const vary = 0.9 + ((i * 37) % 11) / 50
    const took = Object.entries({ ...PARTS, ...parts }).map(([part, ms]) => [part, ms * vary] as const)
    const policy = took.reduce((sum, [, ms]) => sum + ms, 0)
    const all = logon({
      id: `l${i}`,
      person: `p${i % 130}`,
      host: `w-${host}`,
      at,
      attrs: { zone: host < 6 ? 'north' : 'south' },
      phases: { ...USUAL, 'sign-on': USUAL['sign-on'] * signOn * vary, policy, shell: 4000 * vary },
    })
    const phase = all.find((one) => one.phase === 'policy')
    if (!phase) return all
    let { timeMs } = phase
    return [
      ...all,
      ...took.map(([part, durationMs]) => {
        const one = { ...phase, timeMs, part, durationMs }
        timeMs += durationMs
        return one
      }),
    ]
  }).flat()
  const explained = analyseAll(correlate(observations, START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt))
  const ledger = new Ledger()
  for (const one of explained) ledger.add(seenOf(one))
  const causes: Record<string, number> = {}
  const found = explained.flatMap(({ diagnosis }) => diagnosis.cause ?? [])
  for (const { id } of found) causes[id] = (causes[id] ?? 0) + 1
  return {
    causes,
    sentences: new Set(found.map(({ sentence }) => sentence)),
    evidence: found.map(({ evidence }) => evidence.map(({ sentence }) => sentence)),
    others: explained.filter(({ diagnosis }) => diagnosis.cause).map(({ diagnosis }) => diagnosis.others.map(({ id }) => id)),
    incidents: findIncidents(ledger).incidents.map(({ cause, scope }) => [
      cause,
      scope.map(({ dimension, value }) => `${dimension} ${value}`).join(),
    ]),
  }
}
const times = (by: number) => Object.fromEntries(Object.entries(PARTS).map(([part, ms]) => [part, ms * by]))

describe('parts beside what they take ordinarily', () => {
  it('one that always takes most is not to blame where all take longer', () => {
    const { causes, evidence, incidents } = told((host) => (host < 6 ? { signOn: 3, parts: times(3) } : { parts: {} }))
    expect(causes).toEqual({ 'directory-slow': 60 })
    expect(evidence[0]).toContainEqual(
      expect.stringMatching(/^All 4 parts of policy took long, none stands out: [23]\.\d times as long as ordinarily\.$/),
    )
    expect(incidents).toEqual([['directory-slow', 'zone north']])
  })

  it('one that takes far longer than it does is to blame, also where another is as long on any day', () => {
    const { causes, sentences, evidence, incidents } = told(() => ({ parts: { printers: 5200 } }))
    expect(causes).toEqual({ 'policy-part-slow': 120 })
    expect([...sentences].every((one) => /^Part “printers” takes \d\.\d s more than ordinarily, of \d\.\d s that policy does\.$/.test(one))).toBe(
      true,
    )
    expect(evidence[0]?.[0]).toMatch(/^Part “printers” took [45]\.\d s; ordinarily 0\.[23] s\.$/)
    expect(incidents).toEqual([['policy-part-slow', 'part printers']])
  })

  it('one that hardly anybody else has is new', () => {
    const { causes, evidence } = told(() => ({ parts: { scan: 5200 } }))
    expect(causes).toEqual({ 'policy-part-slow': 120 })
    expect(evidence[0]?.[0]).toMatch(/^Part “scan” took \d\.\d s; hardly anybody else has it\.$/)
  })

  it('both are told where one stands out and the others took longer as well', () => {
    const { causes, others, evidence } = told((host) => ({ signOn: host < 6 ? 3 : 1, parts: { ...times(host < 6 ? 3 : 1), printers: 12_000 } }))
    expect(causes['policy-part-slow']).toBeGreaterThanOrEqual(60)
    expect((causes['policy-part-slow'] ?? 0) + (causes['directory-slow'] ?? 0)).toBe(120)
    expect(others.filter((ids) => ids.includes('directory-slow')).length + (causes['directory-slow'] ?? 0)).toBeGreaterThanOrEqual(55)
    expect(evidence.flat()).toContainEqual(expect.stringMatching(/^It explains \d+ % of the time beyond the usual; for the rest there is: /))
  })
})
