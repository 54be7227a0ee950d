import { describe, expect, it } from 'vitest'
import type { Story } from '../../contract/logons'
import { drawPhases, isWithoutApproval } from './drawing'
import { incidentPlace, incidentQuery, sinceWords } from './incident'

const phase = (name: string, startMs: number, endMs: number) => ({ phase: name, startMs, endMs, ended: true, code: null, host: null })
const story = (over: Partial<Story>): Story => ({
  id: 's',
  person: 'mara',
  name: 'Mara',
  host: 'H',
  pool: 'p',
  startedMs: 0,
  totalMs: 20_000,
  usualMs: 14_000,
  outcome: 'ready',
  cause: null,
  causeTitle: null,
  lostMs: 0,
  account: 'mara',
  session: null,
  attrs: {},
  phases: [],
  parts: [],
  marks: [],
  blame: [],
  shares: [],
  approvalMs: null,
  usual: null,
  excess: [],
  slowMs: 45_000,
  diagnosis: { cause: null, others: [] },
  oddities: [],
  observations: 0,
  colleagues: { fromMs: 0, toMs: 1, totalMs: [], outcome: [], id: [] },
  last: [],
  alike: null,
  ...over,
})

describe('the drawing of a story', () => {
  it('tells of sign-on how much of it the approval was, which is usual unless it came late', () => {
    const asked = (tookMs: number, approvalMs: number, excess: Story['excess']) =>
      drawPhases(
        story({
          phases: [phase('sign-on', 0, tookMs)],
          approvalMs,
          excess,
          usual: { n: 30, sentence: 'those', series: { 'sign-on': { medianMs: 2000, lowMs: 1800, highMs: 2400 } } },
        }),
      )
    expect(asked(12_000, 10_000, []).rows[0]).toMatchObject({ usualMs: 12_000, label: '12 s · 10 s of it the approval' })
    const late = [{ phase: 'sign-on', ms: 45_000, usualMs: 7000, tookMs: 52_000 }]
    expect(asked(52_000, 50_000, late).rows[0]).toMatchObject({ usualMs: 7000, label: '52 s · usual 7.0 s · 50 s of it the approval' })
    expect([asked(12_000, 10_000, []), asked(52_000, 50_000, late)].map(({ ghosts }) => ghosts)).toEqual([
      'Ghosts show the usual: the median of those; of sign-on, with the approval as long as it was.',
      'Ghosts show the usual: the median of those.',
    ])
    const ofMachines = { phase: 'sign-on', ms: 8000, usualMs: 2000, tookMs: 10_000 }
    expect(asked(18_000, 8000, [ofMachines]).rows[0]).toMatchObject({ usualMs: 10_000, label: '18 s · usual 10 s · 8.0 s of it the approval' })
    expect(isWithoutApproval(story({ approvalMs: 8000, phases: [phase('sign-on', 0, 18_000)] }), ofMachines)).toBe(true)
  })

  const slow = story({
    phases: [phase('policy', 0, 12_000), phase('packages', 1000, 4000), phase('shell', 15_000, 20_000)],
    parts: [{ ...phase('policy', 1000, 11_000), part: 'printers' }],
    blame: [
      { phase: 'policy', fromMs: 0, toMs: 12_000 },
      { phase: 'unrecorded', fromMs: 12_000, toMs: 15_000 },
      { phase: 'shell', fromMs: 15_000, toMs: 20_000 },
    ],
    shares: [
      { phase: 'policy', ms: 12_000 },
      { phase: 'unrecorded', ms: 3000 },
      { phase: 'shell', ms: 5000 },
    ],
    excess: [{ phase: 'policy', ms: 9600, usualMs: 2400, tookMs: 12_000 }],
    usual: { n: 30, sentence: '', series: { policy: { medianMs: 2400, lowMs: 2000, highMs: 3000 } } },
    marks: [
      { atMs: 2000, code: 'x', number: null, says: 'busy', phase: 'policy', text: null },
      { atMs: 3000, code: 'x', number: null, says: 'busy', phase: 'policy', text: null },
    ],
  })

  it('has a row a phase, tells what blocked from what ran beside, and where no record is', () => {
    const drawing = drawPhases(slow)
    expect(drawing.rows.map((row) => [row.phase, row.strokes.map(({ beside }) => beside)])).toEqual([
      ['policy', [false]],
      ['packages', [true]],
      ['shell', [false]],
    ])
    expect(drawing.gaps).toEqual([{ phase: 'unrecorded', fromMs: 12_000, toMs: 15_000 }])
    expect(drawing.sum).toBe('3.0 s without any record · all 20 s accounted for')
  })

  it('says in words how much is unusual, which part it is, and which codes there were', () => {
    const [policy] = drawPhases(slow).rows
    expect(policy).toMatchObject({ usualMs: 2400, label: '12 s · usual 2.4 s · “printers” alone 10 s · 2 × busy' })
    const parts = slow.parts.map((part) => ({ ...part, endMs: part.startMs + 5000 }))
    expect(drawPhases({ ...slow, parts }).rows[0]?.label).toBe('12 s · usual 2.4 s · 2 × busy')
    expect(drawPhases(slow).blame[0]).toMatchObject({ late: true, label: 'policy 12 s, 9.6 s more than usual' })
  })

  it('draws an attempt without any phase', () => {
    expect(drawPhases(story({ totalMs: 0 }))).toMatchObject({ spanMs: 1000, rows: [], sum: 'nothing unrecorded · all 0.0 s accounted for' })
  })
})

it('an incident says where it is, since when, and how to list it', () => {
  const incident = {
    id: 'i',
    kind: 'incident' as const,
    episodes: 1,
    worse: null,
    change: null,
    cause: 'container-held',
    title: 'Held',
    scope: [
      { dimension: 'holderHost', value: 'TH-Q2-07' },
      { dimension: 'zone', value: 'Q2' },
    ],
    sinceMs: Date.UTC(2026, 10, 23, 5),
    toMs: Date.UTC(2026, 10, 23, 9),
    attempts: 3,
    failed: 3,
    people: 2,
    lostMs: 1,
    example: 'x',
  }
  expect(incidentPlace(incident)).toBe('held by TH-Q2-07, zone Q2')
  expect(sinceWords(incident, incident.toMs + 60_000)).toBe('since 05:00, going on')
  expect(sinceWords(incident, incident.toMs + 7_200_000)).toBe('05:00 to 09:00, last 2 h ago')
  expect(sinceWords({ ...incident, episodes: 3 }, incident.toMs + 7_200_000)).toBe('3 times since 05:00, last 2 h ago')
  expect(sinceWords({ ...incident, attempts: 1, sinceMs: incident.toMs }, incident.toMs + 60_000)).toBe('09:00')
  expect(incidentQuery({ ...incident, scope: [{ dimension: 'clientVersion', value: '7.4' }] })).toEqual({
    cause: 'container-held',
    clientVersion: '7.4',
  })
})
