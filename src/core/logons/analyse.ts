import { signOnMsOf } from './approval'
import type { Attempt, Outcome } from './attempt'
import { blame, type Blame } from './blame'
import { SERIES, SERIES_INDEX, tookByItself, type Usual, type UsualSeries } from './usual'

/** Where no policy says otherwise, a logon longer than this is slow. */
export const DEFAULT_SLOW_MS = 45_000

export interface Excess {
  readonly phase: string
  /** Blame beyond the usual: of what ran beside something else, at most what the end waited for. */
  readonly ms: number
  readonly usualMs: number
  readonly tookMs: number
}

/** An attempt with where its time went, and which part of that is unusual. */
export interface Measured {
  readonly attempt: Attempt
  readonly outcome: Outcome
  readonly blame: Blame
  readonly usual: Usual | null
  /** Phases beyond their usual, the largest excess first. */
  readonly excess: readonly Excess[]
  /**
   * Those and the phases that took clearly more than usual, but not more than happens, or that nothing waited for: they count where others at the same place have it
   * too.
   */
  readonly mild: readonly Excess[]
  /** One bit for each of SERIES that it went through. */
  readonly ran: number
  /** What it cost the person: everything where it failed, the excess where it was slow. */
  readonly lostMs: number
  readonly slowMs: number
}

/** So many spreads beyond the median are unusual. */
const SPREADS = 3.5
/** So many are more than usual, but happen. */
const MILD_SPREADS = 1.7

/** So many tell how far the highest tenth lies out; where that is much less than the spread below the median says, no further than so many times what it says. */
const TELL_OF_TAIL = 100
const LEFT_HEAVY = 1.25

/**
 * The value from which a series counts as unusual: 3.5 spreads, a quarter, or a second beyond its median, whichever is most. Durations spread
 * by factors, not by differences: the spread below the median is carried over to above it as a factor (at most 5), and made up to half as much again where
 * the highest tenth lies further out than that says; where many show that it lies much nearer, less.
 * @param n how many it rests on: a spread of few is itself uncertain
 * @param exact the usual is of just this kind of attempt, not of a wider one
 */
export function unusualFrom({ medianMs, spreadMs, highMs }: UsualSeries, exact = true, n = Infinity, spreads = SPREADS): number {
  const quarter = medianMs - 0.6745 * spreadMs
  const below = medianMs > 0 && quarter > 0 ? Math.min(5, (medianMs / quarter) ** ((spreads * (1 + 3 / Math.sqrt(n))) / 0.6745)) : 1
  const above = (highMs / Math.max(1, medianMs)) ** (spreads / 1.2816)
  const factor = n >= TELL_OF_TAIL && highMs > medianMs ? Math.min(below, Math.max(1, LEFT_HEAVY * above)) : below
  const tail = Math.min(1.5, Math.max(1, above / factor))
  // Two sorts of logons in one usual (with a second factor and without) have no middle: what one in ten takes is not unusual.
  const mixed = !exact || highMs > 2.5 * Math.max(medianMs, 400)
  return Math.max(medianMs * factor * tail, 1.25 * medianMs, medianMs + 1000, mixed ? 1.15 * highMs + 300 : 0)
}

/** Where most hosts run already, one that has to be started is never as usual, though it happens to some day after day. */
const POWER = 'power'
const NOBODYS: UsualSeries = { medianMs: 0, lowMs: 0, highMs: 0, spreadMs: 0 }

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
    const counts = series && name === POWER && series.medianMs === 0 ? NOBODYS : series
    found = counts ? { mildMs: unusualFrom(counts, exact, usual.n, MILD_SPREADS), strictMs: unusualFrom(counts, exact, usual.n) } : null
    limits.set(name, found)
  }
  return found
}

/** Measures an attempt against its usual and the limit beyond which its pool calls a logon slow. */
export function measure(attempt: Attempt, usual: Usual | null, slowMs: number = DEFAULT_SLOW_MS, split: Blame = blame(attempt)): Measured {
  const outcome: Outcome = attempt.outcome === 'ready' && attempt.totalMs > slowMs ? 'slow' : attempt.outcome
  const took = tookByItself(attempt, split, scratch)
  const mild = usual ? beyond(took, split, usual) : NONE
  let ran = 0
  for (let index = 0; index < SERIES.length - 1; index++) if ((took[index] ?? 0) > 0) ran |= 1 << index
  const excess = usual && mild.length > 0 ? mild.filter(({ phase, tookMs, ms }) => ms > 0 && tookMs > (limitsOf(usual, phase)?.strictMs ?? 0)) : NONE
  return { attempt, outcome, blame: split, usual, excess, mild, ran, lostMs: lost(attempt, outcome, excess, usual), slowMs }
}

const NONE: readonly Excess[] = []

/** What phases took that is mildly more than usual, at least; what was lost most by first. */
function beyond(took: Int32Array, split: Blame, usual: Usual): Excess[] {
  const result: Excess[] = []
  const look = (phase: string, tookMs: number) => {
    if (tookMs <= (limitsOf(usual, phase)?.mildMs ?? 1000)) return
    const usualMs = usual.series[phase]?.medianMs ?? 0
    const blameMs = split.shares.find((one) => one.phase === phase)?.ms ?? 0
    result.push({ phase, ms: Math.min(blameMs, tookMs - usualMs), usualMs, tookMs })
  }
  for (let index = 0; index < SERIES.length - 1; index++) {
    const [phase = '', tookMs = 0] = [SERIES[index], took[index]]
    if (tookMs > 0) look(phase, tookMs)
  }
  for (const { phase, ms } of split.shares) if (!SERIES_INDEX.has(phase)) look(phase, ms)
  return result.length > 1 ? result.sort((a, b) => b.ms - a.ms || (a.phase < b.phase ? -1 : 1)) : result
}
const scratch = new Int32Array(SERIES.length)

/** The same attempt, with what was only mild counted as excess; null where that makes no difference that anybody would feel. */
export function withMild(measured: Measured): Measured | null {
  const { attempt, outcome, usual, excess, lostMs } = measured
  const mild = measured.mild.filter(({ ms }) => ms > 0)
  if (mild.length === 0 || (mild.length === excess.length && lostMs > 0)) return null
  const wider: Measured = { ...measured, excess: mild, lostMs: lost(attempt, outcome, mild, usual) }
  return isUnusual(wider) ? wider : null
}

/** The same attempt, with what its person took too long to approve as excess of sign-on, beside what sign-on took by itself. @param lateMs see approvalLateBy */
export function withApproval(measured: Measured, lateMs: number): Measured {
  const { attempt, outcome, usual, blame: split } = measured
  const itself = (list: readonly Excess[]) => list.find(({ phase }) => phase === SIGN_ON)
  const blameMs = split.shares.find(({ phase }) => phase === SIGN_ON)?.ms ?? 0
  const tookMs = Math.round(signOnMsOf(attempt))
  const withIt = (list: readonly Excess[]) => {
    const ms = Math.min(blameMs, lateMs + (itself(list)?.ms ?? 0))
    const one = { phase: SIGN_ON, ms, usualMs: Math.max(0, Math.round(tookMs - ms)), tookMs }
    return [...list.filter(({ phase }) => phase !== SIGN_ON), one].sort((a, b) => b.ms - a.ms || (a.phase < b.phase ? -1 : 1))
  }
  const excess = withIt(measured.excess)
  return { ...measured, excess, mild: withIt(measured.mild), lostMs: lost(attempt, outcome, excess, usual) }
}
const SIGN_ON = 'sign-on'

/**
 * A phase may be beyond its usual while another was shorter. But a phase that is waited for cost its time, even where others happened to be shorter (nobody was asked for a
 * second factor): up to what the whole took beyond quick ones.
 */
function lost(attempt: Attempt, outcome: Outcome, excess: readonly Excess[], usual: Usual | null): number {
  if (outcome === 'failed' || outcome === 'abandoned') return attempt.totalMs
  if (outcome === 'open' || excess.length === 0) return 0
  const sum = excess.reduce((ms, one) => ms + one.ms, 0)
  return Math.max(0, Math.min(attempt.totalMs - (usual?.series['total']?.lowMs ?? 0), sum))
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
