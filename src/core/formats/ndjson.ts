import type { Observation } from '../logons/observation'
import { EXCERPT_LENGTH, Refusal, type Fault } from './fault'
import { canBeTogether, LineParser } from './lines'
import { readObservation } from './observation'
import { hasNumbered, keepable } from './text'

/** A longer line is refused without being kept in memory. */
export const LONGEST_LINE_BYTES = 1 << 20
/** So many lines are parsed together. */
const BATCH = 256
const NEWLINE = 10

export interface Sink {
  observation(observation: Observation): void
  fault(fault: Fault): void
}

/**
 * Reads NDJSON as it arrives, in chunks of bytes cut anywhere. A line that cannot be read is reported with its number, its first byte and the
 * reason, and the next one is read. Memory is bounded by the longest allowed line.
 */
export class NdjsonReader {
  #rest: Uint8Array | null = null
  #line = 1
  #byte = 0
  /** Inside a line that is too long: skip to its end. */
  #skipping = false
  readonly #parser = new LineParser()
  readonly #strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })
  readonly #lax = new TextDecoder('utf-8', { ignoreBOM: true })

  constructor(private readonly sink: Sink) {}

  get line(): number {
    return this.#line
  }

  push(chunk: Uint8Array): void {
    let bytes = this.#rest ? join(this.#rest, chunk) : chunk
    this.#rest = null
    if (this.#skipping) {
      const end = bytes.indexOf(NEWLINE)
      if (end < 0) {
        this.#byte += bytes.length
        return
      }
      this.#skipping = false
      this.#line++
      this.#byte += end + 1
      bytes = bytes.subarray(end + 1)
    }
    const lastEnd = bytes.lastIndexOf(NEWLINE)
    if (lastEnd >= 0) this.#block(bytes.subarray(0, lastEnd))
    const rest = bytes.subarray(lastEnd + 1)
    if (lastEnd >= 0) this.#byte += lastEnd + 1
    if (rest.length > LONGEST_LINE_BYTES) this.#tooLong(rest)
    else if (rest.length > 0) this.#rest = rest.slice()
  }

  /** The last line, if it does not end in a newline. */
  end(): void {
    const rest = this.#rest
    this.#rest = null
    if (rest) this.#block(rest)
  }

  /** Complete lines, without the last newline. Decodes them at once; only where that fails, one by one. */
  #block(bytes: Uint8Array): void {
    let text: string
    try {
      text = this.#strict.decode(bytes)
    } catch {
      this.#lineByLine(bytes)
      return
    }
    const ascii = text.length === bytes.length
    const clean = !hasNumbered(text)
    const together = canBeTogether(text, clean)
    const lines = text.split('\n')
    const firstLine = this.#line
    // Bytes are counted only where somebody is told of them.
    let [counted, byte] = [0, this.#byte]
    const alone = (at: number) => {
      for (; counted < at; counted++) byte += 1 + (ascii ? (lines[counted] ?? '').length : utf8Length(lines[counted] ?? ''))
      this.#line = firstLine + at
      const line = lines[at] ?? ''
      this.#one(line, byte, clean || !hasNumbered(line))
    }
    for (let from = 0; from < lines.length; from += BATCH) {
      const batch = lines.slice(from, from + BATCH)
      const parsed =
        together &&
        batch.every(({ length }) => length <= LONGEST_LINE_BYTES) &&
        this.#parser.parse(batch, clean, (value, said, i) => {
          let observation: Observation
          try {
            observation = readObservation(value, clean, said)
          } catch {
            // Refused: it is read again by itself, to say why.
            alone(from + i)
            return
          }
          this.sink.observation(observation)
        })
      if (!parsed) for (let i = from; i < from + batch.length; i++) alone(i)
    }
    this.#line = firstLine + lines.length
  }

  #lineByLine(bytes: Uint8Array): void {
    let at = 0
    for (;;) {
      let end = bytes.indexOf(NEWLINE, at)
      if (end < 0) end = bytes.length
      const part = bytes.subarray(at, end)
      try {
        this.#one(this.#strict.decode(part), this.#byte + at, false)
      } catch {
        this.#refuse(
          this.#byte + at,
          'line.encoding',
          looksUtf16(part) ? 'the file looks like UTF-16; expected UTF-8' : 'not valid UTF-8',
          this.#lax.decode(part.subarray(0, EXCERPT_LENGTH)),
        )
      }
      this.#line++
      if (end === bytes.length) return
      at = end + 1
    }
  }

  /** `clean`: the line holds no \u escape; decoded strictly, no text in it can then hold NUL or half a surrogate pair. */
  #one(line: string, byte: number, clean: boolean): void {
    if (line.length > LONGEST_LINE_BYTES) return this.#refuse(byte, 'line.too-long', `longer than ${LONGEST_LINE_BYTES} bytes`, line)
    const text = byte === 0 && line.charCodeAt(0) === 0xfeff ? line.slice(1) : line
    if (text === '' || text === '\r' || text.trim() === '') return
    let value: unknown
    try {
      value = JSON.parse(text)
    } catch (error) {
      const binary = hasControl(text)
      return this.#refuse(
        byte,
        binary ? 'line.binary' : 'line.json',
        binary ? 'binary data; expected a line of JSON' : `not valid JSON: ${message(error)}`,
        text,
      )
    }
    try {
      this.sink.observation(readObservation(value, clean))
    } catch (error) {
      if (!(error instanceof Refusal)) throw error
      this.#refuse(byte, error.code, error.message, text)
    }
  }

  #tooLong(rest: Uint8Array): void {
    this.#refuse(this.#byte, 'line.too-long', `longer than ${LONGEST_LINE_BYTES} bytes`, this.#lax.decode(rest.subarray(0, EXCERPT_LENGTH)))
    this.#byte += rest.length
    this.#skipping = true
  }

  #refuse(byte: number, code: string, reason: string, text: string): void {
    this.sink.fault({ line: this.#line, byte, code, reason, excerpt: keepable(text.slice(0, EXCERPT_LENGTH)) })
  }
}

function join(a: Uint8Array, b: Uint8Array): Uint8Array {
  const both = new Uint8Array(a.length + b.length)
  both.set(a)
  both.set(b, a.length)
  return both
}

function message(error: unknown): string {
  return error instanceof RangeError ? 'nested too deeply' : error instanceof Error ? keepable(error.message.slice(0, 120)) : 'unreadable'
}

function hasControl(text: string): boolean {
  const n = Math.min(text.length, 500)
  for (let i = 0; i < n; i++) {
    const code = text.charCodeAt(i)
    if (code < 9 || (code > 13 && code < 32)) return true
  }
  return false
}

function looksUtf16(bytes: Uint8Array): boolean {
  return (bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff) || (bytes[0] === 0x7b && bytes[1] === 0)
}

function utf8Length(text: string): number {
  let n = text.length
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i)
    if (code > 0x7f) n += code > 0x7ff && (code < 0xd800 || code > 0xdfff) ? 2 : 1
  }
  return n
}

/** Reads a whole text at once. For small inputs and tests. */
export function readNdjson(bytes: Uint8Array): { observations: Observation[]; faults: Fault[] } {
  const observations: Observation[] = []
  const faults: Fault[] = []
  const reader = new NdjsonReader({ observation: (o) => observations.push(o), fault: (f) => faults.push(f) })
  reader.push(bytes)
  reader.end()
  return { observations, faults }
}
