import {
  checkPromises,
  compareSets,
  compile,
  healthOf,
  matrixOf,
  simplify,
  universe,
  whatWouldChange,
  whyNot,
  type PolicySet,
  type PromiseVerdict,
  type SessionFacts,
} from '../../core/policies'
import type { Org } from '../../core/people'
import type { SetLook } from '../../contract/policies'

interface About {
  readonly org: Org
  readonly nowMs: number
}
/** What is asked of a set: everything that is to be said of it, the names of broken promises, or why a policy does not win. */
export type LookAsk =
  | (About & {
      readonly ask: 'look'
      /** The set in force, and the one that is looked at; the same where only the one in force is. */
      readonly before: PolicySet
      readonly after: PolicySet
    })
  | (About & { readonly ask: 'broken'; readonly set: PolicySet })
  | (About & {
      readonly ask: 'why not'
      readonly set: PolicySet
      readonly facts: SessionFacts
      readonly policy: string
      readonly setting: string | null
    })

export function answerLook(question: LookAsk): unknown {
  switch (question.ask) {
    case 'look':
      return lookAt(question)
    case 'broken':
      return brokenIn(checkPromises(question.set, question.org, question.nowMs)).map(({ name }) => name)
    case 'why not': {
      const compiled = compile(question.set)
      const at = compiled.policies.findIndex(({ policy }) => policy.id === question.policy)
      return whyNot(compiled, question.org, question.facts, at, question.setting, question.nowMs)
    }
  }
}

/** Promises that are broken, and that nobody waived. */
const brokenIn = (promises: readonly PromiseVerdict[]) => promises.filter(({ state, waived }) => state === 'broken' && waived === null)

/** Everything that is to be said of a set: what it would change, its promises, its health. */
function lookAt({ before, after, org, nowMs }: Extract<LookAsk, { ask: 'look' }>): Omit<SetLook, 'faults'> {
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
