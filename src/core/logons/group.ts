import { isSameHost } from '../people/host'
import type { Observation } from './observation'

/** One attempt while its observations are told apart from those of the person's others. */
export interface Group {
  /** Its id, where a source knows one, and how it is called: see usedAgain. */
  id: string | null
  name: string | null
  readonly observations: Observation[]
  readonly firstMs: number
  /** Who reported its begin when, with an id or without. */
  readonly begins: { readonly by: string; readonly withId: boolean; readonly ms: number }[]
  /** Where it was seen: the host, and before it perhaps the machine that chose the host. */
  readonly hosts: string[]
  /** Since when it was seen at each of them. */
  readonly since: number[]
  session: string | null
  pool: string | null
  /** The phases that anybody told of. */
  readonly phases: Set<string>
  /** Whether it was refused before it was on a host: what comes then is another try. */
  refused: boolean
  /** The host that went through a phase that only the host itself goes through; empty where it did not say its name, null before there was any. */
  onHost: string | null
  lastMs: number
  closedAtMs: number | null
  /** Whether only other machines told of its end, whose clocks may be behind: its host may go on all the same. */
  endIsTold: boolean
  /** What its host told of itself: phases, and `end`; a blank for anything else. Empty where only other machines speak of it. */
  readonly own: Set<string>
}

/** The machine that an observation is of, where it speaks of another one; null where a host speaks of itself, or nobody knows. */
export type TellerOf = (observation: Observation) => string | null

/** A machine that speaks of other hosts does so also where it names none. */
export function tellersIn(observations: readonly Observation[]): TellerOf {
  const speaksOfAnother = ({ source, host }: Observation) => source !== undefined && host !== undefined && !isSameHost(source, host)
  const tellers = new Set(observations.filter(speaksOfAnother).map(({ source }) => source))
  return (one) => (speaksOfAnother(one) || (one.host === undefined && tellers.has(one.source)) ? (one.source?.toLowerCase() ?? null) : null)
}

/** Whether two say the same, or one says nothing. */
export const isOfSame = (one: string | null, other: string | null | undefined): boolean => one === null || !other || one === other
