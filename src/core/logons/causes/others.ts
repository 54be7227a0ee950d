import type { Facts } from '../facts'
import type { Dimension } from '../places'
import { codeSays } from '../codes'
import { clue, type Cause, type Clue } from './cause'
import { NAMES } from './where'

/** What those say who failed for such a cause, the phases in which it makes logons fail, and at what place they are alike. */
interface Said {
  readonly codes: readonly string[]
  readonly phases: readonly string[]
  readonly at: readonly Dimension[]
}

const BROKER = ['broker', 'power']
const STORAGE = ['container', 'profile']
const SAID: Readonly<Record<string, Said>> = {
  'pool-exhausted': { codes: ['broker.no-free-desktop'], phases: BROKER, at: ['pool'] },
  'all-draining': { codes: ['broker.all-draining'], phases: BROKER, at: ['pool'] },
  'no-licence': { codes: ['broker.no-licence'], phases: BROKER, at: ['pool'] },
  'host-silent': { codes: ['host.no-answer'], phases: BROKER, at: ['host'] },
  'clock-skew': { codes: ['KRB_AP_ERR_SKEW', 'STATUS_TIME_DIFFERENCE_AT_DC'], phases: ['sign-on'], at: ['host'] },
  'trust-expired': { codes: ['trust.expired'], phases: ['sign-on'], at: ['pool', 'factor', 'network'] },
  'trust-mismatch': { codes: ['trust.bad-authenticator', 'trust.audience', 'trust.target'], phases: ['sign-on'], at: ['pool', 'factor', 'network'] },
  'share-full': { codes: ['share.full', 'STATUS_DISK_FULL'], phases: STORAGE, at: ['share'] },
  'share-unreachable': {
    codes: ['share.unreachable', 'STATUS_BAD_NETWORK_PATH', 'STATUS_BAD_NETWORK_NAME', 'STATUS_IO_TIMEOUT'],
    phases: STORAGE,
    at: ['share'],
  },
  'location-invalid': { codes: ['location.invalid'], phases: STORAGE, at: ['pool', 'host'] },
  'too-few-locations': { codes: ['locations.too-few'], phases: STORAGE, at: ['pool', 'host'] },
}

/** What says that a logon failed, but not why. */
const SAY_NOTHING: readonly string[] = ['', 'silent', 'failed', 'broker.refused', 'STATUS_LOGON_FAILURE']

/** A cause that one who failed without a word may have from those who failed beside them, and said why. */
export function alsoByOthers(cause: Cause): Cause {
  const said = SAID[cause.id]
  if (!said) return cause
  return {
    ...cause,
    look(facts) {
      const own = cause.look(facts)
      const others = othersSay(facts, said)
      return others ? [...(own ?? []), others] : own
    },
  }
}

function othersSay(facts: Facts, { codes, phases, at }: Said): Clue | null {
  if (!facts.failed || !SAY_NOTHING.includes(facts.self.fault)) return null
  if (!phases.includes(facts.lastPhase() ?? '')) return null
  let best: { readonly clue: Clue; readonly byThese: number } | null = null
  for (const dimension of at) {
    const value = facts.self.places[dimension]
    if (value === '') continue
    const { n, failed, byThese } = facts.around.failing(facts.self, dimension, codes)
    // Nearly all fail here, and enough of them for one reason.
    if (byThese < 3 || failed * 2 < n || byThese * 4 < n || byThese <= (best?.byThese ?? 0)) continue
    const sentence = `${byThese} of the ${n} nearest logons with ${NAMES[dimension]} ${value} failed, too, and said why: ${codeSays(codes[0] ?? '')}.`
    best = { byThese, clue: clue(Math.min(7.5, 4 + 0.5 * byThese), sentence) }
  }
  return best?.clue ?? null
}
