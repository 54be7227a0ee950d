import {
  OBSERVATION_KINDS,
  phaseNamed,
  type Attrs,
  type AttrValue,
  type Observation,
  type ObservationKind,
  type ReportedOutcome,
} from '../logons/observation'
import { Refusal } from './fault'
import { keepable } from './text'

const KINDS: ReadonlyMap<unknown, ObservationKind> = new Map(OBSERVATION_KINDS.map((kind) => [kind, kind]))
const OUTCOMES: ReadonlyMap<unknown, ReportedOutcome> = new Map(
  (['ready', 'failed', 'abandoned', 'degraded'] as const).map((outcome) => [outcome, outcome]),
)
const EARLIEST_MS = Date.UTC(1990, 0, 1)
const LATEST_MS = Date.UTC(2100, 0, 1)
const LONGEST_TEXT = 4000
const MOST_ATTRS = 200
/** The fields of a record of the plain form. */
export const FIELDS = [
  'attempt',
  'person',
  'host',
  'source',
  'pool',
  'session',
  'kind',
  'time',
  'phase',
  'part',
  'durationMs',
  'code',
  'outcome',
  'text',
  'attrs',
] as const
type Field = 'attempt' | 'person' | 'host' | 'source' | 'pool' | 'session' | 'phase' | 'part' | 'code' | 'text'

/** One of our words, also in capitals. */
const wordIn = <T>(words: ReadonlyMap<unknown, T>, written: unknown): T | undefined =>
  words.get(written) ?? (typeof written === 'string' ? words.get(written.trim().toLowerCase()) : undefined)

/**
 * Checks one record of the plain form (docs/formats/evidence.md, fields of an observation).
 * @param value as JSON.parse gave it; its `attrs` become part of the observation
 * @param clean every text in it is known to be keepable, so that none has to be looked through
 * @throws Refusal with a sentence that says which field is wrong and what was expected
 */
export function readObservation(value: unknown, clean = false): Observation {
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    throw new Refusal('record.not-an-object', 'expected one JSON object a line')
  const record = value as Record<(typeof FIELDS)[number], unknown>
  const { attrs } = record
  const kind = wordIn(KINDS, record.kind)
  if (kind === undefined) throw new Refusal('record.kind', `kind is ${short(record.kind)}; expected one of ${OBSERVATION_KINDS.join(', ')}`)
  const timeMs = readTime(record.time)
  const written = readText('phase', record.phase, clean)
  const phase = written === undefined ? undefined : phaseNamed(written)
  if (phase === undefined && (kind === 'phase' || kind === 'phase-begin' || kind === 'phase-end'))
    throw new Refusal('record.phase', `a record of kind ${kind} needs a phase`)
  const given = record.outcome
  const outcome = given === undefined || given === null || given === '' ? undefined : wordIn(OUTCOMES, given)
  if (outcome === undefined && given !== undefined && given !== null && given !== '')
    throw new Refusal('record.outcome', `outcome is ${short(given)}; expected ready, failed, abandoned or degraded`)
  // Every field is there, given or not, so that all observations have one shape and are read fast.
  const result: Observation = {
    timeMs,
    kind,
    attempt: readText('attempt', record.attempt, clean),
    person: readText('person', record.person, clean),
    host: readText('host', record.host, clean),
    source: readText('source', record.source, clean),
    pool: readText('pool', record.pool, clean),
    session: readText('session', record.session, clean),
    phase,
    part: readText('part', record.part, clean),
    durationMs: kind === 'phase' ? readDuration(record.durationMs) : undefined,
    code: readText('code', record.code, clean),
    outcome,
    text: readText('text', record.text, clean),
    attrs: attrs === undefined || attrs === null ? undefined : readAttrs(attrs, clean),
  }
  if (result.attempt === undefined && result.person === undefined) {
    if (result.host === undefined || result.session === undefined)
      throw new Refusal('record.nobody', 'neither attempt nor person is given, nor a session on a host: the record cannot be matched to anything')
    // A session has marks all day long: by itself one would look like a logon.
    if (result.kind === 'mark') throw new Refusal('record.nobody', 'a mark that names neither attempt nor person may be of any time of its session')
  }
  return result
}

function readText(field: Field, text: unknown, clean: boolean): string | undefined {
  if (text === undefined || text === null || text === '') return undefined
  if (typeof text === 'string') return clean && text.length <= LONGEST_TEXT ? text : keepable(text.slice(0, LONGEST_TEXT))
  if (typeof text === 'number') return String(text)
  throw new Refusal('record.field', `${field} is ${short(text)}; expected a text`)
}

/** RFC 3339 with offset (any number of fraction digits), or epoch milliseconds as a number or digits. */
export function readTime(value: unknown): number {
  const ms = typeof value === 'number' ? value : typeof value === 'string' ? timeOf(value) : NaN
  if (!Number.isFinite(ms))
    throw new Refusal('record.time', `time is ${short(value)}; expected an RFC 3339 instant with offset, or epoch milliseconds`)
  if (ms < EARLIEST_MS || ms >= LATEST_MS) throw new Refusal('record.time-range', `time is ${short(value)}; expected a moment between 1990 and 2100`)
  return ms
}

const DATE = /^(\d{4})-(\d{2})-(\d{2})$/
const CLOCK = /^[Tt ](\d{2}):(\d{2}):(\d{2})(\.\d+)?(?:([Zz])|([+-])(\d{2}):(\d{2}))$/
/** The last date read and its midnight: records of one day stand together. */
let lastDate = ''
let lastMidnightMs = NaN

function timeOf(text: string): number {
  const date = text.slice(0, 10)
  if (date !== lastDate) {
    lastMidnightMs = midnightOf(date)
    lastDate = date
  }
  const usual = text.length >= 22 && text.length <= 30 ? usualClockOf(text) : NaN
  if (lastMidnightMs !== lastMidnightMs) return /^\d{12,14}(\.\d+)?$/.test(text) ? Number(text) : NaN
  return lastMidnightMs + (usual === usual ? usual : clockOf(text))
}

function midnightOf(date: string): number {
  const m = DATE.exec(date)
  if (!m) return NaN
  const month = Number(m[2]) - 1
  const ms = Date.UTC(Number(m[1]), month, Number(m[3]))
  return new Date(ms).getUTCMonth() === month ? ms : NaN
}

const digitAt = (text: string, at: number): number => {
  const digit = text.charCodeAt(at) - 48
  return digit >= 0 && digit <= 9 ? digit : NaN
}

/** `T05:41:00.123Z`, with one to nine digits of a second, digit by digit; NaN for any other form. */
function usualClockOf(text: string): number {
  const end = text.length - 1
  if (
    text.charCodeAt(10) !== 84 ||
    text.charCodeAt(13) !== 58 ||
    text.charCodeAt(16) !== 58 ||
    text.charCodeAt(19) !== 46 ||
    text.charCodeAt(end) !== 90
  )
    return NaN
  const hour = digitAt(text, 11) * 10 + digitAt(text, 12)
  const minute = digitAt(text, 14) * 10 + digitAt(text, 15)
  const second = digitAt(text, 17) * 10 + digitAt(text, 18)
  let fraction = 0
  for (let at = 20; at < end; at++) fraction = fraction * 10 + digitAt(text, at)
  return hour <= 23 && minute <= 59 && second <= 59
    ? hour * 3_600_000 + minute * 60_000 + second * 1000 + (end === 23 ? fraction : (fraction / 10 ** (end - 20)) * 1000)
    : NaN
}

function clockOf(text: string): number {
  const m = CLOCK.exec(text.slice(10))
  if (!m) return NaN
  const [, hour, minute, second, fraction, , sign, offsetHour, offsetMinute] = m
  const [h, mi, s] = [Number(hour), Number(minute), Number(second)]
  if (h > 23 || mi > 59 || s > 60) return NaN
  const offset = sign ? (sign === '-' ? -1 : 1) * (Number(offsetHour) * 60 + Number(offsetMinute)) : 0
  return h * 3_600_000 + mi * 60_000 + Math.min(s, 59) * 1000 - offset * 60_000 + (s === 60 ? 1000 : 0) + (fraction ? Number(fraction) * 1000 : 0)
}

function readDuration(value: unknown): number {
  const ms = typeof value === 'string' && value.trim() !== '' ? Number(value) : value
  if (typeof ms !== 'number' || !Number.isFinite(ms))
    throw new Refusal('record.duration', `durationMs is ${short(value)}; expected a number of milliseconds`)
  return ms
}

/** Flat values stay; a nested value is kept as its JSON text, so that nothing is lost. */
function readAttrs(value: unknown, clean: boolean): Attrs {
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    throw new Refusal('record.attrs', `attrs is ${short(value)}; expected a flat object`)
  return clean && isFlat(value as Record<string, unknown>) ? (value as Attrs) : flattened(value)
}

function isFlat(value: Record<string, unknown>): boolean {
  let n = 0
  for (const name in value) {
    const entry = value[name]
    const type = typeof entry
    if (
      ++n > MOST_ATTRS ||
      name === '__proto__' ||
      (type !== 'number' && type !== 'boolean' && (type !== 'string' || (entry as string).length > LONGEST_TEXT))
    )
      return false
  }
  return true
}

function flattened(value: object): Attrs {
  const attrs: Record<string, AttrValue> = {}
  let n = 0
  for (const [name, entry] of Object.entries(value)) {
    // The one name that would change the object instead of becoming a property of it.
    if (entry === null || entry === undefined || name === '__proto__') continue
    if (++n > MOST_ATTRS) break
    attrs[keepable(name)] =
      typeof entry === 'number' || typeof entry === 'boolean'
        ? entry
        : keepable(typeof entry === 'string' ? entry.slice(0, LONGEST_TEXT) : nested(entry))
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
