import { execFileSync } from 'node:child_process'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { NdjsonReader, readNdjson } from './ndjson'
import { readObservation } from './observation'
import type { Observation } from '../logons/observation'

const AT_MS = Date.UTC(2026, 10, 23, 7)

/** What JSON.parse makes of each line; where it is refused, nothing. */
const oneByOne = (lines: readonly string[]): Observation[] =>
  lines.flatMap((line) => {
    try {
      return [readObservation(JSON.parse(line))]
    } catch {
      return []
    }
  })
const read = (lines: readonly string[]) => readNdjson(new TextEncoder().encode(lines.join('\n'))).observations

describe('The scanner of lines', () => {
  it('is what the compiler makes of its source', () => {
    execFileSync(process.execPath, ['scripts/wasm.mjs', '--check'], { stdio: 'pipe' })
  })

  it('keeps apart more texts than it keeps, also where several of one line want the same place', () => {
    const lines = Array.from({ length: 40_000 }, (_, i) =>
      JSON.stringify({
        time: AT_MS + i,
        attempt: `a-${i * 7919}`,
        person: `person ${i % 9000}`,
        host: `h${i % 611}`,
        session: `s${i}`,
        code: `c${i % 13_001}`,
        kind: 'mark',
        attrs: { [`n${i % 50}`]: `v${i % 12_007}`, share: `\\\\quay-fs${i % 3}\\profiles`, text: 'x'.repeat(i % 90) },
      }),
    )
    expect(read(lines)).toEqual(oneByOne(lines))
  })

  it('reads moments and numbers as they are meant, and leaves those that are none to be refused', () => {
    const two = (most: number) => fc.nat(most).map((n) => String(n).padStart(2, '0'))
    const time = fc
      .tuple(
        fc.constantFrom('1600', '1900', '1996', '2000', '2024', '2026', '2099', '20x6'),
        two(13),
        two(32),
        two(24),
        two(60),
        two(61),
        fc.nat(999),
      )
      .map(([year, month, day, hour, minute, second, ms]) => `${year}-${month}-${day}T${hour}:${minute}:${second}.${String(ms).padStart(3, '0')}Z`)
    const number = fc.oneof(
      fc.double().map((n) => JSON.stringify(n)),
      fc.integer().map(String),
      fc.tuple(fc.integer(), fc.nat(1e7)).map(([whole, part]) => `${whole}.${part}`),
      fc.constantFrom(
        '-0',
        '-0.0',
        '007',
        '1.',
        '.5',
        '-',
        '1e3',
        '1E-2',
        '123456789012345',
        '1234567890123456',
        '0.1',
        '12a',
        'nul',
        'falsy',
        'null',
      ),
    )
    fc.assert(
      fc.property(fc.array(fc.tuple(time, number), { maxLength: 20 }), (all) => {
        const lines = all.map(
          ([at, n]) => `{"attempt":"a","kind":"phase","phase":"policy","time":"${at}","durationMs":${n},"attrs":{"n":${n},"is":true}}`,
        )
        expect(read(lines)).toEqual(oneByOne(lines))
      }),
      { numRuns: 500 },
    )
  })

  it('takes no text that is not UTF-8 for another, neither the first time nor the second', () => {
    const line = (person: string) => Buffer.from(`{"time":${AT_MS},"kind":"mark","attempt":"a","person":"${person}"}\n`, 'latin1')
    const { observations, faults } = readNdjson(Buffer.concat([line('zo\xeb'), line('zoe'), line('zo\xeb'), line('zo\xc3\xab')]))
    expect(observations.map(({ person }) => person)).toEqual(['zoe', 'zoë'])
    expect(faults.map(({ line: at, code }) => [at, code])).toEqual([
      [1, 'line.encoding'],
      [3, 'line.encoding'],
    ])
  })

  it('reads lines while others are read', () => {
    const lines = ['a', 'b', 'c'].map((attempt) => JSON.stringify({ time: AT_MS, kind: 'mark', attempt, person: `${attempt} of many` }))
    const seen: (string | undefined)[] = []
    const reader = new NdjsonReader({
      observation: ({ attempt }) => seen.push(attempt, ...read(lines.slice(1)).map(({ person }) => person)),
      fault: () => undefined,
    })
    reader.push(new TextEncoder().encode(`${lines.join('\n')}\n`))
    expect(seen).toEqual(['a', 'b', 'c'].flatMap((attempt) => [attempt, 'b of many', 'c of many']))
  })
})
