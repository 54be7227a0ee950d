import type { Org } from '../people/org'
import { readRange, writeAddress } from './address'
import { leafOf, type Span, type TimeWindow } from './condition'
import type { CompiledPolicy, CompiledSet, Dimension, Node } from './compile'
import { compareVersions, inWindow, patternOf, type SessionFacts } from './facts'
import { standing } from './resolve'
import { zoneOffsetMs } from '../stats/zone'

/** Everything about a session but the person. Where there are several alike, one stands for all. */
export interface Situation {
  readonly facts: SessionFacts
  /** People who can be in it: whoever has one of these groups; null: everybody. */
  readonly grants: readonly string[] | null
}

export interface Universe {
  readonly situations: readonly Situation[]
  /** False where there are more than could be looked at; then nothing may be concluded from absence. */
  readonly complete: boolean
  /** How many there would be. */
  readonly count: number
}

export interface UniverseOptions {
  readonly nowMs: number
  /** Time windows are looked at for so many days ahead. */
  readonly days?: number
  /** The most situations to look at. */
  readonly limit?: number
  /** Only what these parts ask matters; without, everything in the set. */
  readonly nodes?: readonly Node[]
  /** Policies whose beginning and end matter; without, all. */
  readonly policies?: readonly CompiledPolicy[]
}
const SITUATIONS = 300_000
const HORIZON_DAYS = 366
const DAY_MS = 86_400_000

/**
 * The situations that a set can tell apart: places with a different answer to what is asked of places, crossed with one representative of every stretch of
 * addresses, numbers, versions, names and time between two limits, and one where the fact is not known. Exact: two sessions in the same class get the same
 * from every policy. Client facts are taken to vary independently of each other.
 */
export function universe(compiled: CompiledSet, org: Org, options: UniverseOptions): Universe {
  const { places, axes, complete } = axesOf(compiled, org, options)
  const count = axes.reduce((product, values) => product * values.length, places.length)
  if (count > (options.limit ?? SITUATIONS)) return { situations: [], complete: false, count }
  let situations = places
  for (const values of axes)
    if (values.length > 1 || Object.keys(values[0] ?? {}).length)
      situations = situations.flatMap(({ facts, grants }) => values.map((value) => ({ facts: { ...facts, ...value }, grants })))
  return { situations, complete, count }
}

/** The places, and for every other fact the values of which one stands for all that are alike. */
export function axesOf(
  compiled: CompiledSet,
  org: Org,
  options: UniverseOptions,
): { readonly places: Situation[]; readonly axes: readonly (readonly SessionFacts[])[]; readonly complete: boolean } {
  const asked = options.nodes ? leavesIn(options.nodes) : new Set(compiled.leaves.keys())
  const of = (dimension: Dimension) => [...asked].filter((leaf) => compiled.leaves[leaf]?.dimension === dimension)
  const wants = (dimension: Dimension) => of(dimension).map((leaf) => leafOf(compiled.leaves[leaf]?.leaf ?? { first: true }).want)

  const moments = momentsOf(compiled, wants('time') as TimeWindow[], options)
  const names = namesOf(wants('clientName').flat() as string[])
  const axes: SessionFacts[][] = [
    axis('clientKind', valuesOf(wants('clientKind').flat() as string[])),
    names.values.map((clientName) => ({ clientName })),
    axis('clientVersion', versionsOf(wants('clientVersion') as Span<string>[])),
    axis('address', addressesOf(wants('address').flat() as string[])),
    axis('network', valuesOf(wants('network').flat() as string[])),
    axis('rttMs', numbersOf(wants('rttMs') as Span<number>[])),
    axis('bandwidthKbps', numbersOf(wants('bandwidthKbps') as Span<number>[])),
    moments.map((atMs) => ({ atMs })),
    of('factor').length ? (['none', 'push', 'key'] as const).map((factor) => ({ factor })) : [{}],
    of('first').length ? [{ first: true }, { first: false }, {}] : [{}],
  ]
  return { places: placesOf(compiled, org, of('place')), axes, complete: names.complete }
}

export function leavesIn(nodes: readonly Node[]): Set<number> {
  const found = new Set<number>()
  const open = [...nodes]
  for (let node = open.pop(); node !== undefined; node = open.pop()) {
    if (typeof node === 'number') found.add(node)
    else open.push(...node.parts)
  }
  return found
}

function axis<K extends keyof SessionFacts>(name: K, values: readonly SessionFacts[K][]): SessionFacts[] {
  return values.length ? values.map((value) => (value === undefined ? {} : { [name]: value })) : [{}]
}

/** One place for each answer to what is asked of places, in each pool. */
function placesOf(compiled: CompiledSet, org: Org, leaves: readonly number[]): Situation[] {
  const places: Situation[] = []
  const seen = new Set<string>()
  const tests = leaves.flatMap((leaf) => compiled.leaves[leaf]?.test ?? [])
  const hostsOf = new Map<string, (typeof org.hosts)[number][]>()
  for (const host of org.hosts) {
    const list = hostsOf.get(host.pool ?? '')
    if (list) list.push(host)
    else hostsOf.set(host.pool ?? '', [host])
  }
  for (const pool of org.pools) {
    const hosts = hostsOf.get(pool.id) ?? []
    for (const host of hosts.length ? hosts : [undefined]) {
      const facts: SessionFacts = host ? { pool: pool.id, host: host.id, zone: host.zone, image: host.image } : { pool: pool.id }
      const lowered = {
        pool: pool.id.toLowerCase(),
        host: host?.id.toLowerCase(),
        zone: host?.zone?.toLowerCase(),
        image: host?.image?.toLowerCase(),
      }
      const answers = tests.map((test) => (test({ ...lowered, groups: undefined, address: null, given: facts }) ? '1' : '0')).join('')
      const key = `${pool.id}|${answers}`
      if (seen.has(key)) continue
      seen.add(key)
      places.push({ facts, grants: pool.grants ?? null })
    }
  }
  return places.length ? places : [{ facts: {}, grants: null }]
}

/** Stands for every name that no condition asks for. */
export const ANOTHER = 'another'

/** Each value that is asked for, and one that is not: it has the answers of a value that is not known, too. */
function valuesOf(asked: readonly string[]): (string | undefined)[] {
  if (asked.length === 0) return []
  const values = [...new Map(asked.map((value) => [value.toLowerCase(), value])).values()]
  let other = ANOTHER
  while (values.some((value) => value.toLowerCase() === other)) other += '-one'
  return [...values, other]
}

function numbersOf(spans: readonly Span<number>[]): (number | undefined)[] {
  if (spans.length === 0) return []
  const edges = [...new Set(spans.flatMap(({ from, below }) => [from, below]).filter((edge): edge is number => edge !== undefined))].sort(
    (a, b) => a - b,
  )
  const [least] = edges
  return [...(least !== undefined && least > 0 ? [0] : []), ...edges, undefined]
}

function versionsOf(spans: readonly Span<string>[]): (string | undefined)[] {
  if (spans.length === 0) return []
  const edges = spans.flatMap(({ from, below }) => [from, below]).filter((edge): edge is string => edge !== undefined)
  const sorted = edges.sort(compareVersions).filter((edge, i) => i === 0 || compareVersions(edge, edges[i - 1] ?? '') !== 0)
  return [...(sorted[0] && compareVersions(sorted[0], '0') > 0 ? ['0'] : []), ...sorted, undefined]
}

/** The first address of every stretch between two limits. */
function addressesOf(asked: readonly string[]): (string | undefined)[] {
  if (asked.length === 0) return []
  const edges = new Map<string, { family: 4 | 6; number: bigint }>()
  const add = (family: 4 | 6, number: bigint) => {
    // A mapped address (::ffff:0:0/96) is one of version 4, so that stretch is no stretch of version 6.
    const beyond = family === 4 ? number >> 32n : number >> 128n
    const mapped = family === 6 && number >> 32n === 0xffffn
    if (beyond === 0n) edges.set(`${family} ${number}`, { family, number: mapped ? 0x1_0000_0000_0000n : number })
  }
  for (const text of asked) {
    const range = readRange(text)
    if (!range) continue
    add(range.family, 0n)
    add(range.family === 4 ? 6 : 4, 0n)
    add(range.family, range.first)
    add(range.family, range.last + 1n)
  }
  return [...[...edges.values()].map(writeAddress), undefined]
}

/**
 * Moments with a different answer to what is asked of time, and to which policies have begun and ended. Windows begin and end on whole minutes of their
 * zone, so every day's limits are tried, for as many days as are looked ahead.
 */
function momentsOf(compiled: CompiledSet, windows: readonly TimeWindow[], { nowMs, days = HORIZON_DAYS, policies }: UniverseOptions): number[] {
  const ending = policies ?? compiled.policies
  const limits = new Set<number>([nowMs])
  for (const { fromMs, untilMs } of ending) for (const limit of [fromMs, untilMs]) if (Number.isFinite(limit) && limit > nowMs) limits.add(limit)
  const ticks = new Set<number>([nowMs])
  for (const { from, until, zone } of windows)
    for (let day = 0; day <= days; day++) {
      // Local midnight and the limits of the window, by the offset of about that time; a little around a change of summer time is tried as well.
      for (const clock of ['00:00', from, until])
        if (clock !== undefined) for (const shift of shiftsOf(zone, nowMs + day * DAY_MS)) ticks.add(localMs(nowMs + day * DAY_MS, clock, shift))
    }
  const seen = new Map<string, number>()
  for (const atMs of [...ticks, ...limits].sort((a, b) => a - b)) {
    if (atMs < nowMs) continue
    const key =
      windows.map((window) => (inWindow(window, atMs) ? '1' : '0')).join('') + '|' + ending.map((one) => (standing(one, atMs) ? '0' : '1')).join('')
    if (!seen.has(key)) seen.set(key, atMs)
  }
  return [...seen.values()]
}

function localMs(dayMs: number, clock: string, offsetMs: number): number {
  const midnight = Math.floor((dayMs + offsetMs) / DAY_MS) * DAY_MS
  return midnight + (Number(clock.slice(0, 2)) * 60 + Number(clock.slice(3))) * 60_000 - offsetMs
}

const zoneShifts = new Map<string, readonly number[]>()
/** The offsets of a zone within a day of a moment: one, or two around a change. */
function shiftsOf(zone: string, atMs: number): readonly number[] {
  const key = `${zone} ${Math.floor(atMs / DAY_MS)}`
  let shifts = zoneShifts.get(key)
  if (!shifts) {
    if (zoneShifts.size > 50_000) zoneShifts.clear()
    zoneShifts.set(key, (shifts = [...new Set([-1, 0, 1].map((day) => zoneOffsetMs(zone, atMs + day * DAY_MS)))]))
  }
  return shifts
}

/** At most so many states of patterns beside each other are looked at. */
const PATTERN_STATES = 20_000

/**
 * Names with every possible combination of answers to some patterns: the shortest example of each. All patterns are walked at once, letter by letter (the
 * product of their automata), so no combination that some name has is missed, and none is named that no name has.
 */
export function namesOf(patterns: readonly string[]): { readonly values: (string | undefined)[]; readonly complete: boolean } {
  if (patterns.length === 0) return { values: [undefined], complete: true }
  const distinct = [...new Set(patterns.map((pattern) => pattern.toLowerCase()))]
  const letters = new Set(distinct.flatMap((pattern) => [...pattern].filter((letter) => letter !== '*' && letter !== '?')))
  const other = ['x', 'y', 'z', '0', '~', '§'].find((letter) => !letters.has(letter)) ?? '\u00a4'
  const alphabet = [...letters, other]
  const tests = distinct.map(patternOf)
  const start = distinct.map((pattern) => reach(pattern, new Set([0])))
  const stateKey = (states: readonly ReadonlySet<number>[]) => states.map((set) => [...set].sort((a, b) => a - b).join(',')).join('|')
  // The start is not among them: a name is never blank, so its first letter may lead back to it.
  const seen = new Set<string>()
  const found = new Map<string, string>()
  let edge: { name: string; states: ReadonlySet<number>[] }[] = [{ name: '', states: start }]
  while (edge.length) {
    const next: typeof edge = []
    for (const { name, states } of edge) {
      const answers = tests.map((test) => (test.test(name) ? '1' : '0')).join('')
      if (name !== '' && !found.has(answers)) found.set(answers, name)
      for (const letter of alphabet) {
        const after = states.map((set, i) => step(distinct[i] ?? '', set, letter))
        const key = stateKey(after)
        if (seen.has(key)) continue
        if (seen.size > PATTERN_STATES) return { values: [...found.values(), undefined], complete: false }
        seen.add(key)
        next.push({ name: name + letter, states: after })
      }
    }
    edge = next
  }
  return { values: [...found.values(), undefined], complete: true }
}

/** Places in a pattern that can be stood on without a further letter: a star may stand for nothing. */
function reach(pattern: string, places: Set<number>): Set<number> {
  for (const place of places) if (pattern[place] === '*') places.add(place + 1)
  return places
}
function step(pattern: string, places: ReadonlySet<number>, letter: string): Set<number> {
  const after = new Set<number>()
  for (const place of places) {
    const sign = pattern[place]
    if (sign === '*') after.add(place)
    else if (sign === '?' || sign === letter) after.add(place + 1)
  }
  return reach(pattern, after)
}
