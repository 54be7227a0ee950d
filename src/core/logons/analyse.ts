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
  /** Those and the phases that took clearly more than usual, but not more than happens: they count where others at the same place have it too. */
  readonly mild: readonly Excess[]
  /** What it cost the person: everything where it failed, the excess where it was slow. */
  readonly lostMs: number
  readonly slowMs: number
}

/** So many spreads beyond the median are unusual. */
const SPREADS = 3.5
/** So many are more than usual, but happen. */
const MILD_SPREADS = 1.7
/** Phases that run side by side. */
const BESIDE: readonly string[] = ['policy', 'scripts', 'packages']
/** And so many for the whole, where only such phases took long. */
const WHOLE_SPREADS = 1.3

/**
 * The value from which a series counts as unusual: 3.5 spreads, a quarter, or a second beyond its median, whichever is most. Durations spread
 * by factors, not by differences: the spread below the median is carried over to above it as a factor (at most 5), and made up to half as much again where
 * the highest tenth lies further out than that says.
 * @param n how many it rests on: a spread of few is itself uncertain
 * @param exact the usual is of just this kind of attempt, not of a wider one
 */
export function unusualFrom({ medianMs, spreadMs, highMs }: UsualSeries, exact = true, n = Infinity, spreads = SPREADS): number {
  const quarter = medianMs - 0.6745 * spreadMs
  const factor = medianMs > 0 && quarter > 0 ? Math.min(5, (medianMs / quarter) ** ((spreads * (1 + 3 / Math.sqrt(n))) / 0.6745)) : 1
  const tail = Math.min(1.5, Math.max(1, (highMs / Math.max(1, medianMs)) ** (spreads / 1.2816) / factor))
  // Two sorts of logons in one usual (with a second factor and without) have no middle: what one in ten takes is not unusual.
  const mixed = !exact || highMs > 2.5 * Math.max(medianMs, 400)
  return Math.max(medianMs * factor * tail, 1.25 * medianMs, medianMs + 1000, mixed ? 1.15 * highMs + 300 : 0)
}

/** From where on each series of a usual counts as mildly more, and as unusual; null for a series that it does not have. */
interface Limits {
  readonly mildMs: number
  readonly strictMs: number
}
const limitsOfUsual = new WeakMap<Usual, Map<string, Limits | null>>()

/** Many attempts are held against the same usual: its limits are worked out once. */
function limitsOf(usual: Usual, name: string): Limits | null {
  let limits = limitsOfUsual.get(usual)
  if (!limits) limitsOfUsual.set(usual, (limits = new Map<string, Limits | null>()))
  let found = limits.get(name)
  if (found === undefined) {
    const series = Object.hasOwn(usual.series, name) ? usual.series[name] : undefined
    const exact = usual.basis.network !== null && usual.basis.pool !== null
    found = series ? { mildMs: unusualFrom(series, exact, usual.n, MILD_SPREADS), strictMs: unusualFrom(series, exact, usual.n) } : null
    limits.set(name, found)
  }
  return found
}

/** Measures an attempt against its usual and the limit beyond which its pool calls a logon slow. */
export function measure(attempt: Attempt, usual: Usual | null, slowMs: number = DEFAULT_SLOW_MS, split: Blame = blame(attempt)): Measured {
  const outcome: Outcome = attempt.outcome === 'ready' && attempt.totalMs > slowMs ? 'slow' : attempt.outcome
  const mild: Excess[] = []
  const strict: string[] = []
  if (usual)
    for (const { phase, ms } of split.shares) {
      const limits = limitsOf(usual, phase)
      if (ms <= (limits?.mildMs ?? 1000)) continue
      const usualMs = usual.series[phase]?.medianMs ?? 0
      mild.push({ phase, ms: ms - usualMs, usualMs, blameMs: ms })
      if (!limits || ms > limits.strictMs) strict.push(phase)
    }
  if (mild.length > 1) mild.sort((a, b) => b.ms - a.ms || (a.phase < b.phase ? -1 : 1))
  const excess = strict.length === mild.length ? mild : mild.filter(({ phase }) => strict.includes(phase))
  return { attempt, outcome, blame: split, usual, excess, mild, lostMs: lost(attempt, outcome, excess, usual), slowMs }
}

/** The same attempt, with what was only mild counted as excess; null where that makes no difference that anybody would feel. */
export function withMild(measured: Measured): Measured | null {
  const { attempt, outcome, usual, mild, excess, lostMs } = measured
  if (mild.length === 0 || (mild.length === excess.length && lostMs > 0)) return null
  const wider: Measured = { ...measured, excess: mild, lostMs: lost(attempt, outcome, mild, usual, false) }
  return isUnusual(wider) ? wider : null
}

/**
 * A phase may be beyond its usual while another was shorter: no more can be lost than the whole took beyond its own usual. But a phase that is waited for by
 * itself cost its time, even where others happened to be shorter (nobody was asked for a second factor): up to what the whole took beyond quick ones.
 */
function lost(attempt: Attempt, outcome: Outcome, excess: readonly Excess[], usual: Usual | null, strict = true): number {
  if (outcome === 'failed' || outcome === 'abandoned') return attempt.totalMs
  if (outcome === 'open' || excess.length === 0) return 0
  const total = usual?.series['total']
  // Of phases that run side by side now the one and now the other is waited for: one has all of their time, the other none. The whole tells.
  if (
    strict &&
    total &&
    excess.every(({ phase }) => BESIDE.includes(phase)) &&
    ranBeside(attempt) &&
    attempt.totalMs < unusualFrom(total, true, usual?.n, WHOLE_SPREADS)
  )
    return 0
  let [sum, alone] = [0, 0]
  for (const { phase, ms } of excess) {
    sum += ms
    if (!BESIDE.includes(phase)) alone += ms
  }
  return Math.max(0, Math.min(attempt.totalMs - (total?.medianMs ?? 0), sum), Math.min(attempt.totalMs - (total?.lowMs ?? 0), alone))
}

/** Side by side for less than this, they came one after another: sources round, and hand over. */
const BESIDE_MS = 250

/** Whether phases that may run side by side did so. */
function ranBeside({ phases }: Attempt): boolean {
  const may = phases.filter(({ phase }) => BESIDE.includes(phase))
  return may.some((one) =>
    may.some((other) => other.phase !== one.phase && Math.min(one.endMs, other.endMs) - Math.max(one.startMs, other.startMs) > BESIDE_MS),
  )
}

/** Only attempts that ended well say what is usual. */
export function endedWell({ outcome }: Pick<Measured, 'outcome'>): boolean {
  return outcome === 'ready' || outcome === 'slow'
}

/** Less than this, and less than a sixth of the usual, is nobody's lost time. */
const WORTH_A_LOOK_MS = 2000

/** Whether somebody should ask why. */
export function isUnusual({ attempt, outcome, lostMs, usual, excess }: Measured): boolean {
  if (outcome === 'open') return false
  // Beyond the limit like all of its kind: slow, but as usual. First logons are said to be what they are.
  if (outcome === 'slow' && usual && excess.length === 0 && attempt.attrs['first'] !== true && lostMs === 0) return false
  return outcome !== 'ready' || lostMs >= Math.max(WORTH_A_LOOK_MS, (usual?.series['total']?.medianMs ?? 0) / 6)
}
