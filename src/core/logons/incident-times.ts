import { rateChanges } from '../stats/change-points'
import type { Ledger } from './ledger'

/** Fewer attempts than this are single cases. */
export const FEWEST = 3
const DAY_MS = 86_400_000
/** In so short a time, such a part of all that have a cause: a burst. */
const BURST_MS = 6 * 3_600_000
const BURST_SHARE = 0.2
/** It goes on where a day more has so much of what those hours have. */
const GOES_ON = 0.5
/** So many at most are taken off a beginning, where so long a pause follows them. */
const STRAGGLERS = 2
const LONG_PAUSE_MS = 6 * 3_600_000
/** What comes again on the next day goes on. */
const PAUSE_MS = 26 * 3_600_000
/** An incident hits so many of those at its place; or a quarter of that, where it hits many all the same and hardly anybody else. */
const OFTEN = 0.08
const MANY = 8

/** Where much of it happened within a few hours: the attempts of then, and of a day before and after. */
export function burstOf(ledger: Ledger, hits: readonly number[]): Int32Array | null {
  let [from, most] = [0, 0]
  for (let first = 0, next = 0; next < hits.length; next++) {
    while (ledger.atMs(hits[next] ?? 0) - ledger.atMs(hits[first] ?? 0) > BURST_MS) first++
    if (next - first + 1 > most) [from, most] = [first, next - first + 1]
  }
  if (most < Math.max(FEWEST, BURST_SHARE * hits.length)) return null
  // Of what goes on for days, all of them: a day that has as much of it is no day around it.
  let [first, last] = [from, from + most - 1]
  const atMs = (hit: number) => ledger.atMs(hits[hit] ?? 0)
  for (;;) {
    let [earlier, later] = [first, last]
    while (earlier > 0 && atMs(earlier - 1) >= atMs(first) - DAY_MS) earlier--
    while (later < hits.length - 1 && atMs(later + 1) <= atMs(last) + DAY_MS) later++
    const [before, after] = [first - earlier >= GOES_ON * most, later - last >= GOES_ON * most]
    if (!before && !after) break
    if (before) first = earlier
    if (after) last = later
  }
  return ledger.rows(atMs(first) - DAY_MS, atMs(last) + DAY_MS)
}

/**
 * The stretches in which far more had it than before and after, each as its hits by time: the change points of the rate (see change-points.ts).
 * @param rows the attempts at a place that had it or were fine, by time
 */
export function stretchesOf(rows: readonly number[], hits: ReadonlySet<number>): number[][] {
  const had = rows.map((row) => hits.has(row))
  const all = had.filter(Boolean).length / Math.max(1, rows.length)
  const cuts = [0, ...rateChanges(had, 3 * Math.log(Math.max(2, rows.length))), rows.length]
  const segments = cuts.slice(1).map((to, i) => {
    const list = rows.slice(cuts[i], to)
    const own = list.filter((row) => hits.has(row))
    return { hits: own, n: list.length, rate: own.length / Math.max(1, list.length) }
  })
  const least = Math.min(...segments.map(({ rate }) => rate))
  const isOften = ({ rate, hits }: (typeof segments)[number]) => rate > OFTEN || (hits.length >= MANY && rate > 0.25 * OFTEN && rate >= 10 * least)
  // Where it was never fine, but now more and now less, nothing stands out: all of it is one.
  const stoodOut = segments.some(({ rate }) => rate >= 3 * least)
  const isHigh = (segment: (typeof segments)[number]) =>
    isOften(segment) && (segments.length === 1 || segment.rate >= Math.max(stoodOut ? 3 * least : 0, 0.5 * all))
  const episodes: number[][] = []
  let open: number[] | null = null
  for (const segment of segments) {
    if (isHigh(segment)) {
      if (open) for (const hit of segment.hits) open.push(hit)
      else episodes.push((open = [...segment.hits]))
    } else open = null
  }
  return episodes
}

/** Without one or two that had it long before the others: as logons vary, somebody may, and they would move the beginning to the day before. */
export function withoutStragglers(ledger: Ledger, hits: readonly number[]): readonly number[] {
  const gaps = hits.slice(1).map((row, i) => ledger.atMs(row) - ledger.atMs(hits[i] ?? row))
  const middle = [...gaps].sort((a, b) => a - b)[gaps.length >> 1] ?? 0
  const most = Math.min(STRAGGLERS, Math.floor(hits.length / 8))
  const last = gaps.slice(0, most + 1).findLastIndex((gap) => gap > Math.max(LONG_PAUSE_MS, 10 * middle))
  return last < most ? hits.slice(last + 1) : hits
}

/** The rows in stretches between which nobody had it for more than a day. */
export function partedByPauses(ledger: Ledger, rows: readonly number[]): number[][] {
  const episodes: number[][] = []
  let lastMs = -Infinity
  for (const row of rows) {
    const atMs = ledger.atMs(row)
    if (atMs - lastMs > PAUSE_MS) episodes.push([])
    episodes.at(-1)?.push(row)
    lastMs = atMs
  }
  return episodes
}

/** This close to an incident, what has its cause at a part of its place is of it; and who is fine was so at the time. */
export const CLOSE_MS = 30 * 60_000

/** Whether a moment is close to any of some. @param times rising */
export function isNear(times: readonly number[], atMs: number): boolean {
  let [low, high] = [0, times.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if ((times[middle] ?? 0) < atMs - CLOSE_MS) low = middle + 1
    else high = middle
  }
  return (times[low] ?? Infinity) <= atMs + CLOSE_MS
}
