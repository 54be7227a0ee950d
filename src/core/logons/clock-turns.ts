import { isSameHost } from '../people/host'
import type { Attempt, Phase } from './attempt'
import { isOnHost, PHASES } from './observation'

/** What tells the clocks of an attempt. */
export type Timed = Pick<Attempt, 'phases' | 'marks' | 'host' | 'pool'>

/** Whoever tells how long a host was looked for, where it names that host only: the host cannot have. Of each pool, as nobody says whether it is one for all. */
const BROKER = 'the broker'
const brokerOf = (pool: string | null) => (pool === null ? BROKER : `${BROKER} of ${pool}`)
export const isBroker = (machine: string | undefined) => machine?.startsWith(BROKER) ?? false

/** Phases that must be over before a host has anything to do. */
export const CHOOSING: readonly string[] = ['broker', 'power']

/** So long before a host was looked for, somebody was asked elsewhere. */
const BEFORE_MS = 120_000

const RANK = new Map<string, number>(PHASES.map((phase, rank) => [phase, rank]))

/** Its phases, each with the machine by whose clock it is timed. */
export const byTeller = <T extends Pick<Timed, 'phases' | 'host' | 'pool'>>({ phases, host, pool }: T): readonly Phase[] =>
  phases.map((one) =>
    one.phase === 'broker' && one.host !== null && host !== null && isSameHost(one.host, host) ? { ...one, host: brokerOf(pool) } : one,
  )

/**
 * Phases that tell clocks, in the order in which they follow each other: people who were asked elsewhere may have been so before a host was looked for.
 * @param on the host of the attempt
 */
export function inTurn(phases: readonly Phase[], on: string | null): readonly Phase[] {
  if (phases.every(({ host }) => host === phases[0]?.host)) return []
  const known = phases.filter(({ host, ended }) => host !== null && ended)
  const chosenMs = known.find(({ phase }) => CHOOSING.includes(phase))?.startMs ?? -Infinity
  const wasBefore = ({ phase, host, startMs }: Phase) =>
    startMs < chosenMs &&
    chosenMs - startMs <= BEFORE_MS &&
    !isOnHost(phase) &&
    !CHOOSING.includes(phase) &&
    host !== null &&
    on !== null &&
    !isSameHost(host, on)
  const ranked = known.map((one) => ({ one, rank: wasBefore(one) ? -1 : (RANK.get(one.phase) ?? RANK.size) }))
  // As they mostly are.
  if (ranked.every(({ rank }, i) => i === 0 || rank >= (ranked[i - 1]?.rank ?? 0))) return known
  return ranked.sort((a, b) => a.rank - b.rank).map(({ one }) => one)
}

/** Where a phase of one machine is followed by one of another. */
export function handovers(ordered: readonly Phase[]): { readonly from: Phase; readonly to: Phase }[] {
  const result: { from: Phase; to: Phase }[] = []
  for (let i = 1; i < ordered.length; i++) {
    const [from, to] = [ordered[i - 1], ordered[i]]
    if (from && to && from.host !== to.host) result.push({ from, to })
  }
  return result
}

/** Where a machine times what goes on on a host, between two phases that another one times. */
export function betweens(ordered: readonly Phase[]): { readonly before: Phase; readonly it: Phase; readonly after: Phase }[] {
  const result: { before: Phase; it: Phase; after: Phase }[] = []
  for (let i = 1; i < ordered.length - 1; i++) {
    const [before, it, after] = [ordered[i - 1], ordered[i], ordered[i + 1]]
    if (before && it && after && isOnHost(it.phase) && before.host === after.host && before.host !== it.host) result.push({ before, it, after })
  }
  return result
}
