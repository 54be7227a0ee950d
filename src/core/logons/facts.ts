import { finderOf } from '../people/finder'
import type { Org, OrgPool, OrgShare } from '../people/org'
import type { Excess, Measured } from './analyse'
import type { Anywhere, Around, Crowd, InARow, Located } from './around'
import type { SinceImage } from './beginnings'
import type { Contrast } from './contrast'
import type { Attempt, Mark, Phase } from './attempt'
import { neighbourOf, type Neighbour } from './neighbour'
import { approvalLateBy, type Ordinary, type OrdinaryModel } from './ordinary'
import type { Dimension } from './places'

/** Everything a cause may look at: one measured attempt and what is known around it. */
export interface Facts {
  readonly measured: Measured
  readonly attempt: Attempt
  readonly self: Neighbour
  readonly around: Around
  readonly org: Org
  readonly pool: OrgPool | undefined
  /** What the organisation knows of the share that is reported. */
  readonly share: OrgShare | undefined
  readonly failed: boolean
  /** All marks with this code. */
  marks(code: string): readonly Mark[]
  has(...codes: string[]): boolean
  text(attr: string): string | null
  number(attr: string): number | null
  /** By how much the approval took longer than people do, in milliseconds. See approvalLateBy. */
  readonly lateApproval: number | null
  /** A reported number beside what is reported otherwise. */
  ordinary(attr: string): Ordinary | null
  /** What a part of a phase takes ordinarily on its pool. See OrdinaryParts.medianOf. */
  ordinaryPart(phase: string, part: string): number | null
  /** Whether others like it report a number, be it reported of this one or not. */
  isReported(attr: string): boolean
  /** The excess of a phase, if it is beyond its usual. */
  excess(phase: string): Excess | null
  ran(phase: string): boolean
  /** The phase that began last; null where none did. */
  lastPhase(): string | null
  /** Where others had the same trouble: the places of this attempt, the one that tells best first. See Around.locate. */
  located(phase: string, among?: readonly Dimension[]): readonly Located[]
  /** A place of this attempt beside everywhere else. See Around.contrast. */
  contrast(dimension: Dimension, phase: string, among?: readonly Dimension[]): Contrast
  /** Whether those nearest in time had it, wherever they were, or outside some of its places, or at others of them. See Around.anywhere. */
  anywhere(phase: string, outside?: readonly Dimension[], among?: readonly Dimension[]): Anywhere
  /** Of those at some of its places, or who came the same way, the nearest in time. See Around.nearest. */
  nearest(at: readonly Dimension[], phase: string): Contrast['inside']
  /** Of those at one of its places, who had it right before and after it, one after another. See Around.inARow. */
  inARow(dimension: Dimension, phase: string, fewest: number): InARow
  /** How crowded its share was. See Around.crowd. */
  crowd(phase: string, among?: readonly Dimension[]): Crowd
  /** How logons went when its image came to its pool. See Around.sinceImage. */
  sinceImage(phase: string): SinceImage | null
}

export function factsOf(measured: Measured, around: Around, org: Org, ordinary: OrdinaryModel): Facts {
  const { attempt } = measured
  const self = neighbourOf(measured)
  const find = finderOf(org)
  return {
    measured,
    attempt,
    around,
    org,
    self,
    pool: find.pool(attempt.pool),
    share: find.share(self.places.share),
    failed: measured.outcome === 'failed',
    marks: (code) => attempt.marks.filter((mark) => mark.code === code),
    has: (...codes) => attempt.marks.some((mark) => mark.code !== null && codes.includes(mark.code)),
    text: (name) => {
      const value = attempt.attrs[name]
      return typeof value === 'string' && value !== '' ? value : null
    },
    number: (name) => {
      const value = attempt.attrs[name]
      return typeof value === 'number' && Number.isFinite(value) ? value : null
    },
    lateApproval: approvalLateBy(measured, ordinary),
    ordinary: (name) => ordinary.of(attempt, name),
    ordinaryPart: (phase, part) => ordinary.parts.medianOf(attempt.pool, phase, part),
    isReported: (name) => ordinary.isReported(attempt, name),
    excess: (phase) => measured.excess.find((candidate) => candidate.phase === phase) ?? null,
    ran: (phase) => attempt.phases.some((candidate) => candidate.phase === phase),
    lastPhase: () => attempt.phases.reduce<Phase | null>((last, one) => (last && last.startMs > one.startMs ? last : one), null)?.phase ?? null,
    located: once((phase: string, among: readonly Dimension[] = []) => around.locate(self, phase, among)),
    contrast: once((dimension: Dimension, phase: string, among: readonly Dimension[] = []) => around.contrast(self, dimension, phase, among)),
    anywhere: once((phase: string, outside: readonly Dimension[] = [], among: readonly Dimension[] = []) =>
      around.anywhere(self, phase, outside, among),
    ),
    nearest: once((at: readonly Dimension[], phase: string) => around.nearest(self, at, phase)),
    inARow: once((dimension: Dimension, phase: string, fewest: number) => around.inARow(self, dimension, phase, fewest)),
    sinceImage: once((phase: string) => around.sinceImage(self, phase)),
    crowd: once((phase: string, among: readonly Dimension[] = []) => around.crowd(self, phase, among)),
  }
}

/** Several causes ask the same: it is worked out once. */
function once<A extends readonly (string | number | readonly string[] | undefined)[], R>(answer: (...asked: A) => R): (...asked: A) => R {
  const known = new Map<string, R>()
  return (...asked) => {
    const key = asked.join(';')
    const found = known.get(key)
    if (found !== undefined || known.has(key)) return found as R
    const made = answer(...asked)
    known.set(key, made)
    return made
  }
}
