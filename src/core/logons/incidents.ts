import { isUnusual } from './analyse'
import { placesOf } from './around'
import type { Explained } from './batch'
import { CAUSE_BY_ID } from './causes'

/** What an incident is made of: one attempt with its cause and its places. */
export interface Affected {
  readonly id: string
  readonly person: string
  readonly atMs: number
  readonly lostMs: number
  readonly outcome: string
  readonly cause: string
  readonly places: Readonly<Record<string, string>>
}

export interface Incident {
  readonly id: string
  readonly cause: string
  readonly title: string
  /** Where: the places that hold nearly all of it. Empty means everywhere. */
  readonly scope: readonly { readonly dimension: string; readonly value: string }[]
  readonly fromMs: number
  readonly toMs: number
  readonly attempts: number
  readonly failed: number
  readonly people: number
  readonly lostMs: number
  /** The attempt that shows it best: the one that lost most. */
  readonly example: string
}

/** The dimensions by which an incident is named, the narrowest first. */
const NAMING = ['holderHost', 'part', 'host', 'share', 'zone', 'pool', 'image', 'network'] as const
/** A place names an incident when it holds this share of it. */
const NEARLY_ALL = 0.85

/**
 * Groups attempts by cause, and each group by the place that all or nearly all of it shares. A first, plain form: groups of one cause in
 * several separate places stay together unless one of those places has three or more attempts of its own.
 */
export function incidents(affected: readonly Affected[]): Incident[] {
  const byCause = groupBy(affected, ({ cause }) => cause)
  return [...byCause].flatMap(([cause, list]) => split(cause, list)).sort((a, b) => b.lostMs - a.lostMs || (a.id < b.id ? -1 : 1))
}

function split(cause: string, list: readonly Affected[]): Incident[] {
  if (nearlyAll(list).length > 0) return [incident(cause, list)]
  for (const dimension of ['holderHost', 'part', 'host', 'share'] as const) {
    const groups = [...groupBy(list, ({ places }) => places[dimension] ?? '')].filter(([value, group]) => value !== '' && group.length >= 3)
    const held = groups.reduce((sum, [, group]) => sum + group.length, 0)
    if (groups.length === 0 || groups.length > 4 || held < 0.6 * list.length) continue
    const rest = list.filter((one) => !groups.some(([value]) => value === one.places[dimension]))
    return [...groups.map(([, group]) => incident(cause, group)), ...(rest.length ? [incident(cause, rest)] : [])]
  }
  return [incident(cause, list)]
}

/** The narrowest place that holds nearly all, with the wider ones that it does not imply. */
function nearlyAll(list: readonly Affected[]): Incident['scope'] {
  const found = NAMING.flatMap((dimension) => {
    const value = commonValue(list, dimension)
    return value === null ? [] : [{ dimension, value }]
  })
  const [narrowest, ...wider] = found
  if (!narrowest) return []
  const adds: readonly string[] =
    narrowest.dimension === 'part' ? ['zone', 'pool'] : narrowest.dimension === 'share' || narrowest.dimension === 'zone' ? ['pool'] : []
  return [narrowest, ...wider.filter(({ dimension }) => adds.includes(dimension))]
}

/** The value that nearly all share. Only one can be that of more than half: the one left over when unlike values are struck out in pairs (Boyer and Moore 1981). */
function commonValue(list: readonly Affected[], dimension: (typeof NAMING)[number]): string | null {
  let candidate = ''
  let left = 0
  for (const { places } of list) {
    const value = places[dimension] ?? ''
    if (left === 0) candidate = value
    left += value === candidate ? 1 : -1
  }
  if (candidate === '') return null
  let n = 0
  for (const { places } of list) if (places[dimension] === candidate) n++
  return n >= NEARLY_ALL * list.length ? candidate : null
}

function incident(cause: string, list: readonly Affected[]): Incident {
  const scope = nearlyAll(list)
  const worst = list.reduce((best, one) => (one.lostMs > best.lostMs ? one : best))
  return {
    id: [cause, ...scope.map(({ dimension, value }) => `${dimension}=${value}`)].join('~'),
    cause,
    title: CAUSE_BY_ID.get(cause)?.title ?? 'Not explained',
    scope,
    fromMs: Math.min(...list.map(({ atMs }) => atMs)),
    toMs: Math.max(...list.map(({ atMs }) => atMs)),
    attempts: list.length,
    failed: list.filter(({ outcome }) => outcome === 'failed').length,
    people: new Set(list.map(({ person }) => person)).size,
    lostMs: list.reduce((sum, { lostMs }) => sum + lostMs, 0),
    example: worst.id,
  }
}

function groupBy<T>(list: readonly T[], keyOf: (item: T) => string): Map<string, T[]> {
  const groups = new Map<string, T[]>()
  for (const item of list) {
    const key = keyOf(item)
    const group = groups.get(key)
    if (group) group.push(item)
    else groups.set(key, [item])
  }
  return groups
}

/** The part that an explained attempt has in an incident: none where nothing was unusual about it. */
export function affectedBy(one: Explained): Affected[] {
  if (!isUnusual(one)) return []
  const text = (name: string) => {
    const value = one.attempt.attrs[name]
    return typeof value === 'string' ? value : ''
  }
  const slowest = one.excess[0]
  const part = one.attempt.parts.filter(({ phase }) => phase === slowest?.phase).sort((a, b) => b.endMs - b.startMs - (a.endMs - a.startMs))[0]
  return [
    {
      id: one.attempt.id,
      person: one.attempt.person ?? '',
      atMs: one.attempt.startedAtMs,
      lostMs: one.lostMs,
      outcome: one.outcome,
      cause: one.diagnosis.cause?.id ?? 'unexplained',
      places: { ...placesOf(one), holderHost: text('holderHost'), part: part?.part ?? '' },
    },
  ]
}
