import { Histogram } from '../stats/histogram'
import type { Attempt } from './attempt'

/** The numbers that sources report of an attempt, and by what they are multiplied so that a histogram of whole numbers holds them well. */
const SCALES: Readonly<Record<string, number>> = {
  profileBytes: 1 / 1024,
  profileFiles: 1,
  autostart: 100,
  hostSessions: 100,
  hostCpu: 10_000,
  rttMs: 10,
  bandwidthKbps: 1,
  shareLatencyMs: 100,
  containerFreeBytes: 1 / 1024,
  shareFreeBytes: 1 / 1024 ** 2,
  packages: 100,
  approvalMs: 1,
}

/** A reported number beside what is reported otherwise. */
export interface Ordinary {
  readonly value: number
  readonly n: number
  readonly median: number
  readonly low: number
  readonly high: number
}

/** Too few to say what is ordinary. */
const ENOUGH = 30

/** What sources report ordinarily: by pool and network where there is enough, else of all. */
export class OrdinaryModel {
  readonly #cells = new Map<string, Histogram>()
  readonly #cached = new Map<string, { n: number; quantiles: number[] }>()

  add(attempt: Pick<Attempt, 'pool' | 'attrs'>): void {
    for (const name in SCALES) {
      const value = attempt.attrs[name]
      if (typeof value !== 'number' || !Number.isFinite(value)) continue
      for (const key of keysOf(attempt, name)) {
        let cell = this.#cells.get(key)
        if (!cell) {
          if (this.#cells.size > 5000) continue
          this.#cells.set(key, (cell = new Histogram()))
        }
        cell.add(Math.round(value * (SCALES[name] ?? 1)))
      }
    }
  }

  /** A number of this attempt beside the 5th, 50th and 95th percentile of others; null where it or they are not known. */
  of(attempt: Pick<Attempt, 'pool' | 'attrs'>, name: string): Ordinary | null {
    const value = attempt.attrs[name]
    const scale = SCALES[name]
    if (typeof value !== 'number' || scale === undefined) return null
    for (const key of keysOf(attempt, name)) {
      const cell = this.#cells.get(key)
      if (!cell || cell.n < ENOUGH) continue
      let cached = this.#cached.get(key)
      if (!cached || Math.abs(cached.n - cell.n) * 30 >= cell.n) {
        cached = { n: cell.n, quantiles: cell.quantiles([0.05, 0.5, 0.95]) }
        this.#cached.set(key, cached)
      }
      const [low = 0, median = 0, high = 0] = cached.quantiles.map((one) => one / scale)
      return { value, n: cell.n, low, median, high }
    }
    return null
  }
}

function keysOf({ pool, attrs }: Pick<Attempt, 'pool' | 'attrs'>, name: string): string[] {
  const network = typeof attrs['network'] === 'string' ? attrs['network'] : ''
  return [`${name}|${pool ?? ''}|${network}`, `${name}|*|${network}`, `${name}|*|*`]
}
