import type { Attempt } from './attempt'
import { byTeller, type Timed } from './clock-turns'
import { judgeClocks, type ClockOffset } from './clocks'

/** So many of the newest logons tell what the clocks are. */
const SAMPLE = 4000
/** Looked at again when so many are new, and an eighth of the sample: all of it is gone through each time. */
const FRESH = 100
/** Clocks drift apart and are set: what was a day ago says nothing. */
const SAME_MS = 24 * 3_600_000

interface Taken {
  readonly atMs: number
  readonly thread: string
  readonly timed: Timed
}

/** The newest logons of a kind, and how many of them came since all were last looked at. */
class Sample {
  taken: Taken[] = []
  fresh = 0

  get isDue(): boolean {
    return this.fresh > 0 && (this.taken.length <= FRESH || this.fresh >= Math.max(FRESH, Math.min(SAMPLE, this.taken.length) / 8))
  }

  add(one: Taken): void {
    this.taken.push(one)
    this.fresh++
  }

  looked(): void {
    this.fresh = 0
    this.taken = this.taken.slice(-SAMPLE)
  }
}

/** Follows the clocks while logons come in. */
export class ClockWatch {
  /** Logons that several machines told of; and apart, as they may be very many, those that whoever chose the host may have told of. */
  readonly #several = new Sample()
  readonly #chosen = new Sample()
  #off = new Map<string, ClockOffset>()

  /** @param known what was known when it last ran */
  constructor(known: Iterable<ClockOffset> = []) {
    for (const offset of known) this.#off.set(offset.machine, offset)
  }

  /** The clocks that are off now. */
  get off(): ReadonlyMap<string, ClockOffset> {
    return this.#off
  }

  /**
   * Takes attempts as they were timed.
   * @returns the earlier ones that were taken while a clock was not yet known to be off; null when nothing new is known of any clock
   */
  take(attempts: readonly { readonly thread: string; readonly attempt: Attempt }[]): { readonly thread: string; readonly atMs: number }[] | null {
    for (const { thread, attempt } of attempts) {
      const { phases, marks, host, pool, startedAtMs } = attempt
      const one: Taken = { atMs: startedAtMs, thread, timed: { phases, marks, host, pool } }
      if (phases.some((phase) => phase.host !== host) || marks.some((mark) => mark.host !== host)) this.#several.add(one)
      else if (phases.some(({ phase }) => phase === 'broker')) this.#chosen.add(one)
    }
    if (!this.#several.isDue && !this.#chosen.isDue) return null
    this.#several.looked()
    this.#chosen.looked()
    const aroundMs = attempts[attempts.length >> 1]?.attempt.startedAtMs ?? 0
    const near = [...this.#several.taken, ...this.#chosen.taken].filter(({ atMs }) => Math.abs(atMs - aroundMs) < SAME_MS)
    const changed = new Set<string>()
    for (const [machine, { off, ...offset }] of judgeClocks(near.map(({ timed }) => timed))) {
      const before = this.#off.get(machine)
      if (off) {
        if (!before || Math.abs(before.offsetMs - offset.offsetMs) > Math.max(1000, 3 * offset.uncertaintyMs)) changed.add(machine)
        this.#off.set(machine, offset)
      } else if (before) {
        this.#off.delete(machine)
        changed.add(machine)
      }
    }
    if (changed.size === 0) return null
    const now = new Set(attempts.map(({ thread }) => thread))
    return near.filter(
      ({ thread, timed }) => !now.has(thread) && [...byTeller(timed), ...timed.marks].some(({ host }) => host !== null && changed.has(host)),
    )
  }
}
