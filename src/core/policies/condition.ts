import { readRange } from './address'

export const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const
export type Day = (typeof DAYS)[number]
/** From a value on, and below another; either may be missing. */
export interface Span<T> {
  readonly from?: T
  readonly below?: T
}
/** Days and hours of a place; hours may run over midnight, and then belong to the day on which they begin. Or a stretch of the calendar, from–until. */
export interface TimeWindow {
  readonly zone: string
  readonly days?: readonly Day[]
  /** `HH:MM` */
  readonly from?: string
  readonly until?: string
  /** Local dates, both within: `2026-11-30`. */
  readonly firstDay?: string
  readonly lastDay?: string
}

/** One fact that is looked at. Lists: any of them. Names do not care for letter case; `host` and `clientName` take `*` and `?`. */
export type Leaf =
  | { readonly person: readonly string[] }
  | { readonly group: readonly string[] }
  | { readonly pool: readonly string[] }
  | { readonly host: readonly string[] }
  | { readonly zone: readonly string[] }
  | { readonly image: readonly string[] }
  | { readonly clientKind: readonly string[] }
  | { readonly clientName: readonly string[] }
  | { readonly clientVersion: Span<string> }
  | { readonly address: readonly string[] }
  | { readonly network: readonly string[] }
  | { readonly rttMs: Span<number> }
  | { readonly bandwidthKbps: Span<number> }
  | { readonly time: TimeWindow }
  | { readonly signOn: Strength }
  | { readonly first: boolean }
export type Strength = 'second-factor' | 'key'
export type Condition =
  { readonly all: readonly Condition[] } | { readonly any: readonly Condition[] } | { readonly none: readonly Condition[] } | Leaf

type KeysOf<T> = T extends unknown ? keyof T : never
export type FactName = KeysOf<Leaf>
/** A condition that always holds. */
export const ALWAYS: Condition = { all: [] }

/** What can be asked of a session, and how it is said. `sort` says how it is compared. */
export const FACTS: Readonly<
  Record<
    FactName,
    {
      readonly title: string
      readonly sort: 'names' | 'patterns' | 'ranges' | 'numbers' | 'version' | 'time' | 'strength' | 'yes'
      readonly unit?: string
    }
  >
> = {
  person: { title: 'person', sort: 'names' },
  group: { title: 'group', sort: 'names' },
  pool: { title: 'pool', sort: 'names' },
  host: { title: 'host', sort: 'patterns' },
  zone: { title: 'zone', sort: 'names' },
  image: { title: 'image', sort: 'names' },
  clientKind: { title: 'client', sort: 'names' },
  clientName: { title: 'client name', sort: 'patterns' },
  clientVersion: { title: 'client version', sort: 'version' },
  address: { title: 'address', sort: 'ranges' },
  network: { title: 'network', sort: 'names' },
  rttMs: { title: 'round trip', sort: 'numbers', unit: 'ms' },
  bandwidthKbps: { title: 'bandwidth', sort: 'numbers', unit: 'kbit/s' },
  time: { title: 'time', sort: 'time' },
  signOn: { title: 'sign-on', sort: 'strength' },
  first: { title: 'first logon', sort: 'yes' },
}

export interface ConditionFault {
  readonly path: string
  readonly sentence: string
}

const DEEPEST = 100
const VERSION = /^\d{1,9}(\.\d{1,9}){0,5}$/
const CLOCK = /^([01]\d|2[0-3]):[0-5]\d$|^24:00$/
const DATE = /^\d{4}-\d{2}-\d{2}$/

/** Reads a condition that came from outside. Faults are told with the path to the part; null where any was found. */
export function readCondition(given: unknown, path: string, faults: ConditionFault[], depth = 0): Condition | null {
  const fault = (sentence: string, at = path) => {
    faults.push({ path: at, sentence })
    return null
  }
  if (depth > DEEPEST) return fault(`Conditions may be ${DEEPEST} deep; this one is deeper.`)
  if (!given || typeof given !== 'object' || Array.isArray(given)) return fault('A condition is an object with one key, such as {"group": ["crew"]}.')
  const keys = Object.keys(given)
  const [key] = keys
  if (keys.length !== 1 || key === undefined)
    return fault(`A condition has exactly one key; this has ${keys.length === 0 ? 'none' : keys.join(', ')}. Put several into "all".`)
  const value = (given as Record<string, unknown>)[key]
  const inner = `${path}.${key}`
  if (key === 'all' || key === 'any' || key === 'none') {
    if (!Array.isArray(value)) return fault('It is a list of conditions.', inner)
    const parts = value.map((part, index) => readCondition(part, `${inner}[${index}]`, faults, depth + 1))
    return parts.every((part) => part !== null) ? ({ [key]: parts } as unknown as Condition) : null
  }
  if (!(key in FACTS)) return fault(`“${key}” is not known here; known are all, any, none, ${Object.keys(FACTS).join(', ')}.`)
  const sentence = leafFault(key as FactName, value)
  return sentence === null ? ({ [key]: value } as unknown as Condition) : fault(sentence, inner)
}

function leafFault(name: FactName, value: unknown): string | null {
  switch (FACTS[name].sort) {
    case 'names':
    case 'patterns':
      return isTexts(value) ? null : 'It is a list of names, and not empty.'
    case 'ranges': {
      if (!isTexts(value)) return 'It is a list of address ranges, and not empty.'
      const odd = value.find((text) => readRange(text) === null)
      return odd === undefined ? null : `“${odd}” is no range of addresses; it should look like 10.20.0.0/16 or fd12::/32.`
    }
    case 'numbers':
      return isSpan(value, (end) => typeof end === 'number' && end >= 0 && Number.isFinite(end))
        ? null
        : 'It has from and below, numbers; at least one.'
    case 'version':
      return isSpan(value, (end) => typeof end === 'string' && VERSION.test(end))
        ? null
        : 'It has from and below, versions such as 2.14; at least one.'
    case 'time':
      return timeFault(value)
    case 'strength':
      return value === 'second-factor' || value === 'key' ? null : 'It is second-factor or key: at least that.'
    case 'yes':
      return typeof value === 'boolean' ? null : 'It is true (first logon) or false (returning).'
  }
}

const isTexts = (value: unknown): value is string[] =>
  Array.isArray(value) &&
  value.length > 0 &&
  value.length <= 10_000 &&
  value.every((one) => typeof one === 'string' && one.trim() !== '' && one.length <= 500)

function isSpan(value: unknown, isEnd: (end: unknown) => boolean): boolean {
  if (!value || typeof value !== 'object') return false
  const { from, below, ...rest } = value as Span<unknown> & Record<string, unknown>
  return (
    Object.keys(rest).length === 0 &&
    (from !== undefined || below !== undefined) &&
    (from === undefined || isEnd(from)) &&
    (below === undefined || isEnd(below))
  )
}

function timeFault(value: unknown): string | null {
  if (!value || typeof value !== 'object') return 'It has a zone, and days, hours or dates.'
  const { zone, days, from, until, firstDay, lastDay, ...rest } = value as Record<string, unknown>
  const [odd] = Object.keys(rest)
  if (odd !== undefined) return `“${odd}” is not known here; known are zone, days, from, until, firstDay, lastDay.`
  if (typeof zone !== 'string' || !isZone(zone)) return 'It needs a zone by its IANA name, such as Europe/Copenhagen.'
  if (days !== undefined && !(Array.isArray(days) && days.length > 0 && days.every((day) => DAYS.some((known) => known === day))))
    return `Days are a list of ${DAYS.join(', ')}.`
  if ((from === undefined) !== (until === undefined)) return 'Hours have both from and until.'
  if (from !== undefined && !(typeof from === 'string' && CLOCK.test(from) && typeof until === 'string' && CLOCK.test(until)))
    return 'Hours look like 05:40.'
  for (const date of [firstDay, lastDay])
    if (date !== undefined && !(typeof date === 'string' && DATE.test(date) && !Number.isNaN(Date.parse(date)))) return 'Dates look like 2026-11-30.'
  return null
}

function isZone(zone: string): boolean {
  try {
    return new Intl.DateTimeFormat('en', { timeZone: zone }) !== null
  } catch {
    return false
  }
}

export const isGroupOf = (condition: Condition): condition is Exclude<Condition, Leaf> =>
  'all' in condition || 'any' in condition || 'none' in condition
export const partsOf = (condition: Exclude<Condition, Leaf>): readonly Condition[] =>
  'all' in condition ? condition.all : 'any' in condition ? condition.any : condition.none

/** Name and wanted value of a leaf. */
export function leafOf(leaf: Leaf): { readonly name: FactName; readonly want: unknown } {
  const [entry] = Object.entries(leaf)
  return { name: (entry?.[0] ?? 'person') as FactName, want: entry?.[1] }
}

/** Every leaf in a condition, from left to right. */
export function leavesOf(condition: Condition): Leaf[] {
  return isGroupOf(condition) ? partsOf(condition).flatMap(leavesOf) : [condition]
}

/** The same condition in its shortest form: groups within groups of the same sort are opened, single parts stand alone. Means the same. */
export function plain(condition: Condition): Condition {
  if (!isGroupOf(condition)) return condition
  if ('none' in condition) {
    const parts = condition.none.map(plain).flatMap((part) => ('any' in part ? part.any : [part]))
    return parts.length ? { none: parts } : ALWAYS
  }
  const key = 'all' in condition ? 'all' : 'any'
  const parts = partsOf(condition)
    .map(plain)
    .flatMap((part) => (key in part ? partsOf(part as Exclude<Condition, Leaf>) : [part]))
  const [only] = parts
  return parts.length === 1 && only ? only : ({ [key]: parts } as unknown as Condition)
}
