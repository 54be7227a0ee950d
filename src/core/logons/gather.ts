import { quickHash } from '../stats/hash'
import { Moments } from '../stats/moments'
import { correlateThread, endOf, intoThreads, SILENCE_MS, threadKey, type Correlated } from './correlate'
import type { Observation } from './observation'

/** So many observations wait, about, before the threads that were quiet longest are put together. */
export const MOST_WAITING = 40_000
/** They come in lots of a quarter of that; a thread is quiet when the last two lots had nothing of it. */
const QUIET_LOTS = 2

interface Thread {
  readonly observations: Observation[]
  touched: number
}

/**
 * Observations to attempts in bounded memory, for evidence larger than memory. Attempts are given out as soon as nothing more is expected
 * of them. Where more does come after all, the thread is noted as late: whoever reads the evidence must then take its attempts out, and read
 * all its observations again (see `late`). Most evidence is written about as it happened, and has none.
 */
export class Gatherer {
  #waiting: Observation[] = []
  #threads = new Map<string, Thread>()
  #count = 0
  /** Grows with each lot that is sorted in. */
  #lot = 0
  /** From when on the observations of the last lots are. */
  #lotsFromMs: number[] = []
  /** Until when the attempts reach that were given out, by thread. */
  readonly #finished = new Moments()
  /** Hashes of the threads that were given out too early. By hash: one that is not late may be among them, which costs time only. */
  readonly late = new Set<number>()

  /**
   * @param give takes each attempt, with the hash of its thread
   * @param most so many observations wait at most; without limit, nothing is ever late
   * @param newestMs the newest moment known so far, by which silence is measured
   */
  constructor(
    private readonly give: (correlated: Correlated, thread: number) => void,
    private readonly most = MOST_WAITING,
    public newestMs = -Infinity,
  ) {}

  add(observation: Observation): void {
    const end = endOf(observation)
    if (end > this.newestMs) this.newestMs = end
    if (this.#waiting.push(observation) >= Math.min(this.most, MOST_WAITING) / 4) {
      this.#sort()
      if (this.#count > this.most) this.#finishQuiet()
    }
  }

  /** Gives out what is still waiting. */
  end(): void {
    this.#sort()
    for (const [key, { observations }] of this.#threads)
      for (const one of correlateThread(key, observations, this.newestMs)) this.give(one, quickHash(key))
    this.#threads.clear()
  }

  #sort(): void {
    this.#count += this.#waiting.length
    this.#lot++
    this.#lotsFromMs = [...this.#lotsFromMs, this.#waiting.reduce((first, { timeMs }) => Math.min(first, timeMs), Infinity)].slice(-QUIET_LOTS)
    for (const [key, observations] of intoThreads(this.#waiting)) {
      const thread = this.#threads.get(key)
      if (this.#finished.size > 0) this.#watch(key, observations)
      if (!thread) this.#threads.set(key, { observations, touched: this.#lot })
      else {
        for (const observation of observations) thread.observations.push(observation)
        thread.touched = this.#lot
      }
    }
    this.#waiting = []
  }

  /** Notes a thread as late when an attempt of it that was given out could have had these observations. */
  #watch(key: string, observations: readonly Observation[]): void {
    const hash = quickHash(key)
    const untilMs = this.#finished.get(hash)
    if (untilMs === undefined || this.late.has(hash)) return
    const after = !key.startsWith('id:') && observations.every((o) => o.timeMs > untilMs + 2 * SILENCE_MS)
    if (!after) this.late.add(hash)
  }

  /** Gives out the threads that are quiet; of people who log on again and again, what lies well before the last lots. */
  #finishQuiet(): void {
    const beforeMs = Math.min(...this.#lotsFromMs) - 2 * SILENCE_MS
    for (const [key, thread] of this.#threads) {
      const quiet = thread.touched <= this.#lot - QUIET_LOTS
      if (!quiet && (key.startsWith('id:') || (thread.observations[0]?.timeMs ?? Infinity) >= beforeMs)) continue
      const correlated = correlateThread(key, thread.observations, this.newestMs)
      const open = correlated.some(({ attempt }) => attempt.outcome === 'open')
      if (quiet && open) continue
      const over = quiet
        ? correlated
        : correlated.filter(({ attempt, observations }) => attempt.outcome !== 'open' && lastOf(observations) < beforeMs)
      if (over.length === 0) continue
      const hash = quickHash(key)
      for (const one of over) this.give(one, hash)
      this.#finished.keep(
        hash,
        over.reduce((latest, { observations }) => Math.max(latest, lastOf(observations)), 0),
      )
      const rest = quiet ? [] : correlated.filter((one) => !over.includes(one)).flatMap(({ observations }) => observations)
      if (rest.length === 0) this.#threads.delete(key)
      else this.#threads.set(key, { observations: rest, touched: thread.touched })
      this.#count -= thread.observations.length - rest.length
    }
  }
}

const lastOf = (observations: readonly Observation[]): number => observations.reduce((latest, o) => Math.max(latest, endOf(o)), -Infinity)

/** By which a thread is noted as late. */
export const threadHash = (observation: Observation): number => quickHash(threadKey(observation))
