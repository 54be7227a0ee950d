import fc from 'fast-check'
import Papa from 'papaparse'
import { describe, expect, it } from 'vitest'
import type { Observation } from '../logons/observation'
import { csvHeader, CsvReader, LONGEST_RECORD, splitCsv } from './csv'
import type { Fault } from './fault'
import { readNdjson } from './ndjson'

function read(text: string, cuts: readonly number[] = []): { observations: Observation[]; faults: Fault[] } {
  const bytes = new TextEncoder().encode(text)
  const observations: Observation[] = []
  const faults: Fault[] = []
  const reader = new CsvReader({ observation: (one) => observations.push(one), fault: (one) => faults.push(one) })
  const at = [0, ...[...cuts].map((cut) => cut % (bytes.length + 1)).sort((a, b) => a - b), bytes.length]
  for (let i = 1; i < at.length; i++) reader.push(bytes.subarray(at[i - 1], at[i]))
  reader.end()
  return { observations, faults }
}

const word = fc.string({ unit: fc.constantFrom('a', 'ø', '"', ',', '\n', ';', ' ', "'", '1'), minLength: 1, maxLength: 6 })
const record = fc.record(
  {
    time: fc.integer({ min: 1_700_000_000_000, max: 1_800_000_000_000 }),
    kind: fc.constantFrom('begin', 'mark', 'end'),
    attempt: word.map((text) => `x${text}`),
    person: word.map((text) => `p${text}`),
    host: word,
    code: word,
    text: word,
  },
  { requiredKeys: ['time', 'kind', 'attempt'] },
)

describe('evidence as CSV', () => {
  it('says the same as the plain form, written by another program, wherever it is cut', () => {
    fc.assert(
      fc.property(
        fc.array(record, { minLength: 1, maxLength: 8 }),
        fc.array(fc.nat(), { maxLength: 4 }),
        fc.constantFrom(',', ';', '\t'),
        (records, cuts, delimiter) => {
          const columns = ['time', 'kind', 'attempt', 'person', 'host', 'code', 'text']
          // Outside writer: Papa Parse (RFC 4180).
          const { observations, faults } = read(Papa.unparse(records, { columns, delimiter }), cuts)
          const plain = readNdjson(new TextEncoder().encode(records.map((one) => JSON.stringify(one)).join('\n')))
          expect(faults).toEqual([])
          expect(observations).toEqual(plain.observations)
        },
      ),
      { numRuns: 400 },
    )
  })

  it('takes other columns as attributes, with their types', () => {
    const { observations, faults } = read(
      '\uFEFFTime;KIND;person;durationMs;phase;rttMs;attrs.network;first;attrs;clientVersion\r\n2026-11-24T05:40:00.5+01:00;phase;LARKMERE\\mara;1200;shell;31.5;home;true;"{""zone"":""Q1""}";2.10\r\n',
    )
    expect(faults).toEqual([])
    expect(observations[0]).toMatchObject({
      timeMs: Date.UTC(2026, 10, 24, 4, 40, 0, 500),
      kind: 'phase',
      durationMs: 1200,
      attrs: { rttMs: 31.5, network: 'home', first: true, zone: 'Q1', clientVersion: 2.1 },
    })
  })

  it('refuses single records with their line, and keeps the good ones around them', () => {
    const { observations, faults } = read(
      [
        'time,kind,person,text',
        '1700000000000,begin,mara,',
        '1700000000001,jump,mara,',
        '1700000000002,mark,mara,"two',
        'lines"',
        '1700000000003,mark,mara,x,y,z',
        '',
        'soon,mark,mara,',
        '1700000000004,end,mara,"open',
      ].join('\n'),
    )
    expect(observations.map(({ kind, text }) => [kind, text])).toEqual([
      ['begin', undefined],
      ['mark', 'two\nlines'],
    ])
    expect(faults.map(({ line, code }) => [line, code])).toEqual([
      [3, 'record.kind'],
      [6, 'csv.cells'],
      [8, 'record.time'],
      [9, 'csv.record'],
    ])
    expect(read('a,b\n1,2\n').faults[0]?.code).toBe('csv.header')
  })

  it('gives up on a record without end, in bounded memory, and never throws', () => {
    const { observations, faults } = read(`time,kind,person\n1700000000000,begin,"${'x'.repeat(LONGEST_RECORD + 10)}\n1700000000001,begin,ilse\n`)
    expect([faults[0]?.code, observations.at(-1)?.person]).toEqual(['csv.record', 'ilse'])
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom('time', 'kind', ',', '"', '\n', '1', '\r', ';') }),
        fc.array(fc.nat()),
        (text, cuts) => void read(text, cuts),
      ),
    )
    fc.assert(
      fc.property(fc.array(fc.string()), (cells) => {
        expect(splitCsv(Papa.unparse([cells.length ? cells : ['']]))).toEqual(cells.length ? cells : [''])
      }),
    )
    for (const line of ['{"time":1,"kind":"x"}', '{"attempt":"a","kind":"x","time":1}', '{"a":[1,"time","kind",2]}x', 'time;other', ''])
      expect(csvHeader(line)).toBeNull()
  })
})
