import { spawn, spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, rmSync, truncateSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { ProtobufTraceSerializer } from '@opentelemetry/otlp-transformer'
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base'
import Papa from 'papaparse'
import { afterAll, describe, expect, it } from 'vitest'
import { newVhdx } from '../core/containers'
import { document, logonEvents, PROVIDERS, utf16 } from '../core/formats/eventlog/fixtures/events'
import type { Observation } from '../core/logons'
import { logon, START_MS } from '../core/logons/fixtures/builders'
import { otlpOf } from '../standins/fleet/otlp'

/** The built command line, as a user calls it. */
const folder = mkdtempSync(join(tmpdir(), 'ikebana-cli-'))
const empty = join(folder, 'empty')
mkdirSync(empty)
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const run = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['dist/cli/main.js', ...args], { encoding: 'utf8', maxBuffer: 1 << 26 })
  return {
    status,
    stdout,
    stderr,
    records: stdout
      .trim()
      .split('\n')
      .filter((line) => line.startsWith('{'))
      .map((line) => JSON.parse(line) as Record<string, unknown>),
  }
}
const file = (name: string, content: string | Uint8Array) => {
  const path = join(folder, name)
  writeFileSync(path, content)
  return path
}
const TRACE = 'c'.repeat(32)
const plain = Array.from({ length: 30 }, (_, i) => logon({ id: `n${i}`, person: `p${i}`, at: START_MS - i * 60_000 })).flat()
const held = logon({
  id: TRACE,
  person: 'LARKMERE\\mara',
  at: START_MS + 60_000,
  outcome: 'failed',
  phases: { broker: 600, container: 87_000 },
  marks: [['0xC0000043', 'container', 2000]],
})
const ndjson = (list: typeof plain) =>
  list.map((o) => JSON.stringify({ ...o, time: new Date(o.timeMs).toISOString(), timeMs: undefined })).join('\n') + '\n'

it('says how it is used, whichever way one asks, and that a command is not known', () => {
  for (const args of [[], ['--help'], ['help'], ['analyse', '--help'], ['policy', 'check', '-h']]) {
    const { status, stdout, stderr } = run(...args)
    expect([status, stderr]).toEqual([0, ''])
    expect(stdout).toContain('ikebana analyse FILE…')
  }
  expect(run('explain')).toMatchObject({ status: 2, stdout: '', stderr: 'ikebana: no command is called explain; try: ikebana --help\n' })
  expect(run('inspect', '--', '--help').stdout).not.toContain('ikebana analyse')
})

describe('ikebana analyse', () => {
  it('reads CSV, and traces as protobuf, as it reads the plain form', () => {
    const list = [...plain, ...held]
    const csv = Papa.unparse(
      list.map(({ timeMs, attrs, ...rest }) => ({ time: new Date(timeMs).toISOString(), ...rest, attrs: attrs ? JSON.stringify(attrs) : '' })),
      {
        columns: ['time', 'kind', 'attempt', 'person', 'host', 'pool', 'session', 'phase', 'part', 'durationMs', 'code', 'outcome', 'text', 'attrs'],
        delimiter: ';',
      },
    )
    expect(run('analyse', file('same.csv', csv)).records).toEqual(run('analyse', file('same.ndjson', ndjson(list))).records)
    // One span, written by the serializer of the OpenTelemetry JavaScript SDK.
    const kept = new InMemorySpanExporter()
    const tracer = new BasicTracerProvider({ spanProcessors: [new SimpleSpanProcessor(kept)] }).getTracer('cli')
    tracer.startSpan('logon', { startTime: START_MS, attributes: { 'user.name': 'mara', 'host.name': 'TH-1' } }).end(START_MS + 12_000)
    const { records, status } = run(
      'analyse',
      file('one.pb', gzipSync(ProtobufTraceSerializer.serializeRequest(kept.getFinishedSpans()) ?? new Uint8Array(0))),
    )
    expect([status, records.length, records[0]?.['person'], records[0]?.['totalMs']]).toEqual([0, 1, 'mara', 12_000])
  })

  it('writes one record per attempt with the agreed fields', () => {
    const { status, records } = run('analyse', file('a.ndjson', ndjson([...plain, ...held])))
    expect(status).toBe(0)
    expect(records).toHaveLength(31)
    const one = records.find(({ attempt }) => attempt === TRACE) as {
      totalMs: number
      blame: { ms: number }[]
      cause: { id: string; evidence: object[] }
    }
    expect(one).toMatchObject({
      person: 'LARKMERE\\mara',
      host: 'TH-Q1-04',
      pool: 'ticket-hall',
      startedAt: '2026-11-23T05:41:00.000Z',
      totalMs: 87_600,
      outcome: 'failed',
      cause: { id: 'container-held' },
    })
    expect(one.blame.reduce((sum, { ms }) => sum + ms, 0)).toBe(one.totalMs)
    expect(one.cause.evidence.length).toBeGreaterThan(0)
    expect(records.filter(({ cause }) => cause === null)).toHaveLength(30)
  })

  it('reads gzip, OTLP and standard input the same', () => {
    let n = 0
    const otlp = JSON.stringify(otlpOf(held, () => (++n).toString(16).padStart(16, '2')))
    const direct = run('analyse', file('h.ndjson', ndjson(held))).records[0]
    const traced = run('analyse', file('h.json', otlp)).records[0]
    expect(run('analyse', file('h.ndjson.gz', gzipSync(ndjson(held)))).records[0]).toEqual(direct)
    expect({ attempt: traced?.['attempt'], totalMs: traced?.['totalMs'], blame: traced?.['blame'], outcome: traced?.['outcome'] }).toEqual({
      attempt: direct?.['attempt'],
      totalMs: direct?.['totalMs'],
      blame: direct?.['blame'],
      outcome: direct?.['outcome'],
    })
    const piped = spawnSync(process.execPath, ['dist/cli/main.js', 'analyse', '-'], { input: ndjson(held), encoding: 'utf8' })
    expect(JSON.parse(piped.stdout)).toEqual(direct)
  })

  it('writes CSV and a table, and incidents', () => {
    const path = file('b.ndjson', ndjson([...plain, ...held]))
    const csv = Papa.parse<Record<string, string>>(run('analyse', path, '--out', 'csv').stdout.trim(), { header: true })
    expect(csv.errors).toEqual([])
    expect(csv.data.find(({ attempt }) => attempt === TRACE)).toMatchObject({ cause: 'container-held', totalMs: '87600' })
    expect(run('analyse', path, '--out', 'table').stdout).toContain('container-held')
    // One is no incident; three by one holder are, and the change that was made just before is named.
    expect(run('analyse', path, '--incidents').records).toEqual([])
    const three = [1, 2, 3].flatMap((i) =>
      held.map((o) => ({
        ...o,
        attempt: `held-${i}`,
        person: `held.${i}`,
        timeMs: o.timeMs + i * 60_000,
        ...(o.attrs ? { attrs: { ...o.attrs, holderHost: 'TH-9' } } : {}),
      })),
    )
    const changed = new Date((held[0]?.timeMs ?? 0) - 60_000).toISOString()
    const org = file('changed.json', JSON.stringify({ changes: [{ id: 'c1', at: changed, kind: 'host', sentence: 'TH-9 lost power' }] }))
    expect(run('analyse', file('three.ndjson', ndjson([...plain, ...three])), '--incidents', '--context', org).records).toMatchObject([
      {
        cause: 'container-held',
        scope: [{ dimension: 'holderHost', value: 'TH-9' }],
        attempts: 3,
        people: 3,
        lostMinutes: 4.4,
        change: { id: 'c1', sentence: 'TH-9 lost power' },
      },
    ])
  })

  it('reads event logs as the system exports them, a folder full, and rules of one’s own', () => {
    const start = Date.UTC(2026, 10, 23, 5, 41)
    const logsIn = join(folder, 'events')
    mkdirSync(logsIn)
    const events = logonEvents(start)
    const logs = new Map<string, typeof events>()
    for (const event of events) logs.set(event.provider, [...(logs.get(event.provider) ?? []), event])
    let n = 0
    for (const list of logs.values()) writeFileSync(join(logsIn, `log-${n++}.xml`), n % 2 ? utf16(document(list)) : document(list))
    expect(run('analyse', logsIn).records).toMatchObject([
      { person: 'LARKMERE\\mara.lindqvist', host: 'TH-Q1-03', startedAt: '2026-11-23T05:41:00.000Z', totalMs: 24_000, outcome: 'ready' },
    ])
    const map = file(
      'own.yaml',
      'rules:\n  - provider: Larkmere-Attach\n    id: 7\n    observe: phase\n    phase: container\n    person: "{Who}"\n    elapsed: { fields: Ms, unit: ms }\n',
    )
    const attach = { provider: 'Larkmere-Attach', id: 7, timeMs: start, data: { Who: 'mara', Ms: 900 } }
    const records = run('analyse', file('own.xml', document([attach])), '--map', map).records
    expect(records).toMatchObject([{ person: 'mara', blame: [{ phase: 'container', ms: 900 }] }])
    const wrong = run(
      'analyse',
      file('own2.xml', document([attach])),
      '--map',
      file('wrong.yaml', 'rules:\n  - provider: x\n    id: seven\n    observe: phase\n'),
    )
    expect(wrong.status).toBe(2)
    expect(wrong.stderr).toContain('rules.0.id')
  })

  it('knows from org.json who a security identifier is, given as such or among their accounts', () => {
    const temporary = (user: string, timeMs: number) => ({ provider: PROVIDERS.profiles, id: 1511, timeMs, user })
    const xml = file('sids.xml', document([temporary('S-1-5-21-9-9-9-1', START_MS), temporary('S-1-5-21-9-9-9-2', START_MS + 7_200_000)]))
    // Without it, they go by that, and it is said.
    const nameless = run('analyse', xml)
    expect(nameless.records.map(({ person }) => person)).toEqual(['S-1-5-21-9-9-9-1', 'S-1-5-21-9-9-9-2'])
    expect(nameless.stderr).toContain('2 people go by the SID: a log that names them')
    const org = file(
      'sids.json',
      JSON.stringify({
        people: [
          { id: 'ole', sid: 's-1-5-21-9-9-9-1' },
          { id: 'una', accounts: ['LARKMERE\\una', 'S-1-5-21-9-9-9-2'] },
        ],
      }),
    )
    const { records } = run('analyse', xml, '--context', org)
    expect(records.map(({ person }) => person)).toEqual(['ole', 'una'])
  })

  it('takes what counts as slow from org.json', () => {
    const org = file('org.json', JSON.stringify({ pools: [{ id: 'ticket-hall', slowMs: 5000 }], unknown: true }))
    expect(run('analyse', file('c.ndjson', ndjson(plain)), '--context', org).records.map(({ outcome }) => outcome)).toContain('slow')
  })

  it.each([
    [['analyse']],
    [['analyse', '/nowhere/at-all']],
    [['analyse', empty]],
    [['analyse', 'x', '--out', 'xml']],
    [['analyse', 'x', '--wrong']],
    [['nonsense']],
    [['inspect']],
    [['inspect', '/nowhere']],
  ])('%j: one clear sentence and exit code 2', (args) => {
    const { status, stderr, stdout } = run(...args)
    expect([status, stdout]).toEqual([2, ''])
    expect(stderr.trim().split('\n')).toHaveLength(1)
    expect(stderr).toMatch(/^ikebana: /)
  })

  it('brings together what names a person by a SID and what names them by an account, where the organisation knows that they are one', () => {
    const [sid, account] = ['S-1-5-21-1-2-3-1105', 'LARKMERE\\mara']
    const nameless = logon({ person: account })
    const byBroker = nameless.map((o) => (o.kind === 'begin' || o.phase === 'broker' ? { ...o, person: sid, host: 'CB1' } : o))
    const org = file('sids.json', JSON.stringify({ people: [{ id: 'p1', accounts: [account], sid }] }))
    const evidence = file('two-names.ndjson', ndjson(byBroker))
    expect(run('analyse', evidence, '--context', org).records).toMatchObject([
      { person: account, host: 'TH-Q1-04', totalMs: 13_100, outcome: 'ready' },
    ])
    expect(run('analyse', evidence).records).toHaveLength(2)
  })

  it('keeps what is good in a broken file, says what is not, and fails only when nothing could be read', () => {
    const mixed = run('analyse', file('d.ndjson', `${ndjson(held)}{broken\n`))
    expect([mixed.status, mixed.records.length]).toEqual([0, 1])
    expect(mixed.stderr).toContain('d.ndjson:6: not valid JSON')
    const cut = gzipSync(ndjson([...plain, ...held]))
    expect(run('analyse', file('e.gz', cut.subarray(0, cut.length - 30))).stderr).toContain('broken from here on')
    expect(
      run(
        'analyse',
        file(
          'f.bin',
          Uint8Array.from({ length: 999 }, (_, i) => i % 7),
        ),
      ).status,
    ).toBe(2)
  })
})

describe('evidence with nothing to tell', () => {
  it('is no error: an empty file has no records, and ordinary logons no incidents', () => {
    expect(run('analyse', file('empty.ndjson', ''))).toMatchObject({ status: 0, stdout: '', stderr: 'there are no records in it\n' })
    const ordinary = run('analyse', file('ordinary.ndjson', `${ndjson(plain)}{broken\n`), '--incidents')
    expect([ordinary.status, ordinary.stdout]).toEqual([0, ''])
  })
})

describe('evidence of very many logons', () => {
  it('gives the same in order, where it is explained while more is read, as out of order', () => {
    const lines = (from: number, to: number) =>
      ndjson(
        Array.from({ length: to - from }, (_, i): Observation[] => {
          const n = from + i
          const timeMs = START_MS + n * 1000
          const ms = n % 7 === 3 ? 60_000 : 9000 + 13 * (n % 90)
          const seen = { attempt: `m${n}`, person: `p${n % 900}`, host: `H-${n % 7}`, pool: 'desk' }
          return [
            { ...seen, kind: 'begin', timeMs },
            { ...seen, kind: 'phase', timeMs, phase: 'container', durationMs: ms },
            { ...seen, kind: 'phase', timeMs: timeMs + ms, phase: 'shell', durationMs: 500 },
            { ...seen, kind: 'end', timeMs: timeMs + ms + 500, outcome: 'ready' },
          ]
        })
          .flat()
          .sort((a, b) => a.timeMs - b.timeMs),
      )
    const [early, late] = [file('early.ndjson', lines(0, 16_000)), file('late.ndjson', lines(16_000, 32_000))]
    const [apart, here] = [run('analyse', early, late), run('analyse', late, early)]
    expect([apart.status, here.status, apart.records.length]).toEqual([0, 0, 32_000])
    expect(apart.stdout === here.stdout).toBe(true)
  })
})

describe('what analyse keeps meanwhile', () => {
  it('is gone when whoever reads the output leaves, and when it is interrupted', async () => {
    const own = join(folder, 'tmp')
    mkdirSync(own)
    const path = file('long.ndjson', ndjson(Array.from({ length: 3000 }, (_, i) => logon({ id: `l${i}`, at: START_MS + i * 1000 })).flat()))
    for (const end of ['leave', 'interrupt'] as const) {
      const child = spawn(process.execPath, ['dist/cli/main.js', 'analyse', '-', path], {
        env: { ...process.env, TMPDIR: own },
        stdio: ['pipe', 'pipe', 'ignore'],
      })
      const gone = new Promise<void>((resolve) => {
        child.once('exit', () => {
          resolve()
        })
      })
      if (end === 'leave') {
        child.stdin.end()
        child.stdout.once('data', () => {
          child.stdout.destroy()
        })
      } else {
        child.stdin.write('\n')
        await expect.poll(() => readdirSync(own).length, { timeout: 10_000 }).toBeGreaterThan(0)
        child.kill('SIGINT')
      }
      await gone
      expect(readdirSync(own)).toEqual([])
    }
  })
})

describe('ikebana inspect', () => {
  it('writes one record a file', () => {
    const { pieces, fileBytes } = newVhdx({
      virtualBytes: 2 ** 30,
      blockBytes: 2 ** 21,
      present: [0, 9],
      creator: 'test',
      guids: {
        fileWrite: '11111111-2222-4333-A444-555555555555',
        dataWrite: '11111111-2222-4333-A444-555555555556',
        disk: '11111111-2222-4333-A444-555555555557',
      },
    })
    const bytes = new Uint8Array(fileBytes)
    for (const piece of pieces) bytes.set(piece.bytes, piece.offset)
    const good = file('good.vhdx', bytes)
    const short = file('short.vhdx', bytes)
    truncateSync(short, 3 * 2 ** 20)
    const { status, records } = run('inspect', good, short, file('none.vhdx', ''))
    expect(status).toBe(0)
    expect(records).toMatchObject([
      {
        file: good,
        format: 'vhdx',
        kind: 'dynamic',
        virtualBytes: 2 ** 30,
        allocatedBytes: 2 ** 22,
        blockBytes: 2 ** 21,
        parent: null,
        state: 'clean',
        findings: [],
      },
      { state: 'damaged' },
      { format: 'unknown', state: 'unknown' },
    ])
  })
})

describe('ikebana access', () => {
  it('computes what a token may do, and refuses what it cannot read', () => {
    const { status, records } = run(
      'access',
      '--sddl',
      'O:BAG:BAD:(A;OICI;0x1200a9;;;S-1-5-21-1-2-3-1200)',
      '--sids',
      'S-1-5-21-1-2-3-1104,S-1-5-21-1-2-3-1200',
    )
    expect(status).toBe(0)
    expect(records[0]).toMatchObject({
      mask: '0x001200a9',
      reasons: [{ ace: 1, type: 'allow', sid: 'S-1-5-21-1-2-3-1200', mask: '0x001200a9', effect: '0x001200a9' }],
    })
    for (const args of [
      ['access'],
      ['access', '--sddl', 'D:'],
      ['access', '--sddl', 'D:(A;;QQ;;;BA)', '--sids', 'S-1-1-0'],
      ['access', '--sddl', 'D:', '--sids', 'me'],
    ]) {
      const refused = run(...args)
      expect([refused.status, refused.stdout, refused.stderr.trim().split('\n').length]).toEqual([2, '', 1])
    }
  })
})
