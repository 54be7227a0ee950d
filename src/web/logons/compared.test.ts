import { describe, expect, it } from 'vitest'
import type { Cohort } from '../../contract/compare'
import type { Story } from '../../contract/logons'
import { compareCohorts, compareLogons } from './compared'

const cohort = (id: string, changes: Partial<Cohort>): Cohort => ({
  id: `host:${id}`,
  kind: 'host',
  value: id,
  logons: 200,
  failed: 0,
  slow: 10,
  lostMs: 0,
  lowMs: 9000,
  medianMs: 14_000,
  highMs: 20_000,
  phases: [
    { phase: 'policy', medianMs: 2000 },
    { phase: 'shell', medianMs: 4000 },
  ],
  causes: [],
  buckets: [],
  ...changes,
})

describe('side by side', () => {
  it('cohorts: the greatest differences first, and nothing that is nearly alike', () => {
    const lines = compareCohorts([
      cohort('a', {}),
      cohort('b', {
        medianMs: 15_000,
        phases: [
          { phase: 'policy', medianMs: 31_000 },
          { phase: 'shell', medianMs: 4200 },
        ],
        causes: [{ cause: 'policy-part-slow', title: 'One part of policy takes long', n: 90 }],
      }),
    ])
    const line = (title: string) => lines.find((one) => one.title === title)
    expect(line('median')).toMatchObject({ differs: false, values: ['14 s', '15 s'] })
    expect(line('policy, median')).toMatchObject({ differs: true, values: ['2.0 s', '31 s'] })
    expect(line('shell, median')?.differs).toBe(false)
    expect(lines.findIndex(({ title }) => title === 'policy, median')).toBeLessThan(lines.findIndex(({ title }) => title === 'shell, median'))
    expect(line('One part of policy takes long')).toMatchObject({ differs: true, values: ['0 %', '45 %'] })
    // Two in two hundred against one are no difference, though twice as many.
    expect(compareCohorts([cohort('a', { failed: 1 }), cohort('b', { failed: 2 })]).find(({ title }) => title === 'failed')?.differs).toBe(false)
    expect(compareCohorts([cohort('a', { logons: 0 }), cohort('b', {})]).find(({ title }) => title === 'median')?.values).toEqual(['–', '14 s'])
  })

  it('logons: phases of either, and what was reported of only one', () => {
    const story = (shares: Story['shares'], attrs: Story['attrs']) =>
      ({
        outcome: 'ready',
        diagnosis: { cause: null, others: [] },
        totalMs: shares.reduce((sum, { ms }) => sum + ms, 0),
        phases: [],
        shares,
        attrs,
        host: 'H',
        pool: 'P',
      }) as unknown as Story
    const lines = compareLogons([
      story([{ phase: 'shell', ms: 4000 }], { image: '1' }),
      story(
        [
          { phase: 'shell', ms: 4100 },
          { phase: 'scripts', ms: 9000 },
        ],
        { image: '2', rttMs: 40, first: true, 'acme.note': 7 },
      ),
    ])
    expect(lines.filter(({ differs }) => differs).map(({ title }) => title)).toEqual([
      'total',
      'scripts',
      'acme.note',
      'first logon here',
      'image',
      'round trip',
    ])
    expect(lines.find(({ title }) => title === 'scripts')?.values).toEqual(['–', '9.0 s'])
    expect(lines.find(({ title }) => title === 'round trip')?.values).toEqual(['–', '40 ms'])
    expect(lines.find(({ title }) => title === 'first logon here')?.values).toEqual(['–', 'yes'])
    // What nobody knows stays as it was reported.
    expect(lines.find(({ title }) => title === 'acme.note')?.values).toEqual(['–', '7'])
  })

  it('logons: what a phase took that ran beside another, whichever of them was waited for', () => {
    const beside = (policyMs: number, waitedMs: number) =>
      ({
        outcome: 'ready',
        diagnosis: { cause: null, others: [] },
        totalMs: 9000,
        phases: [
          { phase: 'policy', startMs: 0, endMs: policyMs },
          { phase: 'settle', startMs: 9000, endMs: 30_000 },
        ],
        shares: [
          { phase: 'policy', ms: waitedMs },
          { phase: 'unrecorded', ms: 700 },
        ],
        attrs: {},
        host: 'H',
        pool: 'P',
      }) as unknown as Story
    const lines = compareLogons([beside(3000, 3000), beside(3100, 40)])
    expect(lines.find(({ title }) => title === 'policy')).toMatchObject({ values: ['3.0 s', '3.1 s'], differs: false })
    expect(lines.find(({ title }) => title === 'unrecorded')?.values).toEqual(['0.7 s', '0.7 s'])
    expect(lines.some(({ title }) => title === 'settle')).toBe(false)
  })
})
