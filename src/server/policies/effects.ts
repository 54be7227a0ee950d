import { SERIES, type PhaseAsk } from '../../core/logons'
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
import type { InMemory } from '../logons/compare'
import { DAY_MS, TOOK_MS } from '../logons/model'

/** So many days of logons say what the next ones will be like. */
const DAYS = 7
const COLUMN = { first: 'first::text', factor: `coalesce(factor, '')`, transport: `coalesce(transport, '')` } as const

/** What changes of settings do to logons, as those of the last days tell: one question of the database for each change. */
export async function logonEffects(handle: Queryable, memory: InMemory, changes: Changes, set: PolicySet, nowMs: number): Promise<LogonEffect[]> {
  const ownSlow = Object.keys(set.base['slowSecondsByPool'] ?? {})
  return Promise.all(
    effectQuestions(changes.groups, ownSlow).map(async (question) =>
      sayEffect(question, (await remembered(memory, question, nowMs)) ?? (await counted(handle, question, nowMs)), DAYS),
    ),
  )
}

/** The answer from the attempts in memory; null where not all of those days is there. */
async function remembered(memory: InMemory, { ask, group }: EffectQuestion, nowMs: number): Promise<EffectAnswer | null> {
  const within = { fromMs: nowMs - DAYS * DAY_MS, toMs: Number.MAX_SAFE_INTEGER }
  if (ask.kind === 'split') {
    const side = (values: readonly string[]): PhaseAsk => ({
      filter:
        ask.by === 'first'
          ? { ...within, places: { pool: group.pools }, first: values.includes('true') }
          : { ...within, places: { pool: group.pools, [ask.by]: values } },
      phase: ask.phase,
    })
    const found = await memory.phases([side(ask.before.values), side(ask.after.values)])
    const [before, after] = (found ?? []).map(([one]) => ({ n: one?.got ?? 0, ms: Math.round(one?.medianMs ?? 0) }))
    return before && after ? { kind: 'split', before, after } : null
  }
  const filter = { ...within, places: { pool: group.pools }, ...(ask.cause === null ? {} : { cause: ask.cause }) }
  const [found] = (await memory.phases([{ filter, phase: ask.phase, limitsMs: [ask.beforeMs ?? Infinity, ask.afterMs ?? Infinity] }])) ?? []
  const [one] = found ?? []
  return one ? { kind: 'beyond', logons: one.logons, before: one.beyond[0] ?? 0, after: one.beyond[1] ?? 0 } : null
}

const middleOf = (row: { n: number; ms: number | null } | undefined) => ({ n: row?.n ?? 0, ms: Math.round(row?.ms ?? 0) })

/** The same from the database. */
async function counted(handle: Queryable, { ask, group }: EffectQuestion, nowMs: number): Promise<EffectAnswer> {
  // The phases of an attempt stand in the order of SERIES; SQL counts from one.
  const phase = `${TOOK_MS}[${SERIES.indexOf(ask.phase) + 1}]`
  const where = `started_ms >= $1 and pool = any($2) and outcome in ('ready', 'slow', 'degraded')`
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
    from attempts where started_ms >= $1 and pool = any($2) and outcome <> 'open' and ($5::text is null or cause = $5)`,
    [...given, ask.beforeMs, ask.afterMs, ask.cause],
  )
  return { kind: 'beyond', logons: row?.logons ?? 0, before: row?.before ?? 0, after: row?.after ?? 0 }
}
