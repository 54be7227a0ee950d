import { Refusal } from './fault'

/*
 * OTLP traces as protobuf (opentelemetry-proto, trace/v1 and common/v1), brought into the shape of its JSON mapping, which otlp.ts reads. Wire format:
 * protobuf.dev, “Encoding”. Only what otlp.ts looks at is kept; unknown fields are stepped over.
 */

/** What a field of a message is: its name in the JSON mapping, and how its bytes are read. */
type Field = readonly [name: string, kind: 'text' | 'hex' | 'fixed64' | 'varint' | 'bool' | 'double' | Shape, many?: boolean]
interface Shape {
  readonly fields: Readonly<Record<number, Field>>
}

const anyValue: { fields: Record<number, Field> } = { fields: {} }
const keyValue: Shape = { fields: { 1: ['key', 'text'], 2: ['value', anyValue] } }
anyValue.fields = {
  1: ['stringValue', 'text'],
  2: ['boolValue', 'bool'],
  3: ['intValue', 'varint'],
  4: ['doubleValue', 'double'],
  5: ['arrayValue', { fields: { 1: ['values', anyValue, true] } }],
  6: ['kvlistValue', { fields: { 1: ['values', keyValue, true] } }],
  7: ['bytesValue', 'hex'],
}
const event: Shape = { fields: { 1: ['timeUnixNano', 'fixed64'], 2: ['name', 'text'], 3: ['attributes', keyValue, true] } }
const status: Shape = { fields: { 2: ['message', 'text'], 3: ['code', 'varint'] } }
const span: Shape = {
  fields: {
    1: ['traceId', 'hex'],
    2: ['spanId', 'hex'],
    4: ['parentSpanId', 'hex'],
    5: ['name', 'text'],
    6: ['kind', 'varint'],
    7: ['startTimeUnixNano', 'fixed64'],
    8: ['endTimeUnixNano', 'fixed64'],
    9: ['attributes', keyValue, true],
    11: ['events', event, true],
    15: ['status', status],
  },
}
const resource: Shape = { fields: { 1: ['attributes', keyValue, true] } }
const scopeSpans: Shape = { fields: { 2: ['spans', span, true] } }
const resourceSpans: Shape = { fields: { 1: ['resource', resource], 2: ['scopeSpans', scopeSpans, true] } }
const request: Shape = { fields: { 1: ['resourceSpans', resourceSpans, true] } }

const DEEPEST = 32

/** Reads an ExportTraceServiceRequest into the shape that readOtlp takes. @throws Refusal with the byte at which it breaks */
export function otlpFromProtobuf(bytes: Uint8Array): object {
  const message = readMessage(new Wire(bytes), bytes.length, request, 0)
  return 'resourceSpans' in message ? message : { ...message, resourceSpans: [] }
}

/** The answer of the protocol, with what was rejected where anything was (ExportTraceServiceResponse). */
export function otlpResponse(rejectedSpans: number, errorMessage: string): Uint8Array {
  if (rejectedSpans === 0 && errorMessage === '') return new Uint8Array(0)
  const message = new TextEncoder().encode(errorMessage)
  const partial = [
    ...(rejectedSpans ? [0x08, ...varint(rejectedSpans)] : []),
    ...(message.length ? [0x12, ...varint(message.length), ...message] : []),
  ]
  return Uint8Array.from([0x0a, ...varint(partial.length), ...partial])
}

function varint(value: number): number[] {
  const bytes: number[] = []
  for (let left = value; ; left = Math.floor(left / 128)) {
    if (left < 128) return [...bytes, left]
    bytes.push((left % 128) | 128)
  }
}

const decoder = new TextDecoder('utf-8')

class Wire {
  at = 0
  readonly #view: DataView
  constructor(readonly bytes: Uint8Array) {
    this.#view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  }
  fail(reason: string): never {
    throw new Refusal('otlp.protobuf', `not valid protobuf at byte ${this.at}: ${reason}`)
  }
  varint(): bigint {
    let value = 0n
    for (let shift = 0n; shift < 70n; shift += 7n) {
      const byte = this.bytes[this.at++]
      if (byte === undefined) this.fail('it ends within a number')
      value |= BigInt(byte & 127) << shift
      if (byte < 128) return BigInt.asUintN(64, value)
    }
    return this.fail('a number of more than ten bytes')
  }
  length(end: number): number {
    const length = Number(this.varint())
    if (this.at + length > end) this.fail(`a field of ${length} bytes reaches beyond its message`)
    return length
  }
  slice(length: number): Uint8Array {
    const part = this.bytes.subarray(this.at, this.at + length)
    this.at += length
    return part
  }
  fixed(length: 4 | 8, end: number): number {
    if (this.at + length > end) this.fail('it ends within a number')
    this.at += length
    return this.at - length
  }
  uint64(at: number): bigint {
    return this.#view.getBigUint64(at, true)
  }
  double(at: number): number {
    return this.#view.getFloat64(at, true)
  }
}

function readMessage(wire: Wire, end: number, shape: Shape, deep: number): Record<string, unknown> {
  if (deep > DEEPEST) wire.fail('messages within messages are too deep')
  const message: Record<string, unknown> = {}
  while (wire.at < end) {
    const tag = Number(wire.varint())
    const [number, type] = [Math.floor(tag / 8), tag % 8]
    if (number === 0) wire.fail('a field with the number 0')
    const field = shape.fields[number]
    const value = field ? readField(wire, end, field[1], type, deep) : skip(wire, end, type)
    if (!field || value === undefined) continue
    if (!field[2]) message[field[0]] = value
    else if (Array.isArray(message[field[0]])) (message[field[0]] as unknown[]).push(value)
    else message[field[0]] = [value]
  }
  if (wire.at !== end) wire.fail('a field reaches beyond its message')
  return message
}

function readField(wire: Wire, end: number, kind: Field[1], type: number, deep: number): unknown {
  if (type === 0 && (kind === 'varint' || kind === 'bool')) {
    const value = wire.varint()
    if (kind === 'bool') return value !== 0n
    const signed = BigInt.asIntN(64, value)
    return signed >= -(2n ** 53n) && signed <= 2n ** 53n ? Number(signed) : String(signed)
  }
  if (type === 1 && (kind === 'fixed64' || kind === 'double')) {
    const at = wire.fixed(8, end)
    return kind === 'double' ? wire.double(at) : String(wire.uint64(at))
  }
  if (type !== 2 || kind === 'varint' || kind === 'bool' || kind === 'fixed64' || kind === 'double') return skip(wire, end, type)
  const length = wire.length(end)
  if (kind === 'text') return decoder.decode(wire.slice(length))
  if (kind === 'hex') return [...wire.slice(length)].map((byte) => byte.toString(16).padStart(2, '0')).join('')
  return readMessage(wire, wire.at + length, kind, deep + 1)
}

function skip(wire: Wire, end: number, type: number): undefined {
  if (type === 0) wire.varint()
  else if (type === 1) wire.fixed(8, end)
  else if (type === 2) wire.slice(wire.length(end))
  else if (type === 5) wire.fixed(4, end)
  else wire.fail(`wire type ${type} is not known`)
}
