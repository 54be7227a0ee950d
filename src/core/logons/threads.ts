import { readAccount } from '../people/account'
import { hostKey } from '../people/host'
import type { Observation } from './observation'

/** A phase, or an attempt, longer than a day is a clock error, or an id used again, not a wait. */
export const LONGEST_MS = 24 * 3_600_000

/** An attempt without an end, and without anything new for this long, is over. (formats: 15 minutes) */
export const SILENCE_MS = 15 * 60_000

/**
 * The key of the thread that an observation belongs to: the attempt id where the source knows one, else the person; where nobody is named, host and
 * session. Observations of different threads meet in one attempt only where some sources know its id and others do not: see meetings().
 */
export function threadKey({ attempt, person, host, session }: Observation): string {
  if (attempt) return `id:${attempt}`
  return person ? personThread(person) : sessionThread(host, session)
}

/** The key of the thread of a session on a host. */
export const sessionThread = (host = '', session = ''): string => `hs:${hostKey(host)}|${session}`

/** The key of the thread of a person. */
export const personThread = (account: string): string => `p:${readAccount(account).key}`

export const hasId = (thread: string): boolean => thread.startsWith('id:')

/** Whom observations name; null where none of them names anybody. */
export function personOf(observations: readonly Observation[]): string | null {
  for (const { person } of observations) if (person) return person
  return null
}

/** The thread of the person that an attempt with an id is of. */
export function personThreadOf(observations: readonly Observation[]): string | null {
  const person = personOf(observations)
  return person === null ? null : personThread(person)
}

/** The moment until which an observation reaches. */
export function endOf(observation: Observation): number {
  const { kind, timeMs, durationMs = 0 } = observation
  // A duration that cannot be counts as 0: see assemble().
  return kind === 'phase' && durationMs > 0 && durationMs <= LONGEST_MS ? timeMs + durationMs : timeMs
}
