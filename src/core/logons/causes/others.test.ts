import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'

const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 1200, policy: 2400, shell: 4000 }
const MINUTE_MS = 60_000

/** Two logons a minute on two pools; on one of them the broker refuses for an hour, and only some of the times says why. */
function refused(saysWhy: (i: number) => boolean, alsoWell = 0) {
  const observations = Array.from({ length: 240 }, (_, i) => {
    const at = START_MS + (i - 120) * 30_000
    const who = { id: `l${i}`, person: `p${i}`, pool: i % 2 === 0 ? 'hall' : 'office', host: `h${i % 10}`, at, attrs: { network: 'office' } }
    if (i % 2 === 1 || at < START_MS || i % 10 < alsoWell) return logon({ ...who, phases: USUAL })
    const code = saysWhy(i) ? 'broker.no-licence' : 'broker.refused'
    return logon({ ...who, outcome: 'failed', marks: [[code, 'broker', 900]], phases: { broker: 950 } })
  }).flat()
  return analyseAll(correlate(observations, START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt))
    .filter(({ outcome, attempt }) => outcome === 'failed' && attempt.marks.some(({ code }) => code === 'broker.refused'))
    .map(({ diagnosis: { cause } }) => ({ id: cause?.id, evidence: cause?.evidence.map(({ sentence }) => sentence) ?? [] }))
}

describe('a refusal that does not say why', () => {
  it('has the reason of those who are refused beside it, and says whose word it is', () => {
    const found = refused((i) => i % 4 === 0)
    expect(found).toHaveLength(30)
    expect(found.filter(({ id }) => id === 'no-licence').length).toBeGreaterThanOrEqual(28)
    expect(found[15]?.evidence).toContainEqual(
      expect.stringMatching(/^[3-9] of the 12 nearest logons with pool hall failed, too, and said why: no licence\.$/),
    )
  })

  it('has none where hardly anybody says why, or where most are let in', () => {
    expect(refused((i) => i % 40 === 0).filter(({ id }) => id === 'no-licence')).toEqual([])
    expect(refused((i) => i % 4 === 0, 7).filter(({ id }) => id === 'no-licence')).toEqual([])
  })
})
