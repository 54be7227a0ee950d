import { FIELDS, readTime } from './observation'
import { Shape } from './shape'
import { keepable } from './text'

const [NEWLINE, RETURN, SPACE, TAB, QUOTE, BACKSLASH, COMMA, COLON] = [10, 13, 32, 9, 34, 92, 44, 58]
const [OPEN, CLOSE, OPEN_LIST, CLOSE_LIST, PLUS, MINUS, DOT, ZERO, NINE] = [123, 125, 91, 93, 43, 45, 46, 48, 57]
const [LETTER_T, LETTER_Z, LETTER_U, LETTER_E, SMALL_E] = [84, 90, 117, 69, 101]
/** Whole numbers of so many digits are exact, and so is one of them divided by a power of ten. */
const EXACT_DIGITS = 15

const TIME = FIELDS.indexOf('time')
/** Fields are kept by their place among FIELDS; any other has this number. */
const OTHER = -1
/** A record with more fields than this is not read here. */
const MOST_FIELDS = 64

/** A record as it is written: what it does not give is undefined. */
export type Written = Record<(typeof FIELDS)[number], unknown>

/** Texts that are kept, a power of two; and how many bytes of each: longer ones are read anew each time. */
const KEPT = 8192
const LONGEST_KEPT = 64
/** So many sets of names of inner objects are remembered. */
const MOST_SHAPES = 16
/** In place of a kept text: it is too long to be kept, or cannot be read. */
const LONG = -1
const NONE = -2

/**
 * Reads lines of JSON from their bytes, faster than they could be made texts of and parsed. Lines of evidence are much alike: fields that are written
 * letter by letter as at the same place of the line before are not read again, and a name that is said again and again is made a text once. Whatever is not written in the plainest way is not
 * read here, but left to JSON.parse, which also says what is wrong.
 */
export class LineScanner {
  /** The record of the line that was read last: it is written over by the next. */
  readonly record: Written = Object.fromEntries(FIELDS.map((field) => [field, undefined])) as Written
  /** Whether a letter of it was written by its number, so that a text in it may not be keepable. */
  numbered = false
  /** Where the next line begins. */
  end = 0

  #bytes: Uint8Array = new Uint8Array(0)
  #view: DataView = new DataView(new ArrayBuffer(0))
  #at = 0
  /** Where the line before begins, and so many fields it has; of each field, in the order of the line, which it is, and where, counted from there, it is over. */
  #before = 0
  #fields = 0
  readonly #field = new Int8Array(MOST_FIELDS)
  readonly #over = new Float64Array(MOST_FIELDS)
  /** The fields of `record` that are of the line that is being read, as bits. */
  #given = 0
  /** The names of fields in a line, in their order, as they were last; and for each field the value that was read last: both are looked for first. */
  readonly #names = new Int16Array(MOST_FIELDS).fill(NONE)
  readonly #values = new Int16Array(FIELDS.length)
  /** The date that was read last, and its midnight. */
  readonly #date = new Uint8Array(10)
  #midnightMs = NaN
  readonly #strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })
  /** Of each kept text: itself, the number of the field of that name, how it is written, and in how many bytes. */
  readonly #texts: string[] = Array.from({ length: KEPT }, () => '')
  readonly #fieldOf = new Int8Array(KEPT).fill(OTHER)
  readonly #written = new DataView(new ArrayBuffer(KEPT * LONGEST_KEPT))
  readonly #lengths = new Uint8Array(KEPT)
  /** Of each, the one that followed it last as the value of a field. */
  readonly #next = new Int16Array(KEPT)
  #long = ''
  /** Of the object inside a record that is being read: names and values; and the names and their numbers as they were last. */
  readonly #innerNames: string[] = []
  readonly #innerSlots = new Int16Array(MOST_FIELDS)
  readonly #inner: unknown[] = []
  #shape = new Shape<unknown>([], 0)
  #shapes: readonly Shape<unknown>[] = []

  /**
   * Reads one line.
   * @param bytes with a newline after every line
   * @returns whether it is an object that can be read here: its fields are in `record` then
   */
  read(bytes: Uint8Array, from: number): boolean {
    // Where the bytes are others, the line before cannot be looked at; and a letter that was written by its number has to be seen again.
    const known = bytes === this.#bytes && !this.numbered ? this.#fields : 0
    if (bytes !== this.#bytes) {
      this.#bytes = bytes
      this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    }
    this.numbered = false
    let stale = this.#given
    this.#given = 0
    this.#at = from
    const read = this.#isRead(from, known)
    if (read) stale &= ~this.#given
    else {
      // Of a line that could not be read, nothing is to be gone on from.
      stale |= this.#given
      this.#fields = this.#given = 0
    }
    this.#before = from
    for (let field = 0; stale > 0; field++, stale >>= 1) if (stale & 1) put(this.record, field, undefined)
    return read
  }

  #isRead(from: number, known: number): boolean {
    try {
      if (this.#bytes[this.#at++] !== OPEN) return false
      this.#space()
      if (this.#bytes[this.#at] === CLOSE) {
        this.#fields = 0
        this.#at++
      } else if (!this.#rest(from, known)) return false
      return this.#lineEnd()
    } catch {
      return false
    }
  }

  /**
   * Fields up to the end of the object.
   * @param from where the line begins
   * @param known so many fields of the line before are as they were
   */
  #rest(from: number, known: number): boolean {
    const bytes = this.#bytes
    const before = this.#before
    let fields = 0
    /** Where the field that is at this place in the line before begins there, counted from the begin of the line. */
    let there = 1
    for (;;) {
      if (fields < known) {
        const start = this.#at
        const alike = alikeIn(this.#view, before + there, this.#view, start, Math.min(from - before - there, bytes.length - start))
        let over = there
        while (fields < known && (this.#over[fields] ?? Infinity) <= there + alike) {
          if (!this.#isNew(this.#field[fields] ?? OTHER)) return false
          over = this.#over[fields] ?? over
          this.#over[fields++] = start - from + over - there
        }
        if (over > there) {
          this.#at = start + over - there
          if (bytes[this.#at - 1] === CLOSE) return (this.#fields = fields) > 0
        }
      }
      if (bytes[this.#at] !== QUOTE || fields >= MOST_FIELDS) return false
      const name = this.#kept(this.#names[fields] ?? NONE)
      this.#names[fields] = this.numbered ? NONE : name
      this.#space()
      if (name === NONE || bytes[this.#at] !== COLON) return false
      this.#at++
      this.#space()
      const field = name === LONG ? OTHER : (this.#fieldOf[name] ?? OTHER)
      const value = (field === TIME ? this.#instant() : null) ?? this.#value(field)
      if (value === undefined || !this.#isNew(field)) return false
      put(this.record, field, value)
      this.#space()
      const next = bytes[this.#at++]
      if (next === COMMA) this.#space()
      else if (next !== CLOSE) return false
      there = this.#over[fields] ?? 0
      this.#field[fields] = field
      this.#over[fields++] = this.#at - from
      if (next === CLOSE) return (this.#fields = fields) > 0
    }
  }

  /** Whether a field was not given before: one that is given twice is none of the plainest. */
  #isNew(field: number): boolean {
    if (field === OTHER) return true
    const bit = 1 << field
    const before = this.#given
    this.#given = before | bit
    return (before & bit) === 0
  }

  #space(): void {
    let byte = this.#bytes[this.#at]
    while (byte === SPACE || byte === TAB) byte = this.#bytes[++this.#at]
  }

  #lineEnd(): boolean {
    this.#space()
    if (this.#bytes[this.#at] === RETURN) this.#at++
    if (this.#bytes[this.#at] !== NEWLINE) return false
    this.end = this.#at + 1
    return true
  }

  /** Undefined where it cannot be read. */
  #value(field: number): unknown {
    const byte = this.#bytes[this.#at] ?? 0
    if (byte === QUOTE) {
      const before = this.#values[field] ?? 0
      const kept = this.#kept(this.#next[before] ?? 0)
      if (kept < 0) return kept === LONG ? this.#long : undefined
      if (field !== OTHER && !this.numbered) this.#values[field] = this.#next[before] = kept
      return this.#texts[kept]
    }
    const from = this.#at
    if (byte === OPEN) return this.#flat() ?? this.#nested(from)
    return byte === OPEN_LIST ? this.#nested(from) : this.#bare(byte)
  }

  /** A number, true, false or null, of which this is the first letter. */
  #bare(first: number): number | boolean | null | undefined {
    if (first === MINUS || (first >= ZERO && first <= NINE)) return this.#number()
    const [word, value] = first === 116 ? WORDS.true : first === 102 ? WORDS.false : WORDS.null
    for (const letter of word) if (this.#bytes[this.#at++] !== letter) return undefined
    return value
  }

  #number(): number {
    const bytes = this.#bytes
    const from = this.#at
    let at = from
    let value = 0
    let byte = bytes[at] ?? 0
    while (byte >= ZERO && byte <= NINE) {
      value = value * 10 + byte - ZERO
      byte = bytes[++at] ?? 0
    }
    const whole = at - from
    let divisor = 1
    if (byte === DOT)
      for (byte = bytes[++at] ?? 0; byte >= ZERO && byte <= NINE; byte = bytes[++at] ?? 0) {
        value = value * 10 + byte - ZERO
        divisor *= 10
      }
    const isPlain = byte !== LETTER_E && byte !== SMALL_E && whole > 0 && (whole === 1 || bytes[from] !== ZERO) && bytes[at - 1] !== DOT
    if (!isPlain || at - from > EXACT_DIGITS) {
      while ((byte >= ZERO && byte <= NINE) || byte === DOT || byte === LETTER_E || byte === SMALL_E || byte === MINUS || byte === PLUS)
        byte = bytes[++at] ?? 0
      value = JSON.parse(this.#decoded(from, at)) as number
      divisor = 1
    }
    this.#at = at
    return value / divisor
  }

  /** A moment as it is mostly written, `"2026-11-23T05:41:00.123Z"`; null where it is not. */
  #instant(): number | null {
    const bytes = this.#bytes
    const at = this.#at + 1
    if (bytes[at - 1] !== QUOTE || bytes[at + 10] !== LETTER_T || bytes[at + 13] !== COLON || bytes[at + 16] !== COLON) return null
    if (bytes[at + 19] !== DOT || bytes[at + 23] !== LETTER_Z || bytes[at + 24] !== QUOTE) return null
    const [hour, minute, second] = [this.#two(at + 11), this.#two(at + 14), this.#two(at + 17)]
    const thousandth = (bytes[at + 22] ?? 0) - ZERO
    const clockMs = hour * 3_600_000 + minute * 60_000 + second * 1000 + this.#two(at + 20) * 10 + thousandth
    if (!(hour <= 23 && minute <= 59 && second <= 59 && thousandth >= 0 && thousandth <= 9 && clockMs >= 0)) return null
    this.#at = at + 25
    const date = this.#date
    for (let i = 0; i < 10; i++)
      if (date[i] !== bytes[at + i]) {
        this.#midnightMs = readTime(this.#decoded(at, at + 24)) - clockMs
        date.set(bytes.subarray(at, at + 10))
      }
    return this.#midnightMs + clockMs
  }

  /** A number of two digits; NaN where there are others. */
  #two(at: number): number {
    const [first, second] = [(this.#bytes[at] ?? 0) - ZERO, (this.#bytes[at + 1] ?? 0) - ZERO]
    return first >= 0 && first <= 9 && second >= 0 && second <= 9 ? first * 10 + second : NaN
  }

  /** An object of plain values inside the record; null where it is anything else. */
  #flat(): Record<string, unknown> | null {
    const bytes = this.#bytes
    const values = this.#inner
    const names = this.#innerNames
    const { names: before } = this.#shape
    let n = 0
    let alike = true
    do {
      this.#at++
      this.#space()
      const at = n < MOST_FIELDS && bytes[this.#at] === QUOTE ? this.#kept(this.#innerSlots[n] ?? 0) : NONE
      if (at < 0) return null
      const name = this.#texts[at] ?? ''
      this.#innerSlots[n] = at
      names[n] = name
      alike &&= before[n] === name
      this.#space()
      if (bytes[this.#at++] !== COLON) return null
      this.#space()
      const value = this.#plain(at)
      if (value === undefined) return null
      values[n++] = value
      this.#space()
    } while (bytes[this.#at] === COMMA)
    if (bytes[this.#at++] !== CLOSE || this.numbered) return null
    if (!alike || n !== before.length) {
      const shape = this.#shapeOf(n)
      if (!shape) return null
      this.#shape = shape
    }
    const result = this.#shape.empty()
    for (let i = 0; i < n; i++) result[this.#shape.names[i] ?? ''] = values[i]
    return result
  }

  /** That of so many names; null where not every name is there once, or one is not to be used. */
  #shapeOf(n: number): Shape<unknown> | null {
    const names = this.#innerNames
    for (const shape of this.#shapes) {
      if (shape.names.length !== n) continue
      let i = 0
      while (i < n && shape.names[i] === names[i]) i++
      if (i === n) return shape
    }
    const found = [...new Set(names.slice(0, n))]
    if (found.length < n || found.includes('__proto__')) return null
    const made = new Shape<unknown>(found, 0)
    this.#shapes = [...this.#shapes.slice(1 - MOST_SHAPES), made]
    return made
  }

  /** A text, a number, true or false. @param name what it is the value of, by its number; undefined where it is anything else */
  #plain(name: number): unknown {
    const byte = this.#bytes[this.#at] ?? 0
    if (byte !== QUOTE) return this.#bare(byte) ?? undefined
    const kept = this.#kept(this.#next[name] ?? 0)
    if (kept < 0) return kept === LONG ? this.#long : undefined
    this.#next[name] = kept
    return this.#texts[kept]
  }

  /** An object or a list inside the record: only where it ends has to be found. */
  #nested(from: number): unknown {
    const bytes = this.#bytes
    let at = from
    let depth = 0
    let inText = false
    for (;;) {
      const byte = bytes[at++] ?? 0
      if (byte < SPACE && byte !== TAB) return undefined
      if (inText) {
        if (byte === QUOTE) inText = false
        else if (byte === BACKSLASH && bytes[at++] === LETTER_U) this.numbered = true
      } else if (byte === QUOTE) inText = true
      else if (byte === OPEN || byte === OPEN_LIST) depth++
      else if ((byte === CLOSE || byte === CLOSE_LIST) && --depth === 0) break
    }
    this.#at = at
    return JSON.parse(this.#decoded(from, at))
  }

  /**
   * A text in quotes, which `at` is at: by which number it is kept, LONG where it is in `long`, NONE where it cannot be read.
   * @param likely the number of what it may well be
   */
  #kept(likely: number): number {
    const bytes = this.#bytes
    const from = this.#at + 1
    if (likely >= 0) {
      const end = from + (this.#lengths[likely] ?? 0)
      if (bytes[end] === QUOTE && this.#is(likely, from, end)) {
        this.#at = end + 1
        return likely
      }
    }
    let at = from
    let escaped = false
    for (let byte = bytes[at] ?? 0; byte !== QUOTE; byte = bytes[++at] ?? 0) {
      if (byte === BACKSLASH) {
        escaped = true
        byte = bytes[++at] ?? 0
        if (byte === LETTER_U) this.numbered = true
      }
      if (byte < SPACE) return NONE
    }
    this.#at = at + 1
    const length = at - from
    if (length > LONGEST_KEPT) {
      this.#long = this.#text(from, at, escaped)
      return LONG
    }
    // The ends of names tell them apart.
    const ends = ((bytes[at - 1] ?? 0) << 8) ^ ((bytes[at - 2] ?? 0) << 16) ^ ((bytes[at - 3] ?? 0) << 24)
    const mixed = Math.imul(ends ^ length ^ ((bytes[from] ?? 0) << 3) ^ ((bytes[from + (length >> 1)] ?? 0) << 12), 0x2c1b3c6d)
    const slot = (mixed ^ (mixed >>> 15)) & (KEPT - 1)
    if (this.#lengths[slot] === length && this.#is(slot, from, at)) return slot
    const text = this.#text(from, at, escaped)
    this.#texts[slot] = text
    this.#fieldOf[slot] = (FIELDS as readonly string[]).indexOf(text)
    this.#lengths[slot] = length
    for (let i = 0; i < length; i++) this.#written.setUint8(slot * LONGEST_KEPT + i, bytes[from + i] ?? 0)
    return slot
  }

  #is(slot: number, from: number, end: number): boolean {
    return alikeIn(this.#written, slot * LONGEST_KEPT, this.#view, from, end - from) === end - from
  }

  #text(from: number, to: number, escaped: boolean): string {
    const written = this.#decoded(from, to)
    if (!escaped) return written
    const text = JSON.parse(`"${written}"`) as string
    return this.numbered ? keepable(text) : text
  }

  #decoded(from: number, to: number): string {
    return this.#strict.decode(this.#bytes.subarray(from, to))
  }
}

const WORDS = { true: [[116, 114, 117, 101], true], false: [[102, 97, 108, 115, 101], false], null: [[110, 117, 108, 108], null] } as const

/** How many bytes from one place on are as those from another, of so many. */
function alikeIn(one: DataView, at: number, other: DataView, from: number, most: number): number {
  let n = 0
  // As numbers of eight bytes. Two of them are equal only where their bytes are: all but the two zeros, which no line has that can be read.
  while (n + 8 <= most && one.getFloat64(at + n, true) === other.getFloat64(from + n, true)) n += 8
  while (n + 4 <= most && one.getInt32(at + n) === other.getInt32(from + n)) n += 4
  while (n < most && one.getUint8(at + n) === other.getUint8(from + n)) n++
  return n
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
