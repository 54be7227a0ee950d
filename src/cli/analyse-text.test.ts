import { describe, expect, it } from 'vitest'
import { analyseAll, correlate, type Explained } from '../core/logons'
import { logon, START_MS } from '../core/logons/fixtures/builders'
import { attemptJson, attemptRecord } from './analyse-text'

describe('the line of an attempt', () => {
  it('says what its record says, of those with a cause and those without', () => {
    const usual = Array.from({ length: 40 }, (_, i) => logon({ id: `n${i}`, person: `LARKMERE\\p"${i}`, at: START_MS - i * 60_000 })).flat()
    const held = logon({
      id: 'hæld',
      person: 'mara@larkmere.example',
      at: START_MS + 60_000,
      outcome: 'failed',
      phases: { broker: 600, 'made "up"': 87_000 },
      marks: [['0xC0000043', 'container', 2000]],
    })
    const nobody: Explained = { ...(analyseAll(correlate(held, START_MS).map(({ attempt }) => attempt))[0] as Explained), blame: { shares: [] } }
    const all = [...analyseAll(correlate([...usual, ...held], START_MS).map(({ attempt }) => attempt)), nobody]
    const line = attemptJson()
    const said = all.map((one) => JSON.parse(Buffer.from(line(one), 'latin1').toString()) as unknown)
    expect(said).toEqual(all.map((one) => JSON.parse(JSON.stringify(attemptRecord(one)))))
    expect(all.filter(({ diagnosis }) => diagnosis.cause !== null).map(({ attempt }) => attempt.id)).toContain('hæld')
    expect(all.filter(({ diagnosis }) => diagnosis.cause === null).length).toBeGreaterThan(30)
  })
})
