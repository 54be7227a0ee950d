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
  /** Covers 0 to the total without gap or overlap, by time. */
  readonly stretches: readonly BlameStretch[]
  /** One entry a phase, in order of first appearance; sums to the total exactly. */
  readonly shares: readonly BlameShare[]
}

/** A phase that ended this shortly before another began is taken for what the other waited for. */
const HANDOVER_MS = 200

/**
 * Splits the whole time of an attempt by its critical path: walking back from the end, each moment goes to the phase that the end was
 * waiting for. A phase that handed over (ended just when the later one began) takes all its time; one that merely ran on beside takes only
 * moments that nothing else explains. Moments with no record go to `unrecorded`.
 * Source: the critical path method (Kelley and Walker 1959), applied to what happened instead of a plan.
 */
export function blame(attempt: Pick<Attempt, 'phases' | 'totalMs'>): Blame {
  const total = attempt.totalMs
  const spans: Span[] = []
  for (const phase of attempt.phases) {
    if (phase.phase === 'settle') continue
    const span = spanOf(phase, total)
    if (span.toMs > span.fromMs) spans.push(span)
  }
  const backwards: BlameStretch[] = []
  let t = total
  while (t > 0) {
    const next = step(spans, t)
    backwards.push(next)
    t = next.fromMs
  }
  const stretches = join(backwards.reverse())
  return { stretches, shares: sum(stretches) }
}

/** A phase within the total; `endedMs` is its real end, which tells whether the attempt's end waited for it. */
interface Span extends BlameStretch {
  readonly endedMs: number
}

function spanOf(phase: Phase, total: number): Span {
  const endedMs = Math.round(phase.endMs)
  const fromMs = Math.min(total, Math.max(0, Math.round(phase.startMs)))
  return { phase: phase.phase, fromMs, toMs: Math.min(total, Math.max(0, endedMs)), endedMs }
}

/** The last stretch before `t`. */
function step(spans: readonly Span[], t: number): BlameStretch {
  let gating: Span | null = null
  let beside: Span | null = null
  let earlierEnd = 0
  for (const span of spans) {
    if (span.fromMs >= t) continue
    if (span.toMs < t) earlierEnd = Math.max(earlierEnd, span.toMs)
    else if (span.endedMs <= t + HANDOVER_MS) gating = better(gating, span, t)
    else beside = better(beside, span, t)
  }
  if (gating) return { phase: gating.phase, fromMs: gating.fromMs, toMs: t }
  if (beside) return { phase: beside.phase, fromMs: Math.max(beside.fromMs, earlierEnd), toMs: t }
  return { phase: UNRECORDED, fromMs: earlierEnd, toMs: t }
}

/** Of two spans that cover `t`, the one whose end is nearest to it; of equals the longer, then the first by name. */
function better(a: Span | null, b: Span, t: number): Span {
  if (!a) return b
  const byEnd = Math.abs(a.endedMs - t) - Math.abs(b.endedMs - t)
  if (byEnd !== 0) return byEnd < 0 ? a : b
  if (a.fromMs !== b.fromMs) return a.fromMs < b.fromMs ? a : b
  return a.phase <= b.phase ? a : b
}

function join(stretches: readonly BlameStretch[]): BlameStretch[] {
  const result: BlameStretch[] = []
  for (const stretch of stretches) {
    const before = result.at(-1)
    if (before && before.phase === stretch.phase) result[result.length - 1] = { ...before, toMs: stretch.toMs }
    else result.push(stretch)
  }
  return result
}

function sum(stretches: readonly BlameStretch[]): BlameShare[] {
  const shares: { phase: string; ms: number }[] = []
  for (const { phase, fromMs, toMs } of stretches) {
    const share = shares.find((one) => one.phase === phase)
    if (share) share.ms += toMs - fromMs
    else shares.push({ phase, ms: toMs - fromMs })
  }
  return shares
}
