import { EXCERPT_LENGTH, Refusal, type Fault } from '../fault'
import { readTime } from '../observation'
import { keepable } from '../text'

/** An event as the operating system exports it (event schema 2004/08): what its `System` part says, and its data by name. */
export interface LogEvent {
  readonly provider: string
  readonly id: number
  readonly timeMs: number
  /** The machine that wrote it, without its domain. */
  readonly computer: string
  /** The SID under which it was written. */
  readonly user: string
  readonly activity: string
  /** The number of the process that wrote it. */
  readonly process: string
  /** Fields of `EventData` by their name, and the leaves of `UserData`; those without a name by their place: `1`, `2`, … */
  readonly data: Readonly<Record<string, string>>
}

/** A longer event is refused. */
const LONGEST_EVENT = 1 << 20

export interface EventSink {
  /** The fields of such events that are to be read; null where the event is not wanted at all. */
  wanted(provider: string, id: number): ReadonlySet<string> | null
  event(event: LogEvent): void
  fault(fault: Fault): void
}

/**
 * Finds events in XML as it arrives, in chunks of bytes cut anywhere: UTF-8 or UTF-16, with or without a root element. An event that cannot be read
 * is reported with its byte and the reason, and the next one is read. Not a general XML parser: it looks for `<Event …> … </Event>`, and reads wanted ones only.
 */
export class EventScanner {
  #decoder: InstanceType<typeof TextDecoder> | null = null
  #first: Uint8Array | null = null
  #bytesPerChar = 1
  #text = ''
  /** Characters before #text, and bytes that were more than one each. */
  #before = 0
  #skipped = false
  found = 0

  constructor(private readonly sink: EventSink) {}

  push(chunk: Uint8Array): void {
    if (!this.#decoder) {
      // Two bytes are needed to know the encoding.
      const start = this.#first ? joined(this.#first, chunk) : chunk
      if (start.length < 4) {
        this.#first = new Uint8Array(start)
        return
      }
      const encoding = encodingOf(start)
      this.#bytesPerChar = encoding === 'utf-8' ? 1 : 2
      this.#decoder = new TextDecoder(encoding)
      chunk = start
    }
    this.#text += this.#decoder.decode(chunk, { stream: true })
    this.#events(false)
  }

  end(): void {
    if (!this.#decoder && this.#first) {
      this.#decoder = new TextDecoder('utf-8')
      this.#text = this.#decoder.decode(this.#first)
    } else if (this.#decoder) this.#text += this.#decoder.decode()
    this.#events(true)
    if (this.#text.trim() !== '' && this.found === 0)
      this.#refuse(0, 'event.none', 'no event was found; expected <Event> elements as the system exports them', this.#text)
  }

  #events(last: boolean): void {
    const text = this.#text
    // The beginning of a tag may be cut off.
    let at = last ? text.length : Math.max(0, text.length - 8)
    for (let start = startOfEvent(text, 0); start >= 0;) {
      const next = startOfEvent(text, start + 6)
      const end = text.indexOf('</Event>', start)
      const isTooLong = (end < 0 ? text.length : end) - start > LONGEST_EVENT
      if (end < 0 && next < 0 && !last && !isTooLong) {
        at = start
        break
      }
      if (end < 0 || (next >= 0 && next < end)) {
        if (end >= 0 || !this.#skipped) this.#cutOff(text, start, next, end)
        this.#skipped = end < 0 && next < 0
        if (this.#skipped) at = text.length
      } else {
        this.#skipped = false
        this.found++
        if (isTooLong) this.#refuse(start, 'event.too-long', `longer than ${LONGEST_EVENT} characters`, text.slice(start, start + EXCERPT_LENGTH))
        else this.#one(text, start, end)
        if (next < 0) at = Math.max(end + 8, at)
      }
      start = next
    }
    this.#before += at
    this.#text = text.slice(at)
  }

  #cutOff(text: string, start: number, next: number, end: number): void {
    if (end >= 0) this.#refuse(start, 'event.cut-off', 'the event has no end before the next one begins', text.slice(start, end))
    else if (next < 0 && text.length - start > LONGEST_EVENT)
      this.#refuse(start, 'event.too-long', `an event is longer than ${LONGEST_EVENT} characters`, text.slice(start))
    else this.#refuse(start, 'event.cut-off', 'the event has no end; the file may be cut off here', text.slice(start))
  }

  #one(text: string, start: number, end: number): void {
    const provider = own(between(text, start, end, '<Provider', 'Name'))
    const idText = contentOf(text, start, end, 'EventID')
    const id = idText === null ? NaN : Number(idText)
    if (provider === null || !Number.isInteger(id))
      return this.#refuse(start, 'event.system', 'the event does not say its provider and its id', text.slice(start, end))
    const fields = this.sink.wanted(provider, id)
    if (!fields) return
    try {
      this.sink.event(readEvent(text, start, end, provider, id, fields))
    } catch (error) {
      if (!(error instanceof Refusal)) throw error
      this.#refuse(start, error.code, error.message, text.slice(start, end))
    }
  }

  #refuse(at: number, code: string, reason: string, text: string): void {
    this.sink.fault({ line: null, byte: (this.#before + at) * this.#bytesPerChar, code, reason, excerpt: keepable(text.slice(0, EXCERPT_LENGTH)) })
  }
}

function joined(a: Uint8Array, b: Uint8Array): Uint8Array {
  const both = new Uint8Array(a.length + b.length)
  both.set(a)
  both.set(b, a.length)
  return both
}

/** By its byte order mark, or by where the zero bytes of the first characters are. */
export function encodingOf(bytes: Uint8Array): 'utf-8' | 'utf-16le' | 'utf-16be' {
  const [a = 0, b = 0] = bytes
  if ((a === 0xff && b === 0xfe) || (a === 0x3c && b === 0)) return 'utf-16le'
  if ((a === 0xfe && b === 0xff) || (a === 0 && b === 0x3c)) return 'utf-16be'
  return 'utf-8'
}

/** `<Event>` or `<Event …>`, and not `<Events>`, `<EventData>` or `<EventID>`. */
function startOfEvent(text: string, from: number): number {
  for (let at = text.indexOf('<Event', from); at >= 0; at = text.indexOf('<Event', at + 6)) {
    const next = text.charCodeAt(at + 6)
    if (next === 62 || next === 32 || next === 10 || next === 13 || next === 9) return at
  }
  return -1
}

/** The value of an attribute in the first tag that begins so. */
function between(text: string, start: number, end: number, tag: string, attribute: string): string | null {
  const at = text.indexOf(tag, start)
  if (at < 0 || at > end) return null
  const close = text.indexOf('>', at)
  return close < 0 || close > end ? null : attributeOf(text, at + tag.length, close, attribute)
}

/** The value of an attribute in a tag whose attributes reach from one place to another. */
function attributeOf(text: string, start: number, end: number, attribute: string): string | null {
  for (let at = start; at < end;) {
    while (isBlank(text.charCodeAt(at))) at++
    const equals = text.indexOf('=', at)
    if (equals < 0 || equals >= end) return null
    let from = equals + 1
    while (isBlank(text.charCodeAt(from))) from++
    const quote = text.charCodeAt(from)
    if (quote !== 34 && quote !== 39) return null
    const to = text.indexOf(quote === 34 ? '"' : "'", from + 1)
    if (to < 0 || to >= end) return null
    if (text.startsWith(attribute, at)) {
      const nameEnd = at + attribute.length
      if (nameEnd === equals || isBlank(text.charCodeAt(nameEnd))) return decoded(text.slice(from + 1, to))
    }
    at = to + 1
  }
  return null
}

const isBlank = (code: number): boolean => code === 32 || code === 10 || code === 9 || code === 13

/** The text of the first element of that name, with or without attributes. */
function contentOf(text: string, start: number, end: number, name: string): string | null {
  const tag = `<${name}`
  for (let at = text.indexOf(tag, start); at >= 0 && at < end; at = text.indexOf(tag, at + 1)) {
    const next = text.charCodeAt(at + tag.length)
    if (next !== 62 && next !== 32) continue
    const open = text.indexOf('>', at)
    if (open < 0 || open > end) return null
    if (text.charCodeAt(open - 1) === 47) return ''
    return plain(text, open + 1, end)
  }
  return null
}

/** So many texts are kept, as most come again and again. */
const MOST_KEPT = 20_000
const kept = new Map<string, string>()
/** Shorter ones are copies already; longer ones hardly come again. */
const SHORTEST_CUT = 13
const LONGEST_KEPT = 200

/** A text of its own: one that is cut out of a long one holds all of that in memory as long as it lives. */
function own<T extends string | null>(text: T): T {
  if (text === null || text.length < SHORTEST_CUT) return text
  if (text.length > LONGEST_KEPT) return copied(text) as T
  let one = kept.get(text)
  if (one === undefined) {
    if (kept.size >= MOST_KEPT) kept.clear()
    one = copied(text)
    kept.set(one, one)
  }
  return one as T
}

const copied = (text: string): string => (text.length < SHORTEST_CUT ? text : ` ${text}`.slice(1))

const ENTITIES: ReadonlyMap<string, string> = new Map(Object.entries({ amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" }))

/** Text with its entities replaced (XML 1.0, 4.1 and 4.6); unknown ones stay as they are. */
function decoded(text: string): string {
  if (!text.includes('&')) return text
  return text.replaceAll(/&(#x[0-9a-f]{1,6}|#\d{1,7}|\w{2,8});/gi, (whole, name: string) => {
    if (name[0] !== '#') return ENTITIES.get(name.toLowerCase()) ?? whole
    const code = name[1] === 'x' || name[1] === 'X' ? Number.parseInt(name.slice(2), 16) : Number(name.slice(1))
    return code > 0 && code <= 0x10ffff && !(code >= 0xd800 && code <= 0xdfff) ? String.fromCodePoint(code) : ''
  })
}

function readEvent(text: string, start: number, end: number, provider: string, id: number, fields: ReadonlySet<string>): LogEvent {
  const systemEnd = text.indexOf('</System>', start)
  const until = systemEnd < 0 || systemEnd > end ? end : systemEnd
  const time = between(text, start, until, '<TimeCreated', 'SystemTime')
  if (time === null) throw new Refusal('event.time', 'the event does not say when it was written (TimeCreated)')
  // An export without a zone is in UTC, as the schema says.
  const timeMs = readTime(time.endsWith('Z') || /(?:z|[+-]\d{2}:\d{2})$/.test(time) ? time : `${time}Z`)
  return {
    provider,
    id,
    timeMs,
    computer: own(withoutDomain(contentOf(text, start, until, 'Computer') ?? '')),
    user: own(between(text, start, until, '<Security', 'UserID') ?? ''),
    activity: copied(between(text, start, until, '<Correlation', 'ActivityID') ?? ''),
    process: between(text, start, until, '<Execution', 'ProcessID') ?? '',
    data: dataOf(text, until, end, fields),
  }
}

function withoutDomain(computer: string): string {
  const dot = computer.indexOf('.')
  return dot < 0 || /^\d+(\.\d+){3}$/.test(computer) ? computer : computer.slice(0, dot)
}

/** So many fields of an event are looked at. */
const MOST_FIELDS = 200

/** Those that are asked for. */
function dataOf(text: string, from: number, eventEnd: number, fields: ReadonlySet<string>): Record<string, string> {
  const data: Record<string, string> = {}
  if (fields.size === 0) return data
  const start = startOf(text, from, eventEnd, 'EventData')
  if (start >= 0) {
    const end = endOf(text, start, eventEnd, '</EventData>')
    let n = 0
    for (let at = text.indexOf('<Data', start); at >= 0 && at < end && n < MOST_FIELDS; at = text.indexOf('<Data', at + 5)) {
      const open = text.indexOf('>', at)
      if (open < 0 || open > end) break
      n++
      const name = attributeOf(text, at + 5, open, 'Name') ?? String(n)
      if (fields.has(name)) data[own(name)] = text.charCodeAt(open - 1) === 47 ? '' : own(plain(text, open + 1, end))
    }
    return data
  }
  const user = startOf(text, from, eventEnd, 'UserData')
  if (user < 0) return data
  const end = endOf(text, user, eventEnd, '</UserData>')
  // Leaves: an element whose text is followed by its own end.
  let n = 0
  for (let at = text.indexOf('<', user); at >= 0 && at < end && n < MOST_FIELDS;) {
    const open = text.indexOf('>', at)
    const close = open < 0 ? -1 : text.indexOf('<', open)
    if (close < 0 || close > end) break
    if (text.charCodeAt(close + 1) === 47 && text.charCodeAt(at + 1) !== 47) {
      n++
      let nameEnd = at + 1
      while (nameEnd < open && !isBlank(text.charCodeAt(nameEnd))) nameEnd++
      const name = text.slice(at + 1, nameEnd)
      if (fields.has(name) && text.startsWith(name, close + 2)) data[own(name)] = own(decoded(text.slice(open + 1, close).trim()))
    }
    at = close
  }
  return data
}

function startOf(text: string, from: number, end: number, name: string): number {
  const at = text.indexOf(`<${name}`, from)
  return at >= 0 && at < end && text.charCodeAt(at + name.length + 1) !== 47 ? at : -1
}

function endOf(text: string, from: number, eventEnd: number, tag: string): number {
  const at = text.indexOf(tag, from)
  return at < 0 || at > eventEnd ? eventEnd : at
}

/** Text up to the next tag; or what a CDATA section holds. */
function plain(text: string, from: number, end: number): string {
  if (text.startsWith('<![CDATA[', from)) {
    const close = text.indexOf(']]>', from)
    return close < 0 || close > end ? '' : text.slice(from + 9, close).trim()
  }
  const close = text.indexOf('<', from)
  return decoded(text.slice(from, close < 0 || close > end ? end : close).trim())
}
