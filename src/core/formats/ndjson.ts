import type { Observation } from '../logons/observation'
import { EXCERPT_LENGTH, Refusal, type Fault } from './fault'
import { readObservation } from './observation'
import { LineScanner } from './scanner'
import { keepable } from './text'

/** A longer line is refused without being kept in memory. */
export const LONGEST_LINE_BYTES = 1 << 20
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
  readonly #strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })
  readonly #lax = new TextDecoder('utf-8', { ignoreBOM: true })

  constructor(private readonly sink: Sink) {}

  get line(): number {
    return this.#line
  }

  push(chunk: Uint8Array): void {
    let bytes = new Uint8Array(chunk.buffer, chunk.byteOffset, chunk.byteLength)
    if (this.#rest || this.#skipping) {
      const end = bytes.indexOf(NEWLINE) + 1
      const part = end > 0 ? bytes.subarray(0, end) : bytes
      if (this.#skipping) this.#byte += part.length
      else this.#keep(this.#rest ? join(this.#rest, part) : part)
      if (end === 0) return
      if (this.#skipping) this.#line++
      this.#skipping = false
      bytes = bytes.subarray(end)
    }
    const lines = bytes.lastIndexOf(NEWLINE) + 1
    if (lines > 0) this.#block(bytes.subarray(0, lines))
    this.#keep(bytes.subarray(lines))
  }

  /** The begin of a line, or all of one. */
  #keep(bytes: Uint8Array): void {
    this.#rest = null
    if (bytes[bytes.length - 1] === NEWLINE) this.#block(bytes)
    else if (bytes.length > LONGEST_LINE_BYTES) this.#tooLong(bytes)
    else if (bytes.length > 0) this.#rest = bytes.slice()
  }

  /** The last line, if it does not end in a newline. */
  end(): void {
    const rest = this.#rest
    this.#rest = null
    if (rest) this.#block(join(rest, Uint8Array.of(NEWLINE)))
  }

  /** Complete lines, each with its newline. */
  #block(bytes: Uint8Array): void {
    const scanner = idle.pop() ?? new LineScanner()
    scanner.take(bytes)
    const began = this.#byte
    for (let at = 0; at < bytes.length; this.#line++) {
      const observation = scanned(scanner, at)
      if (observation) {
        at = scanner.end
        this.sink.observation(observation)
      } else {
        const newline = bytes.indexOf(NEWLINE, at)
        this.#byte = began + at
        this.#byItself(bytes.subarray(at, newline))
        at = newline + 1
      }
    }
    this.#byte = began + bytes.length
    idle.push(scanner)
  }

  /** A line without its newline, as JSON.parse reads it; what is wrong with it is said. */
  #byItself(bytes: Uint8Array): void {
    let line: string
    try {
      line = this.#strict.decode(bytes)
    } catch {
      const reason = looksUtf16(bytes) ? 'the file looks like UTF-16; expected UTF-8' : 'not valid UTF-8'
      return this.#refuse('line.encoding', reason, this.#lax.decode(bytes.subarray(0, EXCERPT_LENGTH)))
    }
    if (line.length > LONGEST_LINE_BYTES) return this.#refuse('line.too-long', `longer than ${LONGEST_LINE_BYTES} bytes`, line)
    const text = this.#byte === 0 && line.charCodeAt(0) === 0xfeff ? line.slice(1) : line
    if (text === '' || text === '\r' || text.trim() === '') return
    let value: unknown
    try {
      value = JSON.parse(text)
    } catch (error) {
      const binary = hasControl(text)
      return this.#refuse(
        binary ? 'line.binary' : 'line.json',
        binary ? 'binary data; expected a line of JSON' : `not valid JSON: ${message(error)}`,
        text,
      )
    }
    let observation: Observation
    try {
      observation = readObservation(value)
    } catch (error) {
      if (!(error instanceof Refusal)) throw error
      return this.#refuse(error.code, error.message, text)
    }
    this.sink.observation(observation)
  }

  #tooLong(rest: Uint8Array): void {
    this.#refuse('line.too-long', `longer than ${LONGEST_LINE_BYTES} bytes`, this.#lax.decode(rest.subarray(0, EXCERPT_LENGTH)))
    this.#byte += rest.length
    this.#skipping = true
  }

  #refuse(code: string, reason: string, text: string): void {
    this.sink.fault({ line: this.#line, byte: this.#byte, code, reason, excerpt: keepable(text.slice(0, EXCERPT_LENGTH)) })
  }
}

/** Those that nobody reads with just now: what one knows of texts is of use to whoever reads next. */
const idle: LineScanner[] = []

/** The line that begins there; null where it cannot be read so fast, or is refused. */
function scanned(scanner: LineScanner, at: number): Observation | null {
  if (!scanner.read(at) || scanner.end - at > LONGEST_LINE_BYTES) return null
  try {
    return readObservation(scanner.record, true)
  } catch {
    return null
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

/** Reads a whole text at once. For small inputs and tests. */
export function readNdjson(bytes: Uint8Array): { observations: Observation[]; faults: Fault[] } {
  const observations: Observation[] = []
  const faults: Fault[] = []
  const reader = new NdjsonReader({ observation: (o) => observations.push(o), fault: (f) => faults.push(f) })
  reader.push(bytes)
  reader.end()
  return { observations, faults }
}
