import Papa from 'papaparse'
import type { OrgFile } from '../contract/org'
import { explain, findIncidents, Ledger, seenOf, type Attempt, type ClockOffset, type Explained, type Seen } from '../core/logons'

/** In what form, and of what: every attempt, or the incidents that they are part of. */
export interface Asked {
  readonly out: 'json' | 'csv' | 'table'
  readonly incidents: boolean
}

/** So many characters are written at a time. */
const PIECE = 1 << 16

/**
 * What `ikebana analyse` writes of attempts, in pieces.
 * @param attempts by start
 */
export function* textOf(
  attempts: Iterable<Attempt>,
  asked: Asked,
  org: OrgFile | undefined,
  onClocks: (found: ReadonlyMap<string, ClockOffset>) => void,
): Generator<string> {
  let waiting = ''
  for (const line of linesOf(attempts, asked, org, onClocks)) {
    waiting += line
    if (waiting.length > PIECE) {
      yield waiting
      waiting = ''
    }
  }
  yield waiting
}

function* linesOf(
  attempts: Iterable<Attempt>,
  { out, incidents }: Asked,
  org: OrgFile | undefined,
  onClocks: (found: ReadonlyMap<string, ClockOffset>) => void,
): Generator<string> {
  if (out === 'json' && !incidents) {
    // These wait as text: of most, that is made at once.
    yield* explain(attempts, (one) => jsonLine(attemptRecord(one)), org, onClocks)
    return
  }
  const line = out === 'json' ? jsonLine : out === 'csv' ? csvLines() : tableLines()
  const rows = incidents ? incidentRecords(explain(attempts, seenOf, org, onClocks), org) : explain(attempts, attemptRecord, org, onClocks)
  for (const row of rows) yield line(row)
  if (out === 'table') yield line(null)
}

const jsonLine = (row: Row | null): string => JSON.stringify(row) + '\n'

type Row = Record<string, unknown>
const cellText = (value: unknown): string => (typeof value === 'string' || typeof value === 'number' ? String(value) : '')

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
