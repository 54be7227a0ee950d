import { SERIES } from '../../core/logons'
import {
  effectQuestions,
  sayEffect,
  type Changes,
  type EffectAnswer,
  type EffectQuestion,
  type LogonEffect,
  type PolicySet,
} from '../../core/policies'
import type { Queryable } from '../db/database'
import { DAY_MS } from '../logons/model'

/** So many days of logons say what the next ones will be like. */
const DAYS = 7
const COLUMN = { first: 'first::text', factor: `coalesce(factor, '')`, transport: `coalesce(transport, '')` } as const

/** What changes of settings do to logons, as those of the last days tell: one question of the database for each change. */
export async function logonEffects(handle: Queryable, changes: Changes, set: PolicySet, nowMs: number): Promise<LogonEffect[]> {
  const ownSlow = Object.keys(set.base['slowSecondsByPool'] ?? {})
  return Promise.all(
    effectQuestions(changes.groups, ownSlow).map(async (question) => sayEffect(question, await answer(handle, question, nowMs), DAYS)),
  )
}

const middleOf = (row: { n: number; ms: number | null } | undefined) => ({ n: row?.n ?? 0, ms: Math.round(row?.ms ?? 0) })

async function answer(handle: Queryable, { ask, group }: EffectQuestion, nowMs: number): Promise<EffectAnswer> {
  // The phases of an attempt stand in the order of SERIES; SQL counts from one.
  const phase = `blame_ms[${SERIES.indexOf(ask.phase) + 1}]`
  const where = `started_ms > $1 and pool = any($2) and outcome in ('ready', 'slow', 'degraded')`
  const given = [nowMs - DAYS * DAY_MS, [...group.pools]]
  if (ask.kind === 'split') {
    const side = async (values: readonly string[]) =>
      middleOf(
        (
          await handle.query<{ n: number; ms: number | null }>(
            `select count(*)::int as n, percentile_cont(0.5) within group (order by ${phase}) as ms from attempts where ${where} and ${COLUMN[ask.by]} = any($3)`,
            [...given, [...values]],
          )
        )[0],
      )
    const [before, after] = await Promise.all([side(ask.before.values), side(ask.after.values)])
    return { kind: 'split', before, after }
  }
  const [row] = await handle.query<{ logons: number; before: number; after: number }>(
    `select count(*)::int as logons, count(*) filter (where ${phase} > $3::double precision)::int as before, count(*) filter (where ${phase} > $4::double precision)::int as after
    from attempts where started_ms > $1 and pool = any($2) and outcome <> 'open' and ($5::text is null or cause = $5)`,
    [...given, ask.beforeMs, ask.afterMs, ask.cause],
  )
  return { kind: 'beyond', logons: row?.logons ?? 0, before: row?.before ?? 0, after: row?.after ?? 0 }
}
