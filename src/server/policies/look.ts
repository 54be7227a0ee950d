import { brokenIn, checkPromises, compile, lookAt, whyNot, type PolicySet, type SessionFacts } from '../../core/policies'
import type { Org } from '../../core/people'

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
      return lookAt(question.before, question.after, question.org, question.nowMs)
    case 'broken':
      return brokenIn(checkPromises(question.set, question.org, question.nowMs)).map(({ name }) => name)
    case 'why not': {
      const compiled = compile(question.set)
      const at = compiled.policies.findIndex(({ policy }) => policy.id === question.policy)
      return whyNot(compiled, question.org, question.facts, at, question.setting, question.nowMs)
    }
  }
}
