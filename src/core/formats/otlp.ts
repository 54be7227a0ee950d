import { phaseNamed, type Attrs, type AttrValue, type Observation, type ReportedOutcome } from '../logons/observation'
import type { Fault } from './fault'
import { keepable } from './text'

/**
 * OTLP/HTTP traces in JSON (opentelemetry-proto, trace/v1; the JSON mapping of the OTLP specification: hex ids, 64-bit numbers as text
 * or number, enums as number). One trace is one attempt; see docs/formats/evidence.md for what becomes of a span.
 */
export interface OtlpResult {
  readonly observations: Observation[]
  readonly faults: Fault[]
  readonly spans: number
  readonly rejectedSpans: number
}

interface Span {
  traceId: string
  spanId: string
  parentId: string
  name: string
  startMs: number
  endMs: number
  attrs: Record<string, AttrValue>
  failed: boolean
  message: string
  events: { timeMs: number; name: string; attrs: Record<string, AttrValue> }[]
}

/** Reads an ExportTraceServiceRequest. Spans that cannot be read are counted and reported; the others are kept. */
export function readOtlp(request: unknown): OtlpResult {
  const faults: Fault[] = []
  const spans: Span[] = []
  let seen = 0
  const resources = list(request, 'resourceSpans', 'resource_spans')
  if (resources === null) {
    faults.push({
      line: null,
      byte: null,
      code: 'otlp.shape',
      reason: 'resourceSpans is missing; expected an ExportTraceServiceRequest',
      excerpt: '',
    })
    return { observations: [], faults, spans: 0, rejectedSpans: 0 }
  }
  for (const resource of resources) {
    const shared = readAttributes(list(get(resource, 'resource'), 'attributes'))
    for (const scope of list(resource, 'scopeSpans', 'scope_spans') ?? []) {
      for (const raw of list(scope, 'spans') ?? []) {
        seen++
        const span = readSpan(raw, shared)
        if (typeof span === 'string')
          faults.push({ line: null, byte: null, code: 'otlp.span', reason: `span ${seen}: ${span}`, excerpt: excerpt(raw) })
        else spans.push(span)
      }
    }
  }
  return { observations: observationsOf(spans), faults, spans: seen, rejectedSpans: faults.length }
}

function readSpan(raw: unknown, shared: Record<string, AttrValue>): Span | string {
  const traceId = id(get(raw, 'traceId', 'trace_id'), 32)
  const spanId = id(get(raw, 'spanId', 'span_id'), 16)
  if (traceId === null) return 'traceId is not 32 hexadecimal digits'
  if (spanId === null) return 'spanId is not 16 hexadecimal digits'
  const startMs = nanos(get(raw, 'startTimeUnixNano', 'start_time_unix_nano'))
  const endMs = nanos(get(raw, 'endTimeUnixNano', 'end_time_unix_nano'))
  if (startMs === null || endMs === null) return 'startTimeUnixNano or endTimeUnixNano is missing or outside 1990 to 2100'
  const status = get(raw, 'status')
  const code = get(status, 'code')
  const events = (list(raw, 'events') ?? []).flatMap((event) => {
    const timeMs = nanos(get(event, 'timeUnixNano', 'time_unix_nano'))
    return timeMs === null ? [] : [{ timeMs, name: text(get(event, 'name')), attrs: readAttributes(list(event, 'attributes')) }]
  })
  return {
    traceId,
    spanId,
    parentId: id(get(raw, 'parentSpanId', 'parent_span_id'), 16) ?? '',
    name: text(get(raw, 'name')),
    startMs,
    endMs,
    attrs: { ...shared, ...readAttributes(list(raw, 'attributes')) },
    failed: code === 2 || code === 'STATUS_CODE_ERROR',
    message: text(get(status, 'message')),
    events,
  }
}

/** Each span says what it says on its own, so that batches may arrive in any order and cut anywhere. */
function observationsOf(spans: readonly Span[]): Observation[] {
  const byId = new Map(spans.map((span) => [`${span.traceId}:${span.spanId}`, span]))
  return spans.flatMap((span) => spanObservations(span, byId))
}

function spanObservations(span: Span, byId: ReadonlyMap<string, Span>): Observation[] {
  const who = identity(span)
  const attrs = logonAttrs(span.attrs)
  const withAttrs = Object.keys(attrs).length > 0 ? { attrs } : {}
  const code = span.attrs['error.type'] ?? span.attrs['logon.code'] ?? span.attrs['code']
  const coded = code === undefined ? {} : { code: String(code) }
  const result: Observation[] = []
  const isRoot = span.parentId === ''
  const { part, phase, open } = phaseOf(span, byId)
  const naming = { part, phase: phaseNamed(phase) }
  if (isRoot) {
    const reported = span.attrs['logon.outcome']
    const outcome: ReportedOutcome =
      reported === 'abandoned' || reported === 'degraded' || reported === 'failed' || reported === 'ready'
        ? reported
        : span.failed
          ? 'failed'
          : 'ready'
    result.push({ ...who, kind: 'begin', timeMs: span.startMs, span: span.spanId, ...withAttrs })
    result.push({ ...who, kind: 'end', timeMs: span.endMs, outcome, ...(span.failed ? coded : {}), ...(span.message ? { text: span.message } : {}) })
  } else {
    result.push({
      ...who,
      kind: 'phase',
      timeMs: span.startMs,
      durationMs: span.endMs - span.startMs,
      phase: naming.phase,
      ...(naming.part ? { part: naming.part } : {}),
      span: span.spanId,
      ...(open ? { within: span.parentId } : {}),
      ...(span.failed ? coded : {}),
      ...withAttrs,
    })
  }
  for (const event of span.events) {
    const eventCode = event.attrs['code'] ?? event.attrs['error.type'] ?? event.attrs['exception.type'] ?? event.name
    const words = event.attrs['message'] ?? event.attrs['exception.message']
    result.push({
      ...who,
      kind: 'mark',
      timeMs: event.timeMs,
      code: String(eventCode),
      ...(isRoot ? {} : { phase: naming.phase }),
      ...(!isRoot && open ? { within: span.spanId } : {}),
      ...(words === undefined ? {} : { text: String(words) }),
    })
  }
  return result
}

/**
 * A span right under the root is a phase; a deeper one is a part of the phase above it, unless it names a phase itself. `open`: one above is not in this request (what
 * is inside ends first, and is sent first), so that what it is a part of may come later.
 */
function phaseOf(span: Span, byId: ReadonlyMap<string, Span>): { phase: string; part: string | null; open: boolean } {
  const named = span.attrs['logon.phase']
  const part = span.attrs['logon.part']
  if (typeof named === 'string' && named !== '') return { phase: named, part: typeof part === 'string' && part !== '' ? part : null, open: false }
  const visited = new Set<Span>()
  let above = byId.get(`${span.traceId}:${span.parentId}`)
  let below: Span = span
  while (above && above.parentId !== '' && !visited.has(above)) {
    visited.add(above)
    const phase = above.attrs['logon.phase']
    if (typeof phase === 'string') return { phase, part: span.name, open: false }
    below = above
    above = byId.get(`${above.traceId}:${above.parentId}`)
  }
  const open = above === undefined
  return below === span ? { phase: span.name || 'unnamed', part: null, open } : { phase: below.name || 'unnamed', part: span.name, open }
}

function identity(span: Span): Pick<Observation, 'attempt' | 'person' | 'host' | 'pool' | 'session'> {
  const take = (...names: string[]) => {
    for (const name of names) {
      const value = span.attrs[name]
      if (value !== undefined && value !== '') return String(value)
    }
    return undefined
  }
  const person = take('user.name', 'enduser.id', 'user.id', 'logon.person')
  const host = take('host.name', 'logon.host')
  const pool = take('logon.pool')
  const session = take('session.id')
  return {
    attempt: span.traceId,
    ...(person ? { person } : {}),
    ...(host ? { host } : {}),
    ...(pool ? { pool } : {}),
    ...(session ? { session } : {}),
  }
}

const OWN_FIELDS = new Set(['phase', 'part', 'person', 'host', 'pool', 'outcome', 'code'])

function logonAttrs(attrs: Record<string, AttrValue>): Attrs {
  const result: Record<string, AttrValue> = {}
  for (const [name, value] of Object.entries(attrs)) {
    if (name.startsWith('logon.') && !OWN_FIELDS.has(name.slice(6))) result[name.slice(6)] = value
  }
  if (attrs['client.address'] !== undefined) result['clientAddress'] = attrs['client.address']
  return result
}

function readAttributes(entries: unknown[] | null): Record<string, AttrValue> {
  const result: Record<string, AttrValue> = {}
  for (const entry of entries ?? []) {
    const key = get(entry, 'key')
    const value = anyValue(get(entry, 'value'))
    if (typeof key === 'string' && value !== null) result[keepable(key.slice(0, 300))] = value
  }
  return result
}

function anyValue(value: unknown): AttrValue | null {
  if (typeof value !== 'object' || value === null) return null
  const record = value as Record<string, unknown>
  const string = record['stringValue'] ?? record['string_value']
  if (typeof string === 'string') return keepable(string.slice(0, 4000))
  const bool = record['boolValue'] ?? record['bool_value']
  if (typeof bool === 'boolean') return bool
  const number = record['intValue'] ?? record['int_value'] ?? record['doubleValue'] ?? record['double_value']
  if (number !== undefined && Number.isFinite(Number(number))) return Number(number)
  return JSON.stringify(value).slice(0, 500)
}

function get(value: unknown, ...names: string[]): unknown {
  if (typeof value !== 'object' || value === null) return undefined
  for (const name of names) {
    const found = (value as Record<string, unknown>)[name]
    if (found !== undefined) return found
  }
  return undefined
}

function list(value: unknown, ...names: string[]): unknown[] | null {
  const found = get(value, ...names)
  return Array.isArray(found) ? found : null
}

const text = (value: unknown): string => (typeof value === 'string' ? keepable(value.slice(0, 1000)) : '')

function id(value: unknown, length: number): string | null {
  return typeof value === 'string' && value.length === length && /^[0-9a-fA-F]+$/.test(value) && !/^0+$/.test(value) ? value.toLowerCase() : null
}

/** Nanoseconds as text or number to milliseconds; text is cut, not rounded through a double. */
function nanos(value: unknown): number | null {
  const digits = typeof value === 'string' ? value : typeof value === 'number' ? String(value) : ''
  const ms = /^\d+$/.test(digits) ? Number(digits.slice(0, -6) || '0') + Number('0.' + digits.slice(-6).padStart(6, '0')) : Number(digits) / 1e6
  return Number.isFinite(ms) && ms > 631_152_000_000 && ms < 4_102_444_800_000 ? ms : null
}

function excerpt(value: unknown): string {
  return keepable(JSON.stringify(value)?.slice(0, 200) ?? '')
}
