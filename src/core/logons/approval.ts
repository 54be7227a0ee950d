import type { Attempt } from './attempt'

/** What an approval is told of. */
type Told = Pick<Attempt, 'attrs' | 'phases' | 'marks'>

const SIGN_ON = 'sign-on'

/** What all of sign-on took, in milliseconds. */
export const signOnMsOf = ({ phases }: Pick<Attempt, 'phases'>): number =>
  phases.reduce((sum, { phase, startMs, endMs }) => (phase === SIGN_ON ? sum + endMs - startMs : sum), 0)

/** How long the person took to approve, in milliseconds: as reported, else until the mark that says so, from the begin of sign-on; null where nobody knows. */
export function approvalOf({ attrs, phases, marks }: Told): number | null {
  const reported = attrs['approvalMs']
  if (typeof reported === 'number' && Number.isFinite(reported)) return reported
  if (marks.length === 0) return null
  const approved = marks.findLast(({ code }) => code === 'factor.approved')
  const signOn = approved && phases.find(({ phase }) => phase === SIGN_ON)
  return signOn && approved.atMs >= signOn.startMs ? approved.atMs - signOn.startMs : null
}

/** An approval that is longer than sign-on by more than this factor, and this much, was none of its time: as one before it, at the gateway. */
const WITHIN = 1.1
const WITHIN_MS = 1000

/** How much of sign-on the approval was, in milliseconds; null where it was none of its time, or nobody knows. @param signOnMs all that sign-on took */
export function approvalWithin(attempt: Told, signOnMs = signOnMsOf(attempt)): number | null {
  const approval = signOnMs > 0 ? approvalOf(attempt) : null
  return approval === null || approval <= 0 || approval > WITHIN * signOnMs + WITHIN_MS ? null : Math.min(approval, signOnMs)
}

/**
 * What sign-on took by itself, without the person's approval: how long people take says nothing of machines.
 * @param signOnMs all that it took
 * @returns at least 1 where it took anything, as it was gone through
 */
export function withoutApproval(attempt: Told, signOnMs: number): number {
  const approval = approvalWithin(attempt, signOnMs)
  return approval === null ? signOnMs : Math.max(1, Math.round(signOnMs - approval))
}
