import { Histogram } from '../stats/histogram'
import { weekdayOf, weekOf } from '../stats/zone'

const HOUR_MS = 3_600_000
const DAY_MS = 24 * HOUR_MS
const WEEK_HOURS = 7 * 24
/** So many logons in an hour of the week, over so many weeks, say what is usual in it. */
const ENOUGH = 30
const WEEKS = 2

/** What a band was taken from, the narrowest that had enough: the same hour of the same weekday; of workdays, or of weekends; of any day. */
export type BandBasis = 'weekday' | 'like days' | 'any day'

export interface HourBand {
  /** The middle 80 %, in milliseconds. */
  readonly lowMs: number
  readonly highMs: number
  /** Logons that it rests on; with none there is no band. */
  readonly n: number
  readonly basis: BandBasis
}

/** How long logons take ordinarily at each hour of the week. */
export class HourBands {
  readonly #hours = Array.from({ length: WEEK_HOURS }, () => ({ histogram: new Histogram(), weeks: new Set<number>() }))
  readonly #known = new Map<number, HourBand>()

  /** @param offsetMs what is to be added to UTC for local time */
  constructor(private readonly offsetMs: number) {}

  /** Adds an hour, from its beginning on. */
  add(hourMs: number, histogram: Histogram): void {
    const hour = this.#hours[this.#weekHour(hourMs)]
    hour?.histogram.merge(histogram)
    if (histogram.n > 0) hour?.weeks.add(weekOf(Math.floor((hourMs + this.offsetMs) / DAY_MS)))
    this.#known.clear()
  }

  /** The band of the hour that a moment lies in. */
  of(atMs: number): HourBand {
    const at = this.#weekHour(atMs)
    const known = this.#known.get(at)
    if (known) return known
    const weekend = isWeekend(at)
    const sameHour = Array.from({ length: 7 }, (_, day) => day * 24 + (at % 24))
    const levels: [BandBasis, number[], number][] = [
      ['weekday', [at], WEEKS],
      ['like days', sameHour.filter((hour) => isWeekend(hour) === weekend), 1],
      ['any day', sameHour, 0],
    ]
    for (const [basis, hours, weeks] of levels) {
      const all = new Histogram()
      const seen = new Set<number>()
      for (const hour of hours) {
        const one = this.#hours[hour]
        if (!one) continue
        all.merge(one.histogram)
        for (const week of one.weeks) seen.add(week)
      }
      if (basis !== 'any day' && (all.n < ENOUGH || seen.size < weeks)) continue
      const [low = 0, high = 0] = all.quantiles([0.1, 0.9])
      const band = { lowMs: Math.round(low), highMs: Math.round(high), n: all.n, basis }
      this.#known.set(at, band)
      return band
    }
    throw new RangeError('no level')
  }

  /** The hour of the week, Monday's first is 0. */
  #weekHour(ms: number): number {
    const hour = Math.floor((ms + this.offsetMs) / HOUR_MS)
    const day = Math.floor(hour / 24)
    return 24 * weekdayOf(day) + (hour - 24 * day)
  }
}

const isWeekend = (weekHour: number): boolean => weekHour >= 5 * 24
