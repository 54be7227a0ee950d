import type { Org } from '../people/org'
import { whatWouldChange, type Changes } from './changes'
import { compareSets, type SetDifference } from './compare'
import { compile } from './compile'
import { healthOf, simplify, type HealthFinding, type Simplification } from './health'
import { matrixOf } from './matrix'
import { checkPromises, type PromiseVerdict } from './promises'
import type { PolicySet } from './set'
import { universe } from './universe'

/** Everything that is to be said of a set. */
export interface Look {
  readonly differences: readonly SetDifference[]
  readonly changes: Changes
  readonly promises: readonly PromiseVerdict[]
  readonly findings: readonly HealthFinding[]
  readonly simpler: readonly Simplification[]
  /** How many people each policy can apply to, by its id; -1 where there are too many situations to say. */
  readonly reach: Record<string, number>
  /** Why it must not be published: promises that are broken and not waived. */
  readonly stopped: string | null
}

/** Promises that are broken, and that nobody waived. */
export const brokenIn = (promises: readonly PromiseVerdict[]) => promises.filter(({ state, waived }) => state === 'broken' && waived === null)

/**
 * Looks at a set: what it would change against another, its promises, its health.
 * @param before the set in force; the same as `after` where only that is looked at
 */
export function lookAt(before: PolicySet, after: PolicySet, org: Org, nowMs: number): Look {
  const promises = checkPromises(after, org, nowMs)
  const broken = brokenIn(promises)
  return {
    differences: compareSets(before, after),
    changes: whatWouldChange(before, after, org, { nowMs }),
    promises,
    findings: healthOf(after, org, nowMs),
    simpler: simplify(after, org, nowMs),
    reach: reachOf(after, org, nowMs),
    stopped: broken.length
      ? `${broken.map(({ name }) => name).join(', ')}: ${broken.length === 1 ? 'a promise' : 'promises'} would be broken.`
      : null,
  }
}

/** How many people each policy can apply to somewhere, some time. */
function reachOf(set: PolicySet, org: Org, nowMs: number): Record<string, number> {
  const compiled = compile(set)
  return Object.fromEntries(
    compiled.policies.map(({ policy, node }) => {
      const { situations, complete } = universe(compiled, org, { nowMs, nodes: [node], policies: [] })
      if (!complete) return [policy.id, -1]
      const { watched, cells, classes } = matrixOf(compiled, org, situations, { settings: [], watch: [node] })
      const reached = classes.filter((_, c) =>
        watched.some(([bits], s) => (cells[s]?.[c] ?? -1) >= 0 && (((bits?.[c >>> 5] ?? 0) >>> (c & 31)) & 1) === 1),
      )
      return [policy.id, reached.reduce((n, { people }) => n + people.length, 0)]
    }),
  )
}
