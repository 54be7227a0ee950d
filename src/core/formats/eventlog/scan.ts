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
  /** Whether events of this kind are wanted at all; those that are not are only counted. */
  wanted(provider: string, id: number): boolean
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
        this.#first = start.slice()
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
    let at = 0
    for (;;) {
      const start = startOfEvent(text, at)
      if (start < 0) {
        // The beginning of a tag may be cut off.
        at = last ? text.length : Math.max(at, text.length - 8)
        break
      }
      const end = text.indexOf('</Event>', start)
      if (end < 0) {
        const next = startOfEvent(text, start + 6)
        if (next > 0 || last || text.length - start > LONGEST_EVENT) {
          const cut = next > 0 ? next : text.length
          if (!this.#skipped)
            this.#refuse(
              start,
              text.length - start > LONGEST_EVENT && next < 0 ? 'event.too-long' : 'event.cut-off',
              text.length - start > LONGEST_EVENT && next < 0
                ? `an event is longer than ${LONGEST_EVENT} characters`
                : 'the event has no end; the file may be cut off here',
              text.slice(start),
            )
          this.#skipped = next < 0
          at = cut
          if (next > 0) continue
          break
        }
        at = start
        break
      }
      this.#skipped = false
      const inner = startOfEvent(text.slice(start + 6, end), 0)
      if (inner >= 0) {
        this.#refuse(start, 'event.cut-off', 'the event has no end before the next one begins', text.slice(start, end))
        at = start + 6 + inner
        continue
      }
      this.found++
      this.#one(text, start, end)
      at = end + 8
    }
    this.#before += at
    this.#text = text.slice(at)
  }

  #one(text: string, start: number, end: number): void {
    if (end - start > LONGEST_EVENT)
      return this.#refuse(start, 'event.too-long', `longer than ${LONGEST_EVENT} characters`, text.slice(start, start + EXCERPT_LENGTH))
    const provider = between(text, start, end, '<Provider', 'Name')
    const idText = contentOf(text, start, end, 'EventID')
    const id = idText === null ? NaN : Number(idText)
    if (provider === null || !Number.isInteger(id))
      return this.#refuse(start, 'event.system', 'the event does not say its provider and its id', text.slice(start, end))
    if (!this.sink.wanted(provider, id)) return
    try {
      this.sink.event(readEvent(text.slice(start, end), provider, id))
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
  return close < 0 || close > end ? null : attributeOf(text.slice(at + tag.length, close), attribute)
}

function attributeOf(tag: string, attribute: string): string | null {
  for (let at = tag.indexOf(attribute); at >= 0; at = tag.indexOf(attribute, at + 1)) {
    const before = at === 0 ? 32 : tag.charCodeAt(at - 1)
    if (before !== 32 && before !== 10 && before !== 9 && before !== 13) continue
    let from = at + attribute.length
    while (tag.charCodeAt(from) === 32) from++
    if (tag.charCodeAt(from) !== 61) continue
    from++
    while (tag.charCodeAt(from) === 32) from++
    const quote = tag[from]
    if (quote !== '"' && quote !== "'") return null
    const to = tag.indexOf(quote, from + 1)
    return to < 0 ? null : decoded(tag.slice(from + 1, to))
  }
  return null
}

/** The text of the first element of that name, with or without attributes. */
function contentOf(text: string, start: number, end: number, name: string): string | null {
  for (let at = text.indexOf(`<${name}`, start); at >= 0 && at < end; at = text.indexOf(`<${name}`, at + 1)) {
    const next = text.charCodeAt(at + name.length + 1)
    if (next !== 62 && next !== 32) continue
    const open = text.indexOf('>', at)
    if (open < 0 || open > end) return null
    if (text.charCodeAt(open - 1) === 47) return ''
    const close = text.indexOf('<', open)
    return close < 0 ? null : decoded(text.slice(open + 1, close).trim())
  }
  return null
}

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

function readEvent(text: string, provider: string, id: number): LogEvent {
  const time = between(text, 0, text.length, '<TimeCreated', 'SystemTime')
  if (time === null) throw new Refusal('event.time', 'the event does not say when it was written (TimeCreated)')
  // An export without a zone is in UTC, as the schema says.
  const timeMs = readTime(/(?:[Zz]|[+-]\d{2}:\d{2})$/.test(time) ? time : `${time}Z`)
  const computer = contentOf(text, 0, text.length, 'Computer') ?? ''
  return {
    provider,
    id,
    timeMs,
    computer: /^\d+(\.\d+){3}$/.test(computer) ? computer : (computer.split('.')[0] ?? ''),
    user: between(text, 0, text.length, '<Security', 'UserID') ?? '',
    activity: between(text, 0, text.length, '<Correlation', 'ActivityID') ?? '',
    process: between(text, 0, text.length, '<Execution', 'ProcessID') ?? '',
    data: dataOf(text),
  }
}

/** So many fields of an event are read. */
const MOST_FIELDS = 200

function dataOf(text: string): Record<string, string> {
  const data: Record<string, string> = {}
  const start = startOf(text, 'EventData')
  if (start >= 0) {
    const end = text.indexOf('</EventData>', start)
    let n = 0
    for (let at = text.indexOf('<Data', start); at >= 0 && (end < 0 || at < end) && n < MOST_FIELDS; at = text.indexOf('<Data', at + 5)) {
      const open = text.indexOf('>', at)
      if (open < 0) break
      n++
      const name = attributeOf(text.slice(at + 5, open), 'Name') ?? String(n)
      data[name] = text.charCodeAt(open - 1) === 47 ? '' : plain(text, open + 1)
    }
    return data
  }
  const user = startOf(text, 'UserData')
  if (user < 0) return data
  const end = text.indexOf('</UserData>', user)
  // Leaves: an element whose text is followed by its own end.
  const leaf = /<([\w.-]+)(?:\s[^>]*)?>([^<]*)<\/\1>/g
  leaf.lastIndex = user
  for (let m = leaf.exec(text), n = 0; m && (end < 0 || m.index < end) && n < MOST_FIELDS; m = leaf.exec(text), n++)
    data[m[1] ?? ''] = decoded((m[2] ?? '').trim())
  return data
}

function startOf(text: string, name: string): number {
  const at = text.indexOf(`<${name}`)
  return at >= 0 && text.charCodeAt(at + name.length + 1) !== 47 ? at : -1
}

/** Text up to the next tag; or what a CDATA section holds. */
function plain(text: string, from: number): string {
  if (text.startsWith('<![CDATA[', from)) {
    const end = text.indexOf(']]>', from)
    return end < 0 ? '' : text.slice(from + 9, end).trim()
  }
  const end = text.indexOf('<', from)
  return decoded(text.slice(from, end < 0 ? text.length : end).trim())
}
