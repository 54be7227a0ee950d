import type { Ledger, PlaceDimension } from './ledger'
import { PLACE_DIMENSIONS } from './ledger'
import type { TimesOfRows } from './times'
import { ANY_FACTOR, NO_FACTOR } from './observation'
import { SERIES } from './usual'

/** Which attempts of a window are meant; what is left out does not matter. */
export interface CohortFilter {
  readonly fromMs: number
  /** Before this moment. */
  readonly toMs: number
  /** In each of these dimensions one of the values. `''` stands for not known. */
  readonly places?: Readonly<Partial<Record<PlaceDimension, readonly string[]>>>
  readonly person?: string
  readonly first?: boolean
  readonly cause?: string
}

/** What one cohort of attempts comes to; durations are of those that got in. */
export interface CohortFigures {
  readonly logons: number
  readonly failed: number
  readonly slow: number
  readonly lostMs: number
  /** 10 %, half and 90 % of them were faster; null where nobody got in. */
  readonly quantiles: readonly [low: number, median: number, high: number] | null
  /** The middle of each of SERIES. */
  readonly phases: readonly (number | null)[]
  /** The commonest. */
  readonly causes: readonly { readonly cause: string; readonly n: number }[]
  /** Total times of those that got in, for a distribution. */
  readonly totals: Int32Array
}
const MOST_CAUSES = 6

/** Names of hosts and people are written with upper and lower case alike. */
const ALIKE: readonly string[] = ['host', 'holderHost']

/** The rows of a ledger that are meant, by time. Those that are not over, or no longer there, never are. */
export function rowsOf(ledger: Ledger, { fromMs, toMs, places = {}, person, first, cause }: CohortFilter): Int32Array {
  const wanted = Object.entries(places).map(([dimension, values]) => {
    const d = PLACE_DIMENSIONS.indexOf(dimension as PlaceDimension)
    const wanted = dimension === 'factor' && values.includes(ANY_FACTOR) ? [...values, ...factorsIn(ledger)] : values
    return { d, numbers: numbersOf(wanted, ALIKE.includes(dimension), ledger.placesIn(d), (n) => ledger.placeName(d, n)) }
  })
  const people = person === undefined ? null : numbersOf([person], true, ledger.people, (n) => ledger.personName(n))
  const result: number[] = []
  for (const row of ledger.rows(fromMs, toMs)) {
    const of = ledger.cause(row)
    if (of < 0 || wanted.some(({ d, numbers }) => !numbers.has(ledger.place(d, row)))) continue
    if (people && !people.has(ledger.person(row))) continue
    if (first !== undefined && ledger.times?.first(row) !== first) continue
    if (cause !== undefined && (of === 0 || ledger.causeName(of) !== cause)) continue
    result.push(row)
  }
  return Int32Array.from(result)
}

const FACTOR = PLACE_DIMENSIONS.indexOf('factor')
const factorsIn = (ledger: Ledger): string[] =>
  Array.from({ length: ledger.placesIn(FACTOR) }, (_, n) => ledger.placeName(FACTOR, n)).filter((name) => name !== '' && name !== NO_FACTOR)

function numbersOf(values: readonly string[], alike: boolean, count: number, nameOf: (n: number) => string): Set<number> {
  const plain = (text: string) => (alike ? text.toLowerCase() : text)
  const names = new Set(values.map(plain))
  const result = new Set<number>()
  for (let n = 0; n < count; n++) if (names.has(plain(nameOf(n)))) result.add(n)
  return result
}

/** @throws RangeError where the ledger keeps no times */
export function cohortFigures(ledger: Ledger, filter: CohortFilter): CohortFigures {
  const times = timesOf(ledger)
  const rows = rowsOf(ledger, filter)
  const causes = new Map<number, number>()
  let [failed, slow, lostMs] = [0, 0, 0]
  for (const row of rows) {
    const outcome = times.outcome(row)
    if (outcome === 'failed') failed++
    if (outcome === 'slow') slow++
    lostMs += ledger.lostMs(row)
    const cause = ledger.cause(row)
    if (cause > 0) causes.set(cause, (causes.get(cause) ?? 0) + 1)
  }
  const got = gotIn(times, rows)
  const sorted = SERIES.map((_, series) => take(times.column(series), got).sort())
  const totals = sorted.at(-1) ?? new Int32Array(0)
  return {
    logons: rows.length,
    failed,
    slow,
    lostMs,
    quantiles: totals.length === 0 ? null : [quantile(totals, 0.1), quantile(totals, 0.5), quantile(totals, 0.9)],
    phases: sorted.map((values) => (values.length === 0 ? null : quantile(values, 0.5))),
    causes: [...causes]
      .map(([cause, n]) => ({ cause: ledger.causeName(cause), n }))
      .sort((a, b) => b.n - a.n || (a.cause < b.cause ? -1 : 1))
      .slice(0, MOST_CAUSES),
    totals,
  }
}

/** A question for one phase, or the total, of a cohort. */
export interface PhaseAsk {
  readonly filter: CohortFilter
  /** One of SERIES. */
  readonly phase: string
  readonly limitsMs?: readonly number[]
  /** Apart by these places; without: all in one. */
  readonly by?: readonly PlaceDimension[]
}
/** What one phase, or the total, comes to. */
export interface PhaseFigures {
  /** Where, in the order of `by`; `''` stands for not known. */
  readonly at: readonly string[]
  readonly logons: number
  /** How many lost time. */
  readonly lost: number
  /** How many got in, and the middle of what the phase took them. */
  readonly got: number
  readonly medianMs: number | null
  /** Of all: how many took longer in that phase than each of the limits. */
  readonly beyond: readonly number[]
}

/** One for each place where there is any; exactly one where nothing is told apart. @throws RangeError where there is no such phase, or the ledger keeps no times */
export function phaseFigures(ledger: Ledger, { filter, phase, limitsMs = [], by = [] }: PhaseAsk): PhaseFigures[] {
  const times = timesOf(ledger)
  const series = SERIES.indexOf(phase)
  if (series < 0) throw new RangeError(`${phase} is no phase`)
  const column = times.column(series)
  const dimensions = by.map((dimension) => PLACE_DIMENSIONS.indexOf(dimension))
  const groups = new Map<string, number[]>(by.length === 0 ? [['', []]] : [])
  for (const row of rowsOf(ledger, filter)) {
    const key = dimensions.map((d) => ledger.place(d, row)).join()
    const group = groups.get(key)
    if (group) group.push(row)
    else groups.set(key, [row])
  }
  return [...groups.values()].map((list) => {
    const rows = Int32Array.from(list)
    const values = take(column, gotIn(times, rows)).sort()
    return {
      at: dimensions.map((d) => ledger.placeName(d, ledger.place(d, rows[0] ?? 0))),
      logons: rows.length,
      lost: rows.reduce((n, row) => n + (ledger.lostMs(row) > 0 ? 1 : 0), 0),
      got: values.length,
      medianMs: values.length === 0 ? null : quantile(values, 0.5),
      beyond: limitsMs.map((limit) => rows.reduce((n, row) => n + ((column[row] ?? 0) > limit ? 1 : 0), 0)),
    }
  })
}

function timesOf({ times }: Ledger): TimesOfRows {
  if (!times) throw new RangeError('this ledger keeps no times')
  return times
}

const gotIn = (times: TimesOfRows, rows: Int32Array): Int32Array =>
  rows.filter((row) => {
    const outcome = times.outcome(row)
    return outcome === 'ready' || outcome === 'slow' || outcome === 'degraded'
  })

const take = (column: Int32Array, rows: Int32Array): Int32Array => rows.map((row) => column[row] ?? 0)

/** Between the two nearest where it falls between them, as SQL's percentile_cont does. @param sorted not empty */
function quantile(sorted: Int32Array, share: number): number {
  const at = share * (sorted.length - 1)
  const low = sorted[Math.floor(at)] ?? 0
  return low + (at - Math.floor(at)) * ((sorted[Math.ceil(at)] ?? 0) - low)
}
