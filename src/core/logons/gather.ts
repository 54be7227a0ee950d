import { quickHash } from '../stats/hash'
import { Moments } from '../stats/moments'
import { letGo, Passing } from '../stats/passing'
import type { Attempt } from './attempt'
import { correlateThread, correlateThreads, intoThreads, isMixed, meetings, type Correlated } from './correlate'
import type { Observation } from './observation'
import { isNameless, Sessions } from './sessions'
import { endOf, hasId, personThread, personThreadOf, sessionThread, SILENCE_MS, threadKey } from './threads'

/** So many observations wait at most, about: then the threads that were quiet longest are put together. */
export const MOST_WAITING = 40_000
/** They come in lots of a sixteenth of that; a thread is quiet when the last eight lots had nothing of it. */
const LOTS = 16
const LONG_QUIET_LOTS = 8
/** Where all that comes has an id, fewer need to wait, which leaves less to the collector of garbage: a thread is quiet when the last two lots are so much later, and had nothing of it. */
const ENOUGH_LOTS = 4
const QUIET_LOTS = 2
const QUIET_MS = 5 * 60_000

interface Thread {
  readonly observations: Observation[]
  /** The last lot that had something of it, and until when that reaches. */
  touched: number
  untilMs: number
}

/** An attempt that is given out, and by what it is taken out again where more comes of it after all: see Gatherer.late. */
export interface Given {
  readonly attempt: Attempt
  /** The hash of its thread, and of the thread of its person (-1: nobody is named). */
  readonly thread: number
  readonly person: number
  /** Whether it has an id, and holds what came without one. */
  readonly mixed: boolean
}

/**
 * Observations to attempts in bounded memory, for evidence larger than memory. Attempts are given out as soon as nothing more is expected
 * of them. Where more does come after all, the thread is noted as late: whoever reads the evidence must then take its attempts out (of a person: all that are theirs),
 * and read all its observations again. Most evidence is written about as it happened, and has none.
 */
export class Gatherer {
  #waiting: Observation[] = []
  readonly #threads = new Passing<Thread>()
  #count = 0
  /** Grows with each lot that is sorted in. */
  #lot = 0
  /** From when on the observations of the last lots are. */
  #lotsFromMs: number[] = []
  #anyNameless = false
  #allHaveIds = true
  /** Hashes of the threads of sessions that nobody who waited at the time was named in. Somebody may be whose attempt was given out before, or is later. */
  readonly unnamed = new Set<number>()
  /** Until when the attempts reach that were given out, by thread. */
  readonly #finished = new Moments()
  /** Whether any of these is of a person's thread: mostly all that comes has an id. */
  #anyOfPeople = false
  /** The same of those that have an id, by the thread of their person. */
  readonly #finishedWithId = new Moments()
  /** Hashes of the threads that were given out too early. By hash: one that is not late may be among them, which costs time only. */
  readonly late = new Set<number>()

  /**
   * @param give takes each attempt
   * @param most so many observations wait at most; without limit, nothing is ever late
   * @param newestMs the newest moment known so far, by which silence is measured
   */
  constructor(
    private readonly give: (given: Given) => void,
    private readonly most = MOST_WAITING,
    public newestMs = -Infinity,
  ) {}

  add(observation: Observation): void {
    const end = endOf(observation)
    if (end > this.newestMs) this.newestMs = end
    if (this.#waiting.push(observation) >= Math.min(this.most, MOST_WAITING) / LOTS) {
      this.#sort()
      if (this.#count > this.most * (this.#allHaveIds ? ENOUGH_LOTS / LOTS : 1)) this.#finishQuiet()
    }
  }

  /** Whether any observation so far only said which session it is of. */
  get anyNameless(): boolean {
    return this.#anyNameless
  }

  /** The earliest moment that anything is of which is still waiting: mostly, what is given out later began no earlier. */
  waitingFromMs(): number {
    let first = Infinity
    for (const one of this.#waiting) first = Math.min(first, one.timeMs)
    for (const { observations } of this.#threads.values()) for (const one of observations) first = Math.min(first, one.timeMs)
    return first
  }

  /** Gives out what is still waiting. */
  end(): void {
    this.#sort()
    const threads = new Map([...this.#threads].map(([key, { observations }]) => [key, observations]))
    for (const one of correlateThreads(threads, this.newestMs)) this.#give(one)
    this.#threads.clear()
  }

  #sort(): void {
    this.#count += this.#waiting.length
    this.#lot++
    this.#lotsFromMs = [...this.#lotsFromMs, this.#waiting.reduce((first, { timeMs }) => Math.min(first, timeMs), Infinity)].slice(-LONG_QUIET_LOTS)
    this.#nameWaiting()
    for (const [key, observations] of intoThreads(this.#waiting)) {
      const thread = this.#threads.get(key)
      this.#allHaveIds &&= hasId(key)
      if (this.#finished.size > 0) this.#watch(key, observations)
      const untilMs = lastOf(observations)
      if (!thread) this.#threads.set(key, { observations, touched: this.#lot, untilMs })
      else {
        for (const observation of observations) thread.observations.push(observation)
        thread.touched = this.#lot
        thread.untilMs = Math.max(thread.untilMs, untilMs)
      }
    }
    letGo(this.#waiting)
  }

  /** Names whom those observations speak of that only say in which session, where that is said by others that wait. */
  #nameWaiting(): void {
    this.#anyNameless ||= this.#waiting.some(isNameless)
    if (!this.#anyNameless) return
    const sessions = new Sessions()
    for (const { observations } of this.#threads.values()) sessions.learn(observations)
    sessions.learn(this.#waiting)
    for (const key of new Set(this.#waiting.map(({ person, host, session }) => (person && session ? sessionThread(host, session) : '')))) {
      for (const one of this.#threads.get(key)?.observations ?? []) this.#waiting.push(one)
      this.#threads.delete(key)
    }
    this.#waiting = this.#waiting.map((one) => sessions.name(one))
  }

  /** Notes a thread as late when an attempt of it that was given out could have had these observations. */
  #watch(key: string, observations: readonly Observation[]): void {
    const hash = quickHash(key)
    const near = (untilMs: number | undefined) => untilMs !== undefined && observations.some(({ timeMs }) => timeMs <= untilMs + SILENCE_MS)
    if (!hasId(key)) {
      if (near(this.#finished.get(hash)) || near(this.#finishedWithId.get(hash))) this.late.add(hash)
      return
    }
    if (this.#finished.get(hash) !== undefined) this.late.add(hash)
    const person = this.#anyOfPeople ? personThreadOf(observations) : null
    if (person === null) return
    // What came of the same person without an id may have been part of it.
    const theirs = quickHash(person)
    if (near(this.#finished.get(theirs))) this.late.add(theirs)
  }

  #give({ thread, observations, attempt }: Correlated): void {
    const hash = quickHash(thread)
    const withId = hasId(thread)
    const named = withId ? personThreadOf(observations) : thread
    const person = named === null ? -1 : withId ? quickHash(named) : hash
    const mixed = isMixed(thread, observations)
    this.give({ attempt, thread: hash, person, mixed })
    if (named !== null && named.startsWith('hs:')) this.unnamed.add(hash)
    const untilMs = lastOf(observations)
    this.#finished.keep(hash, untilMs)
    this.#anyOfPeople ||= mixed || !withId
    if (person !== -1 && withId) (mixed ? this.#finished : this.#finishedWithId).keep(person, untilMs)
  }

  /** Gives out the threads that are quiet; of people who log on again and again, what lies well before the last lots. */
  #finishQuiet(): void {
    const beforeMs = Math.min(...this.#lotsFromMs) - 2 * SILENCE_MS
    const quietBeforeMs = Math.min(...this.#lotsFromMs.slice(-QUIET_LOTS)) - QUIET_MS
    const isFull = this.#count > this.most
    const isQuiet = ({ touched, untilMs }: Thread) =>
      isFull ? touched <= this.#lot - LONG_QUIET_LOTS : touched <= this.#lot - QUIET_LOTS && untilMs < quietBeforeMs
    const met = meetings(this.#threads, ({ observations }) => observations)
    const together = new Set([...met.values()].flat())
    for (const [key, thread] of this.#threads) {
      // As of most threads, something of it has just come: with an id, nothing of it can be over.
      const quiet = isQuiet(thread)
      if (!quiet && hasId(key)) continue
      if (together.has(key)) continue
      const others = (met.get(key) ?? []).flatMap((one): [string, Thread][] => {
        const other = this.#threads.get(one)
        return other ? [[one, other]] : []
      })
      this.#finish(key, [[key, thread], ...others], quiet && others.every(([, other]) => isQuiet(other)), beforeMs)
    }
  }

  /** @param threads that meet, if there are several; @param quiet whether all of them are */
  #finish(key: string, threads: readonly (readonly [key: string, thread: Thread])[], quiet: boolean, beforeMs: number): void {
    if (!quiet && (hasId(key) || threads.every(([, { observations }]) => (observations[0]?.timeMs ?? Infinity) >= beforeMs))) return
    const all = threads.length === 1 ? (threads[0]?.[1].observations ?? []) : threads.flatMap(([, { observations }]) => observations)
    const correlated = correlateThread(key, all, this.newestMs)
    if (quiet && correlated.some(({ attempt }) => attempt.outcome === 'open')) return
    const isOver = ({ attempt, observations }: Correlated) => quiet || (attempt.outcome !== 'open' && lastOf(observations) < beforeMs)
    let rest: Map<string, Observation[]> | null = null
    for (const one of correlated) {
      if (isOver(one)) this.#give(one)
      else {
        rest ??= new Map<string, Observation[]>()
        for (const [thread, observations] of intoThreads(one.observations)) rest.set(thread, [...(rest.get(thread) ?? []), ...observations])
      }
    }
    for (const [name, { observations, touched, untilMs }] of threads) {
      const left = rest?.get(name) ?? []
      this.#count -= observations.length - left.length
      if (left.length === 0) {
        this.#threads.delete(name)
        letGo(observations)
      } else if (left.length < observations.length) this.#threads.set(name, { observations: left, touched, untilMs })
    }
  }
}

const lastOf = (observations: readonly Observation[]): number => observations.reduce((latest, o) => Math.max(latest, endOf(o)), -Infinity)

/** By which a thread is noted as late. */
export const threadHash = (observation: Observation): number => quickHash(threadKey(observation))
/** The same for the thread of its person; -1 where nobody is named. */
export const personHash = ({ person }: Pick<Observation, 'person'>): number => (person ? quickHash(personThread(person)) : -1)
/** The same for the thread of its session; -1 where it has none. */
export const sessionHash = ({ host, session }: Pick<Attempt, 'host' | 'session'>): number =>
  host !== null && session !== null ? quickHash(sessionThread(host, session)) : -1
