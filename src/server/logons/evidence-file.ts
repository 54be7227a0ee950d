import { open } from 'node:fs/promises'
import { createGunzip } from 'node:zlib'
import {
  csvHeader,
  CsvReader,
  encodingOf,
  EventLog,
  keepable,
  NdjsonReader,
  otlpFromProtobuf,
  readOtlp,
  Refusal,
  type Fault,
  type Sink,
} from '../../core/formats'
import type { Observation } from '../../core/logons'

export type EvidenceFormat = 'auto' | 'ndjson' | 'csv' | 'otlp' | 'events'
export const EVIDENCE_FORMATS = ['auto', 'ndjson', 'csv', 'otlp', 'events'] as const satisfies readonly EvidenceFormat[]
const LONGEST_OTLP_BYTES = 256 << 20

export interface Watch {
  /** Called before anything is read, and after each chunk; the next is read when it has answered. `bytes` are those of the file itself, `ms` is the last moment that was read of it. */
  progress?(bytes: number, ms: number): Promise<void>
  /** Where several event logs belong together: the same for all of them, ended by whoever made it. */
  events?: EventLog
  /** So many bytes are read at once. */
  chunkBytes?: number
}

/** Streams one evidence file into a sink; gzip and the format are recognised by their first bytes. */
export async function readEvidence(path: string, format: EvidenceFormat, sink: Sink, watch: Watch = {}): Promise<void> {
  let bytes = 0
  const counted = async function* () {
    // Only now: what is opened is listened to from then on.
    const raw = path === '-' ? (process.stdin as AsyncIterable<Buffer>) : piecesOf(path, watch.chunkBytes ?? 1 << 20)
    for await (const chunk of raw) {
      bytes += chunk.length
      yield chunk
    }
  }
  const chunks = gunzipped(counted())
  let lastMs = -Infinity
  const shared = watch.events && sharedBy(watch.events, (ms) => (lastMs = ms))
  try {
    await watch.progress?.(0, lastMs)
    const timed = {
      observation: (one: Observation) => {
        lastMs = one.timeMs
        sink.observation(one)
      },
      fault: (fault: Fault) => sink.fault(fault),
    }
    await readChunks(chunks, format, timed, shared, async () => watch.progress?.(bytes, lastMs))
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code
    if (code === 'ENOENT') throw new Refusal('file.missing', `${path}: no such file`)
    if (code === 'EISDIR') throw new Refusal('file.folder', `${path} is a folder; expected a file`)
    if (code === 'EACCES') throw new Refusal('file.denied', `${path}: no permission to read it`)
    if (code?.startsWith('Z_'))
      return sink.fault({
        line: null,
        byte: null,
        code: 'file.gzip',
        reason: `the compressed file is broken from here on (${code}); what came before it was kept`,
        excerpt: '',
      })
    throw error
  } finally {
    shared?.position(NaN)
  }
}

/** An event log that several files belong to, and where one of them is, also for whoever watches. */
interface Shared {
  readonly log: EventLog
  readonly position: (ms: number) => void
}

function sharedBy(log: EventLog, watch: (ms: number) => void): Shared {
  const position = log.expect()
  return {
    log,
    position: (ms) => {
      position(ms)
      if (!Number.isNaN(ms)) watch(ms)
    },
  }
}

/**
 * The bytes of a file, piece by piece: while one is looked at, the next is read. Each is good only until the next is asked for. Reading makes no new buffers, as a stream does
 * for each piece: of many files side by side, those were a good part of the memory.
 */
async function* piecesOf(path: string, bytes: number): AsyncGenerator<Buffer> {
  const file = await open(path)
  const readInto = (buffer: Buffer) => {
    const reading = file.read(buffer, 0, bytes, null)
    // It is told when it is waited for.
    reading.catch(() => undefined)
    return reading
  }
  let [current, other] = [Buffer.allocUnsafeSlow(bytes), Buffer.allocUnsafeSlow(bytes)]
  let reading = readInto(current)
  try {
    for (let { bytesRead } = await reading; bytesRead > 0; { bytesRead } = await reading) {
      reading = readInto(other)
      yield current.subarray(0, bytesRead)
      ;[current, other] = [other, current]
    }
  } finally {
    await reading.catch(() => undefined)
    await file.close()
  }
}

async function* gunzipped(raw: AsyncIterable<Buffer>): AsyncIterable<Uint8Array> {
  const iterator = raw[Symbol.asyncIterator]()
  try {
    const first = await iterator.next()
    if (first.done) return
    const again = async function* () {
      yield first.value
      for (let next = await iterator.next(); !next.done; next = await iterator.next()) yield next.value
    }
    if (first.value[0] !== 0x1f || first.value[1] !== 0x8b) return yield* again()
    const gunzip = createGunzip()
    const feed = (async () => {
      try {
        // The next piece only when this one is through: its bytes are used again.
        for await (const chunk of again())
          await new Promise<void>((resolve, reject) => gunzip.write(chunk, (error) => (error ? reject(error) : resolve())))
        gunzip.end()
      } catch (error) {
        gunzip.destroy(error as Error)
      }
    })()
    yield* gunzip as AsyncIterable<Buffer>
    await feed
  } finally {
    // Whoever stops in the middle leaves no file open.
    await iterator.return?.()
  }
}

async function readChunks(
  chunks: AsyncIterable<Uint8Array>,
  format: EvidenceFormat,
  sink: Sink,
  shared: Shared | undefined,
  after: () => Promise<void>,
): Promise<void> {
  let reader: { push(chunk: Uint8Array): void; end(): void } | null = null
  const held: Uint8Array[] = []
  let heldBytes = 0
  for await (const chunk of chunks) {
    if (reader) {
      reader.push(chunk)
      await after()
      continue
    }
    held.push(new Uint8Array(chunk))
    heldBytes += chunk.length
    if (heldBytes > LONGEST_OTLP_BYTES) throw new Refusal('file.too-large', 'an OTLP file may not be larger than 256 MiB; one request a line may')
    if (format === 'otlp' || (format === 'auto' && (looksOtlp(held[0] ?? chunk) || looksProtobuf(held[0] ?? chunk)))) {
      await after()
      continue
    }
    if (format === 'events' || (format === 'auto' && looksEvents(held[0] ?? chunk))) {
      const log = shared?.log ?? new EventLog(sink)
      const file = log.file(sink, shared?.position)
      // Alone in its evidence, it is ended with its file.
      reader = {
        push: (bytes) => {
          file.push(bytes)
        },
        end: () => {
          file.end()
          if (!shared) log.end()
        },
      }
    } else {
      shared?.position(NaN)
      reader = format === 'csv' || (format === 'auto' && looksCsv(held[0] ?? chunk)) ? new CsvReader(sink) : new NdjsonReader(sink)
    }
    for (const piece of held.splice(0)) reader.push(piece)
    await after()
  }
  if (reader) return reader.end()
  if (held.length === 0) return
  const whole = Buffer.concat(held)
  if (looksProtobuf(whole)) otlpBytes(whole, sink)
  else otlpText(whole.toString('utf8'), sink)
}

function looksOtlp(bytes: Uint8Array): boolean {
  return /^\uFEFF?\s*\{\s*"(resourceSpans|resource_spans)"/.test(Buffer.from(bytes.subarray(0, 200)).toString('utf8'))
}

/** The first field of a request, with its length: never the beginning of a text that is read here. */
const looksProtobuf = (bytes: Uint8Array): boolean => bytes[0] === 0x0a && bytes.length > 2 && [0x0a, 0x12].includes(afterVarint(bytes, 1))
function afterVarint(bytes: Uint8Array, from: number): number {
  for (let at = from; at < from + 10; at++) if ((bytes[at] ?? 0) < 128) return bytes[at + 1] ?? 0
  return 0
}

/** XML, or a comment, declaration or whitespace before it; in one byte a character or two. */
function looksEvents(bytes: Uint8Array): boolean {
  const start = new TextDecoder(encodingOf(bytes)).decode(bytes.subarray(0, 4000))
  return /^\uFEFF?\s*<(\?xml|!--|Events?[\s>])/.test(start)
}

const looksCsv = (bytes: Uint8Array): boolean => csvHeader(Buffer.from(bytes.subarray(0, 10_000)).toString('utf8').split('\n')[0] ?? '') !== null

function otlpBytes(bytes: Uint8Array, sink: Sink): void {
  try {
    const { observations, faults } = readOtlp(otlpFromProtobuf(bytes))
    for (const fault of faults) sink.fault(fault)
    for (const observation of observations) sink.observation(observation)
  } catch (error) {
    if (!(error instanceof Refusal)) throw error
    sink.fault({ line: null, byte: null, code: error.code, reason: error.message, excerpt: '' })
  }
}

/** One request, or one request a line as collectors write them. */
function otlpText(text: string, sink: Sink): void {
  const whole = parse(text)
  const requests =
    whole === undefined
      ? text
          .split('\n')
          .filter((line) => line.trim() !== '')
          .map((line, index) => ({ value: parse(line), line: index + 1, text: line }))
      : [{ value: whole, line: 1, text }]
  for (const request of requests) {
    if (request.value === undefined) {
      sink.fault({
        line: request.line,
        byte: null,
        code: 'line.json',
        reason: 'not valid JSON; expected an OTLP trace request',
        excerpt: keepable(request.text.slice(0, 200)),
      })
      continue
    }
    const { observations, faults } = readOtlp(request.value)
    for (const fault of faults) sink.fault({ ...fault, line: request.line } satisfies Fault)
    for (const observation of observations) sink.observation(observation)
  }
}

function parse(text: string): unknown {
  try {
    return JSON.parse(text.replace(/^\uFEFF/, '')) as unknown
  } catch {
    return undefined
  }
}
