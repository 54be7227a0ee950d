import { readAccount } from '../people/account'
import { isSameHost } from '../people/host'
import { isOnHost, type Observation } from './observation'
import { endOf, LONGEST_MS, personOf, SILENCE_MS } from './threads'

/** Ids by which logons are called already, and the moment of a record of each: such a logon keeps its id, whether it is among those that are looked at or not. */
export type Called = ReadonlyMap<string, number>
const NONE: Called = new Map()

/** Of observations whose source used an id again, the name of the logon that each is of; of all others nothing. */
export type Renamed = ReadonlyMap<Observation, string>
const NOBODY: Renamed = new Map()

/**
 * Tells apart the logons of sources that use their ids again, as those do that count anew every day. Such a source begins an id once more after silence; a machine that only has another
 * time than the others goes on with what they began. One logon is called by the id, mostly the first; others by the id and when they began.
 * @param ordered by time, each once: of one id, or of one person with any ids
 * @param called the ids that are in use
 */
export function usedAgain(ordered: readonly Observation[], called = NONE): Renamed {
  const [first, last] = [ordered[0]?.timeMs ?? 0, ordered.at(-1)?.timeMs ?? 0]
  if (last - first < SILENCE_MS && (called.size === 0 || !ordered.some(({ attempt }) => attempt && called.has(attempt)))) return NOBODY
  const byId = new Map<string, Observation[]>()
  for (const one of ordered) {
    if (!one.attempt) continue
    const list = byId.get(one.attempt)
    if (list) list.push(one)
    else byId.set(one.attempt, [one])
  }
  let renamed: Map<Observation, string> | null = null
  for (const [id, list] of byId) {
    const logons = logonsOf(list)
    const atMs = called.get(id)
    const keeps = atMs === undefined ? logons[0] : logons.find((logon) => logon.some(({ timeMs }) => timeMs === atMs))
    for (const logon of logons) {
      if (logon === keeps) continue
      const name = `${id}@${new Date(beganMs(logon)).toISOString().slice(0, 19)}Z`
      renamed ??= new Map()
      for (const one of logon) renamed.set(one, name)
    }
  }
  return renamed ?? NOBODY
}

/** When a logon began, as far as a record with its id says so. */
export function beganMs(logon: readonly Observation[]): number {
  const withId = logon.filter(({ attempt }) => attempt)
  return (withId.find(({ kind }) => kind === 'begin') ?? withId[0])?.timeMs ?? NaN
}

/** Stretches without long silence, of which those that begin the id again are logons of their own. */
function logonsOf(ordered: readonly Observation[]): readonly (readonly Observation[])[] {
  const logons: Observation[][] = []
  for (const stretch of stretchesOf(ordered)) {
    const before = logons.at(-1)
    if (before && !isAnother(before, stretch)) for (const one of stretch) before.push(one)
    else logons.push(stretch)
  }
  return logons
}

function stretchesOf(ordered: readonly Observation[]): Observation[][] {
  const stretches: Observation[][] = []
  let untilMs = -Infinity
  for (const one of ordered) {
    const last = stretches.at(-1)
    if (last && one.timeMs - untilMs < SILENCE_MS) last.push(one)
    else stretches.push([one])
    untilMs = Math.max(untilMs, endOf(one))
  }
  return stretches
}

/** Whether what comes after long silence is another logon: both have a begin, told by the same machine, or so far apart, or for others, that no clock makes them one. */
function isAnother(before: readonly Observation[], stretch: readonly Observation[]): boolean {
  const begins = (list: readonly Observation[]) => list.filter(({ kind }) => kind === 'begin')
  const [earlier, later] = [begins(before), begins(stretch)]
  if (earlier.length === 0 || later.length === 0) return false
  if ((later[0]?.timeMs ?? 0) - (earlier.at(-1)?.timeMs ?? 0) > LONGEST_MS) return true
  if (areOthers(personOf(before), personOf(stretch))) return true
  const tells = ({ source, host }: Observation) => source ?? host ?? ''
  if (later.some((begin) => earlier.some((one) => isSameHost(tells(one), tells(begin))))) return true
  const [here, there] = [hostOf(before), hostOf(stretch)]
  return here !== undefined && there !== undefined && !isSameHost(here, there)
}

/** The host that went through what only the host of a session goes through. */
const hostOf = (list: readonly Observation[]): string | undefined => list.find(({ phase, host }) => host !== undefined && isOnHost(phase))?.host

/** Whether two accounts cannot be of one person. By a security identifier alone, nobody knows. */
function areOthers(a: string | null, b: string | null): boolean {
  if (a === null || b === null) return false
  const [one, other] = [readAccount(a), readAccount(b)]
  return one.key !== other.key && (one.form === 'sid') === (other.form === 'sid')
}
