import { shortHash } from '../stats/hash'
import { assemble } from './assemble'
import type { Attempt } from './attempt'
import { cut } from './cut'
import { inOrder } from './in-order'
import type { Observation } from './observation'
import { nameBySession } from './sessions'
import { hasId, personThreadOf, threadKey } from './threads'
import { usedAgain, type Called } from './used-again'

/**
 * The threads that meet: for each thread of a person those of attempts with an id that are of the same person. The others can be correlated one by one, these
 * only together.
 */
export function meetings<T>(
  threads: Iterable<readonly [key: string, thread: T]> & { keys(): Iterable<string> },
  observationsOf: (thread: T) => readonly Observation[],
): ReadonlyMap<string, readonly string[]> {
  const met = new Map<string, string[]>()
  for (const thread of threads.keys()) if (thread.startsWith('p:')) met.set(thread, [])
  if (met.size === 0) return met
  for (const [key, thread] of threads) if (hasId(key)) met.get(personThreadOf(observationsOf(thread)) ?? '')?.push(key)
  return met
}

/** All threads to attempts, those that meet together. @param called see usedAgain */
export function correlateThreads(threads: ReadonlyMap<string, readonly Observation[]>, nowMs: number, called?: Called): Correlated[] {
  const met = meetings(threads, (observations) => observations)
  const together = new Set([...met.values()].flat())
  const result: Correlated[] = []
  for (const [thread, observations] of threads) {
    if (together.has(thread)) continue
    const others = met.get(thread)?.flatMap((one) => threads.get(one) ?? []) ?? []
    for (const one of correlateThread(thread, others.length > 0 ? [...observations, ...others] : observations, nowMs, called)) result.push(one)
  }
  return result
}

/** Whether an attempt has an id, and holds what came without one. */
export const isMixed = (thread: string, observations: readonly Observation[]): boolean =>
  hasId(thread) && observations.some(({ attempt }) => !attempt)

/** One attempt with the observations that it was made of. */
export interface Correlated {
  readonly attempt: Attempt
  readonly thread: string
  readonly observations: readonly Observation[]
}

/**
 * Observations to attempts. The result depends on the set of observations only: not on their order, nor on how often one is given.
 * @param nowMs the newest moment known; an attempt silent for 15 minutes before it is no longer open
 */
export function correlate(observations: Iterable<Observation>, nowMs: number): Correlated[] {
  return correlateThreads(intoThreads(nameBySession([...observations])), nowMs).sort(
    (a, b) => a.attempt.startedAtMs - b.attempt.startedAtMs || (a.attempt.id < b.attempt.id ? -1 : 1),
  )
}

/** Observations by the key of their thread. */
export function intoThreads(observations: Iterable<Observation>): Map<string, Observation[]> {
  const threads = new Map<string, Observation[]>()
  let attempt: string | undefined
  let list: Observation[] = []
  for (const observation of observations) {
    // Those of one attempt mostly come together.
    if (attempt === undefined || observation.attempt !== attempt) {
      const key = threadKey(observation)
      list = threads.get(key) ?? []
      if (list.length === 0) threads.set(key, list)
      attempt = observation.attempt
    }
    list.push(observation)
  }
  return threads
}

/**
 * The same for the observations of a single thread, or of threads that meet. What belongs to an attempt with an id is of the thread of that id.
 * @param called see usedAgain
 */
export function correlateThread(thread: string, observations: readonly Observation[], nowMs: number, called?: Called): Correlated[] {
  const ordered = inOrder(observations)
  const renamed = usedAgain(ordered, called)
  if (hasId(thread) && renamed.size === 0) return [{ thread, observations: ordered, attempt: assemble(thread.slice(3), ordered, nowMs) }]
  const begun = new Map<string, number>()
  return cut(ordered, renamed).map(({ id, name, observations: group }) => {
    if (id !== null) return { thread: `id:${id}`, observations: group, attempt: withId(id, name ?? id, assemble(name ?? id, group, nowMs)) }
    // One person may begin twice in the same millisecond, on two hosts.
    const { timeMs = 0, host = '', session = '', pool = '' } = group[0] ?? {}
    const begin = [thread, timeMs, host.toLowerCase(), session, pool].join('|')
    const nth = begun.get(begin) ?? 0
    begun.set(begin, nth + 1)
    return { thread, observations: group, attempt: assemble(`x${shortHash(nth === 0 ? begin : `${begin}#${nth}`)}`, group, nowMs) }
  })
}

/** Where it is not called by its id, that is said. */
function withId(id: string, name: string, attempt: Attempt): Attempt {
  if (id === name) return attempt
  const sentence = `Its source calls it ${id}, as it calls other logons, too; they are told apart by when they began.`
  return { ...attempt, oddities: [...attempt.oddities, { code: 'id.used-again', sentence }] }
}
