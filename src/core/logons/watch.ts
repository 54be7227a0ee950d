import { sequentialTest } from '../stats/sequential'

/** A logon as far as it says whether something helped. */
export interface Watched {
  readonly totalMs: number
  readonly failed: boolean
}

export interface Helped {
  readonly verdict: 'waiting' | 'too early' | 'helped' | 'worse' | 'no effect'
  readonly before: { readonly n: number; readonly failed: number; readonly medianMs: number | null }
  readonly after: { readonly n: number; readonly failed: number; readonly medianMs: number | null }
  /** Log likelihood ratios of "helped" and of "worse" against "as before"; each must reach `bound`, and is given up at `floor`. */
  readonly test: { readonly helped: number; readonly worse: number; readonly bound: number; readonly floor: number }
}

/** Once in a hundred, "helped" or "worse" is said where nothing changed; once in twenty a real effect of the size below is missed. */
const ALPHA = 0.01
const BETA = 0.05
/** An effect worth the name: logons as bad as the worse half of before come less than half as often, or nearly always. */
const HELPED_TO = 0.4
const LEAST_RATE = 0.02

/**
 * Whether something helped, told as logons come in and not too early. A logon counts as bad where it is at least as bad as the middle one of before
 * (failed is worst); how often that comes now is tested against how often it came then (Wald's sequential test, see sequential.ts).
 * @param after in the order in which they came
 */
export function watchHelp(before: readonly Watched[], after: readonly Watched[]): Helped {
  const middle = median(before.map(badness))
  const bad = (one: Watched) => badness(one) >= middle
  const p0 = Math.min(1 - LEAST_RATE, Math.max(LEAST_RATE, before.length === 0 ? 0.5 : before.filter(bad).length / before.length))
  const trials = after.map(bad)
  const helped = sequentialTest(trials, p0, Math.max(LEAST_RATE / 2, p0 * HELPED_TO), ALPHA, BETA)
  const worse = sequentialTest(trials, p0, 1 - (1 - p0) * HELPED_TO, ALPHA, BETA)
  return {
    verdict:
      after.length === 0
        ? 'waiting'
        : helped.decision === 'second'
          ? 'helped'
          : worse.decision === 'second'
            ? 'worse'
            : helped.decision === 'first'
              ? 'no effect'
              : 'too early',
    before: summary(before),
    after: summary(after),
    test: { helped: helped.llr, worse: worse.llr, bound: helped.upper, floor: helped.lower },
  }
}

const badness = ({ totalMs, failed }: Watched) => (failed ? Infinity : totalMs)

function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => (a === b ? 0 : a - b))
  return sorted[Math.floor((sorted.length - 1) / 2)] ?? 0
}

function summary(list: readonly Watched[]): Helped['before'] {
  const well = list.filter(({ failed }) => !failed).map(({ totalMs }) => totalMs)
  return { n: list.length, failed: list.length - well.length, medianMs: well.length ? median(well) : null }
}
