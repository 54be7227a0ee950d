import type { Attempt, Phase } from './attempt'
import { UNRECORDED } from './observation'

/** A stretch of the total that is blamed on one phase, in milliseconds after the start. */
export interface BlameStretch {
  readonly phase: string
  readonly fromMs: number
  readonly toMs: number
}

export interface BlameShare {
  readonly phase: string
  readonly ms: number
}

export interface Blame {
  /** One entry a phase, in order of first appearance; sums to the total exactly. */
  readonly shares: readonly BlameShare[]
}

type Timed = Pick<Attempt, 'phases' | 'totalMs'>

/** A phase that ended this shortly before another began is taken for what the other waited for. */
const HANDOVER_MS = 200

/**
 * Splits the whole time of an attempt by its critical path: walking back from the end, each moment goes to the phase that the end was
 * waiting for. A phase that handed over (ended just when the later one began) takes all its time; one that merely ran on beside takes only
 * moments that nothing else explains. Moments with no record go to `unrecorded`.
 * Source: the critical path method (Kelley and Walker 1959), applied to what happened instead of a plan.
 */
export function blame(attempt: Timed): Blame {
  const steps = walk(attempt)
  const shares: { phase: string; ms: number }[] = []
  for (let i = steps - 1; i >= 0; i--) {
    const phase = stepPhase[i] ?? ''
    const ms = (stepTo[i] ?? 0) - (stepFrom[i] ?? 0)
    const share = shares.find((one) => one.phase === phase)
    if (share) share.ms += ms
    else shares.push({ phase, ms })
  }
  return { shares }
}

/** The critical path itself: covers 0 to the total without gap or overlap, by time. */
export function criticalPath(attempt: Timed): BlameStretch[] {
  const path: BlameStretch[] = []
  for (let i = walk(attempt) - 1; i >= 0; i--) {
    const [phase, fromMs, toMs] = [stepPhase[i] ?? '', stepFrom[i] ?? 0, stepTo[i] ?? 0]
    const before = path.at(-1)
    if (before?.phase === phase) path[path.length - 1] = { phase, fromMs: before.fromMs, toMs }
    else path.push({ phase, fromMs, toMs })
  }
  return path
}

// Every attempt is split, and of most only the shares are kept: what is between is in columns that are used again and again, and valid within one call.

/** Phases within the total; `ended` is the real end, which tells whether the attempt's end waited for it. */
const names: string[] = []
let from = new Float64Array(0)
let to = new Float64Array(0)
let ended = new Float64Array(0)
/** The path, from its end. */
const stepPhase: string[] = []
let stepFrom = new Float64Array(0)
let stepTo = new Float64Array(0)
const NONE = -1

/** Puts the path into its columns. @returns of how many steps it is */
function walk({ phases, totalMs: total }: Timed): number {
  const spans = spansIn(phases, total)
  let steps = 0
  for (let t = total; t > 0;) {
    let [gating, beside, earlierEnd] = [NONE, NONE, 0]
    for (let i = 0; i < spans; i++) {
      const toMs = to[i] ?? 0
      if ((from[i] ?? 0) >= t) continue
      if (toMs < t) earlierEnd = Math.max(earlierEnd, toMs)
      else if ((ended[i] ?? 0) <= t + HANDOVER_MS) gating = better(gating, i, t)
      else beside = better(beside, i, t)
    }
    const of = gating === NONE ? beside : gating
    stepPhase[steps] = of === NONE ? UNRECORDED : (names[of] ?? '')
    stepTo[steps] = t
    t = gating !== NONE ? (from[gating] ?? 0) : Math.max(beside === NONE ? 0 : (from[beside] ?? 0), earlierEnd)
    stepFrom[steps++] = t
  }
  return steps
}

/** @returns how many there are */
function spansIn(phases: readonly Phase[], total: number): number {
  if (phases.length >= from.length) grow(2 * phases.length + 64)
  let n = 0
  for (const { phase, startMs, endMs } of phases) {
    if (phase === 'settle') continue
    const endedMs = Math.round(endMs)
    const fromMs = Math.min(total, Math.max(0, Math.round(startMs)))
    const toMs = Math.min(total, Math.max(0, endedMs))
    if (toMs <= fromMs) continue
    names[n] = phase
    from[n] = fromMs
    to[n] = toMs
    ended[n++] = endedMs
  }
  return n
}

function grow(length: number): void {
  from = new Float64Array(length)
  to = new Float64Array(length)
  ended = new Float64Array(length)
  // Each step ends at the begin or the end of a phase.
  stepFrom = new Float64Array(2 * length)
  stepTo = new Float64Array(2 * length)
}

/** Of two spans that cover `t`, the one whose end is nearest to it; of equals the longer, then the first by name. */
function better(a: number, b: number, t: number): number {
  if (a === NONE) return b
  const byEnd = Math.abs((ended[a] ?? 0) - t) - Math.abs((ended[b] ?? 0) - t)
  if (byEnd !== 0) return byEnd < 0 ? a : b
  const byLength = (from[a] ?? 0) - (from[b] ?? 0)
  if (byLength !== 0) return byLength < 0 ? a : b
  return (names[a] ?? '') <= (names[b] ?? '') ? a : b
}
