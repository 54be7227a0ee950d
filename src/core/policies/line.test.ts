import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { lineClass, lineClasses, readinessFor, wayVerdict, type LineLimits } from './line'
import { adminVerdict, type AdminHost } from './local-admins'

// 256 and 512 kbit/s: common practice, no published source.
const LIMITS: LineLimits = { lowKbps: 256, mediumKbps: 512, farMs: 250, lineMarginPercent: 20 }
const line = (bandwidthKbps: number, rttMs = 20) => ({ bandwidthKbps, rttMs })

describe('the class of a line', () => {
  it('changes down at once, and up only beyond the margin', () => {
    expect([255, 256, 511, 512].map((kbps) => lineClass(line(kbps), LIMITS, null))).toEqual(['low', 'medium', 'medium', 'full'])
    expect(lineClass(line(9000, 300), LIMITS, null)).toBe('medium')
    expect(lineClass(line(300), LIMITS, 'full')).toBe('medium')
    expect(lineClass(line(300), LIMITS, 'low')).toBe('low')
    expect(lineClass(line(308), LIMITS, 'low')).toBe('medium')
    expect(lineClass(line(600), LIMITS, 'low')).toBe('medium')
    expect(lineClass(line(9000, 240), LIMITS, 'medium')).toBe('medium')
  })

  it('changes no more often with a margin than without, at one limit', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 260, max: 700 }), { maxLength: 40 }), (kbps) => {
        const samples = kbps.map((one) => line(one))
        expect(lineClasses(samples, LIMITS).changes).toBeLessThanOrEqual(lineClasses(samples, { ...LIMITS, lineMarginPercent: 0 }).changes)
      }),
    )
  })

  it('says what is in the way of direct transport', () => {
    const needs = { agent: '1.4.0', client: '2.10' }
    const on = { title: 'Calls at the client', on: true }
    expect(readinessFor(needs, '1.4.0', '2.10.3', on)).toEqual({ ready: true, lacks: [] })
    expect(readinessFor(needs, '1.3.2', '2.9', { ...on, on: false }).lacks).toEqual([
      'Calls at the client is not on.',
      'The agent is 1.3.2; 1.4.0 is needed.',
      'The client is 2.9; 2.10 is needed.',
    ])
    expect(readinessFor(needs, null, null, on).lacks).toHaveLength(2)
  })
})

describe('administrators of one’s own desktop', () => {
  const NOW = 1_800_000_000_000
  const desk = (given: Partial<AdminHost>): AdminHost => ({
    host: 'ND-1',
    pool: 'naval-drawing',
    assigned: 'mara',
    fixed: true,
    reported: [],
    ...given,
  })
  const own = { account: 'mara', kind: 'person' as const, sinceMs: NOW - 3_600_000 }
  const wish = { value: 'assigned' as const, hours: 8 }

  it.each([
    [desk({}), wish, 'to be given', 'mara is to have it'],
    [desk({ reported: [own] }), wish, 'as it should be', 'mara has it'],
    [desk({ assigned: null }), wish, 'nothing to do', 'assigned to nobody'],
    [desk({ fixed: false, assigned: null }), wish, 'nothing to do', 'not assigned to anybody'],
    [desk({ reported: [{ ...own, sinceMs: NOW - 9 * 3_600_000 }] }), wish, 'to be taken away', 'that time is over'],
    [desk({ reported: [{ ...own, account: 'jonas' }] }), wish, 'to be taken away', 'jonas should not'],
    [desk({ reported: [own] }), { ...wish, value: 'nobody' as const }, 'to be taken away', 'mara should not'],
    [desk({}), { ...wish, value: 'nobody' as const }, 'as it should be', 'Nobody'],
    [
      desk({ reported: [{ account: 'everybody', kind: 'group' as const, people: 2600, sinceMs: 0 }] }),
      wish,
      'to be taken away',
      'A group has the right',
    ],
  ])('%#: %o', (host, wanted, state, words) => {
    const verdict = adminVerdict(host, wanted, NOW)
    expect([verdict.state, verdict.sentence.includes(words)]).toEqual([state, true])
  })

  it('names the group and how many it lets in, and until when somebody has it', () => {
    const verdict = adminVerdict(desk({ reported: [own, { account: 'everybody', kind: 'group', people: 2600, sinceMs: 0 }] }), wish, NOW)
    expect(verdict.wide).toEqual(['Through the group everybody 2600 people are administrator here.'])
    expect(verdict.now[0]).toEqual({ account: 'mara', untilMs: NOW + 7 * 3_600_000 })
    expect(adminVerdict(desk({ reported: [own] }), { value: 'assigned', hours: Infinity }, NOW).now[0]?.untilMs).toBeNull()
  })
})

describe('the way that a session went', () => {
  it.each([
    ['direct-only', 'direct', 'as the policy says'],
    ['direct-only', 'relay', 'against the policy'],
    ['direct-first', 'direct', 'as the policy says'],
    ['direct-first', 'relay', 'second choice'],
    ['relay', 'relay', 'as the policy says'],
    ['relay', 'direct', 'against the policy'],
    ['relay', null, undefined],
    ['relay', 'pigeon', undefined],
    ['something new', 'direct', undefined],
    [undefined, 'direct', undefined],
  ])('%s, went %s: %s', (allowed, went, verdict) => {
    expect(wayVerdict(allowed, went)?.verdict).toBe(verdict)
  })
})
