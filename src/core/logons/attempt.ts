import type { Attrs } from './observation'

export type Outcome = 'ready' | 'slow' | 'degraded' | 'failed' | 'abandoned' | 'open'
export const OUTCOMES: readonly Outcome[] = ['ready', 'slow', 'degraded', 'failed', 'abandoned', 'open']

/** A stretch of time inside an attempt, in milliseconds after its start. */
export interface Phase {
  readonly phase: string
  readonly startMs: number
  readonly endMs: number
  /** False while no end was seen for it. */
  readonly ended: boolean
  readonly code: string | null
  readonly host: string | null
}

/** A named piece of a phase, such as one script or one policy extension. */
export interface PhasePart extends Phase {
  readonly part: string
}

/** A point event. `code` is in its canonical form (see codes.ts) where it is known. */
export interface Mark {
  readonly atMs: number
  readonly code: string | null
  readonly phase: string | null
  readonly text: string | null
  readonly host: string | null
}

/** Something in the evidence that cannot be right, and what was made of it. */
export interface Oddity {
  readonly code:
    | 'phase.negative'
    | 'phase.ends-before-it-begins'
    | 'phase.never-ended'
    | 'phase.elapsed-differs'
    | 'begin.missing'
    | 'end.missing'
    | 'clock.far-off'
    | 'clock.off'
    | 'id.used-again'
  readonly sentence: string
}

/** One try to log on, put together from everything that was seen of it. */
export interface Attempt {
  readonly id: string
  readonly person: string | null
  /** The account as it was first reported. */
  readonly account: string | null
  readonly host: string | null
  readonly pool: string | null
  readonly session: string | null
  /** Epoch milliseconds. */
  readonly startedAtMs: number
  readonly totalMs: number
  /** `slow` is never decided here: it needs the pool's limit (see analyse.ts). */
  readonly outcome: Outcome
  readonly phases: readonly Phase[]
  readonly parts: readonly PhasePart[]
  readonly marks: readonly Mark[]
  readonly attrs: Attrs
  readonly oddities: readonly Oddity[]
  readonly observations: number
}
