import { WASM } from './line-scanner.wasm'
import { FIELDS } from './observation'
import { Shape } from './shape'
import { keepable } from './text'

/** A record as it is written: what it does not give is undefined. */
export type Written = Record<(typeof FIELDS)[number], unknown>

/** So many sets of names of inner objects are remembered. */
const MOST_SHAPES = 16
/** As many texts as line-scanner.as.ts keeps. */
const KEPT = 8192
/** What a value is, as line-scanner.as.ts says it. */
const [GONE, KEPT_TEXT, LONG_TEXT, NUMBER, FALSE, TRUE, NULL, JSON_TEXT, ATTRS] = [0, 1, 2, 3, 4, 5, 6, 7, 8]

/** What line-scanner.as.ts gives. */
interface Compiled {
  readonly memory: WebAssembly.Memory
  place(which: number): number
  begin(names: number): void
  forget(): void
  room(bytes: number): void
  read(from: number): number
}
/** Made once, when it is first needed. */
let compiled: WebAssembly.Module | null = null

/**
 * Reads lines of JSON from their bytes, several times as fast as they could be made texts of and parsed. Lines of evidence are much alike: fields that are written
 * letter by letter as at the same place of the line before are not read again, and a name that is said again and again is made a text once. Whatever is not written in the plainest way is not
 * read here, but left to JSON.parse, which also says what is wrong. The bytes are looked at by WebAssembly (line-scanner.as.ts), which hands over what is new in each line.
 */
export class LineScanner {
  /** The record of the line that was read last: it is written over by the next. All its texts are keepable. */
  readonly record: Written = Object.fromEntries(FIELDS.map((field) => [field, undefined])) as Written
  /** Where the next line begins. */
  end = 0

  readonly #compiled: Compiled
  readonly #places: { readonly counts: number; readonly given: number; readonly inner: number; readonly fresh: number; readonly lines: number }
  /** The memory that it shares with us, in several ways; made anew when it has grown. */
  #bytes = new Uint8Array(0)
  #pairs = new Int16Array(0)
  #words = new Int32Array(0)
  #numbers = new Float64Array(0)
  readonly #texts: string[] = Array.from({ length: KEPT }, () => '')
  readonly #strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })
  /** Of the objects inside records: the names that the last one had, and those that were seen. */
  #shape = new Shape<unknown>([], 0)
  #shapes: readonly Shape<unknown>[] = []

  constructor() {
    compiled ??= new WebAssembly.Module(Uint8Array.from(atob(WASM), (letter) => letter.charCodeAt(0)))
    this.#compiled = new WebAssembly.Instance(compiled).exports as unknown as Compiled
    const [counts = 0, given = 0, inner = 0, fresh = 0, names = 0, lines = 0] = [0, 1, 2, 3, 4, 5].map((which) => this.#compiled.place(which))
    this.#places = { counts, given, inner, fresh, lines }
    this.#look()
    FIELDS.forEach((field, i) => {
      const name = new TextEncoder().encode(field)
      this.#bytes.set([name.length, ...name], names + 16 * i)
    })
    this.#forgetAll()
  }

  /** Takes the lines that are read next. @param lines with a newline after every line */
  take(lines: Uint8Array): void {
    this.#compiled.room(lines.length)
    if (this.#bytes.buffer !== this.#compiled.memory.buffer) this.#look()
    this.#bytes.set(lines, this.#places.lines)
    this.#clear()
  }

  /**
   * Reads one line.
   * @param from where it begins in what was taken
   * @returns whether it is an object that can be read here: its fields are in `record` then
   */
  read(from: number): boolean {
    this.end = this.#compiled.read(from)
    try {
      this.#learn()
      if (this.end > 0) {
        this.#put()
        return true
      }
    } catch {
      // Not UTF-8, or no JSON: what is kept may not be what it is taken for.
      this.#forgetAll()
    }
    this.#clear()
    return false
  }

  #look(): void {
    const { buffer } = this.#compiled.memory
    this.#bytes = new Uint8Array(buffer)
    this.#pairs = new Int16Array(buffer)
    this.#words = new Int32Array(buffer)
    this.#numbers = new Float64Array(buffer)
  }

  #forgetAll(): void {
    this.#compiled.begin(FIELDS.length)
    this.#texts.fill('')
  }

  /** The next line is as if it were the first. */
  #clear(): void {
    this.#compiled.forget()
    for (let field = 0; field < FIELDS.length; field++) put(this.record, field, undefined)
  }

  /** The texts that are kept from now on. */
  #learn(): void {
    const { counts, fresh } = this.#places
    const n = this.#words[(counts >> 2) + 2] ?? 0
    for (let i = 0; i < n; i++) {
      const at = fresh + 16 * i
      const slot = this.#words[at >> 2] ?? 0
      this.#texts[slot] = this.#text(at)
    }
  }

  /** What the line has that the one before did not. */
  #put(): void {
    const { counts, given } = this.#places
    const n = this.#words[counts >> 2] ?? 0
    for (let i = 0; i < n; i++) {
      const at = given + 16 * i
      put(this.record, this.#pairs[at >> 1] ?? 0, this.#value(this.#pairs[(at >> 1) + 1] ?? 0, at))
    }
  }

  #value(kind: number, at: number): unknown {
    switch (kind) {
      case KEPT_TEXT:
        return this.#texts[this.#words[(at >> 2) + 1] ?? 0]
      case NUMBER:
        return this.#numbers[(at >> 3) + 1]
      case LONG_TEXT:
        return this.#text(at)
      case TRUE:
        return true
      case FALSE:
        return false
      case NULL:
        return null
      case JSON_TEXT:
        return JSON.parse(this.#decoded(at))
      case ATTRS:
        return this.#attrs()
      case GONE:
      default:
        return undefined
    }
  }

  /** An object of plain values. */
  #attrs(): Record<string, unknown> {
    const { counts, inner } = this.#places
    const texts = this.#texts
    const pairs = this.#pairs
    const n = this.#words[(counts >> 2) + 1] ?? 0
    const { names } = this.#shape
    let alike = n === names.length
    for (let i = 0; alike && i < n; i++) alike = texts[pairs[(inner + 16 * i) >> 1] ?? 0] === names[i]
    if (!alike) this.#shape = this.#shapeOf(Array.from({ length: n }, (_, i) => texts[pairs[(inner + 16 * i) >> 1] ?? 0] ?? ''))
    const result = this.#shape.empty()
    for (let i = 0; i < n; i++) {
      const at = inner + 16 * i
      result[this.#shape.names[i] ?? ''] = this.#value(pairs[(at >> 1) + 1] ?? 0, at)
    }
    return result
  }

  /** That of these names. @throws Error where not every name is there once, or one is not to be used */
  #shapeOf(names: readonly string[]): Shape<unknown> {
    const known = this.#shapes.find((shape) => shape.names.length === names.length && shape.names.every((name, i) => name === names[i]))
    if (known) return known
    if (new Set(names).size < names.length || names.includes('__proto__')) throw new Error('not in the plainest way')
    const made = new Shape<unknown>(names, 0)
    this.#shapes = [...this.#shapes.slice(1 - MOST_SHAPES), made]
    return made
  }

  /** The text of which such a row says where it is. */
  #text(at: number): string {
    const written = this.#decoded(at)
    return written.includes('\\') ? keepable(JSON.parse(`"${written}"`) as string) : written
  }

  #decoded(at: number): string {
    const { lines } = this.#places
    return this.#strict.decode(this.#bytes.subarray(lines + (this.#numbers[(at >> 3) + 1] ?? 0), lines + (this.#words[(at >> 2) + 1] ?? 0)))
  }
}

/** Field by field, by their places among FIELDS: objects whose fields are named by a variable are slow. */
function put(record: Written, field: number, value: unknown): void {
  switch (field) {
    case 0:
      record.attempt = value
      break
    case 1:
      record.person = value
      break
    case 2:
      record.host = value
      break
    case 3:
      record.source = value
      break
    case 4:
      record.pool = value
      break
    case 5:
      record.session = value
      break
    case 6:
      record.kind = value
      break
    case 7:
      record.time = value
      break
    case 8:
      record.phase = value
      break
    case 9:
      record.part = value
      break
    case 10:
      record.durationMs = value
      break
    case 11:
      record.code = value
      break
    case 12:
      record.outcome = value
      break
    case 13:
      record.text = value
      break
    case 14:
      record.attrs = value
      break
  }
}
