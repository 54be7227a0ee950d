import type { OrgChange } from '../people/org'
import { countSay } from '../stats/count'
import { against, clue, sumOf, type Clue } from './causes/cause'

/** A change that may have begun an incident, or made it far worse, with what speaks for and against it. */
export interface Suspect {
  readonly change: OrgChange
  readonly of: 'its beginning' | 'its worsening'
  /** The sum of the weights; from SUSPECTED on it is named. */
  readonly score: number
  readonly reasons: readonly Clue[]
}
export const SUSPECTED = 2.5

/** What is known of the logons between a change and an incident. */
export interface Between {
  /** Of the incident's attempts, how many were at the places that the change was made at; null where these are no places of attempts. */
  readonly covered: { readonly hit: number; readonly of: number } | null
  /** Of all attempts there while it lasted, how many had it. */
  readonly precise: { readonly hit: number; readonly of: number } | null
  /** Attempts at the incident's places that went well after the change and before it began; or that had it, but less, before it became worse. */
  readonly wellBetween: number
}

/** What is to be explained: that it began, or that it became far worse. */
export interface Onset {
  readonly cause: string
  readonly of: Suspect['of']
  readonly atMs: number
}

/** The kinds of change that can bring a cause about. */
const PLAUSIBLE: Readonly<Record<string, readonly OrgChange['kind'][]>> = {
  'share-slow': ['share', 'other'],
  'logon-storm': ['share', 'policy', 'host'],
  'far-share': ['share', 'host', 'policy', 'image'],
  'share-unreachable': ['share', 'policy', 'other'],
  'share-full': ['share', 'policy'],
  'near-full': ['share', 'policy'],
  scanner: ['image', 'policy', 'package'],
  'image-regression': ['image'],
  'host-overloaded': ['host', 'image', 'package', 'policy'],
  'host-cold': ['policy', 'host'],
  'host-not-configured': ['host', 'image', 'policy'],
  'leftover-profile': ['host', 'policy', 'image'],
  'temporary-profile': ['host', 'image', 'policy', 'share'],
  'not-in-scope': ['policy', 'directory'],
  'policy-part-slow': ['policy', 'directory', 'image'],
  'script-slow': ['policy', 'other'],
  'packages-slow': ['package', 'policy', 'image'],
  'directory-slow': ['directory', 'other'],
  'relay-path': ['gateway', 'policy', 'other'],
  'poor-line': ['gateway', 'other'],
  'second-factor-timeout': ['gateway', 'policy'],
  'second-factor-slow': ['gateway', 'policy'],
  'trust-mismatch': ['gateway', 'other'],
  'trust-expired': ['gateway', 'other'],
  'name-form': ['gateway', 'directory'],
  'location-invalid': ['policy'],
  'too-few-locations': ['share', 'policy'],
  'all-draining': ['host'],
  'pool-exhausted': ['host', 'policy', 'image'],
  'no-licence': ['other', 'policy'],
  'clock-skew': ['host', 'image', 'directory'],
  'host-silent': ['host', 'image'],
}

const HOUR_MS = 3_600_000
/** A moment is known no better than this. */
const SLACK_MS = 10 * 60_000

/** What is said of each onset: what the change came before, or after; and how many there were in between that speak against it. */
const WORDS: Readonly<
  Record<Suspect['of'], { before: string; after: string; none: string; few: (n: number) => string; many: (n: string) => string }>
> = {
  'its beginning': {
    before: 'the first of these logons',
    after: 'the beginning',
    none: 'Nobody there logged on well in between.',
    few: (n) => `Only ${n} there logged on well in between.`,
    many: (n) => `${n} logons there went well in between.`,
  },
  'its worsening': {
    before: 'they became far worse',
    after: 'they became far worse',
    none: 'Nobody had it in between.',
    few: (n) => `Only ${n} had it in between, no worse than before.`,
    many: (n) => `${n} had it in between, no worse than before.`,
  },
}

/** How much a change is suspected of having begun an incident, or made it worse, and why. */
export function suspect(change: OrgChange, { cause, of, atMs }: Onset, between: Between): Suspect {
  const reasons: Clue[] = []
  const beforeMs = atMs - change.atMs
  const words = WORDS[of]
  if (beforeMs < -SLACK_MS) reasons.push(against(9, `It came after ${words.after}.`))
  else if (beforeMs <= HOUR_MS) reasons.push(clue(2, `${minutes(beforeMs)} before ${words.before}.`))
  else if (beforeMs <= 26 * HOUR_MS) reasons.push(clue(1, `${Math.round(beforeMs / HOUR_MS)} h before ${words.before}.`))
  else reasons.push(against(Math.min(3, beforeMs / (48 * HOUR_MS)), `${Math.round(beforeMs / HOUR_MS)} h before.`))
  if (beforeMs >= 0) {
    const { wellBetween: n } = between
    reasons.push(n <= 3 ? clue(1.5, n === 0 ? words.none : words.few(n)) : against(Math.min(4, n / 8), words.many(countSay(n))))
  }
  const { covered, precise } = between
  if (change.scope.length === 0) reasons.push(clue(0, 'It was not bound to a place.'))
  else if (covered === null) reasons.push(against(0.5, 'Its place is none that logons have.'))
  else {
    const share = covered.of === 0 ? 0 : covered.hit / covered.of
    const place = change.scope.map(({ dimension, value }) => `${dimension} ${value}`).join(', ')
    if (share >= 0.9) {
      const others = `They are where it was made (${place}), but so are ${countSay((precise?.of ?? 0) - (precise?.hit ?? 0))} that went well.`
      reasons.push(
        precise && precise.hit >= 0.5 * precise.of
          ? clue(2.5, `It was made just where they are: ${place}.`)
          : precise && precise.hit < 0.1 * precise.of
            ? against(2, others)
            : clue(1, others),
      )
    } else reasons.push(against(share >= 0.4 ? 1 : 6, `Only ${covered.hit} of ${covered.of} are where it was made: ${place}.`))
  }
  const kinds = PLAUSIBLE[cause]
  if (kinds)
    reasons.push(
      kinds.includes(change.kind)
        ? clue(1.5, 'A change of this kind can bring it about.')
        : against(2, `A change of kind ${change.kind} does not bring it about by itself.`),
    )
  return { change, of, score: sumOf(reasons), reasons }
}

const minutes = (ms: number) => (ms < 60_000 ? 'Less than a minute' : `${Math.round(ms / 60_000)} min`)
