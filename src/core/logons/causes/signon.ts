import type { Facts } from '../facts'
import { TICKET_LIMIT_MS } from '../clocks'
import { approvalOf, approvalWithin } from '../approval'
import { against, clue, seconds, tell, type Cause, type Clue } from './cause'
import { otherPhase } from './slow'

export const clockSkew: Cause = {
  id: 'clock-skew',
  about: 'failure',
  title: 'Clocks differ too much',
  at: ['host', 'zone', 'site', 'image'],
  prior: -4,
  toPerson: 'The machine you were given has a wrong clock. Please try again.',
  look(facts) {
    const marks = facts.attempt.marks.filter((mark) => mark.code === 'KRB_AP_ERR_SKEW' || mark.code === 'STATUS_TIME_DIFFERENCE_AT_DC')
    const offsetMs = facts.number('clockOffsetMs') ?? 0
    const beyond = Math.abs(offsetMs) > TICKET_LIMIT_MS
    if (!facts.failed || (marks.length === 0 && !beyond)) return null
    const clues: Clue[] = []
    if (marks.length > 0) clues.push(clue(8, 'Sign-on was refused because the clocks differ by more than 5 min.', marks[0]?.code ?? ''))
    if (offsetMs !== 0) {
      const sentence = `By the order of what it reported, the clock of ${facts.attempt.host ?? 'the host'} is ${seconds(Math.abs(offsetMs))} ${offsetMs > 0 ? 'ahead' : 'behind'}.`
      clues.push(beyond ? clue(3, sentence, `clockOffsetMs = ${offsetMs}`) : against(1, sentence, `clockOffsetMs = ${offsetMs}`))
    }
    return clues
  },
  sentence: (facts) => `The clock of ${facts.attempt.host ?? 'the host'} differs too much from the directory's.`,
  remedy: () => tell('Set the clock of the host', 'Check where it takes its time from. Tickets fail beyond 5 min (RFC 4120).'),
}

function approvedAfter(facts: Facts): boolean {
  const gaveUp = facts.marks('factor.timeout')[0]
  return gaveUp !== undefined && facts.marks('factor.approved').some(({ atMs }) => atMs > gaveUp.atMs)
}

/** Whether sign-on took all the time that the gateway waits, whatever is reported of an approval. */
function waitedAll({ attempt }: Facts, limitMs: number): boolean {
  return attempt.phases.some(({ phase, startMs, endMs }) => phase === 'sign-on' && endMs - startMs >= 0.95 * limitMs)
}

export const secondFactorTimeout: Cause = {
  id: 'second-factor-timeout',
  about: 'failure',
  title: 'Gateway gave up before the approval',
  at: ['factor', 'network', 'pool', 'person'],
  prior: -4,
  toPerson: 'Your approval came after the gateway had given up. Please try again.',
  look(facts) {
    const approval = approvalOf(facts.attempt)
    const limit = facts.number('gatewayTimeoutMs')
    const late = approval !== null && limit !== null && approval > limit
    if (!facts.failed || !(facts.has('factor.timeout') || late)) return null
    const clues: Clue[] = []
    if (facts.has('factor.timeout')) clues.push(clue(5, 'The gateway stopped waiting for the second factor.', 'factor.timeout'))
    if (approval !== null && limit !== null)
      clues.push(
        late
          ? clue(4, `Approved after ${seconds(approval)}; the gateway waits ${seconds(limit)}.`)
          : waitedAll(facts, limit)
            ? clue(1, `Sign-on took all of the ${seconds(limit)} that the gateway waits, though an approval after ${seconds(approval)} is reported.`)
            : against(4, `Approved after ${seconds(approval)}, within the gateway's ${seconds(limit)}.`),
      )
    else if (approvedAfter(facts)) clues.push(clue(3, 'The approval came after the gateway had given up.', 'factor.approved'))
    else if (limit !== null && limit < 60_000) clues.push(clue(1, `The gateway waits only ${seconds(limit)}; 120 s is usual.`))
    return clues
  },
  sentence(facts) {
    const limit = facts.number('gatewayTimeoutMs')
    const approval = approvalOf(facts.attempt)
    return limit !== null && approval !== null && approval > limit
      ? `The gateway gave up after ${seconds(limit)}; the approval came after ${seconds(approval)}.`
      : 'The gateway gave up before the second factor was approved.'
  },
  remedy: () => tell("Raise the gateway's waiting time", 'To 120 s on both of its timers, the usual figure.'),
}

export const secondFactorSlow: Cause = {
  id: 'second-factor-slow',
  about: 'slow',
  title: "Waiting for the person's approval",
  at: ['person'],
  prior: -2,
  toPerson: 'The logon waited for your approval.',
  look(facts) {
    const excess = facts.excess('sign-on')
    const [approval, late] = [approvalWithin(facts.attempt), facts.lateApproval]
    if (facts.failed || !excess || approval === null || late === null) return null
    const ordinary = facts.ordinary('approvalMs')
    const than = ordinary ? `; ordinarily ${seconds(ordinary.median)}, and up to ${seconds(ordinary.high)}` : ''
    return [
      late > 0.5 * excess.ms
        ? clue(5, `The approval took ${seconds(approval)} of ${seconds(excess.tookMs)} sign-on${than}.`)
        : against(3, `The approval explains only ${seconds(late)} of the ${seconds(excess.ms)} that sign-on took more than usual.`),
      ...otherPhase(facts, ['sign-on']),
    ]
  },
  sentence: () => 'Sign-on waited for the person, not for a machine.',
  remedy: () => tell('Nothing is broken', 'If it is often long, look at how approvals reach their phone.'),
}
