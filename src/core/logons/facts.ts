import { finderOf } from '../people/finder'
import type { Org, OrgPool, OrgShare } from '../people/org'
import type { Excess, Measured } from './analyse'
import type { Anywhere, Around, Crowd, Located } from './around'
import type { SinceImage } from './beginnings'
import type { Contrast } from './contrast'
import type { Attempt, Mark, Phase } from './attempt'
import { neighbourOf, type Neighbour } from './neighbour'
import type { Ordinary, OrdinaryModel } from './ordinary'
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
  /** How crowded its share was. See Around.crowd. */
  crowd(phase: string, among?: readonly Dimension[]): Crowd
  /** How logons went when its image came to its pool. See Around.sinceImage. */
  sinceImage(phase: string): SinceImage | null
}

export function factsOf(measured: Measured, around: Around, org: Org, ordinary: OrdinaryModel): Facts {
  const { attempt } = measured
  const self = neighbourOf(measured)
  const find = finderOf(org)
  const places = new Map<string, readonly Located[]>()
  const crowds = new Map<string, Crowd>()
  const anywhere = new Map<string, Anywhere>()
  const nearest = new Map<string, Contrast['inside']>()
  const contrasts = new Map<string, Contrast>()
  const since = new Map<string, SinceImage | null>()
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
    ordinary: (name) => ordinary.of(attempt, name),
    ordinaryPart: (phase, part) => ordinary.parts.medianOf(attempt.pool, phase, part),
    isReported: (name) => ordinary.isReported(attempt, name),
    excess: (phase) => measured.excess.find((candidate) => candidate.phase === phase) ?? null,
    ran: (phase) => attempt.phases.some((candidate) => candidate.phase === phase),
    lastPhase: () => attempt.phases.reduce<Phase | null>((last, one) => (last && last.startMs > one.startMs ? last : one), null)?.phase ?? null,
    located(phase, among = []) {
      const key = among.length === 0 ? phase : [phase, ...among].join(' ')
      let found = places.get(key)
      if (!found) places.set(key, (found = around.locate(self, phase, among)))
      return found
    },
    contrast(dimension, phase, among = []) {
      const key = [dimension, phase, ...among].join(' ')
      let found = contrasts.get(key)
      if (!found) contrasts.set(key, (found = around.contrast(self, dimension, phase, among)))
      return found
    },
    anywhere(phase, outside = [], among = []) {
      const key = [phase, ...outside, 'among', ...among].join(' ')
      let found = anywhere.get(key)
      if (!found) anywhere.set(key, (found = around.anywhere(self, phase, outside, among)))
      return found
    },
    nearest(at, phase) {
      const key = [phase, ...at].join(' ')
      let found = nearest.get(key)
      if (!found) nearest.set(key, (found = around.nearest(self, at, phase)))
      return found
    },
    sinceImage(phase) {
      let found = since.get(phase)
      if (found === undefined) since.set(phase, (found = around.sinceImage(self, phase)))
      return found
    },
    crowd(phase, among = []) {
      const key = [phase, ...among].join(' ')
      let found = crowds.get(key)
      if (!found) crowds.set(key, (found = around.crowd(self, phase, among)))
      return found
    },
  }
}
