import { changePoints, normalCost } from '../stats/change-points'
import type { Ledger } from './ledger'

/** That an incident became far worse than it was at first. */
export interface Worsening {
  readonly fromMs: number
  /** Time lost of each who logged on at its place in the hours in which it was there: before that moment, and since. */
  readonly beforeMs: number
  readonly sinceMs: number
}

const HOUR_MS = 3_600_000
/** An hour with fewer who had it tells too little; and so many hours there are before, and since. */
const HITS = 3
const HOURS_BEFORE = 3
const HOURS_SINCE = 2
/** So many times as much is lost. */
const FAR = 3

interface Hour {
  readonly fromMs: number
  n: number
  hit: number
  lostMs: number
}

/**
 * Since when an incident has been far worse than at first: the change of level of the time lost per logon, over the hours in which it was there, as logarithms
 * (see change-points.ts). Null where it has been about as bad all along, or was only so for a while.
 * @param rows the attempts at its place that had it or were fine, by time
 */
export function worsening(ledger: Ledger, rows: readonly number[], hits: ReadonlySet<number>): Worsening | null {
  const hours: Hour[] = []
  for (const row of rows) {
    const atMs = ledger.atMs(row)
    let hour = hours.at(-1)
    if (!hour || atMs >= hour.fromMs + HOUR_MS) hours.push((hour = { fromMs: atMs - (atMs % HOUR_MS), n: 0, hit: 0, lostMs: 0 }))
    hour.n++
    if (!hits.has(row)) continue
    hour.hit++
    hour.lostMs += ledger.lostMs(row)
  }
  const there = hours.filter(({ hit }) => hit >= HITS)
  if (there.length < HOURS_BEFORE + HOURS_SINCE) return null
  const levels = there.map(({ n, lostMs }) => Math.log((lostMs + 1) / n))
  const mean = (from: number, to?: number) => {
    const some = levels.slice(from, to)
    return some.reduce((sum, one) => sum + one, 0) / some.length
  }
  const cuts = changePoints(normalCost(levels), 2 * Math.log(levels.length), HOURS_SINCE)
  for (const [i, cut] of cuts.entries()) {
    const before = mean(0, cut)
    const later = [...cuts.slice(i), levels.length].slice(1).map((to, j) => mean(cuts[i + j] ?? 0, to))
    if (cut < HOURS_BEFORE || later.some((level) => level < before + Math.log(FAR))) continue
    const first = there[cut]?.fromMs ?? 0
    const row = rows.find((one) => hits.has(one) && ledger.atMs(one) >= first)
    return row === undefined ? null : { fromMs: ledger.atMs(row), beforeMs: Math.exp(before), sinceMs: Math.exp(mean(cut)) }
  }
  return null
}
