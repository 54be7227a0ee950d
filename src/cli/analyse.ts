import { readFile } from 'node:fs/promises'
import { parseArgs } from 'node:util'
import Papa from 'papaparse'
import { OrgFile } from '../contract/org'
import type { Fault } from '../core/formats'
import { affectedBy, analyseAll, correlate, endOf, incidents, type Explained, type Observation } from '../core/logons'
import { readEvidence, type EvidenceFormat } from '../server/logons/evidence-file'
import { UsageError } from './usage'

/** `ikebana analyse`: evidence in, one record per attempt (or per incident) out. See docs/formats/command-line.md. */
export async function analyseCommand(args: string[]): Promise<void> {
  const { positionals, values } = options(args)
  if (positionals.length === 0) throw new UsageError('no file given; try: ikebana analyse FILE…')
  const out = oneOf('out', values.out ?? 'json', ['json', 'csv', 'table'])
  const format = oneOf('format', values.format ?? 'auto', ['auto', 'ndjson', 'otlp']) as EvidenceFormat
  const org = values.context === undefined ? undefined : await readOrg(values.context)

  const observations: Observation[] = []
  const faults: { file: string; fault: Fault }[] = []
  let newest = -Infinity
  for (const file of positionals) {
    await readEvidence(file, format, {
      observation: (observation) => { newest = Math.max(newest, endOf(observation)); observations.push(observation) },
      fault: (fault) => { if (faults.push({ file, fault }) <= 20) complain(file, fault) },
    })
  }
  if (faults.length > 20) process.stderr.write(`… and ${faults.length - 20} more records refused\n`)
  if (observations.length === 0 && faults.length > 0) throw new UsageError(`nothing could be read: ${faults.length} records refused, the first because ${faults[0]?.fault.reason}`)

  const explained = analyseAll(correlate(observations, newest).map(({ attempt }) => attempt), org)
  const records: Row[] = values.incidents ? incidentRecords(explained) : explained.map(attemptRecord)
  write(records, out)
}

type Row = Record<string, unknown>
const cellText = (value: unknown): string => (typeof value === 'string' || typeof value === 'number' ? String(value) : '')

function options(args: string[]) {
  try {
    return parseArgs({ args, allowPositionals: true, options: { context: { type: 'string' }, format: { type: 'string' }, out: { type: 'string' }, incidents: { type: 'boolean' } } })
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

function complain(file: string, fault: Fault): void {
  process.stderr.write(`${file}${fault.line === null ? '' : `:${fault.line}`}: ${fault.reason}\n`)
}

function attemptRecord({ attempt, outcome, blame, excess, diagnosis: { cause, others } }: Explained): Row {
  return {
    attempt: attempt.id, person: attempt.account, host: attempt.host, pool: attempt.pool, startedAt: new Date(attempt.startedAtMs).toISOString(), totalMs: attempt.totalMs, outcome,
    blame: blame.shares, excess: excess.map(({ phase, ms, usualMs }) => ({ phase, ms, usualMs })),
    cause: cause && { id: cause.id, confidence: cause.confidence, sentence: cause.sentence, evidence: cause.evidence },
    others: others.map(({ id, confidence }) => ({ id, confidence })),
  }
}

function incidentRecords(explained: readonly Explained[]): Row[] {
  return incidents(explained.flatMap((one) => affectedBy(one))).map((one) => ({
    id: one.id, cause: one.cause, scope: one.scope, from: new Date(one.fromMs).toISOString(), to: new Date(one.toMs).toISOString(),
    attempts: one.attempts, people: one.people, lostMinutes: Math.round(one.lostMs / 6000) / 10, change: null,
  }))
}

function write(records: readonly Row[], out: string): void {
  if (out === 'json') return process.stdout.write(records.map((record) => JSON.stringify(record) + '\n').join('')) as unknown as void
  const flat = records.map(flatten)
  if (out === 'csv') return process.stdout.write(Papa.unparse(flat, { newline: '\r\n' }) + '\r\n') as unknown as void
  const columns = Object.keys(flat[0] ?? {})
  const widths = columns.map((column) => Math.min(48, Math.max(column.length, ...flat.map((row) => cellText(row[column]).length))))
  const line = (cells: unknown[]) => cells.map((cell, i) => cellText(cell).slice(0, 48).padEnd(widths[i] ?? 0)).join('  ').trimEnd() + '\n'
  process.stdout.write(line(columns) + flat.map((row) => line(columns.map((column) => row[column]))).join(''))
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
