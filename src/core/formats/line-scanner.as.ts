// AssemblyScript, not TypeScript: `node scripts/wasm.mjs` makes line-scanner.wasm.ts of it. scanner.ts is its other half, and says what it is for.
//
// Nothing here is an object: all that is kept lies in the memory, at the places below. Bytes are read one after another, or sixteen at once where they are only compared.

const RETURN: u32 = 13
const NEWLINE: u32 = 10
const SPACE: u32 = 32
const TAB: u32 = 9
const QUOTE: u32 = 34
const BACKSLASH: u32 = 92
const COMMA: u32 = 44
const COLON: u32 = 58
const OPEN: u32 = 123
const CLOSE: u32 = 125
const OPEN_LIST: u32 = 91
const CLOSE_LIST: u32 = 93
const PLUS: u32 = 43
const MINUS: u32 = 45
const DOT: u32 = 46
const ZERO: u32 = 48
const SMALL: u32 = 32
const LETTER_E: u32 = 101
const LETTER_U: u32 = 117
const LETTER_T: u32 = 84
const LETTER_Z: u32 = 90
/** As four bytes lie in memory. */
const TRUE_WORD: u32 = 0x65757274
const ALSE_WORD: u32 = 0x65736c61
const NULL_WORD: u32 = 0x6c6c756e

/** Texts that are kept, a power of two; and how many bytes of each: a longer one is read anew each time. */
const KEPT: i32 = 8192
const LONGEST_KEPT: i32 = 64
/** A record with more fields than this is not read here. */
const MOST_FIELDS: i32 = 64
/** Whole numbers of so many digits are exact, and so is one of them divided by a power of ten. */
const EXACT_DIGITS: i32 = 15
const DAY_MS: f64 = 86_400_000

/** What a value is; scanner.ts knows the same. */
const GONE: i32 = 0
const KEPT_TEXT: i32 = 1
const LONG_TEXT: i32 = 2
const NUMBER: i32 = 3
const FALSE: i32 = 4
const TRUE: i32 = 5
const NULL: i32 = 6
const JSON: i32 = 7
const ATTRS: i32 = 8
const UNREAD: i32 = -1

/** In place of the number of a field: any other; and one whose name is not written letter by letter. */
const OTHER: i32 = -1
const SPELT: i32 = -2
/** In place of the number of a kept text: it is not kept, or cannot be read. */
const LOOSE: i32 = -1
const NONE: i32 = -2

// Where what is kept lies. Of each kept text: how it is written, in how many bytes, the field of that name, the text that followed it last as the value of a field, and the line that used it last.
const WRITTEN: i32 = 256
const LENGTH: i32 = WRITTEN + KEPT * LONGEST_KEPT
const FIELD_OF: i32 = LENGTH + KEPT
const FOLLOWER: i32 = FIELD_OF + KEPT
const USED: i32 = FOLLOWER + 2 * KEPT
// Of each field of the line before, in its order: which it is, where, counted from where the line begins, it is over, and its name.
const FIELD: i32 = USED + 4 * KEPT
const OVER: i32 = FIELD + MOST_FIELDS
const NAME: i32 = OVER + 4 * MOST_FIELDS
/** By field, the value that was read last. */
const VALUE: i32 = NAME + 4 * MOST_FIELDS
/** The names in an inner object, as they were last. */
const INNER_NAME: i32 = VALUE + 4 * MOST_FIELDS
/** The names of fields, as scanner.ts puts them there: sixteen bytes each, the first says how long it is. */
const FIELD_NAMES: i32 = INNER_NAME + 4 * MOST_FIELDS
// What is given back, 16 bytes each: whose it is and what it is (two numbers of 2 bytes), where it is over (4) or which kept text it is, and where it begins or the number itself (8).
const ROW: i32 = 16
const GIVEN: i32 = FIELD_NAMES + 16 * MOST_FIELDS
const INNER: i32 = GIVEN + 2 * MOST_FIELDS * ROW
const FRESH: i32 = INNER + MOST_FIELDS * ROW
const LINES: i32 = (FRESH + 4 * MOST_FIELDS * ROW + 1023) & ~1023
/** After the lines, so that sixteen bytes can be read wherever one can. */
const MARGIN: i32 = 2 * LONGEST_KEPT + 16
/** How many rows there are of each, at the very begin of the memory. */
const COUNTS: i32 = 16

let fieldNames: i32 = 0
let limit: i32 = 0
let at: i32 = 0
/** Where the line before begins, how many fields it has, and which of those that are named it gives, as bits. */
let before: i32 = 0
let fields: i32 = 0
let given: u32 = 0
let line: i32 = 0
/** The text or the number that was read last. */
let textFrom: i32 = 0
let textTo: i32 = 0
let escaped: bool = false
let number: f64 = 0
/** Of what is given back. */
let rows: i32 = 0
let innerRows: i32 = 0
let freshRows: i32 = 0

/** The places that scanner.ts has to know. */
export function place(which: i32): i32 {
  return which == 0 ? COUNTS : which == 1 ? GIVEN : which == 2 ? INNER : which == 3 ? FRESH : which == 4 ? FIELD_NAMES : LINES
}

/** Forgets all texts. @param names so many names of fields are there */
export function begin(names: i32): void {
  fieldNames = names
  memory.fill(LENGTH, 0, KEPT)
  memory.fill(FIELD_OF, OTHER as u8, KEPT)
  memory.fill(FOLLOWER, 0, 2 * KEPT)
  memory.fill(VALUE, 0, 4 * MOST_FIELDS)
  // LOOSE, each.
  memory.fill(NAME, 0xff, 4 * MOST_FIELDS)
  memory.fill(INNER_NAME, 0xff, 4 * MOST_FIELDS)
  forget()
}

/** The next line is as if it were the first. */
export function forget(): void {
  fields = 0
  given = 0
}

/** Makes room for other lines. @param bytes so many they are */
export function room(bytes: i32): void {
  forget()
  limit = LINES + bytes
  const missing = ((limit + MARGIN + 0xffff) >>> 16) - memory.size()
  if (missing > 0) memory.grow(missing)
}

/**
 * Reads the line that begins there, and gives back what it has that the line before did not, and the texts that were not kept before.
 * @returns where the next one begins; 0 where it cannot be read here: of what is given back, only the texts count then
 */
export function read(from: i32): i32 {
  rows = innerRows = freshRows = 0
  line++
  const had = given
  given = 0
  at = LINES + from
  const isRead = object(at) && lineEnd()
  if (!isRead) forget()
  before = LINES + from
  for (let gone = had & ~given; gone != 0; gone &= gone - 1) row(ctz(gone) as i32, GONE, 0, 0)
  store<i32>(COUNTS, rows)
  store<i32>(COUNTS + 4, innerRows)
  store<i32>(COUNTS + 8, freshRows)
  return isRead ? at - LINES : 0
}

function byte(place: i32): u32 {
  return load<u8>(place)
}

function isDigit(some: u32): bool {
  return some - ZERO < 10
}

function space(): void {
  let some = byte(at)
  while (some == SPACE || some == TAB) some = byte(++at)
}

function lineEnd(): bool {
  space()
  if (byte(at) == RETURN) at++
  return byte(at++) == NEWLINE
}

function row(whose: i32, kind: i32, over: i32, value: f64): void {
  const to = GIVEN + rows++ * ROW
  store<i16>(to, whose as i16)
  store<i16>(to + 2, kind as i16)
  store<i32>(to + 4, over)
  store<f64>(to + 8, value)
}

/** All of a record. What is written as at the same place of the line before is not read again. */
function object(from: i32): bool {
  const known = fields
  if (byte(at++) != OPEN) return false
  space()
  fields = 0
  if (byte(at) == CLOSE) {
    at++
    return true
  }
  /** Where the field that is at this place in the line before begins there, counted from the begin of the line. */
  let there: i32 = 1
  for (;;) {
    if (fields < known) {
      const start = at
      const until = there + alikeFrom(before + there, start, min(from - before - there, limit - start))
      let over = there
      while (fields < known) {
        const next = load<i32>(OVER + 4 * fields)
        if (next > until) break
        if (!isNew(load<i8>(FIELD + fields))) return false
        over = next
        store<i32>(OVER + 4 * fields++, start - from + over - there)
      }
      if (over > there) {
        at = start + over - there
        if (byte(at - 1) == CLOSE) return true
      }
    }
    if (byte(at) != QUOTE || fields >= MOST_FIELDS) return false
    const name = text(load<i32>(NAME + 4 * fields))
    // A short name is only not kept where the line has another text in its place.
    if (name == NONE || (name == LOOSE && (escaped || textTo - textFrom <= LONGEST_KEPT))) return false
    store<i32>(NAME + 4 * fields, name)
    space()
    if (byte(at++) != COLON) return false
    space()
    const field: i32 = name == LOOSE ? OTHER : load<i8>(FIELD_OF + name)
    if (field == SPELT || !value(field) || !isNew(field)) return false
    space()
    const next = byte(at++)
    if (next == COMMA) space()
    else if (next != CLOSE) return false
    there = fields < known ? load<i32>(OVER + 4 * fields) : 0
    store<i8>(FIELD + fields, field as i8)
    store<i32>(OVER + 4 * fields++, at - from)
    if (next == CLOSE) return true
  }
  return false
}

/** Whether a field was not given before: one that is given twice is none of the plainest. */
function isNew(field: i32): bool {
  if (field == OTHER) return true
  const bit: u32 = 1 << field
  const was = given
  given = was | bit
  return (was & bit) == 0
}

/** The value of a field of the record. */
function value(field: i32): bool {
  const first = byte(at)
  const from = at
  if (first == QUOTE) {
    if (field == TIME && instant()) {
      row(field, NUMBER, at, number)
      return true
    }
    const last: i32 = field == OTHER ? 0 : load<i32>(VALUE + 4 * field)
    const kept = text(load<i16>(FOLLOWER + 2 * last))
    if (kept == NONE) return false
    if (kept == LOOSE) row(field, LONG_TEXT, textTo - LINES, textFrom - LINES)
    else {
      if (field != OTHER) {
        store<i32>(VALUE + 4 * field, kept)
        store<i16>(FOLLOWER + 2 * last, kept as i16)
      }
      row(field, KEPT_TEXT, kept, 0)
    }
    return true
  }
  if (first == OPEN) {
    if (flat()) {
      row(field, ATTRS, 0, 0)
      return true
    }
    at = from
    innerRows = 0
  }
  const kind = first == OPEN || first == OPEN_LIST ? nested() : bare(first)
  row(field, kind, at - LINES, number)
  return kind != UNREAD
}

/** The place of `time` among the fields. */
const TIME: i32 = 7

/** A number, true, false or null, of which this is the first letter. @returns what it is */
function bare(first: u32): i32 {
  if (first == MINUS || isDigit(first)) return numeral()
  at += 4
  if (load<u32>(at - 4) == TRUE_WORD) return TRUE
  if (load<u32>(at - 4) == NULL_WORD) return NULL
  at++
  return load<u32>(at - 4) == ALSE_WORD && byte(at - 5) == 102 ? FALSE : UNREAD
}

/** One that is not written in the plainest way is JSON: only where it ends is found. */
function numeral(): i32 {
  const from = at
  if (byte(at) == MINUS) at++
  const digits = at
  let whole: u64 = 0
  for (; isDigit(byte(at)); at++) whole = whole * 10 + (byte(at) - ZERO)
  const point = at
  let divisor: f64 = 1
  if (byte(at) == DOT)
    for (at++; isDigit(byte(at)); at++) {
      whole = whole * 10 + (byte(at) - ZERO)
      divisor *= 10
    }
  const isPlain = (byte(at) | SMALL) != LETTER_E && point > digits && (point == digits + 1 || byte(digits) != ZERO) && byte(at - 1) != DOT
  if (isPlain && at - digits <= EXACT_DIGITS) {
    const size = (whole as f64) / divisor
    number = digits > from ? -size : size
    return NUMBER
  }
  for (let some = byte(at); isDigit(some) || some == DOT || (some | SMALL) == LETTER_E || some == MINUS || some == PLUS;) some = byte(++at)
  number = from - LINES
  return JSON
}

/** A moment as it is mostly written, `"2026-11-23T05:41:00.123Z"`; where it is not, nothing has moved. */
function instant(): bool {
  const from = at + 1
  if (byte(from + 4) != MINUS || byte(from + 7) != MINUS || byte(from + 10) != LETTER_T || byte(from + 13) != COLON || byte(from + 16) != COLON)
    return false
  if (byte(from + 19) != DOT || byte(from + 23) != LETTER_Z || byte(from + 24) != QUOTE) return false
  const year = 100 * two(from) + two(from + 2)
  const month = two(from + 5)
  const day = two(from + 8)
  const hour = two(from + 11)
  const minute = two(from + 14)
  const second = two(from + 17)
  const hundredths = two(from + 20)
  const thousandth = byte(from + 22) - ZERO
  const isLeap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0)
  const days: i32 = month == 2 ? 28 + (isLeap ? 1 : 0) : 30 + ((month + (month >> 3)) & 1)
  // A pair that is no number is far below zero.
  if (year < 1000 || month < 1 || month > 12 || day < 1 || day > days || thousandth > 9) return false
  if (hour < 0 || hour > 23 || minute < 0 || minute > 59 || second < 0 || second > 59 || hundredths < 0) return false
  // Days since 1970, by years that begin in March.
  const y = month > 2 ? year : year - 1
  const m = month > 2 ? month - 3 : month + 9
  const date = 365 * y + y / 4 - y / 100 + y / 400 + (153 * m + 2) / 5 + day - 1 - 719_468
  number = (date as f64) * DAY_MS + ((hour * 3_600_000 + minute * 60_000 + second * 1000 + hundredths * 10 + (thousandth as i32)) as f64)
  at = from + 25
  return true
}

/** A number of two digits; where there are others, it is far below zero. */
function two(place: i32): i32 {
  const tens = byte(place) - ZERO
  const ones = byte(place + 1) - ZERO
  return tens < 10 && ones < 10 ? 10 * tens + ones : -100_000
}

/** An object of plain values inside the record. */
function flat(): bool {
  let n: i32 = 0
  do {
    at++
    space()
    if (n >= MOST_FIELDS || byte(at) != QUOTE) return false
    const name = text(load<i32>(INNER_NAME + 4 * n))
    if (name < 0) return false
    store<i32>(INNER_NAME + 4 * n, name)
    space()
    if (byte(at++) != COLON) return false
    space()
    let kind: i32 = KEPT_TEXT
    let over: i32 = 0
    if (byte(at) == QUOTE) {
      over = text(load<i16>(FOLLOWER + 2 * name))
      if (over == NONE) return false
      if (over == LOOSE) {
        kind = LONG_TEXT
        over = textTo - LINES
        number = textFrom - LINES
      } else store<i16>(FOLLOWER + 2 * name, over as i16)
    } else {
      kind = bare(byte(at))
      if (kind == UNREAD || kind == NULL) return false
      over = at - LINES
    }
    const to = INNER + n++ * ROW
    store<i16>(to, name as i16)
    store<i16>(to + 2, kind as i16)
    store<i32>(to + 4, over)
    store<f64>(to + 8, number)
    space()
  } while (byte(at) == COMMA)
  innerRows = n
  return byte(at++) == CLOSE
}

/** An object or a list inside the record: only where it ends is found. */
function nested(): i32 {
  number = at - LINES
  let depth: i32 = 0
  let inText = false
  do {
    const some = byte(at++)
    if (some < SPACE && some != TAB) return UNREAD
    if (inText) {
      if (some == QUOTE) inText = false
      else if (some == BACKSLASH) {
        // A letter by its number may be none that can be kept.
        if (byte(at) < SPACE || byte(at) == LETTER_U) return UNREAD
        at++
      }
    } else if (some == QUOTE) inText = true
    else if (some == OPEN || some == OPEN_LIST) depth++
    else if (some == CLOSE || some == CLOSE_LIST) depth--
  } while (depth > 0)
  return JSON
}

/**
 * A text in quotes, which `at` is at, of which the bytes from `textFrom` to `textTo` are.
 * @param likely the number of what it may well be
 * @returns by which number it is kept
 */
function text(likely: i32): i32 {
  const from = at + 1
  textFrom = from
  if (likely >= 0) {
    const length: i32 = load<u8>(LENGTH + likely)
    if (byte(from + length) == QUOTE && isAlike(WRITTEN + likely * LONGEST_KEPT, from, length)) {
      textTo = from + length
      at = textTo + 1
      store<i32>(USED + 4 * likely, line)
      return likely
    }
  }
  if (!textEnd()) return NONE
  at = textTo + 1
  const length = textTo - from
  if (length > LONGEST_KEPT) return LOOSE
  const slot = slotOf(from, length)
  const isKept = (load<u8>(LENGTH + slot) as i32) == length && isAlike(WRITTEN + slot * LONGEST_KEPT, from, length)
  // One that this line uses has to stay what it is.
  if (!isKept && (load<i32>(USED + 4 * slot) == line || freshRows >= 4 * MOST_FIELDS)) return LOOSE
  store<i32>(USED + 4 * slot, line)
  if (isKept) return slot
  memory.copy(WRITTEN + slot * LONGEST_KEPT, from, length)
  store<u8>(LENGTH + slot, length as u8)
  store<i8>(FIELD_OF + slot, (escaped ? SPELT : fieldNamed(from, length)) as i8)
  const to = FRESH + freshRows++ * ROW
  store<i32>(to, slot)
  store<i32>(to + 4, textTo - LINES)
  store<f64>(to + 8, from - LINES)
  return slot
}

/** Finds the quote where the text from `textFrom` ends. */
function textEnd(): bool {
  escaped = false
  textTo = textFrom
  for (;;) {
    const some = v128.load(textTo)
    const quotes = i8x16.eq(some, i8x16.splat(QUOTE as i8))
    const backslashes = i8x16.eq(some, i8x16.splat(BACKSLASH as i8))
    const ends = i8x16.bitmask(v128.or(v128.or(quotes, backslashes), i8x16.lt_u(some, i8x16.splat(SPACE as i8))))
    if (ends == 0) textTo += 16
    else {
      textTo += ctz(ends)
      const end = byte(textTo)
      if (end == QUOTE) return true
      if (end != BACKSLASH || byte(textTo + 1) < SPACE) return false
      escaped = true
      textTo += 2
    }
  }
  return false
}

function slotOf(from: i32, length: i32): i32 {
  let hash: u32 = length
  const to = from + length
  let i = from
  for (; i + 4 <= to; i += 4) {
    hash = (hash ^ load<u32>(i)) * 0x2c1b3c6d
    hash ^= hash >>> 15
  }
  for (; i < to; i++) hash = (hash ^ byte(i)) * 0x2c1b3c6d
  return (hash ^ (hash >>> 13)) & (KEPT - 1)
}

function fieldNamed(from: i32, length: i32): i32 {
  for (let field: i32 = 0; field < fieldNames; field++) {
    const name = FIELD_NAMES + 16 * field
    if ((load<u8>(name) as i32) == length && isAlike(name + 1, from, length)) return field
  }
  return OTHER
}

function isAlike(one: i32, other: i32, bytes: i32): bool {
  let i: i32 = 0
  for (; i + 16 <= bytes; i += 16) if (v128.any_true(v128.xor(v128.load(one + i), v128.load(other + i)))) return false
  if (i + 8 <= bytes) {
    if (load<u64>(one + i) != load<u64>(other + i)) return false
    i += 8
  }
  for (; i < bytes; i++) if (byte(one + i) != byte(other + i)) return false
  return true
}

/** How many bytes from one place on are as those from another, of so many. */
function alikeFrom(one: i32, other: i32, most: i32): i32 {
  for (let i: i32 = 0; i < most; i += 16) {
    const differ = ~i8x16.bitmask(i8x16.eq(v128.load(one + i), v128.load(other + i))) & 0xffff
    if (differ != 0) return min(most, i + ctz(differ))
  }
  return most
}
