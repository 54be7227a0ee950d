import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { correlate } from '../logons/correlate'
import { logon, START_MS } from '../logons/fixtures/builders'
import { LONGEST_LINE_BYTES, NdjsonReader, readNdjson } from './ndjson'
import { readObservation, readTime } from './observation'
import { readOtlp } from './otlp'
import type { Fault } from './fault'
import type { Observation } from '../logons/observation'

const bytes = (text: string) => new TextEncoder().encode(text)
const good = (n: number) => JSON.stringify({ time: START_MS + n, kind: 'mark', attempt: 'a', code: `c${n}` })

describe('NDJSON', () => {
  it('reads observations and names the line, the byte and the reason of what it refuses', () => {
    const text = `${good(1)}\n{"kind":"phase"}\n\nnot json\n${good(2)}\n["x"]\n{"kind":"mark","time":"yesterday","attempt":"a"}\n${good(3)}`
    const { observations, faults } = readNdjson(bytes(text))
    expect(observations.map(({ code }) => code)).toEqual(['c1', 'c2', 'c3'])
    expect(faults.map(({ line, code }) => [line, code])).toEqual([
      [2, 'record.time'],
      [4, 'line.json'],
      [6, 'record.not-an-object'],
      [7, 'record.time'],
    ])
    expect(faults[1]?.byte).toBe(good(1).length + 1 + '{"kind":"phase"}'.length + 1 + 1)
    expect(faults[3]?.reason).toContain('expected an RFC 3339 instant')
  })

  it('gives the same wherever the chunks are cut', () => {
    const whole = bytes(
      `${good(1)}\r\n{"time":1,"kind":"mark","attempt":"ü"}\n{broken\n${JSON.stringify({ time: START_MS, kind: 'mark', attempt: 'ünïcode ☃ 𝄞' })}\n\n${good(2)}\n`,
    )
    const expected = readNdjson(whole)
    expect(expected.observations).toHaveLength(3)
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: whole.length }), { maxLength: 12 }), (cuts) => {
        const observations: Observation[] = []
        const faults: Fault[] = []
        const reader = new NdjsonReader({ observation: (o) => observations.push(o), fault: (f) => faults.push(f) })
        const edges = [0, ...cuts.sort((a, b) => a - b), whole.length]
        for (let i = 0; i + 1 < edges.length; i++) reader.push(whole.subarray(edges[i], edges[i + 1]))
        reader.end()
        expect({ observations, faults }).toEqual(expected)
      }),
    )
  })

  it('refuses a line that is too long, wrong encodings and binary, and loses nothing around them', () => {
    const parts = [
      bytes(good(1) + '\n'),
      bytes(`"${'x'.repeat(10 * LONGEST_LINE_BYTES)}"\n`),
      bytes(good(2) + '\n'),
      Uint8Array.of(0xff, 0xfe, 0x7b, 0, 10),
      bytes(good(3) + '\n'),
      Uint8Array.of(1, 2, 0, 3, 10),
      bytes(`${'['.repeat(100_000)}\n`),
      bytes(good(4)),
    ]
    const observations: Observation[] = []
    const faults: Fault[] = []
    const reader = new NdjsonReader({ observation: (o) => observations.push(o), fault: (f) => faults.push(f) })
    const all = Buffer.concat(parts)
    for (let at = 0; at < all.length; at += 65_536) reader.push(all.subarray(at, at + 65_536))
    reader.end()
    expect(observations.map(({ code }) => code)).toEqual(['c1', 'c2', 'c3', 'c4'])
    expect(faults.map(({ line, code }) => [line, code])).toEqual([
      [2, 'line.too-long'],
      [4, 'line.encoding'],
      [6, 'line.binary'],
      [7, 'line.json'],
    ])
    expect(Math.max(...faults.map(({ excerpt }) => excerpt.length))).toBeLessThanOrEqual(200)
  })

  it('survives any bytes between good lines', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (noise) => {
        const { observations } = readNdjson(Buffer.concat([bytes(good(1) + '\n'), noise, bytes('\n' + good(2) + '\n')]))
        expect(observations.map(({ code }) => code).filter((code) => code === 'c1' || code === 'c2')).toEqual(['c1', 'c2'])
      }),
      { numRuns: 500 },
    )
  })

  it('reads lines of any kind, among others, as JSON.parse reads each by itself', () => {
    const text = fc.oneof(
      fc.constantFrom(
        'mara',
        'LARKMERE\\ulrik',
        'ünïcode 𝄞',
        '',
        'a"b',
        '},{',
        '__proto__',
        'x'.repeat(70),
        'y'.repeat(5000),
        '\0',
        '\ud800',
        ',"kind":"mark",',
      ),
      fc.string({ maxLength: 6 }),
    )
    const record = fc.record(
      {
        attempt: fc.oneof(text, fc.constantFrom(null, 7)),
        person: text,
        host: fc.oneof(text, fc.constantFrom(null, {})),
        time: fc.constantFrom(
          START_MS,
          new Date(START_MS).toISOString(),
          '2026-11-23T23:59:60.000Z',
          '2026-02-30T05:40:00.000Z',
          '2026-11-24T05:4 :00.000Z',
          'never',
          undefined,
        ),
        kind: fc.constantFrom('mark', 'phase', 'begin', 'other'),
        phase: fc.constantFrom('policy', '', null),
        durationMs: fc.constantFrom(5, '6', null),
        attrs: fc.oneof(
          fc.dictionary(text, fc.oneof(text, fc.integer(), fc.boolean(), fc.double({ noNaN: true })), { maxKeys: 4 }),
          fc.constantFrom({ deep: { kind: 'mark' } }, []),
        ),
      },
      { requiredKeys: [] },
    )
    const number = fc.oneof(
      fc.constantFrom('-3', '1e3', '01', '1.', '.5', '-', '1E+2', '123456789012345678', '0.30000000000000004', '-0', '5e-1', '1.5.5', 'true', 'nul'),
      fc.double({ noNaN: true }).map(String),
      fc.integer({ min: 0 }).map((n) => String(n / 1000)),
    )
    const line = fc.oneof(
      // Much alike, as lines are; then records of any order, spaced or written by other rules; then what is none, or two, or half of one.
      { weight: 4, arbitrary: fc.integer({ min: 0, max: 3 }).map((n) => good(n)) },
      {
        weight: 3,
        arbitrary: record.map((one) => JSON.stringify({ attempt: 'a', person: 'LARKMERE\\ulrik', kind: 'mark', time: START_MS, ...one })),
      },
      { weight: 2, arbitrary: record.map((one) => JSON.stringify(one)) },
      { weight: 1, arbitrary: record.map((one) => JSON.stringify(one, null, 1).replaceAll('\n', ' ')) },
      { weight: 1, arbitrary: record.map((one) => JSON.stringify(one).replaceAll('a', '\\u0061').replaceAll('"\\u0061ttempt"', '"attempt"')) },
      { weight: 1, arbitrary: fc.constantFrom('', '\r', ' ', '{', '}', '{}', '[', ']', `${good(1)},${good(2)}`) },
      {
        weight: 1,
        arbitrary: fc.constantFrom(
          `{"phase":"policy","attempt":"a","kind":"mark","time":${START_MS}}`,
          '{"attempt":"a","kind":"mark","time":1',
          '"code":"x"}',
          `${good(3)}\r`,
          `{"attempt":"b","attempt":"c",${good(4).slice(1)}`,
          ...['{"b":1,"a":2}', '{"b":1,"b":2}', '{"b":1,"7":true}', '{ }', '{"b":null}', '{"b":1,}', '{"b":1,"a":[{}]}'].map(
            (attrs) => `{"attempt":"a","kind":"mark","time":${START_MS},"attrs":${attrs}}`,
          ),
        ),
      },
      {
        weight: 2,
        arbitrary: number.map((one) => `{"attempt":"a","kind":"phase","phase":"policy","time":${START_MS},"durationMs":${one},"attrs":{"n":${one}}}`),
      },
      // One letter of a good line is another.
      {
        weight: 2,
        arbitrary: fc
          .tuple(record, fc.nat(200), fc.constantFrom('"', '\\', '{', '}', ',', ':', ' ', '\t', '\u0001', 'u', '0', 'ü', '[', 'n'))
          .map(([one, at, letter]) => {
            const text = JSON.stringify({ ...one, kind: 'mark', time: START_MS, person: 'LARKMERE\\ulrik' })
            return text.slice(0, at) + letter + text.slice(at + 1)
          }),
      },
      { weight: 1, arbitrary: fc.string({ maxLength: 12 }).map((one) => one.replaceAll('\n', '')) },
    )
    const alone = (one: string) => {
      if (one.trim() === '') return []
      try {
        return [readObservation(JSON.parse(one))]
      } catch {
        return ['refused']
      }
    }
    fc.assert(
      fc.property(fc.array(line, { maxLength: 30 }), (lines) => {
        const whole = lines.map((one) => Buffer.from(one).toString())
        const { observations, faults } = readNdjson(bytes(whole.join('\n')))
        const expected = whole.map(alone)
        expect(observations).toEqual(expected.flat().filter((one) => one !== 'refused'))
        const starts = whole.map((_, i) => bytes(whole.slice(0, i).join('\n')).length + (i > 0 ? 1 : 0))
        expect(faults.map((fault) => [fault.line, fault.byte])).toEqual(
          expected.flatMap((one, i) => (one[0] === 'refused' ? [[i + 1, starts[i]]] : [])),
        )
      }),
      { numRuns: 1000 },
    )
  })

  it('goes on from no line that gives a field twice', () => {
    const rest = `"kind":"mark","time":${START_MS},"code":"c"}`
    const { observations } = readNdjson(
      bytes(`{"person":"mara","attempt":"b","attempt":"c",${rest}\n{"person":"mara","attempt":"b",${rest}\n{"person":"mara","attempt":"b",${rest}`),
    )
    expect(observations.map(({ attempt }) => attempt)).toEqual(['c', 'b', 'b'])
  })

  it('takes its own words in capitals, and leaves those of others as they are', () => {
    const said = (fields: object) => readNdjson(bytes(JSON.stringify({ time: START_MS, attempt: 'a', ...fields })))
    expect(said({ kind: 'PHASE', phase: 'Sign-On', durationMs: 5 }).observations[0]).toMatchObject({ kind: 'phase', phase: 'sign-on' })
    expect(said({ kind: 'Phase-Begin', phase: 'Fetch The Tea' }).observations[0]).toMatchObject({ kind: 'phase-begin', phase: 'Fetch The Tea' })
    expect(said({ kind: 'end', outcome: 'Ready' }).observations[0]).toMatchObject({ kind: 'end', outcome: 'ready' })
    expect(said({ kind: 'end', outcome: 'Splendid' }).faults[0]?.reason).toBe('outcome is "Splendid"; expected ready, failed, abandoned or degraded')
  })

  it('makes text keepable: NUL and half pairs would be refused by the database', () => {
    const { observations } = readNdjson(
      bytes('{"time":1795440000000,"kind":"mark","attempt":"a\\u0000b","text":"\\ud800 \\ud834\\udd1e","attrs":{"k\\u0000":{"deep":["\\u0000"]}}}'),
    )
    expect(observations[0]).toMatchObject({ attempt: 'a\ufffdb', text: '\ufffd \u{1d11e}', attrs: { 'k\ufffd': '{"deep":["\\u0000"]}' } })
  })

  // RFC 3339 section 5.8 examples.
  it.each([
    ['1985-04-12T23:20:50.52Z', 482196050520],
    ['1996-12-19T16:39:57-08:00', 851042397000],
    ['1990-12-31T23:59:60Z', 662688000000],
    ['1990-12-31T15:59:60-08:00', 662688000000],
  ])('reads the instant %s', (text, ms) => {
    if (ms < Date.UTC(1990, 0, 1)) expect(() => readTime(text)).toThrow(/between 1990 and 2100/)
    else expect(readTime(text)).toBe(ms)
  })

  it('keeps fractions of a millisecond and refuses what is no instant', () => {
    expect(readTime('2026-11-23T05:40:00.123456789+01:00')).toBeCloseTo(Date.UTC(2026, 10, 23, 4, 40) + 123.456789, 3)
    for (const wrong of ['2026-11-23 05:40', '2026-02-30T00:00:00Z', '2026-11-23T25:00:00Z', 'now', '', NaN, null, 12, '3026-01-01T00:00:00Z'])
      expect(() => readTime(wrong)).toThrow(/time is/)
  })
})

describe('OTLP JSON', () => {
  // opentelemetry-proto, examples/trace.json (from memory, shortened to what the reader takes).
  const example = {
    resourceSpans: [
      {
        resource: { attributes: [{ key: 'service.name', value: { stringValue: 'my.service' } }] },
        scopeSpans: [
          {
            scope: { name: 'my.library', version: '1.0.0' },
            spans: [
              {
                traceId: '5B8EFFF798038103D269B633813FC60C',
                spanId: 'EEE19B7EC3C1B174',
                parentSpanId: 'EEE19B7EC3C1B173',
                name: "I'm a server span",
                startTimeUnixNano: '1544712660000000000',
                endTimeUnixNano: '1544712661000000000',
                kind: 2,
                attributes: [{ key: 'my.span.attr', value: { stringValue: 'some value' } }],
              },
            ],
          },
        ],
      },
    ],
  }

  it('reads the example of the specification', () => {
    const { observations, faults, spans } = readOtlp(example)
    expect({ faults, spans }).toEqual({ faults: [], spans: 1 })
    expect(observations).toEqual([
      {
        attempt: '5b8efff798038103d269b633813fc60c',
        kind: 'phase',
        phase: "I'm a server span",
        timeMs: 1544712660000,
        durationMs: 1000,
        span: 'eee19b7ec3c1b174',
        within: 'eee19b7ec3c1b173',
      },
    ])
  })

  it('tells root, phases, parts and marks apart', () => {
    const span = (spanId: string, parentSpanId: string, name: string, extra = {}) => ({
      traceId: 'a'.repeat(32),
      spanId: spanId.padStart(16, '1'),
      parentSpanId: parentSpanId && parentSpanId.padStart(16, '1'),
      name,
      startTimeUnixNano: 1795412400000000000,
      endTimeUnixNano: '1795412401500000000',
      ...extra,
    })
    const { observations } = readOtlp({
      resourceSpans: [
        {
          resource: { attributes: [{ key: 'host.name', value: { stringValue: 'TH-1' } }] },
          scopeSpans: [
            {
              spans: [
                span('a', '', 'logon', {
                  attributes: [
                    { key: 'user.name', value: { stringValue: 'mara' } },
                    { key: 'logon.first', value: { boolValue: true } },
                  ],
                  status: { code: 2 },
                }),
                span('b', 'a', 'policy', {
                  events: [
                    { timeUnixNano: '1795412400500000000', name: 'slow', attributes: [{ key: 'code', value: { stringValue: '0xC0000043' } }] },
                  ],
                }),
                span('c', 'b', 'printers'),
              ],
            },
          ],
        },
      ],
    })
    expect(observations.map(({ kind, phase, part, code, outcome, host }) => ({ kind, phase, part, code, outcome, host }))).toEqual([
      { kind: 'begin', host: 'TH-1' },
      { kind: 'end', outcome: 'failed', host: 'TH-1' },
      { kind: 'phase', phase: 'policy', host: 'TH-1' },
      { kind: 'mark', phase: 'policy', code: '0xC0000043', host: 'TH-1' },
      { kind: 'phase', phase: 'policy', part: 'printers', host: 'TH-1' },
    ])
    expect(observations[0]?.attrs).toEqual({ first: true })
  })

  it('is the same wherever batches are cut: what is inside a phase ends, and is sent, before it', () => {
    const hex = (n: number) => n.toString(16).padStart(16, '0')
    const at = (s: number) => String(1_795_412_400_000_000_000n + BigInt(Math.round(s * 1000)) * 1_000_000n)
    const span = (n: number, above: number, name: string, from: number, to: number, extra = {}) => ({
      ...{ traceId: 'b'.repeat(32), spanId: hex(n), parentSpanId: above === 0 ? '' : hex(above), name },
      ...{ startTimeUnixNano: at(from), endTimeUnixNano: at(to), ...extra },
    })
    const event = { timeUnixNano: at(11), name: 'waits', attributes: [{ key: 'code', value: { stringValue: 'scanner.active' } }] }
    // In the order of their ends: a query inside printers inside policy, a phase of a name of its own, the shell, the root.
    const spans = [
      span(4, 3, 'query', 5, 11.5, { events: [event] }),
      span(3, 2, 'printers', 4, 12),
      span(2, 1, 'policy', 3, 13),
      span(6, 1, 'badge', 13, 14),
      span(5, 1, 'shell', 14, 16),
      span(1, 0, 'logon', 0, 16),
    ]
    const read = (some: object[]) => readOtlp({ resourceSpans: [{ scopeSpans: [{ spans: some }] }] }).observations
    const made = (batches: object[][]) => {
      const [one, ...others] = correlate(batches.flatMap(read), Infinity)
      expect(others).toEqual([])
      return one?.attempt
    }
    const whole = made([spans])
    expect(whole?.phases.map(({ phase }) => phase)).toEqual(['policy', 'badge', 'shell'])
    expect(whole?.parts.map(({ phase, part }) => [phase, part])).toEqual([
      ['policy', 'printers'],
      ['policy', 'query'],
    ])
    expect(whole?.marks.map(({ phase, code }) => [phase, code])).toEqual([['policy', 'scanner.active']])
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 5 }), { maxLength: 4 }), fc.boolean(), (cuts, twice) => {
        const at = [...new Set(cuts)].sort((a, b) => a - b)
        const batches = [...at, spans.length].map((to, i) => spans.slice(i === 0 ? 0 : at[i - 1], to))
        // An exporter that does not know whether a batch arrived sends it again, perhaps with others.
        expect(made(twice ? [...batches, spans.slice(0, 3)] : batches)).toMatchObject({ phases: whole?.phases, parts: whole?.parts })
      }),
    )
  })

  it('survives any JSON', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        expect(readOtlp(value).observations).toBeInstanceOf(Array)
      }),
    )
    fc.assert(
      fc.property(fc.jsonValue(), (value) => {
        expect(readOtlp({ resourceSpans: [{ scopeSpans: [{ spans: [value, value] }] }] }).observations).toBeInstanceOf(Array)
      }),
    )
  })
})

describe('what names nobody', () => {
  it('is taken where it says of which session on which host it is, but for marks: a session has those all day long', () => {
    const phase = { time: START_MS, kind: 'phase', phase: 'shell', durationMs: 900 }
    const said = [
      { ...phase, host: 'TH-1', session: '7' },
      { ...phase, host: 'TH-1' },
      { ...phase, session: '7' },
      { time: START_MS, kind: 'mark', code: 'share.full', host: 'TH-1', session: '7' },
      { time: START_MS, kind: 'mark', code: 'share.full', host: 'TH-1', session: '7', person: 'mara' },
    ]
    const { observations, faults } = readNdjson(bytes(said.map((one) => JSON.stringify(one)).join('\n')))
    expect(observations.map(({ kind, person }) => [kind, person])).toEqual([
      ['phase', undefined],
      ['mark', 'mara'],
    ])
    expect(faults.map(({ line, code }) => [line, code])).toEqual([2, 3, 4].map((line) => [line, 'record.nobody']))
  })
})

describe('builders', () => {
  it('make observations that read back as they were', () => {
    const observations = logon({ id: 'x', attrs: { first: true } })
    expect(readNdjson(bytes(observations.map((o) => JSON.stringify({ ...o, time: o.timeMs })).join('\n'))).observations).toEqual(observations)
  })
})
