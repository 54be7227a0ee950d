/** What one source saw at one moment of a logon. Field meanings: docs/formats/evidence.md. */
export type ObservationKind = 'begin' | 'phase' | 'phase-begin' | 'phase-end' | 'mark' | 'end'

export const OBSERVATION_KINDS: readonly ObservationKind[] = ['begin', 'phase', 'phase-begin', 'phase-end', 'mark', 'end']

/** The outcome that a source may report at the end of an attempt. */
export type ReportedOutcome = 'ready' | 'failed' | 'abandoned' | 'degraded'

export type AttrValue = string | number | boolean
export type Attrs = Readonly<Record<string, AttrValue>>

export interface Observation {
  /** Epoch milliseconds; fractions allowed. For `phase` the start of the phase. */
  readonly timeMs: number
  readonly kind: ObservationKind
  /** Attempt id, where the source knows one. */
  readonly attempt?: string | undefined
  /** Account in the form in which it was reported. */
  readonly person?: string | undefined
  readonly host?: string | undefined
  /** The machine that wrote it, by whose clock it is timed; where it is not given, the host. */
  readonly source?: string | undefined
  readonly pool?: string | undefined
  readonly session?: string | undefined
  readonly phase?: string | undefined
  /** A named part inside a phase: a policy extension, a script, a package. */
  readonly part?: string | undefined
  /** Of a `phase`; of a `phase-end` only where its source says how long it took, which counts where no begin was recorded. */
  readonly durationMs?: number | undefined
  readonly code?: string | undefined
  readonly outcome?: ReportedOutcome | undefined
  readonly text?: string | undefined
  readonly attrs?: Attrs | undefined
  /** Of a span: its own id, and that of the one above where nothing in the same request said of which phase it is. What it is a part of is known when both are there. */
  readonly span?: string | undefined
  readonly within?: string | undefined
}

/** The phases in their usual order; `settle` is not part of the total. */
export const PHASES = ['broker', 'power', 'connect', 'sign-on', 'container', 'profile', 'policy', 'scripts', 'packages', 'shell', 'settle'] as const
export type KnownPhase = (typeof PHASES)[number]

const BY_NAME = new Map<string, string>(PHASES.map((phase) => [phase, phase]))

/** A phase by its name as somebody wrote it: ours in capitals are ours, any other stays what it is. */
export const phaseNamed = (written: string): string => BY_NAME.get(written) ?? BY_NAME.get(written.toLowerCase()) ?? written

/** Phases whose time counts towards the total. */
export const TIMED_PHASES = PHASES.filter((phase) => phase !== 'settle')

/** Whether a phase is one that only the host of the session goes through; before it, others may speak for it. */
export const isOnHost = (phase: string | undefined): boolean => phase !== undefined && !BEFORE_HOST.includes(phase)
const BEFORE_HOST: readonly string[] = ['broker', 'power', 'connect', 'sign-on']

/** A place in the dimension of factors: whoever needs one at all, whichever it is. */
export const ANY_FACTOR = 'any'
/** The factor of whoever needs none. */
export const NO_FACTOR = 'none'

/** Between the names of several hosts, where they are one place. */
export const SEVERAL = ', '
export const isHost = (dimension: string): boolean => dimension === 'host' || dimension === 'holderHost'
/** The names of a place: of several hosts, each. */
export const namesOf = ({ dimension, value }: { readonly dimension: string; readonly value: string }): readonly string[] =>
  isHost(dimension) ? value.split(SEVERAL) : [value]

/** Of an attempt that is its person's first: what tells it from those of people who come back. */
export const FIRST_LOGON = 'first'

/** The name under which time without any record is blamed. */
export const UNRECORDED = 'unrecorded'

/**
 * A text that is equal for two observations exactly when they say the same thing, whatever the order of their fields.
 * It makes reading the same evidence twice harmless, and it breaks ties in ordering.
 */
export function observationKey(observation: Observation): string {
  const { timeMs, kind, attempt, person, host, source, pool, session, phase, part, durationMs, code, outcome, text, attrs, span, within } =
    observation
  return JSON.stringify([
    timeMs,
    kind,
    attempt ?? '',
    person ?? '',
    host ?? '',
    pool ?? '',
    session ?? '',
    phase ?? '',
    part ?? '',
    durationMs ?? -1,
    code ?? '',
    outcome ?? '',
    text ?? '',
    attrs ? Object.entries(attrs).sort(([a], [b]) => (a < b ? -1 : 1)) : [],
    source ?? '',
    span ?? '',
    within ?? '',
  ])
}
