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
  /** One bit for each of SERIES that took clearly more than usual. */
  readonly beyond: number
  /** One bit for each of SERIES that it went through: only who went through a phase can have been slow in it. */
  readonly ran: number
  readonly failed: boolean
  /** The code that it failed by, if any. */
  readonly fault: string
}

export function neighbourOf(measured: Measured): Neighbour {
  const beyond = bitsOf(measured.mild)
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

function bitsOf(phases: readonly { readonly phase: string }[]): number {
  let bits = 0
  for (const { phase } of phases) {
    const index = SERIES.indexOf(phase)
    if (index >= 0) bits |= 1 << index
  }
  return bits
}
/** What nobody goes through unless something is wrong, or a host was off: everybody could have had it. */
const ANYBODY_COULD = bitsOf([{ phase: 'power' }, { phase: UNRECORDED }])

/** One bit for each of SERIES that it could be slow in. */
export const couldHave = ({ beyond, ran }: Neighbour): number => beyond | ran | ANYBODY_COULD
