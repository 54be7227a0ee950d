import { splitCsv } from '../formats/csv'
import { belowProfile } from './pattern'

/** One file of somebody's profile, as an inventory tells of it. */
export interface InventoryRow {
  readonly person: string
  readonly path: string
  readonly bytes: number
  readonly modifiedMs: number
}

export interface InventoryFault {
  readonly line: number
  readonly reason: string
}

export type LineReader = (line: string) => InventoryRow | string

/** How many faults are kept with their line; beyond that they are only counted. */
const KEPT_FAULTS = 200
const LONGEST_LINE = 64 * 1024

/**
 * Reads an inventory as it comes in pieces: NDJSON (`{"path","bytes","modified","person"}`) or CSV with a header of the same names (RFC 4180).
 * A line that cannot be read is counted and told, and the others are read all the same.
 * @param owner whose it is where the lines do not say, such as the name of the file
 */
export class InventoryReader {
  readonly faults: InventoryFault[] = []
  refused = 0
  rows = 0
  #line = 0
  #rest = ''
  #read: LineReader | null = null
  #overlong = false

  constructor(
    private readonly owner: string,
    private readonly take: (row: InventoryRow) => void,
  ) {}

  push(text: string): void {
    let from = 0
    for (;;) {
      const end = text.indexOf('\n', from)
      if (end < 0) break
      this.#one(this.#rest === '' ? text.slice(from, end) : this.#rest + text.slice(from, end))
      this.#rest = ''
      from = end + 1
    }
    this.#rest += text.slice(from)
    if (this.#rest.length > LONGEST_LINE) {
      this.#overlong = true
      this.#rest = this.#rest.slice(0, 100)
    }
  }

  end(): void {
    if (this.#rest !== '') this.#one(this.#rest)
    this.#rest = ''
  }

  #one(raw: string): void {
    this.#line++
    const line = raw.endsWith('\r') ? raw.slice(0, -1) : raw
    if (this.#overlong) {
      this.#overlong = false
      return this.#fault(`The line is longer than ${LONGEST_LINE} characters.`)
    }
    if (line === '' || line === '\uFEFF') return
    if (!this.#read) {
      const first = line.charCodeAt(0) === 0xfeff ? line.slice(1) : line
      if (first.startsWith('{')) this.#read = (text) => rowOfJson(text, this.owner)
      else {
        const columns = splitCsv(first)?.map((name) => name.trim().toLowerCase()) ?? []
        if (!columns.includes('path') || !columns.includes('bytes'))
          return this.#fault('It begins neither with a JSON object nor with a header that names at least path and bytes.')
        this.#read = (text) => rowOfCsv(text, columns, this.owner)
        return
      }
    }
    const row = this.#read(line)
    if (typeof row === 'string') return this.#fault(row)
    this.rows++
    this.take(row)
  }

  #fault(reason: string): void {
    this.refused++
    if (this.faults.length < KEPT_FAULTS) this.faults.push({ line: this.#line, reason })
  }
}

function rowOfJson(line: string, owner: string): InventoryRow | string {
  let value: unknown
  try {
    value = JSON.parse(line)
  } catch {
    return 'This is not JSON.'
  }
  if (value === null || typeof value !== 'object' || Array.isArray(value)) return 'This is not an object.'
  const { path, bytes, modified, person, container } = value as Record<string, unknown>
  return rowOf(path, bytes, modified, person ?? container, owner)
}

function rowOfCsv(line: string, columns: readonly string[], owner: string): InventoryRow | string {
  const cells = line.includes('"') ? splitCsv(line) : line.split(',')
  if (!cells) return 'A quotation mark is not closed.'
  if (cells.length !== columns.length) return `This line has ${cells.length} fields, the header ${columns.length}.`
  const cell = (name: string) => cells[columns.indexOf(name)]
  const bytes = cell('bytes')
  return rowOf(cell('path'), bytes === '' ? undefined : Number(bytes), cell('modified'), cell('person') ?? cell('container'), owner)
}

function rowOf(path: unknown, bytes: unknown, modified: unknown, person: unknown, owner: string): InventoryRow | string {
  if (typeof path !== 'string' || path === '') return 'The path is missing.'
  if (path.length > 2000) return 'The path is longer than 2,000 characters.'
  if (typeof bytes !== 'number' || !(bytes >= 0) || bytes > Number.MAX_SAFE_INTEGER) return 'The bytes are missing, or are not a size.'
  const modifiedMs = typeof modified === 'number' ? modified : typeof modified === 'string' && modified !== '' ? momentOf(modified) : 0
  if (Number.isNaN(modifiedMs)) return 'The moment of change is none that can be read.'
  const whose = typeof person === 'string' && person !== '' ? person.toLowerCase() : (ownerInPath(path) ?? owner)
  return { person: whose, path: belowProfile(path), bytes, modifiedMs }
}

/** Epoch milliseconds as digits, or RFC 3339. */
const momentOf = (text: string): number => (/^\d+$/.test(text) ? Number(text) : Date.parse(text))
const ownerInPath = (path: string): string | null => /^[a-z]:[\\/]users[\\/]([^\\/]+)/i.exec(path)?.[1]?.toLowerCase() ?? null
