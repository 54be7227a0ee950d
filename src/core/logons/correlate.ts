import { readAccount } from '../people/account'
import { shortHash } from '../stats/hash'
import { assemble } from './assemble'
import type { Attempt } from './attempt'
import { observationKey, type Observation } from './observation'

/** An attempt without an end, and without anything new for this long, is over. (formats: 15 minutes) */
export const SILENCE_MS = 15 * 60_000

/**
 * The key of the thread that an observation belongs to: the attempt id where the source knows one, else person and host.
 * Observations of different threads never meet in one attempt, so threads can be correlated one by one.
 */
export function threadKey(observation: Observation): string {
  if (observation.attempt) return `id:${observation.attempt}`
  const person = observation.person ? readAccount(observation.person).key : ''
  return `ph:${person}|${(observation.host ?? '').toLowerCase()}|${observation.session ?? ''}`
}

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
  const result: Correlated[] = []
  for (const [key, list] of intoThreads(observations)) result.push(...correlateThread(key, list, nowMs))
  return result.sort((a, b) => a.attempt.startedAtMs - b.attempt.startedAtMs || (a.attempt.id < b.attempt.id ? -1 : 1))
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

/** The same for the observations of a single thread. */
export function correlateThread(thread: string, observations: readonly Observation[], nowMs: number): Correlated[] {
  const ordered = inOrder(observations)
  if (thread.startsWith('id:')) return [{ thread, observations: ordered, attempt: assemble(thread.slice(3), ordered, nowMs) }]
  return split(ordered).map((group) => ({ thread, observations: group, attempt: assemble(groupId(thread, group), group, nowMs) }))
}

function groupId(thread: string, group: readonly Observation[]): string {
  return 'x' + shortHash(thread + '@' + (group[0]?.timeMs ?? 0))
}

/** Each observation once, by time; ties by what must come first, then by content, so that the order is total. */
function inOrder(observations: readonly Observation[]): readonly Observation[] {
  if (isInOrder(observations)) return observations
  const keys = new Map<Observation, string>()
  const keyOf = (observation: Observation) => {
    let key = keys.get(observation)
    if (key === undefined) keys.set(observation, (key = observationKey(observation)))
    return key
  }
  const compare = (a: Observation, b: Observation) => {
    const byTime = a.timeMs - b.timeMs || RANK[a.kind] - RANK[b.kind]
    if (byTime !== 0) return byTime
    return keyOf(a) < keyOf(b) ? -1 : keyOf(a) > keyOf(b) ? 1 : 0
  }
  const sorted = [...observations].sort(compare)
  return sorted.filter((observation, index) => index === 0 || compare(sorted[index - 1] ?? observation, observation) !== 0)
}

function isInOrder(observations: readonly Observation[]): boolean {
  let before: Observation | null = null
  for (const observation of observations) {
    if (before && (before.timeMs > observation.timeMs || (before.timeMs === observation.timeMs && RANK[before.kind] >= RANK[observation.kind])))
      return false
    before = observation
  }
  return true
}

const RANK = { begin: 0, 'phase-begin': 1, phase: 2, mark: 3, 'phase-end': 4, end: 5 } as const

/** Cuts a person-and-host thread into attempts: at a `begin`, after an `end`, after the shell's end, after long silence. */
function split(ordered: readonly Observation[]): Observation[][] {
  const groups: Observation[][] = []
  let current: Observation[] = []
  let closedAtMs: number | null = null
  let lastMs = -Infinity
  for (const observation of ordered) {
    const opens = observation.kind === 'begin' && current.some((other) => other.kind === 'begin' || other.timeMs < observation.timeMs)
    const afterClose = closedAtMs !== null && observation.timeMs > closedAtMs && !trails(observation)
    if (current.length && (opens || afterClose || observation.timeMs - lastMs > SILENCE_MS)) {
      groups.push(current)
      current = []
      closedAtMs = null
      lastMs = -Infinity
    }
    current.push(observation)
    lastMs = Math.max(lastMs, endOf(observation))
    const closes = closingTime(observation)
    if (closes !== null) closedAtMs = closedAtMs === null ? closes : Math.max(closedAtMs, closes)
  }
  if (current.length) groups.push(current)
  return groups
}

/** What may still follow the end of an attempt and belongs to it. */
function trails(observation: Observation): boolean {
  return observation.phase === 'settle' || observation.kind === 'phase-end' || observation.kind === 'end'
}

function closingTime(observation: Observation): number | null {
  if (observation.kind === 'end') return observation.timeMs
  if (observation.phase !== 'shell' || observation.part) return null
  if (observation.kind === 'phase-end') return observation.timeMs
  return observation.kind === 'phase' ? endOf(observation) : null
}

/** The moment until which an observation reaches. */
export function endOf(observation: Observation): number {
  return observation.kind === 'phase' ? observation.timeMs + Math.max(0, observation.durationMs ?? 0) : observation.timeMs
}
