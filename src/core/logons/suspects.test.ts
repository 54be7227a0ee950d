import { describe, expect, it } from 'vitest'
import type { OrgChange } from '../people/org'
import { suspect, SUSPECTED, type Between, type Onset } from './suspects'

const ONSET_MS = Date.UTC(2026, 4, 4, 8)
const incident: Onset = { cause: 'image-regression', of: 'its beginning', atMs: ONSET_MS }
const change = (more: Partial<OrgChange> = {}): OrgChange => ({
  id: 'c1',
  atMs: ONSET_MS - 20 * 60_000,
  kind: 'image',
  scope: [{ dimension: 'image', value: 'hall 7' }],
  sentence: 'Image hall 7',
  ...more,
})
const between: Between = { covered: { hit: 40, of: 40 }, precise: { hit: 38, of: 42 }, wellBetween: 0 }
const scoreOf = (more: Partial<OrgChange>, known: Partial<Between> = {}) => suspect(change(more), incident, { ...between, ...known }).score

describe('a change before an incident', () => {
  it('is suspected where it was made just there, shortly before, and nobody got in well since', () => {
    const { score, reasons } = suspect(change(), incident, between)
    expect(score).toBeGreaterThan(SUSPECTED + 3)
    expect(reasons.map(({ sentence }) => sentence)).toEqual([
      '20 min before the first of these logons.',
      'Nobody there logged on well in between.',
      'It was made just where they are: image hall 7.',
      'A change of this kind can bring it about.',
    ])
  })

  it('is never suspected of what began before it, but a moment is known no better than ten minutes', () => {
    expect(scoreOf({ atMs: ONSET_MS + 30 * 60_000 })).toBeLessThan(0)
    expect(scoreOf({ atMs: ONSET_MS + 5 * 60_000 })).toBeGreaterThan(SUSPECTED)
  })

  it('is suspected the less the longer it is ago, the more went well since, the less it was made there, and the less its kind can do it', () => {
    const best = scoreOf({})
    const worse = [
      scoreOf({ atMs: ONSET_MS - 8 * 3_600_000 }),
      scoreOf({ atMs: ONSET_MS - 5 * 86_400_000 }),
      scoreOf({}, { wellBetween: 12 }),
      scoreOf({}, { wellBetween: 200 }),
      scoreOf({}, { covered: { hit: 20, of: 40 } }),
      scoreOf({}, { covered: { hit: 4, of: 40 } }),
      scoreOf({}, { precise: { hit: 38, of: 4000 } }),
      scoreOf({ kind: 'gateway' }),
      scoreOf({ scope: [] }),
    ]
    for (const score of worse) expect(score).toBeLessThan(best)
    expect(scoreOf({}, { covered: { hit: 4, of: 40 } })).toBeLessThan(SUSPECTED)
    expect(scoreOf({}, { wellBetween: 200 })).toBeLessThan(SUSPECTED + 2)
    // Made for a whole site, of which one host has it: hours later that is no reason.
    const site = { precise: { hit: 14, of: 165 } }
    expect(scoreOf({ atMs: ONSET_MS - 8 * 3_600_000 }, site)).toBeLessThan(SUSPECTED)
    expect(suspect(change(), incident, { ...between, ...site }).reasons[2]).toMatchObject({
      for: false,
      sentence: expect.stringContaining('but so are 151 that went well') as string,
    })
  })
})
