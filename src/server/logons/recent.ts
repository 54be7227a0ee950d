import { hasId, type Observation } from '../../core/logons'
import { countsFor, type Counted } from './roll-ups'
import { lastMsOf, type Worked } from './stored'

/** So many observations are held at most (about 14 MB, measured with those of the demo). */
const MOST_OBSERVATIONS = 60_000

/** An attempt that was analysed lately, as it is, or will be, in the database. */
export interface Held {
  readonly id: string
  readonly thread: string
  readonly startedMs: number
  readonly lastMs: number
  readonly observations: readonly Observation[]
  /** What it counts for in the roll-ups, to be taken back; null: for nothing. */
  readonly counted: Counted | null
}

/**
 * The attempts that were analysed last. What more comes of one, as of those that a cut between two batches went through, then need not wait until it is written, nor has
 * it to be read back.
 */
export class Recent {
  /** The oldest first. */
  readonly #held = new Map<string, Held>()
  #observations = 0
  /** Whether an id was among them that two attempts have. */
  anyIdUsedAgain = false

  get(id: string): Held | undefined {
    return this.#held.get(id)
  }

  /** @param gone attempts that are parts of others now */
  take(worked: readonly Worked[], gone: readonly string[]): void {
    for (const id of gone) this.#drop(id)
    for (const one of worked) {
      const { attempt, thread, observations } = one
      this.anyIdUsedAgain ||= hasId(thread) && thread.slice(3) !== attempt.id
      this.#drop(attempt.id)
      this.#held.set(attempt.id, {
        id: attempt.id,
        thread,
        startedMs: Math.round(attempt.startedAtMs),
        lastMs: lastMsOf(one),
        observations,
        counted: countsFor(one, -1),
      })
      this.#observations += observations.length
    }
    for (const id of this.#held.keys()) {
      if (this.#observations <= MOST_OBSERVATIONS) return
      this.#drop(id)
    }
  }

  #drop(id: string): void {
    this.#observations -= this.#held.get(id)?.observations.length ?? 0
    this.#held.delete(id)
  }
}
