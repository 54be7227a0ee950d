import type { LimitsOf } from '../../contract/policies'
import type { StretchColumns } from './stretches'
import { pauses, replay, suggestLimit, type LimitColumns, type LimitSuggestion, type PoolReplay, type Stretches } from '../../core/policies'
import { zoneOffsetMs } from '../../core/stats/zone'

/** Limits to replay: those of each person, or one for all with exceptions. Minutes; null: none. */
export type LimitPlan =
  | { readonly kind: 'given'; readonly disconnected: LimitsOf['disconnected']; readonly session: LimitsOf['session'] }
  | {
      readonly kind: 'one'
      readonly minutes: number | null
      readonly exceptions: readonly { readonly people: readonly number[]; readonly minutes: number | null }[]
    }

export interface Replayed {
  readonly pools: readonly PoolReplay[]
  /** Of each pool: returns that found their session, those that came too late, and by how much in the middle (ms). */
  readonly returns: readonly { readonly found: number; readonly gone: number; readonly lateMs: number | null }[]
  readonly interrupted: number
}
export type LimitsAsk =
  | { readonly ask: 'load'; readonly columns: StretchColumns; readonly timeZone: string }
  | { readonly ask: 'replay'; readonly plan: LimitPlan }
  | { readonly ask: 'suggest'; readonly pool: number; readonly groups: LimitsOf['groups'] }
export interface GroupSuggestion extends LimitSuggestion {
  readonly group: string
  readonly people: number
}

/** Sessions of the last days, kept at hand for replays under one plan after another. Runs in a worker of the page, and in tests. */
export class LimitsDesk {
  #columns: StretchColumns | null = null
  #stretches: Stretches | null = null
  #hour: (ms: number) => number = () => 0

  answer(question: LimitsAsk): unknown {
    if (question.ask === 'load') return this.load(question.columns, question.timeZone)
    return question.ask === 'replay' ? this.replay(question.plan) : this.suggest(question.pool, question.groups)
  }

  load(columns: StretchColumns, timeZone: string): number {
    this.#columns = columns
    this.#stretches = {
      person: Int32Array.from(columns.person),
      pool: Int32Array.from(columns.pool),
      onMs: Float64Array.from(columns.onMs),
      offMs: Float64Array.from(columns.offMs),
      loggedOff: Uint8Array.from(columns.loggedOff),
    }
    const known = new Map<number, number>()
    this.#hour = (ms) => {
      let hour = known.get(ms)
      if (hour === undefined) known.set(ms, (hour = Math.floor((ms + zoneOffsetMs(timeZone, ms)) / 3_600_000) % 24))
      return hour
    }
    return columns.person.length
  }

  replay(plan: LimitPlan): Replayed {
    const [columns, stretches] = this.#loaded()
    const { pools, gone, goneRow, interrupted, ...rest } = replay(stretches, limitsFor(columns, plan), {
      untilMs: columns.untilMs,
      pools: columns.pools.length,
      localHour: this.#hour,
    })
    const late = columns.pools.map((): number[] => [])
    goneRow.forEach((row, i) => late[stretches.pool[row] ?? 0]?.push(gone[i] ?? 0))
    const all = this.#returnsByPool()
    return {
      ...rest,
      pools,
      interrupted,
      returns: late.map((list, pool) => {
        const sorted = list.sort((a, b) => a - b)
        return { gone: sorted.length, found: Math.max(0, (all[pool] ?? 0) - sorted.length), lateMs: sorted[sorted.length >> 1] ?? null }
      }),
    }
  }

  suggest(pool: number, groups: LimitsOf['groups']): GroupSuggestion[] {
    const [columns, stretches] = this.#loaded()
    const here = new Set<number>()
    for (const [i, at] of columns.pool.entries()) if (at === pool) here.add(columns.person[i] ?? -1)
    return groups
      .map(({ group, people }) => {
        const members = new Set(people.filter((person) => here.has(person)))
        const found = pauses(stretches, (row) => stretches.pool[row] === pool && members.has(stretches.person[row] ?? -1))
        return { group, people: members.size, ...suggestLimit(found) }
      })
      .filter(({ people, returns }) => people > 0 && returns > 0)
      .sort((a, b) => b.people - a.people)
  }

  #returnsByPool(): number[] {
    const [columns, stretches] = this.#loaded()
    return columns.pools.map((_, pool) => pauses(stretches, (row) => stretches.pool[row] === pool).length)
  }

  #loaded(): [StretchColumns, Stretches] {
    if (!this.#columns || !this.#stretches) throw new Error('nothing was loaded')
    return [this.#columns, this.#stretches]
  }
}

function limitsFor({ person, pool, people, pools }: StretchColumns, plan: LimitPlan): LimitColumns {
  const ms = (minutes: number | null | undefined) => (minutes === null || minutes === undefined ? Infinity : minutes * 60_000)
  const disconnected = new Float64Array(people.length * pools.length).fill(Infinity)
  const session = new Float64Array(people.length * pools.length).fill(Infinity)
  const at = (one: number, home: number) => one * pools.length + home
  if (plan.kind === 'given') {
    for (const [one, home, minutes] of plan.disconnected) disconnected[at(one, home)] = ms(minutes)
    for (const [one, home, minutes] of plan.session) session[at(one, home)] = ms(minutes)
  } else {
    disconnected.fill(ms(plan.minutes))
    for (const { people: members, minutes } of plan.exceptions)
      for (const one of members) for (let home = 0; home < pools.length; home++) disconnected[at(one, home)] = ms(minutes)
  }
  const column = (values: Float64Array) => Float64Array.from(person, (one, i) => values[at(one, pool[i] ?? 0)] ?? Infinity)
  return { disconnectedMs: column(disconnected), sessionMs: column(session) }
}
