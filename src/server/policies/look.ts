import { checkPromises, compareSets, compile, healthOf, matrixOf, simplify, universe, whatWouldChange, type PolicySet } from '../../core/policies'
import type { Org } from '../../core/people'
import type { SetLook } from '../../contract/policies'

export interface LookAsk {
  /** The set in force, and the one that is looked at; the same where only the one in force is. */
  readonly before: PolicySet
  readonly after: PolicySet
  readonly org: Org
  readonly nowMs: number
}

/** Everything that is to be said of a set: what it would change, its promises, its health. */
export function lookAt({ before, after, org, nowMs }: LookAsk): Omit<SetLook, 'faults'> {
  const promises = checkPromises(after, org, nowMs)
  const broken = promises.filter(({ state, waived }) => state === 'broken' && waived === null)
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
