import { describe, expect, it } from 'vitest'
import { document, logonEvents } from '../../core/formats/eventlog/fixtures/events'
import { readEventMap } from './event-map-file'
import { previewEventMap } from './event-maps'

const good =
  'rules:\n  - { provider: Larkmere-Attach, id: 7, observe: phase, phase: container, person: "{Who}", elapsed: { fields: Ms, unit: ms } }\n'

describe('event maps', () => {
  it('are read with defaults, and single texts as lists', () => {
    expect(readEventMap(good)).toMatchObject({ complaints: [], rules: [{ id: 7, person: ['{Who}'], elapsed: { fields: ['Ms'], unit: 'ms' } }] })
    expect(readEventMap('{"rules":[{"provider":"x","id":1,"observe":"nothing","when":{"A":1}}]}').rules).toMatchObject([{ when: { A: ['1'] } }])
  })

  it.each([
    ['rules: [', 'line'],
    ['rules: []', 'rules'],
    ['nothing', 'the file'],
    ['rules:\n  - { provider: x, id: 1, observe: phase }', 'rules.0'],
    ['rules:\n  - { provider: x, id: 99999, observe: mark }', 'rules.0.id'],
    ['rules:\n  - { provider: x, id: 1, observe: mark, colour: red }', 'rules.0'],
    ['rules:\n  - { provider: x, id: 1, observe: phase-begin }', 'rules.0.phase'],
  ])('%s: says where it is wrong', (text, where) => {
    const { rules, complaints } = readEventMap(text)
    expect(rules).toEqual([])
    expect(complaints[0]?.path).toContain(where)
  })

  it('show what they make of real events, and what nobody understands', () => {
    const attach = { provider: 'Larkmere-Attach', id: 7, timeMs: Date.UTC(2026, 10, 23), data: { Who: 'mara', Ms: 80 } }
    const preview = previewEventMap(good, document([attach, { ...attach, id: 8 }, ...logonEvents(Date.UTC(2026, 10, 23))]))
    expect(preview.complaints).toEqual([])
    expect(preview.observations).toContainEqual(expect.objectContaining({ kind: 'phase', phase: 'container', person: 'mara', durationMs: 80 }))
    expect(preview.notUnderstood).toEqual([expect.stringContaining('1 event of Larkmere-Attach with id 8')])
    expect(previewEventMap('rules: 7', 'x')).toMatchObject({ of: 0, observations: [] })
  })
})
