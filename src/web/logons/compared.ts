import type { Cohort } from '../../contract/compare'
import type { Story } from '../../contract/logons'
import { count, duration, percent } from '../kit/format'
import { tookIn } from './drawing'
import { sayReported, titleOf } from './reported'

/** One line of a comparison: a thing, and what it is for each of those compared. */
export interface Line {
  readonly title: string
  readonly values: readonly string[]
  readonly numbers: readonly (number | null)[]
  readonly differs: boolean
  /** The factor between the largest and the smallest, for ordering; 1 where it is no number or all are alike. */
  readonly factor: number
}

/** Numbers closer than this are alike. */
const ALIKE = 1.15

/** @param leastApart smaller differences than this are none, whatever their factor */
function line(title: string, numbers: readonly (number | null)[], say: (n: number) => string, leastApart = 0): Line {
  const known = numbers.filter((n): n is number => n !== null)
  const [least, most] = [Math.min(...known), Math.max(...known)]
  const factor = known.length < 2 || most === 0 || most - least < leastApart ? 1 : most / Math.max(least, most / 100)
  return { title, numbers, values: numbers.map((n) => (n === null ? '–' : say(n))), differs: factor > ALIKE || known.length < numbers.length, factor }
}
function words(title: string, values: readonly string[]): Line {
  return { title, values, numbers: values.map(() => null), differs: new Set(values).size > 1, factor: 1 }
}

/** Logons side by side: the total, each phase, and what was reported of them; the greatest differences first. */
export function compareLogons(stories: readonly Story[]): Line[] {
  const phases = [...new Set(stories.flatMap((story) => [...story.phases, ...story.shares].map(({ phase }) => phase)))].filter(
    (phase) => phase !== 'settle',
  )
  const took = ({ phases, shares }: Story, phase: string) =>
    tookIn(phases.filter((one) => one.phase === phase)) || (shares.find((one) => one.phase === phase)?.ms ?? 0)
  const attrs = [...new Set(stories.flatMap((story) => Object.keys(story.attrs)))].sort()
  return [
    words(
      'outcome',
      stories.map(({ outcome }) => outcome),
    ),
    words(
      'cause',
      stories.map(({ diagnosis }) => diagnosis.cause?.title ?? '–'),
    ),
    line(
      'total',
      stories.map(({ totalMs }) => totalMs),
      duration,
    ),
    ...byFactor(
      phases.map((phase) =>
        line(
          phase,
          stories.map((story) => took(story, phase)),
          // Who did not go through it was not quick in it.
          (ms) => (ms === 0 ? '–' : duration(ms)),
        ),
      ),
    ),
    words(
      'host',
      stories.map(({ host }) => host ?? '–'),
    ),
    words(
      'pool',
      stories.map(({ pool }) => pool ?? '–'),
    ),
    ...attrs.map((name) =>
      words(
        titleOf(name),
        stories.map((story) => sayReported(name, story.attrs[name])),
      ),
    ),
  ]
}

/** Cohorts side by side. */
export function compareCohorts(cohorts: readonly Cohort[]): Line[] {
  const phases = [...new Set(cohorts.flatMap((cohort) => cohort.phases.map(({ phase }) => phase)))]
  const causes = [...new Map(cohorts.flatMap((cohort) => cohort.causes.map(({ cause, title }) => [cause, title] as const)))]
  const share = (n: number, of: number) => (of === 0 ? null : n / of)
  return [
    line(
      'logons',
      cohorts.map(({ logons }) => logons),
      count,
    ),
    line(
      'median',
      cohorts.map(({ medianMs, logons }) => (logons ? medianMs : null)),
      duration,
    ),
    line(
      'the slowest tenth, from',
      cohorts.map(({ highMs, logons }) => (logons ? highMs : null)),
      duration,
    ),
    line(
      'failed',
      cohorts.map(({ failed, logons }) => share(failed, logons)),
      percent,
      0.02,
    ),
    line(
      'slow',
      cohorts.map(({ slow, logons }) => share(slow, logons)),
      percent,
      0.02,
    ),
    line(
      'time lost a logon',
      cohorts.map(({ lostMs, logons }) => (logons ? lostMs / logons : null)),
      duration,
    ),
    ...byFactor(
      phases.map((phase) =>
        line(
          `${phase}, median`,
          cohorts.map((cohort) => cohort.phases.find((one) => one.phase === phase)?.medianMs ?? 0),
          duration,
        ),
      ),
    ),
    ...causes.map(([cause, title]) =>
      line(
        title,
        cohorts.map(({ causes: own, logons }) => share(own.find((one) => one.cause === cause)?.n ?? 0, logons)),
        percent,
        0.02,
      ),
    ),
  ]
}

const byFactor = (lines: Line[]) => lines.sort((a, b) => b.factor - a.factor)
