import { bucketOf, Histogram } from '../stats/histogram'
import { Pairs } from '../stats/pairs'
import { approvalOf, approvalWithin } from './approval'
import type { Attempt, Outcome } from './attempt'
import { NO_FACTOR } from './observation'
import { OrdinaryParts } from './ordinary-parts'

/** The numbers that sources report of an attempt, and by what they are multiplied so that a histogram of whole numbers holds them well. */
const SCALES: Readonly<Record<string, number>> = {
  profileBytes: 1 / 1024,
  profileFiles: 1,
  autostart: 100,
  hostSessions: 100,
  hostCpu: 10_000,
  rttMs: 10,
  bandwidthKbps: 1,
  shareLatencyMs: 100,
  containerFreeBytes: 1 / 1024,
  shareFreeBytes: 1 / 1024 ** 2,
  packages: 100,
  approvalMs: 1,
  signOnWithFactorMs: 1,
  relayed: 1,
}
/** How long the approval took, reported or worked out. */
const APPROVAL = 'approvalMs'
/** What sign-on took of those who were asked for a second factor, where nobody says how long that took. */
export const SIGN_ON_WITH_FACTOR = 'signOnWithFactorMs'

/** 1 for a connection that was relayed, 0 for one that went direct: worked out as well. */
export const RELAYED = 'relayed'

/** What an ordinary number is told of. */
type Told = Pick<Attempt, 'pool' | 'attrs' | 'phases' | 'marks'>

function numberOf(told: Told, name: string): number | null {
  if (name === APPROVAL) return approvalOf(told)
  if (name === SIGN_ON_WITH_FACTOR) return signOnWithFactor(told, approvalOf(told))
  if (name === RELAYED) return relayed(told)
  const value = told.attrs[name]
  return typeof value === 'number' && Number.isFinite(value) ? value : null
}

function signOnWithFactor({ attrs, phases }: Told, approval: number | null): number | null {
  const factor = attrs['factor']
  if (typeof factor !== 'string' || factor === '' || factor === NO_FACTOR || approval !== null) return null
  const signOn = phases.find(({ phase, ended }) => phase === 'sign-on' && ended)
  return signOn ? signOn.endMs - signOn.startMs : null
}

const relayed = ({ attrs }: Told): number | null => (attrs['transport'] === 'relay' ? 1 : attrs['transport'] === 'direct' ? 0 : null)

const NAMES = Object.keys(SCALES)
const WORKED_OUT = [APPROVAL, SIGN_ON_WITH_FACTOR, RELAYED].map((name) => NAMES.indexOf(name)) as [number, number, number]
/** Those that are reported as they are. */
const REPORTED = NAMES.flatMap((name, i) => (WORKED_OUT.includes(i) ? [] : [{ name, i }]))

/** A reported number beside what is reported otherwise. */
export interface Ordinary {
  readonly value: number
  readonly n: number
  readonly median: number
  readonly low: number
  readonly high: number
}

/**
 * Whether a number is far more than ordinarily: so many times the middle, and so many times the high end. Where more than one in twenty are ill the high end is theirs:
 * then `enough` times the middle is far, wherever that end is.
 */
export function isFarAbove(
  { value, median, high }: Ordinary,
  far: { readonly times: number; readonly ofHigh: number; readonly enough: number },
): boolean {
  return value > Math.min(Math.max(far.times * median, far.ofHigh * high), median > 0 ? far.enough * median : Infinity)
}

/** An approval is one of a person, not of a machine: beyond what one in twenty takes by more than this it is out of the ordinary, or at so many times the middle one. */
const LATE = 1.6
const LATE_TIMES = 4

/** Whether people now and then take as long to approve. */
export const isAsPeopleTake = ({ value, median, high }: Ordinary): boolean => value <= Math.min(LATE * high, Math.max(LATE_TIMES * median, high))

/** So few are enough to say what people take in the middle. */
const FEW_APPROVALS = 5
/** Where hardly any others are known, an approval is late beyond this: our judgement, no published source. */
const LATE_MS = 10_000

/**
 * By how much an approval took longer than people do, in milliseconds; null where it is as they now and then are, or where there was none. Where the logon is slow by the limit of its
 * pool, as they mostly are: somebody asks why.
 */
export function approvalLateBy({ attempt, outcome }: { readonly attempt: Told; readonly outcome: Outcome }, ordinary: OrdinaryModel): number | null {
  const took = approvalWithin(attempt)
  if (took === null) return null
  const others = ordinary.of(attempt, APPROVAL)
  if (others) {
    const isLate = outcome === 'slow' ? isFarAbove(others, SLOW_APPROVAL) : !isAsPeopleTake(others)
    return isLate ? took - others.median : null
  }
  // Of few, the high end is that of any one that was late.
  const middle = ordinary.of(attempt, APPROVAL, FEW_APPROVALS)?.median ?? 0
  return took > Math.max(LATE_MS, LATE_TIMES * middle) ? took - middle : null
}
const SLOW_APPROVAL = { times: 1, ofHigh: 1.15, enough: LATE_TIMES }

/** Too few to say what is ordinary. */
const ENOUGH = 30

/** With more kinds of place than this, further ones are only counted among all. */
const MOST_KINDS = 2000

interface Cell {
  readonly histogram: Histogram
  cached: { readonly n: number; readonly quantiles: readonly number[] } | null
}

/** By the place of the number among NAMES. */
type Cells = (Cell | undefined)[]

/** What sources report ordinarily: by pool and network where there is enough, else by network, else of all. */
export class OrdinaryModel {
  /** What parts of phases take. */
  readonly parts = new OrdinaryParts()
  readonly #kinds = new Pairs<readonly Cells[]>()
  #count = 0
  readonly #networks = new Map<string, Cells>()
  readonly #all: Cells = []

  add(attempt: Told): void {
    const kinds = this.#of(attempt)
    for (const { name, i } of REPORTED) {
      const value = attempt.attrs[name]
      if (typeof value === 'number' && Number.isFinite(value)) count(kinds, i, value)
    }
    const approval = approvalOf(attempt)
    count(kinds, WORKED_OUT[0], approval)
    count(kinds, WORKED_OUT[1], signOnWithFactor(attempt, approval))
    count(kinds, WORKED_OUT[2], relayed(attempt))
  }

  /**
   * A number of this attempt beside the 5th, 50th and 95th percentile of others; null where it or they are not known.
   * @param enough of fewer others nothing is said
   */
  of(attempt: Told, name: string, enough = ENOUGH): Ordinary | null {
    const value = numberOf(attempt, name)
    const scale = SCALES[name]
    if (value === null || scale === undefined) return null
    for (const cells of this.#of(attempt)) {
      const cell = cells[NAMES.indexOf(name)]
      if (!cell || cell.histogram.n < enough) continue
      const { n } = cell.histogram
      if (!cell.cached || Math.abs(cell.cached.n - n) * 30 >= n) cell.cached = { n, quantiles: cell.histogram.quantiles([0.05, 0.5, 0.95]) }
      const [low = 0, median = 0, high = 0] = cell.cached.quantiles.map((one) => one / scale)
      return { value, n, low, median, high }
    }
    return null
  }

  /** Whether a number is ordinarily reported of the pool and network of an attempt, be it of this one or not. */
  isReported(attempt: Told, name: string): boolean {
    return (this.#of(attempt)[0]?.[NAMES.indexOf(name)]?.histogram.n ?? 0) >= ENOUGH
  }

  /** The cells of an attempt's place, the narrowest first. */
  #of({ pool, attrs }: Pick<Attempt, 'pool' | 'attrs'>): readonly Cells[] {
    const network = typeof attrs['network'] === 'string' ? attrs['network'] : ''
    const found = this.#kinds.get(pool ?? '', network)
    if (found) return found
    if (this.#count >= MOST_KINDS) return [this.#all]
    const together: Cells = this.#networks.get(network) ?? []
    this.#networks.set(network, together)
    const made: readonly Cells[] = [[], together, this.#all]
    this.#kinds.set(pool ?? '', network, made)
    this.#count++
    return made
  }
}

const SCALE_OF = Object.values(SCALES)

function count(kinds: readonly Cells[], i: number, value: number | null): void {
  if (value === null) return
  const bucket = bucketOf(Math.round(value * (SCALE_OF[i] ?? 1)))
  for (const cells of kinds) (cells[i] ??= { histogram: new Histogram(), cached: null }).histogram.addTo(bucket, 1)
}
