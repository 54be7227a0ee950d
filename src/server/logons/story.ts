import {
  approvalWithin,
  codeNumber,
  codeSays,
  corrected,
  correlateThread,
  criticalPath,
  hasId,
  isUnusual,
  measure,
  OUTCOMES,
  SERIES,
  withApproval,
  withMild,
  type Usual,
} from '../../core/logons'
import { Problem } from '../../contract/errors'
import type { Story } from '../../contract/logons'
import type { Queryable } from '../db/database'
import { unpackEvidence } from './pack'
import { HOUR_MS } from './model'
import { attemptLine, columnsOf, listAttempts, storyRow } from './store'

/** Less that was lost is a matter of rounding. */
const MATTERS_MS = 500

/** Everything that is known of one attempt, worked out again from its evidence; usual and finding as they were when it was analysed. */
export async function readStory(database: Queryable, id: string, nowMs: number): Promise<Story> {
  const [row, line] = await Promise.all([storyRow(database, id), attemptLine(database, id)])
  if (!row || !line) throw new Problem('attempt.unknown')
  // Of those whose source used an id again, only this one is at hand.
  const called = new Map(hasId(row.thread) && row.thread.slice(3) !== id ? [[row.thread.slice(3), NaN]] : [])
  const again = correlateThread(row.thread, unpackEvidence(row.evidence), nowMs, called).find((one) => one.attempt.id === id)
  if (!again) throw new Problem('attempt.unknown')
  const attempt = corrected(again.attempt, row.clocks ?? [])
  const strictly = measure(attempt, row.usual, row.slow_ms)
  // What took only more than usual is told where it was found to have a cause.
  const machines = row.lost_ms > 0 && !isUnusual(strictly) ? (withMild(strictly) ?? strictly) : strictly
  const approvalMs = approvalWithin(attempt)
  // What was lost beside that was lost to an approval that came late.
  const lateMs = approvalMs === null ? 0 : row.lost_ms - Math.round(machines.lostMs)
  const measured = lateMs >= MATTERS_MS ? withApproval(machines, lateMs) : machines
  const fromMs = Math.floor(row.started_ms / HOUR_MS) * HOUR_MS
  const [colleagues, last, alike] = await Promise.all([
    columnsOf(database, fromMs, fromMs + HOUR_MS, { pool: row.pool }, 400),
    row.person ? listAttempts(database, { person: row.person, toMs: row.started_ms + 1, sort: 'started', limit: 24 }) : { attempts: [] },
    row.cause
      ? database.query<{ people: number; attempts: number }>(
          'select count(distinct person) as people, count(*) as attempts from attempts where cause = $1 and started_ms > $2 and started_ms < $3 and id <> $4',
          [row.cause, row.started_ms - 24 * HOUR_MS, row.started_ms + 24 * HOUR_MS, id],
        )
      : [],
  ])
  return {
    ...line,
    account: attempt.account,
    session: attempt.session,
    attrs: { ...(row.zone ? { zone: row.zone } : {}), ...(row.image ? { image: row.image } : {}), ...attempt.attrs },
    phases: [...attempt.phases],
    parts: [...attempt.parts],
    marks: attempt.marks.map(({ atMs, code, phase, text }) => ({
      atMs,
      code,
      number: code ? codeNumber(code) : null,
      says: code ? codeSays(code) : (text ?? ''),
      phase,
      text,
    })),
    blame: criticalPath(attempt),
    shares: [...measured.blame.shares],
    approvalMs,
    usual: row.usual ? usualRecord(row.usual) : usualFromMedians(row.usual_ms, row.first),
    excess: [...measured.excess],
    slowMs: row.slow_ms,
    diagnosis: (row.diagnosis ?? { cause: null, others: [] }) as Story['diagnosis'],
    oddities: [...attempt.oddities],
    observations: attempt.observations,
    colleagues: {
      fromMs,
      toMs: fromMs + HOUR_MS,
      totalMs: colleagues.totalMs,
      outcome: colleagues.outcome.map((name) => OUTCOMES.findIndex((known) => known === name)),
      id: colleagues.id,
    },
    last: last.attempts,
    alike: alike[0] ?? null,
  }
}

function usualRecord(usual: Usual): Story['usual'] {
  return {
    n: usual.n,
    sentence: usual.basis.sentence,
    series: Object.fromEntries(Object.entries(usual.series).map(([name, { medianMs, lowMs, highMs }]) => [name, { medianMs, lowMs, highMs }])),
  }
}

/** Where nothing was unusual, only the medians are kept. */
function usualFromMedians(medians: readonly number[] | null, first: boolean): Story['usual'] {
  if (!medians) return null
  return {
    n: 0,
    sentence: `earlier ${first ? 'first' : 'returning'} logons like this one`,
    series: Object.fromEntries(medians.map((ms, i) => [SERIES[i] ?? '', { medianMs: ms, lowMs: ms, highMs: ms }])),
  }
}
