import { OBSERVATION_KINDS, type Attrs, type AttrValue, type Observation, type ObservationKind, type ReportedOutcome } from '../logons/observation'
import { Refusal } from './fault'
import { keepable } from './text'

const KINDS: ReadonlySet<unknown> = new Set(OBSERVATION_KINDS)
const OUTCOMES: ReadonlySet<unknown> = new Set<ReportedOutcome>(['ready', 'failed', 'abandoned', 'degraded'])
const TEXT_FIELDS = ['attempt', 'person', 'host', 'pool', 'session', 'phase', 'part', 'code', 'text'] as const
const EARLIEST_MS = Date.UTC(1990, 0, 1)
const LATEST_MS = Date.UTC(2100, 0, 1)
const LONGEST_TEXT = 4000
const MOST_ATTRS = 200

/**
 * Checks one record of the plain form (docs/formats/evidence.md, fields of an observation).
 * @throws Refusal with a sentence that says which field is wrong and what was expected
 */
export function readObservation(value: unknown): Observation {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) throw new Refusal('record.not-an-object', 'expected one JSON object a line')
  const record = value as Record<string, unknown>
  const kind = record['kind']
  if (!KINDS.has(kind)) throw new Refusal('record.kind', `kind is ${short(kind)}; expected one of ${OBSERVATION_KINDS.join(', ')}`)
  const result: { -readonly [K in keyof Observation]: Observation[K] } = { timeMs: readTime(record['time']), kind: kind as ObservationKind }
  for (const field of TEXT_FIELDS) {
    const text = record[field]
    if (text === undefined || text === null || text === '') continue
    if (typeof text === 'string') result[field] = keepable(text.length > LONGEST_TEXT ? text.slice(0, LONGEST_TEXT) : text)
    else if (typeof text === 'number') result[field] = String(text)
    else throw new Refusal('record.field', `${field} is ${short(text)}; expected a text`)
  }
  const needsPhase = kind === 'phase' || kind === 'phase-begin' || kind === 'phase-end'
  if (needsPhase && !result.phase) throw new Refusal('record.phase', `a record of kind ${kind} needs a phase`)
  if (kind === 'phase') result.durationMs = readDuration(record['durationMs'])
  const outcome = record['outcome']
  if (outcome !== undefined && outcome !== null && outcome !== '') {
    if (!OUTCOMES.has(outcome)) throw new Refusal('record.outcome', `outcome is ${short(outcome)}; expected ready, failed, abandoned or degraded`)
    result.outcome = outcome as ReportedOutcome
  }
  const attrs = record['attrs']
  if (attrs !== undefined && attrs !== null) result.attrs = readAttrs(attrs)
  if (!result.attempt && !result.person) throw new Refusal('record.nobody', 'neither attempt nor person is given: the record cannot be matched to anything')
  return result
}

/** RFC 3339 with offset (any number of fraction digits), or epoch milliseconds as a number or digits. */
export function readTime(value: unknown): number {
  const ms = typeof value === 'number' ? value : typeof value === 'string' ? timeOf(value) : NaN
  if (!Number.isFinite(ms)) throw new Refusal('record.time', `time is ${short(value)}; expected an RFC 3339 instant with offset, or epoch milliseconds`)
  if (ms < EARLIEST_MS || ms >= LATEST_MS) throw new Refusal('record.time-range', `time is ${short(value)}; expected a moment between 1990 and 2100`)
  return ms
}

const INSTANT = /^(\d{4})-(\d{2})-(\d{2})[Tt ](\d{2}):(\d{2}):(\d{2})(\.\d+)?(?:([Zz])|([+-])(\d{2}):(\d{2}))$/

function timeOf(text: string): number {
  const m = INSTANT.exec(text)
  if (!m) return /^\d{12,14}(\.\d+)?$/.test(text) ? Number(text) : NaN
  const [, year, month, day, hour, minute, second, fraction, , sign, offsetHour, offsetMinute] = m
  const [mo, d, h, mi, s] = [Number(month), Number(day), Number(hour), Number(minute), Number(second)]
  const ms = Date.UTC(Number(year), mo - 1, d, h, mi, Math.min(s, 59))
  if (new Date(ms).getUTCMonth() !== mo - 1 || h > 23 || mi > 59 || s > 60) return NaN
  const offset = sign ? (sign === '-' ? -1 : 1) * (Number(offsetHour) * 60 + Number(offsetMinute)) : 0
  return ms - offset * 60_000 + (s === 60 ? 1000 : 0) + (fraction ? Number(fraction) * 1000 : 0)
}

function readDuration(value: unknown): number {
  const ms = typeof value === 'string' && value.trim() !== '' ? Number(value) : value
  if (typeof ms !== 'number' || !Number.isFinite(ms)) throw new Refusal('record.duration', `durationMs is ${short(value)}; expected a number of milliseconds`)
  return ms
}

/** Flat values stay; a nested value is kept as its JSON text, so that nothing is lost. */
function readAttrs(value: unknown): Attrs {
  if (typeof value !== 'object' || Array.isArray(value)) throw new Refusal('record.attrs', `attrs is ${short(value)}; expected a flat object`)
  const attrs: Record<string, AttrValue> = {}
  let n = 0
  for (const [name, entry] of Object.entries(value as object)) {
    // The one name that would change the object instead of becoming a property of it.
    if (entry === null || entry === undefined || name === '__proto__') continue
    if (++n > MOST_ATTRS) break
    attrs[keepable(name)] = typeof entry === 'number' || typeof entry === 'boolean' ? entry : keepable(typeof entry === 'string' ? entry.slice(0, LONGEST_TEXT) : nested(entry))
  }
  return attrs
}

function nested(value: unknown): string {
  try {
    return JSON.stringify(value).slice(0, 500)
  } catch {
    return '…'
  }
}

function short(value: unknown): string {
  if (value === undefined) return 'missing'
  const text = typeof value === 'object' ? (Array.isArray(value) ? 'a list' : value === null ? 'null' : 'an object') : JSON.stringify(value)
  return keepable(text.length > 60 ? text.slice(0, 60) + '…' : text)
}
