import { Refusal } from './fault'
import { EXCERPT_LENGTH } from './fault'
import type { Sink } from './ndjson'
import { FIELDS, readObservation } from './observation'
import { keepable } from './text'

/** The fields of one record of CSV (RFC 4180); null where a quotation mark is not closed, or a cell goes on behind one. */
export function splitCsv(line: string, separator = ','): string[] | null {
  const cells: string[] = []
  let at = 0
  for (;;) {
    if (line[at] === '"') {
      let cell = ''
      for (at++; ; at++) {
        const end = line.indexOf('"', at)
        if (end < 0) return null
        cell += line.slice(at, end)
        at = end + 1
        if (line[at] !== '"') break
        cell += '"'
      }
      cells.push(cell)
      if (at >= line.length) return cells
      if (line[at] !== separator) return null
      at++
    } else {
      const end = line.indexOf(separator, at)
      if (end < 0) return [...cells, line.slice(at)]
      cells.push(line.slice(at, end))
      at = end + 1
    }
  }
}

const OWN = new Set<string>(FIELDS.filter((field) => field !== 'attrs'))
const BY_LOWER = new Map([...OWN].map((name) => [name.toLowerCase(), name]))
/** A longer record is refused: most likely a quotation mark was never closed. */
export const LONGEST_RECORD = 1 << 20
/** Fewest columns by which a first line is taken for a header of evidence. */
const NEEDED = ['time', 'kind']

/** Whether a first line is the header of evidence as CSV, and by what its columns are parted. */
export function csvHeader(line: string): { readonly columns: readonly string[]; readonly separator: string } | null {
  const plain = line.replace(/^\uFEFF/, '').replace(/\r$/, '')
  // A line of JSON is none, whatever stands in it.
  if (/^\s*[[{]/.test(plain)) return null
  for (const separator of [',', ';', '\t']) {
    const columns = splitCsv(plain, separator)?.map((name) => name.trim())
    const lower = columns?.map((name) => name.toLowerCase())
    if (columns && NEEDED.every((name) => lower?.includes(name))) return { columns, separator }
  }
  return null
}

/**
 * Reads observations as CSV (RFC 4180) as they arrive, in chunks of bytes cut anywhere. The header has the names of the plain form; any other column is an
 * attribute (also `attrs.name`), and a column `attrs` may hold a JSON object. A record that cannot be read is reported with the line on which it begins.
 */
export class CsvReader {
  #rest = ''
  /** The line on which the next record begins, and on which the rest goes on. */
  #line = 1
  #columns: readonly string[] | null = null
  #separator = ','
  #skipping = false
  readonly #decoder = new TextDecoder('utf-8', { ignoreBOM: true })

  constructor(private readonly sink: Sink) {}

  push(chunk: Uint8Array): void {
    this.#take(this.#rest + this.#decoder.decode(chunk, { stream: true }), false)
  }

  /** The last record, if it does not end in a newline. */
  end(): void {
    this.#take(this.#rest + this.#decoder.decode(), true)
  }

  #take(text: string, last: boolean): void {
    let at = 0
    for (;;) {
      let end = text.indexOf('\n', at)
      // A newline within quotation marks belongs to its cell: then the number of marks before it is odd.
      let quotes = end < 0 ? 0 : marksIn(text, at, end)
      while (end >= 0 && quotes % 2 === 1) {
        const next = text.indexOf('\n', end + 1)
        if (next < 0 || next - at > LONGEST_RECORD) {
          end = next
          break
        }
        quotes += marksIn(text, end + 1, next)
        end = next
      }
      if (end < 0) break
      if (end - at > LONGEST_RECORD && quotes % 2 === 1) break
      this.#record(text.slice(at, end))
      at = end + 1
    }
    this.#rest = text.slice(at)
    if (this.#rest.length > LONGEST_RECORD) {
      // Give up on this record at its first line, and go on with the next.
      const end = this.#rest.indexOf('\n')
      if (!this.#skipping) this.#refuse('csv.record', 'the record has no end: a quotation mark is open', this.#rest)
      this.#skipping = end < 0
      const rest = end < 0 ? '' : this.#rest.slice(end + 1)
      if (end >= 0) this.#line++
      this.#rest = ''
      if (rest !== '') return this.#take(rest, last)
    }
    if (last && this.#rest !== '') {
      const rest = this.#rest
      this.#rest = ''
      this.#record(rest)
    }
  }

  #record(raw: string): void {
    const text = raw.endsWith('\r') ? raw.slice(0, -1) : raw
    const lines = raw.includes('"') ? raw.split('\n').length : 1
    try {
      if (this.#skipping) this.#skipping = false
      else if (text.trim() !== '') this.#one(text)
    } catch (error) {
      if (!(error instanceof Refusal)) throw error
      this.#refuse(error.code, error.message, text)
    }
    this.#line += lines
  }

  #one(text: string): void {
    if (!this.#columns) {
      const header = csvHeader(text)
      if (!header)
        throw new Refusal('csv.header', `the first line is no header; expected at least ${NEEDED.join(' and ')} among the names of its columns`)
      this.#columns = header.columns.map((name) => BY_LOWER.get(name.toLowerCase()) ?? name)
      this.#separator = header.separator
      return
    }
    const cells = splitCsv(text, this.#separator)
    if (!cells) throw new Refusal('csv.record', 'a quotation mark is not closed, or a cell goes on behind one')
    if (cells.length > this.#columns.length) throw new Refusal('csv.cells', `${cells.length} cells; the header has ${this.#columns.length} columns`)
    const record: Record<string, unknown> = {}
    const attrs: Record<string, unknown> = {}
    for (const [i, name] of this.#columns.entries()) {
      const cell = cells[i] ?? ''
      if (cell === '' || name === '') continue
      if (OWN.has(name)) record[name] = name === 'time' && /^\d+(\.\d+)?$/.test(cell) ? Number(cell) : cell
      else if (name === 'attrs') Object.assign(attrs, objectOf(cell))
      else attrs[name.replace(/^attrs\./, '')] = valueOf(cell)
    }
    this.sink.observation(readObservation(Object.keys(attrs).length ? { ...record, attrs } : record))
  }

  #refuse(code: string, reason: string, excerpt: string): void {
    this.sink.fault({ line: this.#line, byte: null, code, reason, excerpt: keepable(excerpt.slice(0, EXCERPT_LENGTH)) })
  }
}

function marksIn(text: string, from: number, to: number): number {
  let n = 0
  for (let at = text.indexOf('"', from); at >= 0 && at < to; at = text.indexOf('"', at + 1)) n++
  return n
}

function objectOf(cell: string): object {
  try {
    const value: unknown = JSON.parse(cell)
    if (typeof value === 'object' && value !== null && !Array.isArray(value)) return value
  } catch {
    // told below
  }
  throw new Refusal('record.attrs', 'attrs is no JSON object')
}

/** A cell as the number or truth value that it writes, else as text. */
function valueOf(cell: string): string | number | boolean {
  if (/^-?(0|[1-9]\d*)(\.\d+)?$/.test(cell) && cell.length < 16) return Number(cell)
  return cell === 'true' ? true : cell === 'false' ? false : cell
}
