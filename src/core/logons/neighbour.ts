import type { Measured } from './analyse'
import type { Attempt } from './attempt'
import { codeFails } from './codes'
import { UNRECORDED } from './observation'
import { placesOf, type Places } from './places'
import { SERIES } from './usual'

/** What the neighbours of an attempt need to know of it. */
export interface Neighbour {
  readonly id: string
  readonly atMs: number
  readonly places: Places
  /** One bit for each of SERIES that took clearly more than usual, and one where they did not get their own profile. */
  readonly beyond: number
  /** One bit for each of SERIES that it went through: only who went through a phase can have been slow in it. */
  readonly ran: number
  readonly failed: boolean
  /** The code that it failed by, if any. */
  readonly fault: string
}

export function neighbourOf(measured: Measured): Neighbour {
  const beyond = bitsOf(measured.mild) | (measured.outcome === 'degraded' ? WRONG_PROFILE_BIT : 0)
  const failed = measured.outcome === 'failed'
  return {
    id: measured.attempt.id,
    atMs: measured.attempt.startedAtMs,
    places: placesOf(measured),
    beyond,
    ran: measured.ran,
    failed,
    fault: failed ? faultOf(measured.attempt) : '',
  }
}

/** The code by which it failed; where the broker only refused, what its figures say. */
function faultOf({ marks, attrs }: Attempt): string {
  const code = marks.findLast((mark) => mark.code !== null && codeFails(mark.code))?.code ?? 'silent'
  if (code !== 'broker.refused') return code
  const [draining, hosts] = [attrs['drainingHosts'], attrs['hosts']]
  if (typeof draining === 'number' && typeof hosts === 'number' && hosts > 0 && draining >= hosts) return 'broker.all-draining'
  return attrs['freeDesktops'] === 0 ? 'broker.no-free-desktop' : code
}

/** The trouble of those who got in, but not on their own profile; the others are named by the phase that was slow. */
export const WRONG_PROFILE = 'wrong-profile'
const TROUBLES: readonly string[] = [...SERIES, WRONG_PROFILE]
const WRONG_PROFILE_BIT = 1 << SERIES.length

/** The bit of a trouble. Of a phase that is none of SERIES it is one that nobody has. */
export function bitOf(trouble: string): number {
  return 1 << TROUBLES.indexOf(trouble)
}

function bitsOf(phases: readonly { readonly phase: string }[]): number {
  let bits = 0
  for (const { phase } of phases) if (TROUBLES.includes(phase)) bits |= bitOf(phase)
  return bits
}

/** What nobody goes through unless something is wrong, or a host was off: everybody could have had it. */
const ANYBODY_COULD = bitOf('power') | bitOf(UNRECORDED)

/** One bit for each trouble that it could have had. */
export const couldHave = ({ beyond, ran, failed }: Neighbour): number => beyond | ran | ANYBODY_COULD | (failed ? 0 : WRONG_PROFILE_BIT)
