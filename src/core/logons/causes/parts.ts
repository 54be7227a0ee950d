import type { Facts } from '../facts'
import { ownParts } from '../parts'
import { seconds } from './cause'

/** A part of a phase beside what it takes ordinarily. */
export interface Grown {
  readonly name: string
  readonly ownMs: number
  readonly ordinaryMs: number
}

/** How the parts of a phase compare with what they take ordinarily. */
export interface Growth {
  /** The one that grew most. */
  readonly most: Grown
  /** Whether that one took so many times longer than it does, and the others did not. */
  readonly standsOut: boolean
  /** What else there is in the phase: how many parts, how many times as long as ordinarily it took, and by how much that is long. */
  readonly rest: { readonly parts: number; readonly times: number; readonly ms: number }
}

/** So many times as long as ordinarily is long. */
const LONG = 1.5
/** One part stands out that grew by so many times as much as the rest, and by so much. */
const APART = 2
const APART_MS = 1000
/** Parts that take hardly any time say nothing of how much longer they took. */
const HARDLY_MS = 200

/** Null where it is not known what they take. */
export function growthOf(facts: Facts, phase: string): Growth | null {
  const grown = ownParts(facts.attempt.parts, phase).flatMap(({ part, ownMs }): Grown[] => {
    const ordinaryMs = facts.ordinaryPart(phase, part.part)
    return ordinaryMs === null ? [] : [{ name: part.part, ownMs, ordinaryMs }]
  })
  // Made-up names for every logon, perhaps: somebody has to have what they do.
  if (!grown.some(({ ordinaryMs }) => ordinaryMs > 0)) return null
  const most = grown.reduce((best, one) => (byMs(one) > byMs(best) ? one : best))
  const others = grown.filter((one) => one !== most)
  const sum = (of: (one: Grown) => number) => others.reduce((total, one) => total + of(one), 0)
  // What no part of it is recorded of is left over as well.
  const { tookMs, usualMs } = facts.excess(phase) ?? { tookMs: 0, usualMs: 0 }
  const restMs = Math.max(
    sum(({ ownMs }) => ownMs),
    tookMs - most.ownMs,
  )
  const ordinaryMs = Math.max(
    sum((one) => one.ordinaryMs),
    usualMs - most.ordinaryMs,
  )
  const times = ordinaryMs < HARDLY_MS ? 1 : restMs / ordinaryMs
  const standsOut = byMs(most) >= APART_MS && most.ownMs >= APART * Math.max(1, times) * Math.max(HARDLY_MS, most.ordinaryMs)
  return { most, standsOut, rest: { parts: others.length, times, ms: times >= LONG ? restMs - ordinaryMs : 0 } }
}
const byMs = ({ ownMs, ordinaryMs }: Grown): number => ownMs - ordinaryMs

/** Whether all took longer, and none more than the others. */
export const allGrew = ({ standsOut, rest }: Growth): boolean => !standsOut && rest.parts > 0 && rest.times >= LONG

/** `“printers” took 15 s; ordinarily 0.9 s`. */
export const tookOrdinarily = ({ name, ownMs, ordinaryMs }: Grown): string =>
  `“${name}” took ${seconds(ownMs)}; ${ordinaryMs === 0 ? 'hardly anybody else has it' : `ordinarily ${seconds(ordinaryMs)}`}`
