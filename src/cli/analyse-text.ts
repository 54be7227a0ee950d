import Papa from 'papaparse'
import type { OrgFile } from '../contract/org'
import {
  explain,
  findIncidents,
  Ledger,
  seenOf,
  type Attempt,
  type ClockOffset,
  type Diagnosis,
  type Excess,
  type Explained,
  type Finding,
  type Seen,
} from '../core/logons'
import { JsonBytes, pieceOf } from './json-bytes'

/** In what form, and of what: every attempt, or the incidents that they are part of. */
export interface Asked {
  readonly out: 'json' | 'csv' | 'table'
  readonly incidents: boolean
}

/** So many characters are written at a time. */
const PIECE = 1 << 16

/**
 * What `ikebana analyse` writes of attempts, in pieces, as UTF-8.
 * @param attempts by start
 */
export function* textOf(
  attempts: Iterable<Attempt>,
  asked: Asked,
  org: OrgFile | undefined,
  onClocks: (found: ReadonlyMap<string, ClockOffset>) => void,
): Generator<Uint8Array> {
  const isJson = asked.out === 'json' && !asked.incidents
  // These wait as text: of most, that is made at once. A character for each byte.
  const json = isJson ? attemptJson() : null
  const lines = json ? explain(attempts, json, org, onClocks) : linesOf(attempts, asked, org, onClocks)
  const encoding = json ? 'latin1' : 'utf8'
  let waiting = ''
  for (const line of lines) {
    waiting += line
    if (waiting.length > PIECE) {
      yield Buffer.from(waiting, encoding)
      waiting = ''
    }
  }
  yield Buffer.from(waiting, encoding)
}

function* linesOf(
  attempts: Iterable<Attempt>,
  { out, incidents }: Asked,
  org: OrgFile | undefined,
  onClocks: (found: ReadonlyMap<string, ClockOffset>) => void,
): Generator<string> {
  const line = out === 'json' ? jsonLine : out === 'csv' ? csvLines() : tableLines()
  const rows = incidents ? incidentRecords(explain(attempts, seenOf, org, onClocks), org) : explain(attempts, attemptRecord, org, onClocks)
  for (const row of rows) yield line(row)
  if (out === 'table') yield line(null)
}

/** The line of attemptRecord, in bytes: see JsonBytes. Most attempts are as usual, and have no more to be said than where their time went. */
export function attemptJson(): (explained: Explained) => string {
  const json = new JsonBytes()
  const ofPhase = new Map<string, Uint8Array>()
  return ({ attempt, outcome, blame, excess, diagnosis: { cause, others } }) => {
    json.text(attempt.id, FIELD.attempt)
    json.text(attempt.account, FIELD.person)
    json.text(attempt.host, FIELD.host)
    json.text(attempt.pool, FIELD.pool)
    json.raw(FIELD.startedAt)
    json.instant(attempt.startedAtMs)
    json.raw(FIELD.totalMs)
    json.number(attempt.totalMs)
    json.text(outcome, FIELD.outcome)
    let before = FIELD.blame
    for (const { phase, ms } of blame.shares) {
      json.raw(before)
      json.raw(shareIn(ofPhase, phase))
      json.number(ms)
      before = FIELD.next
    }
    json.raw(blame.shares.length === 0 ? FIELD.noBlame : FIELD.last)
    if (excess.length === 0 && !cause && others.length === 0) json.raw(FIELD.nothing)
    else {
      json.raw(FIELD.excess)
      json.value(excess.map(excessRecord))
      json.raw(FIELD.cause)
      json.value(cause && causeRecord(cause))
      json.raw(FIELD.others)
      json.value(others.map(otherRecord))
      json.raw(FIELD.end)
    }
    return json.take()
  }
}

const FIELD = {
  attempt: pieceOf('{"attempt":'),
  person: pieceOf(',"person":'),
  host: pieceOf(',"host":'),
  pool: pieceOf(',"pool":'),
  startedAt: pieceOf(',"startedAt":'),
  totalMs: pieceOf(',"totalMs":'),
  outcome: pieceOf(',"outcome":'),
  blame: pieceOf(',"blame":['),
  next: pieceOf('},'),
  last: pieceOf('}]'),
  noBlame: pieceOf(',"blame":[]'),
  excess: pieceOf(',"excess":'),
  cause: pieceOf(',"cause":'),
  others: pieceOf(',"others":'),
  end: pieceOf('}\n'),
  nothing: pieceOf(',"excess":[],"cause":null,"others":[]}\n'),
}

/** Phases have few names; broken evidence may have any. */
const MOST_PHASES = 1000

function shareIn(known: Map<string, Uint8Array>, phase: string): Uint8Array {
  let piece = known.get(phase)
  if (!piece) {
    piece = pieceOf(`{"phase":${JSON.stringify(phase)},"ms":`)
    if (known.size < MOST_PHASES) known.set(phase, piece)
  }
  return piece
}

const jsonLine = (row: Row | null): string => JSON.stringify(row) + '\n'

type Row = Record<string, unknown>
const cellText = (value: unknown): string => (typeof value === 'string' || typeof value === 'number' ? String(value) : '')

export function attemptRecord({ attempt, outcome, blame, excess, diagnosis: { cause, others } }: Explained): Row {
  return {
    attempt: attempt.id,
    person: attempt.account,
    host: attempt.host,
    pool: attempt.pool,
    startedAt: new Date(attempt.startedAtMs).toISOString(),
    totalMs: attempt.totalMs,
    outcome,
    blame: blame.shares,
    excess: excess.map(excessRecord),
    cause: cause && causeRecord(cause),
    others: others.map(otherRecord),
  }
}
const excessRecord = ({ phase, ms, usualMs }: Excess) => ({ phase, ms, usualMs })
const causeRecord = ({ id, confidence, sentence, evidence }: Finding) => ({ id, confidence, sentence, evidence })
const otherRecord = ({ id, confidence }: Diagnosis['others'][number]) => ({ id, confidence })

function incidentRecords(seen: Iterable<Seen>, org: OrgFile | undefined): Row[] {
  const ledger = new Ledger()
  for (const one of seen) ledger.add(one)
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
      of: one.suspects[0]?.of,
      sentence: one.change.sentence,
      reasons: one.suspects[0]?.reasons.map(({ for: speaksFor, sentence }) => ({ for: speaksFor, sentence })) ?? [],
    },
  }))
}

/** So many records decide how wide the columns of a table are. */
const WIDTHS_FROM = 1000

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
