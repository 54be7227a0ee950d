import { bucketOf, Histogram } from '../stats/histogram'
import type { Attempt } from './attempt'
import type { Blame } from './blame'
import { TIMED_PHASES, UNRECORDED } from './observation'

/** The series for which a usual is kept: each phase's blame, time without record, and the total. */
export const SERIES: readonly string[] = [...TIMED_PHASES, UNRECORDED, 'total']
const SERIES_INDEX = new Map(SERIES.map((series, index) => [series, index]))

/** What makes two attempts comparable. */
export interface Kind {
  readonly pool: string
  /** A person's first logon is never compared with a returning one. */
  readonly first: boolean
  readonly network: string
}

export function kindOf(attempt: Pick<Attempt, 'pool' | 'attrs'>): Kind {
  const network = attempt.attrs['network']
  return { pool: attempt.pool ?? '', first: attempt.attrs['first'] === true, network: typeof network === 'string' ? network : '' }
}

/** One duration for each of SERIES, in milliseconds. A phase that did not occur counts as 0. */
export type Durations = ArrayLike<number>

export function durationsOf(blame: Blame, totalMs: number): Int32Array {
  const result = new Int32Array(SERIES.length)
  for (const { phase, ms } of blame.shares) {
    const index = SERIES_INDEX.get(phase)
    if (index !== undefined) result[index] = (result[index] ?? 0) + ms
  }
  result[SERIES.length - 1] = totalMs
  return result
}

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

/** With more kinds than this (about 60 MB), further pools have only the usual of all pools. No organisation has so many; broken evidence may. */
const MOST_CELLS = 3000

interface Cell {
  readonly histograms: Histogram[]
  n: number
  cached: { n: number; usual: Usual } | null
}

/** Holds what is usual for each kind of attempt. Feed it earlier attempts, ask it for a kind. */
export class UsualModel {
  readonly #cells = new Map<string, Cell>()
  readonly #buckets = new Uint16Array(SERIES.length)
  readonly #levelsOf = new Map<string, readonly Level[]>()

  /** Adds one attempt that ended well. `times` -1 takes it back. */
  add(kind: Kind, durations: Durations, times: 1 | -1 = 1): void {
    const buckets = this.#buckets
    for (let index = 0; index < buckets.length; index++) buckets[index] = bucketOf(durations[index] ?? 0)
    for (const level of this.#levels(kind)) {
      const cell = this.#cell(level)
      if (!cell) continue
      cell.n += times
      for (let index = 0; index < buckets.length; index++) cell.histograms[index]?.addTo(buckets[index] ?? 0, times)
    }
  }

  /** Adds many at once: one histogram for each of SERIES. */
  addMany(kind: Kind, histograms: readonly Histogram[]): void {
    const n = histograms.at(-1)?.n ?? 0
    for (const level of this.#levels(kind)) {
      const cell = this.#cell(level)
      if (!cell) continue
      cell.n += n
      cell.cached = null
      cell.histograms.forEach((histogram, index) => {
        const other = histograms[index]
        if (other) histogram.merge(other)
      })
    }
  }

  /**
   * The usual of a kind, widened step by step (the network first, then the pool) until 20 attempts are behind it; null where there
   * are hardly any. First and returning logons are never mixed.
   */
  usualFor(kind: Kind): Usual | null {
    let best: { cell: Cell; level: Level } | null = null
    for (const level of this.#levels(kind)) {
      const cell = this.#cells.get(level.key)
      if (!cell) continue
      if (cell.n >= ENOUGH) return read(cell, level)
      if (cell.n >= AT_LEAST && (!best || cell.n > best.cell.n)) best = { cell, level }
    }
    return best ? read(best.cell, best.level) : null
  }

  #levels(kind: Kind): readonly Level[] {
    const key = `${kind.first ? 1 : 0}|${kind.pool}|${kind.network}`
    let found = this.#levelsOf.get(key)
    if (found) return found
    found = levels(kind)
    if (this.#levelsOf.size < MOST_CELLS) this.#levelsOf.set(key, found)
    return found
  }

  #cell({ key, pool }: Level): Cell | null {
    let cell = this.#cells.get(key)
    if (!cell) {
      if (pool !== null && this.#cells.size >= MOST_CELLS) return null
      cell = { histograms: SERIES.map(() => new Histogram()), n: 0, cached: null }
      this.#cells.set(key, cell)
    }
    return cell
  }
}

interface Level {
  readonly key: string
  readonly pool: string | null
  readonly network: string | null
  readonly first: boolean
}

function levels(kind: Kind): Level[] {
  const { pool, network, first } = kind
  const level = (p: string | null, n: string | null): Level => ({ key: `${first ? 1 : 0}|${p ?? '*'}|${n ?? '*'}`, pool: p, network: n, first })
  return [level(pool, network), level(pool, null), level(null, network), level(null, null)]
}

/** Quantiles are read again when the cell grew or shrank by one in thirty, and always while it is small. */
function read(cell: Cell, level: Level): Usual {
  if (cell.cached && Math.abs(cell.cached.n - cell.n) * 30 < cell.n) return cell.cached.usual
  const series: Record<string, UsualSeries> = {}
  SERIES.forEach((name, index) => {
    const [low = 0, quarter = 0, median = 0, high = 0] = cell.histograms[index]?.quantiles([0.1, 0.25, 0.5, 0.9]) ?? []
    series[name] = {
      medianMs: Math.round(median),
      lowMs: Math.round(low),
      highMs: Math.round(high),
      spreadMs: Math.round((median - quarter) / 0.6745),
    }
  })
  const who = `${level.first ? 'first' : 'returning'} logons${level.pool === null ? ' of all pools' : ` on ${level.pool || 'an unnamed pool'}`}${level.network ? ` from ${level.network}` : ''}`
  const usual: Usual = {
    n: cell.n,
    basis: { pool: level.pool, first: level.first, network: level.network, sentence: `${cell.n} earlier ${who}` },
    series,
  }
  cell.cached = { n: cell.n, usual }
  return usual
}
