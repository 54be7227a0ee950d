import type { Facts } from '../facts'

/** One piece of evidence. `weight` is how strongly it speaks, in natural log odds: 1 doubles or so, 3 is strong, 6 nearly settles it. */
export interface Clue {
  readonly for: boolean
  readonly weight: number
  readonly sentence: string
  /** Code, figure or origin, in small print. */
  readonly detail?: string
  /** Where it is about how much of the excess the cause explains: that part, 0 to 1. */
  readonly explains?: number
}

export type RemedyKind = 'release-hold' | 'stop-draining' | 'restart-host' | 'tell'

/** What answers a cause: work that Ikebana can run, or what to tell whom. */
export interface Remedy {
  readonly kind: RemedyKind
  readonly label: string
  readonly explanation: string
  /** What it acts on, by kind: a container's person, a host's name. */
  readonly target: string | null
}

/**
 * One named explanation. To add one, write it in a file of this folder and list it in index.ts; the engine needs no change.
 * Ids are those of the published catalogue (docs/causes.md).
 */
export interface Cause {
  readonly id: string
  readonly about: 'failure' | 'profile' | 'slow'
  /** For lists: "Container held by another session". */
  readonly title: string
  /**
   * The dimensions at which it sits by its nature, the likeliest first (`zone+share`: both together; `person`: a single person); an incident of it
   * is named by one of these. None: it never makes an incident. Not given: anywhere.
   */
  readonly at?: readonly string[]
  /** Log odds before any evidence, against "something not in the catalogue". */
  readonly prior: number
  /** The evidence for and against; null where the question does not arise. */
  look(facts: Facts): readonly Clue[] | null
  /** The part of a phase that it is about, where it is about one. */
  part?(facts: Facts): string | null
  /** For the person who diagnoses. */
  sentence(facts: Facts): string
  /** For the person who waits. */
  toPerson: string
  remedy(facts: Facts): Remedy | null
}

export const clue = (weight: number, sentence: string, detail?: string): Clue => ({
  for: true,
  weight,
  sentence,
  ...(detail === undefined ? {} : { detail }),
})
export const against = (weight: number, sentence: string, detail?: string): Clue => ({
  for: false,
  weight,
  sentence,
  ...(detail === undefined ? {} : { detail }),
})
export const tell = (label: string, explanation: string): Remedy => ({ kind: 'tell', label, explanation, target: null })

/** `12.3 s`, `1 min 38 s`: durations inside sentences. */
export function seconds(ms: number): string {
  if (ms < 60_000) return `${(ms / 1000).toFixed(ms < 10_000 ? 1 : 0)} s`
  const minutes = Math.floor(ms / 60_000)
  return `${minutes} min ${Math.round((ms - minutes * 60_000) / 1000)} s`
}

/** What clues come to together, in log odds. */
export const sumOf = (clues: readonly Clue[]): number => clues.reduce((sum, one) => sum + (one.for ? one.weight : -one.weight), 0)
