import { SpanKind, SpanStatusCode } from '@opentelemetry/api'
import { JsonTraceSerializer, ProtobufTraceSerializer } from '@opentelemetry/otlp-transformer'
import { resourceFromAttributes } from '@opentelemetry/resources'
import { BasicTracerProvider, InMemorySpanExporter, SimpleSpanProcessor } from '@opentelemetry/sdk-trace-base'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Refusal } from './fault'
import { readOtlp } from './otlp'
import { otlpFromProtobuf, otlpResponse } from './protobuf'

/** Outside writer: the serializers of the OpenTelemetry JavaScript SDK, both from the same spans. */
function traces(attributes: Record<string, string | number | boolean | string[]>): { json: Uint8Array; proto: Uint8Array } {
  const kept = new InMemorySpanExporter()
  const provider = new BasicTracerProvider({
    resource: resourceFromAttributes({ 'host.name': 'TH-1' }),
    spanProcessors: [new SimpleSpanProcessor(kept)],
  })
  const tracer = provider.getTracer('test')
  const at = Date.UTC(2026, 10, 24, 5)
  const span = tracer.startSpan('logon', { startTime: at, kind: SpanKind.SERVER, attributes: { 'user.name': 'LARKMERE\\mara', ...attributes } })
  span.addEvent('refused', { code: '0xC0000022', tries: 3, ratio: 0.25, list: ['a', 'b'] }, at + 5)
  span.setStatus({ code: SpanStatusCode.ERROR, message: 'no container' })
  span.end(at + 1500)
  const spans = kept.getFinishedSpans()
  const bytes = (given: Uint8Array | undefined) => {
    if (!given) throw new Error('nothing was written')
    return given
  }
  return { json: bytes(JsonTraceSerializer.serializeRequest(spans)), proto: bytes(ProtobufTraceSerializer.serializeRequest(spans)) }
}
const jsonOf = (bytes: Uint8Array) => JSON.parse(new TextDecoder().decode(bytes)) as unknown

describe('OTLP as protobuf', () => {
  it('says the same as the JSON that the SDK writes of the same spans', () => {
    const value = fc.oneof(
      fc.string(),
      fc.boolean(),
      fc.integer(),
      fc.double({ noNaN: true, noDefaultInfinity: true }),
      fc.array(fc.string(), { maxLength: 3 }),
    )
    fc.assert(
      fc.property(fc.dictionary(fc.string({ minLength: 1 }), value, { maxKeys: 6 }), (attributes) => {
        const { json, proto } = traces(attributes)
        const [ours, theirs] = [readOtlp(otlpFromProtobuf(proto)), readOtlp(jsonOf(json))]
        expect(ours.observations).toEqual(theirs.observations)
        expect([ours.spans, ours.faults]).toEqual([1, []])
      }),
      { numRuns: 100 },
    )
  })

  it('survives any bytes, cuts and flips: an answer, or one sentence with the byte', () => {
    const { proto } = traces({ 'logon.pool': 'halls' })
    const survives = (bytes: Uint8Array) => {
      try {
        readOtlp(otlpFromProtobuf(bytes))
      } catch (error) {
        expect(error).toBeInstanceOf(Refusal)
        expect((error as Refusal).message).toMatch(/at byte \d+/)
      }
    }
    for (let length = 0; length < proto.length; length++) survives(proto.subarray(0, length))
    fc.assert(fc.property(fc.uint8Array({ maxLength: 300 }), survives))
    fc.assert(
      fc.property(fc.nat(proto.length - 1), fc.nat(255), (at, byte) => {
        const copy = proto.slice()
        copy[at] = byte
        survives(copy)
      }),
      { numRuns: 500 },
    )
    // Messages within messages without end.
    const deep = (n: number): number[] =>
      n === 0 ? [] : [0x2a, ...((inner) => [inner.length, ...inner])([0x0a, ...((inner) => [inner.length, ...inner])(deep(n - 1))])]
    survives(Uint8Array.from([0x0a, 100, 0x0a, 98, 0x0a, 96, 0x12, 94, ...deep(20)]))
  })

  it('answers as the protocol says, which the SDK reads', () => {
    expect(otlpResponse(0, '')).toEqual(new Uint8Array(0))
    expect(ProtobufTraceSerializer.deserializeResponse(otlpResponse(300, 'span 1: traceId'))).toMatchObject({
      partialSuccess: { errorMessage: 'span 1: traceId' },
    })
    expect(Number(ProtobufTraceSerializer.deserializeResponse(otlpResponse(300, '')).partialSuccess?.rejectedSpans)).toBe(300)
  })
})
