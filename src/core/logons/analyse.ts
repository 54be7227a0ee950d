import type { Attempt, Outcome } from './attempt'
import { blame, type Blame } from './blame'
import type { Usual, UsualSeries } from './usual'

/** Where no policy says otherwise, a logon longer than this is slow. */
export const DEFAULT_SLOW_MS = 45_000

export interface Excess {
  readonly phase: string
  /** Blame beyond the usual. */
  readonly ms: number
  readonly usualMs: number
  readonly blameMs: number
}

/** An attempt with where its time went, and which part of that is unusual. */
export interface Measured {
  readonly attempt: Attempt
  readonly outcome: Outcome
  readonly blame: Blame
  readonly usual: Usual | null
  /** Phases beyond their usual, the largest excess first. */
  readonly excess: readonly Excess[]
  /** What it cost the person: everything where it failed, the excess where it was slow. */
  readonly lostMs: number
  readonly slowMs: number
}

/** The value from which a series counts as unusual: 4 spreads, a quarter, or a second beyond its median, whichever is most. */
export function unusualFrom(series: UsualSeries): number {
  return series.medianMs + Math.max(4 * series.spreadMs, 0.25 * series.medianMs, 1000)
}

/** Measures an attempt against its usual and the limit beyond which its pool calls a logon slow. */
export function measure(attempt: Attempt, usual: Usual | null, slowMs: number = DEFAULT_SLOW_MS, split: Blame = blame(attempt)): Measured {
  const outcome: Outcome = attempt.outcome === 'ready' && attempt.totalMs > slowMs ? 'slow' : attempt.outcome
  const excess = split.shares.flatMap(({ phase, ms }): Excess[] => {
    const series = usual?.series[phase]
    const usualMs = series?.medianMs ?? 0
    const beyond = usual ? (series ? ms > unusualFrom(series) : ms > 1000) : false
    return beyond ? [{ phase, ms: ms - usualMs, usualMs, blameMs: ms }] : []
  })
  excess.sort((a, b) => b.ms - a.ms || (a.phase < b.phase ? -1 : 1))
  return { attempt, outcome, blame: split, usual, excess, lostMs: lost(attempt, outcome, excess, usual), slowMs }
}

/** A phase may be beyond its usual while another was shorter: no more can be lost than the whole took beyond its own usual. */
function lost(attempt: Attempt, outcome: Outcome, excess: readonly Excess[], usual: Usual | null): number {
  if (outcome === 'failed' || outcome === 'abandoned') return attempt.totalMs
  if (outcome === 'open' || excess.length === 0) return 0
  const beyondMs = attempt.totalMs - (usual?.series['total']?.medianMs ?? 0)
  return Math.max(
    0,
    Math.min(
      beyondMs,
      excess.reduce((sum, { ms }) => sum + ms, 0),
    ),
  )
}

/** Less than this, and less than a sixth of the usual, is nobody's lost time. */
const WORTH_A_LOOK_MS = 2000

/** Whether somebody should ask why. */
export function isUnusual({ outcome, lostMs, usual }: Measured): boolean {
  if (outcome === 'open') return false
  return outcome !== 'ready' || lostMs >= Math.max(WORTH_A_LOOK_MS, (usual?.series['total']?.medianMs ?? 0) / 6)
}
