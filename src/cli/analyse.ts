import { once } from 'node:events'
import { readdir, readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import Papa from 'papaparse'
import { OrgFile } from '../contract/org'
import { EventLog, type Fault } from '../core/formats'
import { readAccount } from '../core/people'
import { clockSays, explain, findIncidents, Ledger, seenOf, type Explained, type Observation } from '../core/logons'
import { attemptsOf, keepStandardInput } from './attempts'
import { EVIDENCE_FORMATS, readEvidence, type EvidenceFormat } from '../server/logons/evidence-file'
import { readEventMapFile } from './event-map'
import { UsageError } from './usage'

/** `ikebana analyse`: evidence in, one record per attempt (or per incident) out. See docs/formats/command-line.md. */
export async function analyseCommand(args: string[]): Promise<void> {
  const { positionals, values } = options(args)
  if (positionals.length === 0) throw new UsageError('no file given; try: ikebana analyse FILE…')
  const out = oneOf('out', values.out ?? 'json', ['json', 'csv', 'table'])
  const format = oneOf('format', values.format ?? 'auto', [...EVIDENCE_FORMATS]) as EvidenceFormat
  const org = values.context === undefined ? undefined : await readOrg(values.context)

  const rules = values.map === undefined ? [] : (await Promise.all(values.map.map(readEventMapFile))).flat()
  const accounts = new Map((org?.people ?? []).flatMap((person) => sidsOf(person).map((sid) => [sid, person.id] as const)))

  const input = positionals.includes('-') ? await keepStandardInput() : null
  const named = (await Promise.all(positionals.map(filesIn))).flat()
  const files = named.map((file) => (file === '-' && input ? input.path : file))
  const faults = new Faults(new Map(files.map((file, i) => [file, named[i] ?? file])))
  try {
    const gathered = await attemptsOf(async (observation) => {
      const again = faults.readBefore
      let current = ''
      const sink = {
        observation: (one: Observation) => {
          faults.records++
          observation(one)
        },
        fault: (fault: Fault) => {
          if (!again) faults.add(current, fault)
        },
      }
      // Event logs of several machines and channels belong together: one names whom the others speak of.
      const events = new EventLog(sink, rules, accounts)
      for (const file of files) {
        current = file
        await readEvidence(file, format, sink, { events })
      }
      current = ''
      events.end()
      if (!again) faults.end()
    })
    const explained = explain(gathered.attempts, org, (clocks) => {
      for (const offset of clocks.values()) process.stderr.write(`${clockSays(offset)}: what it timed was put right\n`)
    })
    await write(values.incidents ? incidentRecords(explained, org) : records(explained), out, faults)
    gathered.dispose()
  } finally {
    input?.dispose()
  }
}

/** The security identifiers of a person: given as such, or among their accounts. */
function sidsOf({ sid, accounts = [] }: OrgFile['people'][number]): string[] {
  return [...(sid ? [sid] : []), ...accounts.filter((account) => readAccount(account).form === 'sid')].map((one) => one.toUpperCase())
}

/** A file is itself; a folder is the files in it, by name. */
async function filesIn(path: string): Promise<string[]> {
  const found = path === '-' ? null : await stat(path).catch(() => null)
  if (!found?.isDirectory()) return [path]
  const entries = await readdir(path, { withFileTypes: true })
  const files = entries.filter((entry) => entry.isFile() && !entry.name.startsWith('.')).map((entry) => join(path, entry.name))
  if (files.length === 0) throw new UsageError(`${path}: the folder has no files in it`)
  return files.sort()
}

/** What was refused: the first ones are said, all are counted. */
class Faults {
  readBefore = false
  count = 0
  /** What was not refused. */
  records = 0
  #first: Fault | null = null

  constructor(private readonly names: ReadonlyMap<string, string>) {}

  add(file: string, fault: Fault): void {
    this.#first ??= fault
    if (++this.count <= MOST_SAID)
      process.stderr.write(`${file === '' ? '' : `${this.names.get(file) ?? file}${fault.line === null ? '' : `:${fault.line}`}: `}${fault.reason}\n`)
  }

  end(): void {
    this.readBefore = true
    if (this.count > MOST_SAID) process.stderr.write(`… and ${this.count - MOST_SAID} more records refused\n`)
  }

  /** Says so where no record could be read. */
  nothingRead(): void {
    if (this.records > 0) return
    if (!this.#first) process.stderr.write('there are no records in it\n')
    else
      throw new UsageError(
        `nothing could be read: ${this.count === 1 ? 'the one record was refused' : `${this.count} records were refused, the first`} because ${this.#first.reason}`,
      )
  }
}
const MOST_SAID = 20

function* records(explained: Iterable<Explained>): Generator<Row> {
  for (const one of explained) yield attemptRecord(one)
}

type Row = Record<string, unknown>
const cellText = (value: unknown): string => (typeof value === 'string' || typeof value === 'number' ? String(value) : '')

function options(args: string[]) {
  try {
    return parseArgs({
      args,
      allowPositionals: true,
      options: {
        context: { type: 'string' },
        format: { type: 'string' },
        out: { type: 'string' },
        incidents: { type: 'boolean' },
        map: { type: 'string', multiple: true },
      },
    })
  } catch (error) {
    throw new UsageError(error instanceof Error ? error.message : 'options not understood')
  }
}

function oneOf(name: string, value: string, allowed: string[]): string {
  if (!allowed.includes(value)) throw new UsageError(`--${name} is ${value}; expected ${allowed.join(', ')}`)
  return value
}

async function readOrg(path: string): Promise<OrgFile> {
  let value: unknown
  try {
    value = JSON.parse(await readFile(path, 'utf8'))
  } catch (error) {
    throw new UsageError(`${path}: ${error instanceof SyntaxError ? 'not valid JSON' : 'cannot be read'}`)
  }
  const parsed = OrgFile.safeParse(value)
  if (parsed.success) return parsed.data
  const issue = parsed.error.issues[0]
  throw new UsageError(`${path}: ${issue?.path.join('.') ?? ''} ${issue?.message ?? 'not as expected'}`)
}

function attemptRecord({ attempt, outcome, blame, excess, diagnosis: { cause, others } }: Explained): Row {
  return {
    attempt: attempt.id,
    person: attempt.account,
    host: attempt.host,
    pool: attempt.pool,
    startedAt: new Date(attempt.startedAtMs).toISOString(),
    totalMs: attempt.totalMs,
    outcome,
    blame: blame.shares,
    excess: excess.map(({ phase, ms, usualMs }) => ({ phase, ms, usualMs })),
    cause: cause && { id: cause.id, confidence: cause.confidence, sentence: cause.sentence, evidence: cause.evidence },
    others: others.map(({ id, confidence }) => ({ id, confidence })),
  }
}

function incidentRecords(explained: Iterable<Explained>, org: OrgFile | undefined): Row[] {
  const ledger = new Ledger()
  for (const one of explained) ledger.add(seenOf(one))
  return findIncidents(ledger, org).incidents.map((one) => ({
    id: one.id,
    cause: one.cause,
    scope: one.scope,
    from: new Date(one.fromMs).toISOString(),
    to: new Date(one.toMs).toISOString(),
    attempts: one.attempts,
    people: one.people,
    lostMinutes: Math.round(one.lostMs / 6000) / 10,
    change: one.change && {
      id: one.change.id,
      at: new Date(one.change.atMs).toISOString(),
      kind: one.change.kind,
      sentence: one.change.sentence,
      reasons: one.suspects[0]?.reasons.map(({ for: speaksFor, sentence }) => ({ for: speaksFor, sentence })) ?? [],
    },
  }))
}

/** So many records decide how wide the columns of a table are. */
const WIDTHS_FROM = 1000

async function write(rows: Iterable<Row>, out: string, faults: Faults): Promise<void> {
  let waiting = ''
  const line: (row: Row | null) => string = out === 'json' ? (row) => JSON.stringify(row) + '\n' : out === 'csv' ? csvLines() : tableLines()
  for (const row of rows) {
    waiting += line(row)
    if (waiting.length > 1 << 16) {
      await put(waiting)
      waiting = ''
    }
  }
  faults.nothingRead()
  await put(waiting + (out === 'table' ? line(null) : ''))
}

async function put(text: string): Promise<void> {
  if (text !== '' && !process.stdout.write(text)) await once(process.stdout, 'drain')
}

function csvLines(): (row: Row | null) => string {
  let header = true
  return (row) => {
    const text = Papa.unparse([flatten(row ?? {})], { newline: '\r\n', header }) + '\r\n'
    header = false
    return text
  }
}

/** The first records wait until the widths of the columns are known; null ends the table. */
function tableLines(): (row: Row | null) => string {
  let waiting: Row[] | null = []
  let columns: string[] = []
  let widths: number[] = []
  const line = (cells: unknown[]) =>
    cells
      .map((cell, i) =>
        cellText(cell)
          .slice(0, 48)
          .padEnd(widths[i] ?? 0),
      )
      .join('  ')
      .trimEnd() + '\n'
  const cells = (row: Row) => line(columns.map((column) => row[column]))
  return (row) => {
    if (row !== null && waiting === null) return cells(flatten(row))
    if (row !== null && (waiting?.push(flatten(row)) ?? 0) < WIDTHS_FROM) return ''
    const first = waiting ?? []
    waiting = null
    if (first.length === 0) return ''
    columns = Object.keys(first[0] ?? {})
    widths = columns.map((column) => Math.min(48, Math.max(column.length, ...first.map((one) => cellText(one[column]).length))))
    return line(columns) + first.map(cells).join('')
  }
}

/** Lists become one cell: `phase ms; phase ms`. */
function flatten(record: Row): Row {
  const row: Row = {}
  for (const [name, value] of Object.entries(record)) {
    if (name === 'cause' && value && typeof value === 'object' && 'id' in value) {
      const cause = value as unknown as { id: string; confidence: number; sentence: string }
      Object.assign(row, { cause: cause.id, confidence: cause.confidence, sentence: cause.sentence })
    } else if (name === 'cause' && value === null) Object.assign(row, { cause: '', confidence: '', sentence: '' })
    else row[name] = Array.isArray(value) ? value.map((entry: object) => Object.values(entry).join(' ')).join('; ') : value
  }
  return row
}
