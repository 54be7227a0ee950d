import { weekdayOf, zoneOffsetMs } from '../stats/zone'
import { inRange, readAddress, readRange, type Address, type Range } from './address'
import { DAYS, FACTS, leafOf, type Leaf, type Span, type TimeWindow } from './condition'

/** What is known of one session, or would be. Anything may be missing; a condition on what is not known does not hold. */
export interface SessionFacts {
  readonly person?: string | undefined
  /** Direct groups, where they are not to be taken from the organisation. */
  readonly groups?: readonly string[] | undefined
  readonly pool?: string | undefined
  readonly host?: string | undefined
  readonly zone?: string | undefined
  readonly image?: string | undefined
  readonly clientKind?: string | undefined
  readonly clientName?: string | undefined
  readonly clientVersion?: string | undefined
  readonly address?: string | undefined
  readonly network?: string | undefined
  readonly rttMs?: number | undefined
  readonly bandwidthKbps?: number | undefined
  readonly atMs?: number | undefined
  readonly factor?: 'none' | 'push' | 'code' | 'key' | undefined
  readonly first?: boolean | undefined
}

/** Facts made ready for being asked many times. */
export interface Facts extends Omit<SessionFacts, 'groups' | 'address'> {
  /** All groups, direct and through others, in lower case; undefined where the person is not known. */
  readonly groups: ReadonlySet<string> | undefined
  readonly address: Address | null
  readonly given: SessionFacts
}

const lower = (text: string | undefined) => text?.toLowerCase()

export function readyFacts(given: SessionFacts, groups: ReadonlySet<string> | undefined): Facts {
  return {
    ...given,
    person: lower(given.person),
    pool: lower(given.pool),
    host: lower(given.host),
    zone: lower(given.zone),
    image: lower(given.image),
    clientKind: lower(given.clientKind),
    clientName: lower(given.clientName),
    network: lower(given.network),
    groups,
    address: given.address === undefined ? null : readAddress(given.address),
    given,
  }
}

export type Test = (facts: Facts) => boolean

/** Makes a leaf ready for being asked many times. */
export function testOf(leaf: Leaf): Test {
  const { name, want } = leafOf(leaf)
  switch (name) {
    case 'group': {
      const wanted = lowered(want)
      return ({ groups }) => groups !== undefined && wanted.some((group) => groups.has(group))
    }
    case 'host':
    case 'clientName': {
      const patterns = lowered(want).map(patternOf)
      return (facts) => facts[name] !== undefined && patterns.some((pattern) => pattern.test(facts[name] ?? ''))
    }
    case 'address': {
      const ranges = (want as string[]).map(readRange).filter((range): range is Range => range !== null)
      return ({ address }) => address !== null && ranges.some((range) => inRange(address, range))
    }
    case 'rttMs':
    case 'bandwidthKbps': {
      const { from = -Infinity, below = Infinity } = want as Span<number>
      return (facts) => {
        const value = facts[name]
        return value !== undefined && value >= from && value < below
      }
    }
    case 'clientVersion': {
      const { from, below } = want as Span<string>
      return ({ clientVersion: version }) =>
        version !== undefined &&
        (from === undefined || compareVersions(version, from) >= 0) &&
        (below === undefined || compareVersions(version, below) < 0)
    }
    case 'time': {
      const window = want as TimeWindow
      return ({ atMs }) => atMs !== undefined && inWindow(window, atMs)
    }
    case 'signOn':
      return ({ factor }) => factor !== undefined && STRENGTH[factor] >= (want === 'key' ? 2 : 1)
    case 'first':
      return ({ first }) => first === want
    default: {
      const wanted = new Set(lowered(want))
      return (facts) => {
        const value = facts[name]
        return value !== undefined && wanted.has(value)
      }
    }
  }
}

const STRENGTH = { none: 0, push: 1, code: 1, key: 2 } as const
const lowered = (want: unknown) => (want as string[]).map((text) => text.toLowerCase())

/** `*` for any characters, `?` for one. */
export function patternOf(pattern: string): RegExp {
  return new RegExp(
    `^${pattern
      .replaceAll(/[.+^${}()|[\]\\]/g, '\\$&')
      .replaceAll('*', '[^]*')
      .replaceAll('?', '[^]')}$`,
    'u',
  )
}

/** By their numbers from left to right; what is missing counts as 0. Below 0 where the first is older. */
export function compareVersions(a: string, b: string): number {
  const [left, right] = [a, b].map((version) => version.split('.').map((part) => Number.parseInt(part, 10) || 0))
  for (let i = 0; i < Math.max(left?.length ?? 0, right?.length ?? 0); i++) {
    const difference = (left?.[i] ?? 0) - (right?.[i] ?? 0)
    if (difference !== 0) return difference
  }
  return 0
}

const QUARTER_MS = 15 * 60_000
const offsets = new Map<string, number>()
/** Offsets change on a quarter of an hour at most, so they are kept by that. */
function offsetAt(zone: string, atMs: number): number {
  const key = `${zone}|${Math.floor(atMs / QUARTER_MS)}`
  let offset = offsets.get(key)
  if (offset === undefined) {
    if (offsets.size > 200_000) offsets.clear()
    offsets.set(key, (offset = zoneOffsetMs(zone, atMs)))
  }
  return offset
}

const DAY_MS = 86_400_000
const minutesOf = (clock: string) => Number(clock.slice(0, 2)) * 60 + Number(clock.slice(3))

/** Whether a moment lies in a window, by the clock of its zone; over a change of summer time that clock counts, not the hours passed. */
export function inWindow(window: TimeWindow, atMs: number): boolean {
  const local = atMs + offsetAt(window.zone, atMs)
  const day = Math.floor(local / DAY_MS)
  const minute = (local - day * DAY_MS) / 60_000
  if (window.from === undefined || window.until === undefined) return onDay(window, day)
  const [from, until] = [minutesOf(window.from), minutesOf(window.until)]
  if (from < until) return minute >= from && minute < until && onDay(window, day)
  // Over midnight: the hours after it belong to the day before.
  return (minute >= from && onDay(window, day)) || (minute < until && onDay(window, day - 1))
}

function onDay({ days, firstDay, lastDay }: TimeWindow, day: number): boolean {
  const weekday = DAYS[weekdayOf(day)]
  if (days && weekday && !days.includes(weekday)) return false
  const from = firstDay === undefined ? -Infinity : Date.parse(firstDay) / DAY_MS
  const until = lastDay === undefined ? Infinity : Date.parse(lastDay) / DAY_MS
  return day >= from && day <= until
}

/** What was found of the fact that a leaf asks for, in words. */
export function foundFor(leaf: Leaf, facts: Facts): string {
  const { name, want } = leafOf(leaf)
  const { given } = facts
  const unknown = `the ${FACTS[name].title} is not known`
  switch (name) {
    case 'group': {
      if (!facts.groups) return 'the person is not known'
      const all = [...facts.groups]
      return all.length === 0 ? 'in no group' : `in ${all.slice(0, 4).join(', ')}${all.length > 4 ? ` and ${all.length - 4} more` : ''}`
    }
    case 'time': {
      if (facts.atMs === undefined) return 'the time is not known'
      const { zone } = want as TimeWindow
      const local = new Date(facts.atMs + offsetAt(zone, facts.atMs))
      return `it is ${DAYS[(local.getUTCDay() + 6) % 7] ?? ''} ${local.toISOString().slice(0, 10)} ${local.toISOString().slice(11, 16)} in ${zone}`
    }
    case 'signOn':
      return facts.factor === undefined
        ? unknown
        : `signed on with ${{ none: 'a password', push: 'an approval', code: 'a code', key: 'a security key' }[facts.factor]}`
    case 'first':
      return facts.first === undefined ? 'not known whether it is the first logon' : facts.first ? 'a first logon' : 'a returning logon'
    case 'rttMs':
    case 'bandwidthKbps':
      return facts[name] === undefined ? unknown : `${facts[name]} ${FACTS[name].unit ?? ''}`
    case 'address':
      return given.address === undefined ? unknown : facts.address ? given.address : `“${given.address}” is no address`
    default:
      return given[name] ?? unknown
  }
}
