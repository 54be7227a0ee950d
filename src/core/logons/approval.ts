import type { Attempt } from './attempt'

const SIGN_ON = 'sign-on'

/** How long the person took to approve, in milliseconds: as reported, else until the mark that says so, from the begin of sign-on; null where nobody knows. */
export function approvalOf({ attrs, phases, marks }: Pick<Attempt, 'attrs' | 'phases' | 'marks'>): number | null {
  const reported = attrs['approvalMs']
  if (typeof reported === 'number' && Number.isFinite(reported)) return reported
  if (marks.length === 0) return null
  const approved = marks.findLast(({ code }) => code === 'factor.approved')
  const signOn = approved && phases.find(({ phase }) => phase === SIGN_ON)
  return signOn && approved.atMs >= signOn.startMs ? approved.atMs - signOn.startMs : null
}

/** An approval that is longer than sign-on by more than this factor, and this much, was none of its time. */
const WITHIN = 1.1
const WITHIN_MS = 1000

/**
 * What sign-on took by itself, without the person's approval: how long people take says nothing of machines.
 * @param signOnMs all that it took
 * @returns at least 1 where it took anything, as it was gone through
 */
export function withoutApproval(attempt: Pick<Attempt, 'attrs' | 'phases' | 'marks'>, signOnMs: number): number {
  const approval = signOnMs > 0 ? approvalOf(attempt) : null
  if (approval === null || approval <= 0 || approval > WITHIN * signOnMs + WITHIN_MS) return signOnMs
  return Math.max(1, Math.round(signOnMs - approval))
}
