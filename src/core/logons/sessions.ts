import { readAccount } from '../people/account'
import type { Observation } from './observation'
import { sessionThread, SILENCE_MS } from './threads'

/** Whether an observation names a session on a host, but neither the attempt nor anybody. */
export const isNameless = ({ attempt, person, host, session }: Observation): boolean => !attempt && !person && !!host && !!session

/** From when to when somebody was named in a session. */
interface Named {
  readonly person: string
  readonly fromMs: number
  readonly toMs: number
}

/** Who had which session when, as far as they were named in it. Numbers of sessions are given again to others later. */
export class Sessions {
  readonly #named = new Map<string, Named[]>()

  /** Remembers whom an observation, or an attempt, names in which session. */
  add(account: string | null | undefined, host: string | null | undefined, session: string | null | undefined, fromMs: number, toMs = fromMs): void {
    if (!account || !host || !session) return
    const key = sessionThread(host, session)
    let named: Named = { person: readAccount(account).key, fromMs, toMs }
    const others = (this.#named.get(key) ?? []).filter((one) => {
      // What is named again and again within the reach of a name is one stretch.
      if (one.person !== named.person || one.fromMs - named.toMs > SILENCE_MS || named.fromMs - one.toMs > SILENCE_MS) return true
      named = { ...named, fromMs: Math.min(one.fromMs, named.fromMs), toMs: Math.max(one.toMs, named.toMs) }
      return false
    })
    others.push(named)
    this.#named.set(key, others)
  }

  learn(observations: readonly Observation[]): void {
    for (const { person, host, session, timeMs } of observations) this.add(person, host, session, timeMs)
  }

  /** Who was named in a session nearest to a moment, a quarter of an hour before or after at most. */
  whoHad(host: string, session: string, atMs: number): string | null {
    const apart = ({ fromMs, toMs }: Named) => Math.max(0, fromMs - atMs, atMs - toMs)
    let nearest: Named | null = null
    for (const one of this.#named.get(sessionThread(host, session)) ?? []) {
      if (apart(one) > SILENCE_MS) continue
      const nearer = nearest === null ? -1 : apart(one) - apart(nearest) || one.fromMs - nearest.fromMs || (one.person < nearest.person ? -1 : 1)
      if (nearer < 0) nearest = one
    }
    return nearest?.person ?? null
  }

  /** An observation that names nobody with who had its session; itself where nobody had, or where it names somebody. */
  name(observation: Observation): Observation {
    const { host, session, timeMs } = observation
    const person = isNameless(observation) ? this.whoHad(host ?? '', session ?? '', timeMs) : null
    return person === null ? observation : { ...observation, person }
  }
}

/** Names whom observations speak of that only say on which host and in which session, where others of the same session say it. */
export function nameBySession(observations: readonly Observation[]): readonly Observation[] {
  if (!observations.some(isNameless)) return observations
  const sessions = new Sessions()
  sessions.learn(observations)
  return observations.map((one) => sessions.name(one))
}
