import { countSay } from '../stats/count'
import { BUCKETS, bucketOf, quantilesIn, readPacked } from '../stats/histogram'
import { Pairs } from '../stats/pairs'
import { areWholeSeconds, quantilesOfSeconds } from '../stats/whole-seconds'
import { weekdayOf } from '../stats/zone'
import { withoutApproval } from './approval'
import type { Attempt } from './attempt'
import type { Blame } from './blame'
import { TIMED_PHASES, UNRECORDED } from './observation'

/** The series for which a usual is kept: what each phase took, time without record, and the total. */
export const SERIES: readonly string[] = [...TIMED_PHASES, UNRECORDED, 'total']
export const SERIES_INDEX: ReadonlyMap<string, number> = new Map(SERIES.map((series, index) => [series, index]))

/** What makes two attempts comparable. */
export interface Kind {
  readonly pool: string
  /** A person's first logon is never compared with a returning one. */
  readonly first: boolean
  readonly network: string
  /** See slotOf. */
  readonly slot: number
}

export function kindOf(attempt: Pick<Attempt, 'pool' | 'attrs' | 'startedAtMs'>): Kind {
  const network = attempt.attrs['network']
  const first = attempt.attrs['first'] === true
  return { pool: attempt.pool ?? '', first, network: typeof network === 'string' ? network : '', slot: slotOf(attempt.startedAtMs, first) }
}

const SLOT_MS = 4 * 3_600_000
const DAY_SLOTS = 6
/** At no certain hours. */
const NO_SLOT = -1

/**
 * Hours that are alike: four together, of workdays or of a weekend. They tell apart only, so that it does not matter that they are those of UTC. First logons are
 * too few to be told apart.
 */
export function slotOf(ms: number, first: boolean): number {
  if (first) return NO_SLOT
  const slot = Math.floor(ms / SLOT_MS)
  return (slot % DAY_SLOTS) + (weekdayOf(Math.floor(slot / DAY_SLOTS)) >= 5 ? DAY_SLOTS : 0)
}

/** One duration for each of SERIES, in milliseconds. A phase that did not occur counts as 0. */
export type Durations = ArrayLike<number>

/** @param result where they are to be put: what was in it is written over */
export function durationsOf(blame: Blame, totalMs: number, result = new Int32Array(SERIES.length)): Int32Array {
  result.fill(0)
  for (const { phase, ms } of blame.shares) {
    const index = SERIES_INDEX.get(phase)
    if (index !== undefined) result[index] = (result[index] ?? 0) + ms
  }
  result[SERIES.length - 1] = totalMs
  return result
}

/**
 * What each phase took by itself, waited for or not, within the total. Of phases that run side by side now the one and now the other is
 * waited for, and is blamed for all of their time.
 * @param result where they are to be put: what was in it is written over
 */
export function tookOf(
  { phases, totalMs }: Pick<Attempt, 'phases' | 'totalMs'>,
  { shares }: Blame,
  result = new Int32Array(SERIES.length),
): Int32Array {
  result.fill(0)
  const until = takenUntil.fill(0)
  // By start: of those with the same name, what lies in one before counts once.
  for (const { phase, startMs, endMs } of phases) {
    const index = SERIES_INDEX.get(phase)
    if (index === undefined) continue
    const fromMs = Math.max(until[index] ?? 0, Math.min(totalMs, Math.round(startMs)))
    const toMs = Math.min(totalMs, Math.round(endMs))
    if (toMs <= fromMs) continue
    result[index] = (result[index] ?? 0) + toMs - fromMs
    until[index] = toMs
  }
  for (const { phase, ms } of shares) if (phase === UNRECORDED) result[UNRECORDED_INDEX] = ms
  result[SERIES.length - 1] = totalMs
  return result
}
const takenUntil = new Int32Array(SERIES.length)

/** The same without what the person took to approve, which says nothing of machines: what is usual, and what is not, is told of this. */
export function tookByItself(
  attempt: Pick<Attempt, 'phases' | 'totalMs' | 'attrs' | 'marks'>,
  split: Blame,
  result = new Int32Array(SERIES.length),
): Int32Array {
  tookOf(attempt, split, result)
  result[SIGN_ON] = withoutApproval(attempt, result[SIGN_ON] ?? 0)
  return result
}
const SIGN_ON = SERIES.indexOf('sign-on')
const UNRECORDED_INDEX = SERIES.indexOf(UNRECORDED)

export interface UsualSeries {
  readonly medianMs: number
  /** The middle 80 %. */
  readonly lowMs: number
  readonly highMs: number
  /**
   * The distance from the lower quartile to the median over 0.6745: the standard deviation of a normal distribution. Taken from the lower
   * half only, so that it is not moved while fewer than half of the attempts are ill.
   */
  readonly spreadMs: number
}

export interface Usual {
  /** How many earlier attempts it rests on. */
  readonly n: number
  /** Which of them: the narrowest kind that had enough. */
  readonly basis: { readonly pool: string | null; readonly first: boolean; readonly network: string | null; readonly sentence: string }
  /** By name of SERIES. */
  readonly series: Readonly<Record<string, UsualSeries>>
}

/** Fewer attempts than this are too few for a usual of their own. */
export const ENOUGH = 20
/** With fewer than this, whatever the widening, there is no usual at all. */
const AT_LEAST = 5

/** So many in the same hours say what is usual in them; it counts where that is so much quicker than otherwise. */
const ENOUGH_OF_HOURS = 60
const QUICKER = 0.9
/** Where so many of all are in them, they are no hours apart. */
const NEARLY_ALL = 0.9

/** With more kinds than this (at most about 60 MB), further ones have only a usual together. No organisation has so many; broken evidence may. */
const MOST_CELLS = 2000

/** How many by bucket, for each of SERIES that had any. Zeros are not counted: in most series most attempts have one. */
type Counts = (Counted | undefined)[]
interface Counted {
  readonly byBucket: Int32Array
  n: number
  /** None is in a bucket below. */
  lowest: number
}

/** The attempts of one kind. */
interface Cell {
  readonly counts: Counts
  n: number
}

/** A kind, or several together: what was added to each is put together when somebody asks, and from then on as it comes. */
interface Level {
  readonly pool: string | null
  readonly network: string | null
  readonly first: boolean
  /** Only certain hours, see slotOf. */
  readonly hours: boolean
  readonly cells: Cell[]
  counts: Counts | null
  n: number
  cached: { readonly n: number; readonly usual: Usual } | null
}

/** Where a kind is counted, and the levels that it belongs to: its hours, then the narrowest first. */
interface Belonging {
  readonly cell: Cell
  readonly hours: Level | null
  readonly levels: readonly Level[]
}

/** Holds what is usual for each kind of attempt. Feed it earlier attempts, ask it for a kind. */
export class UsualModel {
  /** By pool and network, and in there by nthOf. */
  readonly #kinds = new Pairs<(Belonging | undefined)[]>()
  #count = 0
  /** All further ones, those of first logons apart. */
  readonly #others: (Belonging | undefined)[] = []
  readonly #levels = new Map<string, Level>()

  /** Adds one attempt that ended well. `times` -1 takes it back. */
  add(kind: Kind, durations: Durations, times: 1 | -1 = 1): void {
    const { cell, levels, hours } = this.#of(kind)
    cell.n += times
    if (hours) hours.n += times
    for (const level of levels) level.n += times
    for (let index = 0; index < SERIES.length; index++) {
      const bucket = bucketOf(durations[index] ?? 0)
      if (bucket === 0) continue
      count(cell.counts, index, bucket, times)
      if (hours) countIn(hours, cell, index, bucket, times)
      for (const level of levels) countIn(level, cell, index, bucket, times)
    }
  }

  /** Adds many at once: packed histograms, one for each of SERIES. */
  addPacked(kind: Kind, packed: Uint8Array): void {
    const { cell, levels, hours } = this.#of(kind)
    let n = 0
    readPacked(packed, (index, bucket, times) => {
      if (index === SERIES.length - 1) n += times
      if (bucket !== 0) count(cell.counts, index, bucket, times)
    })
    cell.n += n
    for (const level of hours ? [hours, ...levels] : levels) {
      level.n += n
      level.counts = null
      level.cached = null
    }
  }

  /**
   * Adds all that another holds; `times` -1 takes it back.
   * @returns false where that one has so many kinds that it does not tell all of them apart: then nothing was added
   */
  addAll(other: UsualModel, times: 1 | -1 = 1): boolean {
    if (other.#others.length > 0) return false
    for (const [pool, network, kinds] of other.#kinds)
      kinds.forEach((one, nth) => {
        if (!one) return
        const { cell, levels, hours } = this.#of({ pool, network, first: nth % 2 === 1, slot: (nth >> 1) - 1 })
        addTo(cell, one.cell, times)
        for (const level of hours ? [hours, ...levels] : levels) {
          level.n += times * one.cell.n
          level.counts = null
          level.cached = null
        }
      })
    return true
  }

  /** How many kinds it tells apart. */
  get kinds(): number {
    return this.#count
  }

  /**
   * The usual of a kind, widened step by step (the network first, then the pool) until 20 attempts are behind it; null where there
   * are hardly any. First and returning logons are never mixed. Where logons are much quicker than that in the same hours, these count: what takes long
   * then is not usual because it is in the morning. Never the other way round: a crowd that comes every day would be hidden.
   */
  usualFor(kind: Kind): Usual | null {
    let best: Level | null = null
    const { hours, levels } = this.#of(kind)
    // Where others on the pool say what network they come from, those who do not are of no network of their own.
    const narrowest = kind.network === '' && (levels[1]?.n ?? 0) > (levels[0]?.n ?? 0) ? 1 : 0
    for (let i = narrowest; i < levels.length; i++) {
      const level = levels[i]
      if (!level) break
      if (level.n >= ENOUGH) {
        const usual = read(level)
        if (i > 0 || !hours || hours.n < ENOUGH_OF_HOURS || hours.n > NEARLY_ALL * level.n) return usual
        const then = read(hours)
        return (then.series['total']?.medianMs ?? 0) < QUICKER * (usual.series['total']?.medianMs ?? 0) ? then : usual
      }
      if (level.n >= AT_LEAST && (!best || level.n > best.n)) best = level
    }
    return best && read(best)
  }

  #of(kind: Kind): Belonging {
    const { pool, network, first, slot } = kind
    const found = this.#kinds.get(pool, network)?.[nthOf(first, slot)]
    if (found) return found
    // With so many kinds, hours are no longer told apart.
    if (slot !== NO_SLOT && this.#count >= MOST_CELLS / 2) return this.#of({ ...kind, slot: NO_SLOT })
    // Past the most, all further kinds are one, and nobody's own.
    const full = this.#count >= MOST_CELLS
    const others = nthOf(first, NO_SLOT)
    const shared = full ? this.#others[others] : undefined
    if (shared) return shared
    const cell: Cell = { counts: [], n: 0 }
    const level = (p: string | null, n: string | null, hours: number | null = null) => this.#level({ pool: p, network: n, first }, hours, cell)
    const levels = full ? [level(null, null)] : [level(pool, network), level(pool, null), level(null, network), level(null, null)]
    const made = { cell, levels, hours: full || slot === NO_SLOT ? null : level(pool, network, slot) }
    if (full) this.#others[others] = made
    else this.#keep(kind, made)
    return made
  }

  #keep({ pool, network, first, slot }: Kind, made: Belonging): void {
    const kinds = this.#kinds.get(pool, network) ?? []
    if (kinds.length === 0) this.#kinds.set(pool, network, kinds)
    kinds[nthOf(first, slot)] = made
    this.#count++
  }

  #level(named: Pick<Level, 'pool' | 'network' | 'first'>, slot: number | null, cell: Cell): Level {
    const key = keyOf(named.pool, named.network, named.first, slot ?? NO_SLOT)
    let level = this.#levels.get(key)
    if (!level) this.#levels.set(key, (level = { ...named, hours: slot !== null, cells: [], counts: null, n: 0, cached: null }))
    level.cells.push(cell)
    level.counts = null
    return level
  }
}

/** A place for each slot, those of first logons apart. */
const nthOf = (first: boolean, slot: number): number => 2 * (slot + 1) + (first ? 1 : 0)

/** No name holds these characters: readers do not let them in. */
const keyOf = (pool: string | null, network: string | null, first: boolean, slot: number) =>
  `${first ? 1 : 0}${slot}\u0000${pool ?? '\u0001'}\u0000${network ?? '\u0001'}`

function count(counts: Counts, index: number, bucket: number, times: number): void {
  const series = (counts[index] ??= { byBucket: new Int32Array(BUCKETS), n: 0, lowest: bucket })
  if (bucket < series.lowest) series.lowest = bucket
  series.n += times
  series.byBucket[bucket] = (series.byBucket[bucket] ?? 0) + times
}

function addTo(cell: Cell, other: Cell, times: 1 | -1): void {
  cell.n += times * other.n
  other.counts.forEach((counted, index) => {
    if (!counted) return
    const { byBucket } = counted
    for (let bucket = counted.lowest; bucket < BUCKETS; bucket++) {
      const n = byBucket[bucket] ?? 0
      if (n !== 0) count(cell.counts, index, bucket, times * n)
    }
  })
}

/** The same in a level that somebody asked for, unless it has no counts but the cell's. */
function countIn({ counts }: Level, cell: Cell, index: number, bucket: number, times: number): void {
  if (counts && counts !== cell.counts) count(counts, index, bucket, times)
}

/** What was added to the cells of a level so far; of a single one, its own counts. */
function together(cells: readonly Cell[]): Counts {
  const [only] = cells
  if (only && cells.length === 1) return only.counts
  const sums: Counts = []
  for (const { counts } of cells)
    counts.forEach((one, index) => {
      if (one) for (let bucket = one.lowest; bucket < BUCKETS; bucket++) count(sums, index, bucket, one.byBucket[bucket] ?? 0)
    })
  return sums
}

/** Quantiles of a series in a level of so many attempts; the zeros, which are not counted, are what is missing. */
function quantilesOf(counted: Counted | undefined, n: number): readonly number[] {
  if (!counted || counted.n <= 0) return []
  const zeros = n - counted.n
  return areWholeSeconds(counted.byBucket)
    ? quantilesOfSeconds(counted.byBucket, zeros, QUANTILES)
    : quantilesIn(counted.byBucket, n, QUANTILES, { from: counted.lowest, before: zeros })
}
const QUANTILES = [0.1, 0.25, 0.5, 0.9]

/** Quantiles are read again when the level grew or shrank by one in twelve, far less than what they vary by, and always while it is small. */
function read(level: Level): Usual {
  const { cached, n, pool, network, first, hours } = level
  if (cached && Math.abs(cached.n - n) * 12 < n) return cached.usual
  const series: Record<string, UsualSeries> = {}
  const counts = (level.counts ??= together(level.cells))
  SERIES.forEach((name, index) => {
    const [low = 0, quarter = 0, median = 0, high = 0] = quantilesOf(counts[index], n)
    series[name] = {
      medianMs: Math.round(median),
      lowMs: Math.round(low),
      highMs: Math.round(high),
      spreadMs: Math.round((median - quarter) / 0.6745),
    }
  })
  const who = `${first ? 'first' : 'returning'} logons${pool === null ? ' of all pools' : ` on ${pool || 'an unnamed pool'}`}${network ? ` from ${network}` : ''}${hours ? ' at such hours' : ''}`
  const usual: Usual = { n, basis: { pool, first, network, sentence: `${countSay(n)} earlier ${who}` }, series }
  level.cached = { n, usual }
  return usual
}
