import type { ChangeGroup } from './changes'

/** What has to be counted among past logons of some pools to say what a change does to the next ones. */
export interface EffectQuestion {
  readonly group: ChangeGroup
  /** `split`: the middle of a phase (or of the total) by who has it and who has not. `beyond`: how many took longer than each of two limits. */
  readonly ask:
    | { readonly kind: 'split'; readonly by: 'first' | 'factor' | 'transport'; readonly phase: string; readonly before: Side; readonly after: Side }
    | {
        readonly kind: 'beyond'
        readonly phase: string
        readonly beforeMs: number | null
        readonly afterMs: number | null
        readonly cause: string | null
      }
}

/** One side of a comparison: logons with one of these values. */
export interface Side {
  readonly says: string
  readonly values: readonly string[]
}
export type EffectAnswer =
  | { readonly kind: 'split'; readonly before: Middle; readonly after: Middle }
  | { readonly kind: 'beyond'; readonly logons: number; readonly before: number; readonly after: number }
export interface Middle {
  readonly n: number
  readonly ms: number
}
export interface LogonEffect {
  readonly setting: string
  readonly title: string
  readonly people: number
  readonly pools: readonly string[]
  readonly sentence: string
  /** By how much the middle of a logon changes, where that can be told. */
  readonly byMs: number | null
}

const FACTORS = ['push', 'code', 'key']
const seconds = (value: unknown): number | null => (typeof value === 'number' ? value * 1000 : null)
const first = (value: unknown): string => (Array.isArray(value) ? String(value[0] ?? '') : '')

/**
 * The questions that the changes raise; changes that no past logon can say anything of raise none.
 * @param ownSlow pools whose logons are slow beyond a limit of their own
 */
export function effectQuestions(groups: readonly ChangeGroup[], ownSlow: readonly string[] = []): EffectQuestion[] {
  return groups.flatMap((group): EffectQuestion[] => {
    const { before, after } = group.values
    const split = (by: 'first' | 'factor' | 'transport', phase: string, from: Side, to: Side): EffectQuestion[] => [
      { group, ask: { kind: 'split', by, phase, before: from, after: to } },
    ]
    const beyond = (phase: string, cause: string | null, from = seconds(before), to = seconds(after)): EffectQuestion[] => [
      { group, ask: { kind: 'beyond', phase, beforeMs: from, afterMs: to, cause } },
    ]
    switch (group.setting) {
      case 'locations':
        // Only the first is where a new container is made; the others are asked when it cannot be had.
        return first(before) === first(after)
          ? []
          : split('first', 'total', { says: 'for somebody who returns', values: ['false'] }, { says: 'for the first time', values: ['true'] })
      case 'signOnStrength': {
        const side = (value: unknown): Side =>
          value === 'password' ? { says: 'with a password', values: ['none', ''] } : { says: 'with a second factor', values: FACTORS }
        const [from, to] = [side(before), side(after)]
        return from.says === to.says ? [] : split('factor', 'sign-on', from, to)
      }
      case 'transport': {
        const side = (value: unknown): Side =>
          value === 'relay' ? { says: 'over the relay', values: ['relay'] } : { says: 'direct', values: ['direct'] }
        const [from, to] = [side(before), side(after)]
        return from.says === to.says ? [] : split('transport', 'connect', from, to)
      }
      case 'heldWaitSeconds':
        return beyond('container', 'container-held')
      case 'packagesSeconds':
        return beyond('packages', null)
      case 'factorSeconds':
        return beyond('sign-on', null)
      case 'slowSeconds':
        return group.pools.every((pool) => ownSlow.includes(pool))
          ? []
          : [
              {
                group: { ...group, pools: group.pools.filter((pool) => !ownSlow.includes(pool)) },
                ask: { kind: 'beyond', phase: 'total', beforeMs: seconds(before), afterMs: seconds(after), cause: null },
              },
            ]
      default:
        return []
    }
  })
}

/** Fewer logons than these say nothing. */
const FEWEST = 5

/** What the answers say, one sentence a change. */
export function sayEffect({ group, ask }: EffectQuestion, answer: EffectAnswer, days: number): LogonEffect {
  const { setting, title, people, pools } = group
  const said = (sentence: string, byMs: number | null = null): LogonEffect => ({ setting, title, people, pools, sentence, byMs })
  if (answer.kind === 'split' && ask.kind === 'split') {
    const { before, after } = answer
    if (before.n < FEWEST || after.n < FEWEST) {
      const [side, n] = before.n < FEWEST ? [ask.before, before.n] : [ask.after, after.n]
      return said(`Not known: in ${days} days there ${n === 1 ? 'was 1 logon' : `were ${n} logons`} ${side.says} on these pools.`)
    }
    const what = ask.phase === 'total' ? 'A logon' : `${ask.phase.charAt(0).toUpperCase()}${ask.phase.slice(1)}`
    const sentence = `${what} takes ${say(before.ms)} ${ask.before.says}, ${say(after.ms)} ${ask.after.says}, in the middle (${before.n} and ${after.n} logons in ${days} days on these pools).`
    return said(setting === 'locations' ? `Their next logon makes a new container. ${sentence}` : sentence, after.ms - before.ms)
  }
  if (answer.kind === 'beyond' && ask.kind === 'beyond') {
    const limit = (ms: number | null) => (ms === null ? 'no limit' : say(ms))
    if (setting === 'slowSeconds')
      return said(
        `Of ${answer.logons} logons in ${days} days ${answer.before} were called slow (beyond ${limit(ask.beforeMs)}); ${answer.after} would be (beyond ${limit(ask.afterMs)}).`,
      )
    const of =
      ask.cause === null ? `Of ${answer.logons} logons in ${days} days` : `Of ${answer.logons} logons in ${days} days that found their container held`
    return said(
      `${of}, ${answer.before} spent more than ${limit(ask.beforeMs)} in ${ask.phase}, the limit now; ${answer.after} more than ${limit(ask.afterMs)}, the limit then.`,
    )
  }
  throw new TypeError('an answer of another kind')
}

const say = (ms: number): string =>
  ms < 90_000 ? `${(ms / 1000).toFixed(1)} s` : `${Math.floor(ms / 60_000)} min ${Math.round((ms % 60_000) / 1000)} s`
