import { settingOf, type Setting } from './catalogue'
import { isGroupOf, partsOf, type Condition, type Leaf } from './condition'
import { conditionOf, holds, type CompiledPolicy, type CompiledSet } from './compile'
import { foundFor, testOf, type Facts, type Test } from './facts'
import { sayValueOf, strictness } from './value'
import { writeText } from './text'
import type { NetworkClass } from './set'

/** A part of a condition that decided, with what was found and what was needed. */
export interface Finding {
  readonly part: string
  readonly found: string
  readonly needed: string
}

/** Why a policy did not decide on a setting, or does not apply at all. */
export interface Reason {
  readonly code: 'outranked' | 'overruled' | 'condition' | 'off' | 'draft' | 'not yet' | 'expired'
  readonly sentence: string
  /** The policy that won instead, by its id. */
  readonly by?: string
  readonly findings?: readonly Finding[]
}
export interface Loser {
  readonly policy: string
  readonly name: string
  readonly value: unknown
  readonly reason: Reason
}
/** One setting for one session. */
export interface EffectiveSetting {
  readonly setting: string
  readonly title: string
  readonly value: unknown
  readonly said: string
  /** Id of the policy that decided; `base`, or `default` where nothing sets it. */
  readonly winner: string
  readonly winnerName: string
  /** Where several take part (union, append): all of them, highest first. */
  readonly parts: readonly string[]
  readonly losers: readonly Loser[]
  /** It does nothing, and why: what it depends on is set otherwise. */
  readonly idle: { readonly setting: string; readonly sentence: string } | null
}
export interface PolicyVerdict {
  readonly policy: string
  readonly name: string
  readonly applies: boolean
  /** Null where it applies. */
  readonly reason: Reason | null
  /** Settings for which it decided. */
  readonly wins: readonly string[]
}
export interface Effective {
  /** Every setting that anything sets, in the order of the catalogue. */
  readonly settings: readonly EffectiveSetting[]
  /** Every policy, highest first. */
  readonly policies: readonly PolicyVerdict[]
}

/** One setter that applies: its place in the order (the base is after all), and its value. */
export interface Bid {
  /** Place in the order; -1 is the base. */
  readonly by: number
  readonly value: unknown
}
export interface Outcome {
  readonly value: unknown
  /** Place of the winner; -1 the base, -2 nobody. */
  readonly by: number
  readonly parts: readonly number[]
}

/**
 * Combines what applying policies ask for. @param bids highest first, without the base. @param base undefined where the base does not set it
 * Laws, held by property tests: `strictest`, `loosest` and `union` give the same value for any order of the bids; all are idempotent;
 * `first` is XACML 3.0's first-applicable (C.8), `strictest` over on/off its deny-overrides (C.2), `loosest` its permit-overrides (C.4).
 */
export function combine(setting: Setting, bids: readonly Bid[], base: unknown): Outcome {
  const own = base === undefined ? null : { by: -1, value: base }
  const { combine: rule } = setting
  if (rule === 'union' || rule === 'append') {
    const all = own ? [...bids, own] : bids
    const merged = mergeLists(all.map(({ value }) => value))
    const value = rule === 'union' ? [...merged].sort((a, b) => (keyOf(a) < keyOf(b) ? -1 : 1)) : merged
    const [highest] = all
    return highest ? { value, by: highest.by, parts: all.map(({ by }) => by) } : { value: setting.default, by: -2, parts: [] }
  }
  const [first] = bids
  if (!first) return own ? { ...own, parts: [-1] } : { value: setting.default, by: -2, parts: [] }
  let best = first
  if (rule !== 'first')
    for (const bid of bids) {
      const [a, b] = [strictness(setting, bid.value) ?? -Infinity, strictness(setting, best.value) ?? -Infinity]
      if (rule === 'strictest' ? a > b : a < b) best = bid
    }
  return { ...best, parts: [best.by] }
}

const keyOf = (entry: unknown) => (typeof entry === 'string' ? entry : JSON.stringify(entry)).toLowerCase()
function mergeLists(lists: readonly unknown[]): unknown[] {
  const seen = new Map<string, unknown>()
  for (const list of lists) if (Array.isArray(list)) for (const entry of list) if (!seen.has(keyOf(entry))) seen.set(keyOf(entry), entry)
  return [...seen.values()]
}

/** Whether a policy counts at a moment at all, whatever its condition. */
export function standing({ policy, fromMs, untilMs }: CompiledPolicy, atMs: number | undefined): Reason | null {
  if (policy.state !== 'on') return { code: policy.state, sentence: policy.state === 'off' ? 'It is switched off.' : 'It is a draft.' }
  if (atMs === undefined) return null
  if (atMs < fromMs) return { code: 'not yet', sentence: `It begins on ${policy.from?.slice(0, 10) ?? ''}.` }
  if (atMs >= untilMs) return { code: 'expired', sentence: `It ended on ${policy.until?.slice(0, 10) ?? ''}.` }
  return null
}

/** What holds for one session, with every reason. */
export function resolve(compiled: CompiledSet, facts: Facts): Effective {
  const { policies, leaves, setters, set } = compiled
  const known = new Map<number, boolean>()
  const leafHolds = (leaf: number) => {
    let answer = known.get(leaf)
    if (answer === undefined) known.set(leaf, (answer = leaves[leaf]?.test(facts) ?? false))
    return answer
  }
  const whyNot = policies.map((compiledPolicy): Reason | null => {
    const asleep = standing(compiledPolicy, facts.atMs)
    if (asleep) return asleep
    if (holds(compiledPolicy.node, leafHolds)) return null
    const findings = explain(compiledPolicy.policy.when, facts, set.networks, true)
    const [first] = findings
    return {
      code: 'condition',
      sentence: first
        ? `Needed: ${first.needed}; found: ${first.found}${findings.length > 1 ? `; and ${findings.length - 1} more` : ''}.`
        : 'Its condition can never hold.',
      findings,
    }
  })
  const nameOf = (by: number) => (by === -1 ? 'the base policy' : by === -2 ? 'nobody' : (policies[by]?.policy.name ?? ''))
  const idOf = (by: number) => (by === -1 ? 'base' : by === -2 ? 'default' : (policies[by]?.policy.id ?? ''))
  const wins = policies.map((): string[] => [])
  const settings = [...setters].map(([setting, by]): Omit<EffectiveSetting, 'idle'> & { readonly of: Setting } => {
    const bids = by.flatMap((index) => (whyNot[index] === null ? [{ by: index, value: policies[index]?.policy.settings[setting.id] }] : []))
    const outcome = combine(setting, bids, set.base[setting.id])
    for (const part of outcome.parts) wins[part]?.push(setting.id)
    const lost = (index: number): Reason => {
      const reason = whyNot[index]
      if (reason) return reason
      const same = strictness(setting, policies[index]?.policy.settings[setting.id]) === strictness(setting, outcome.value)
      if (setting.combine === 'first' || same) return { code: 'outranked', by: idOf(outcome.by), sentence: `Outranked by ${nameOf(outcome.by)}.` }
      const way = setting.combine === 'strictest' ? 'stricter' : 'looser'
      return {
        code: 'overruled',
        by: idOf(outcome.by),
        sentence: `Overruled by ${nameOf(outcome.by)}, which is ${way}: ${sayValueOf(setting, outcome.value)}.`,
      }
    }
    const losers = by
      .filter((index) => !outcome.parts.includes(index))
      .map((index): Loser => {
        const policy = policies[index]?.policy
        return { policy: policy?.id ?? '', name: policy?.name ?? '', value: policy?.settings[setting.id], reason: lost(index) }
      })
    if (set.base[setting.id] !== undefined && !outcome.parts.includes(-1))
      losers.push({
        policy: 'base',
        name: 'The base policy',
        value: set.base[setting.id],
        reason: { code: 'outranked', by: idOf(outcome.by), sentence: `Outranked by ${nameOf(outcome.by)}; the base policy is the lowest.` },
      })
    return {
      of: setting,
      setting: setting.id,
      title: setting.title,
      value: outcome.value,
      said: sayValueOf(setting, outcome.value),
      winner: idOf(outcome.by),
      winnerName: outcome.by === -2 ? 'not set anywhere' : outcome.by === -1 ? 'The base policy' : nameOf(outcome.by),
      parts: outcome.parts.map(idOf),
      losers,
    }
  })
  const values = new Map(settings.map(({ setting, value }) => [setting, value]))
  return {
    settings: settings.map(({ of, ...one }) => ({ ...one, idle: idleOf(of, (id) => values.get(id)) })),
    policies: policies.map(({ policy }, index) => ({
      policy: policy.id,
      name: policy.name,
      applies: whyNot[index] === null,
      reason: whyNot[index] ?? null,
      wins: wins[index] ?? [],
    })),
  }
}

/**
 * Values alone, for many sessions: those that get the same answer from every condition share one result.
 * @param counts which policies can decide here at all; without, all
 */
export function valueResolver(
  compiled: CompiledSet,
  counts: (policy: CompiledPolicy) => boolean = () => true,
): (facts: Facts) => Readonly<Record<string, unknown>> {
  const { policies, leaves, setters, set } = compiled
  const known = new Map<string, Readonly<Record<string, unknown>>>()
  return (facts) => {
    const answers = leaves.map(({ test }) => test(facts))
    const applies = policies.map((policy) => counts(policy) && !standing(policy, facts.atMs) && holds(policy.node, (leaf) => answers[leaf] ?? false))
    const key = applies.map(Number).join('')
    let values = known.get(key)
    if (!values)
      known.set(
        key,
        (values = Object.fromEntries(
          [...setters].map(([setting, by]) => {
            const bids = by.flatMap((at) => (applies[at] ? [{ by: at, value: policies[at]?.policy.settings[setting.id] }] : []))
            return [setting.id, combine(setting, bids, set.base[setting.id]).value]
          }),
        )),
      )
    return values
  }
}

/** Why a setting does nothing, if so. @param valueOf the value of another setting; undefined where nothing sets it */
export function idleOf({ needs }: Setting, valueOf: (id: string) => unknown): EffectiveSetting['idle'] {
  const on = needs && settingOf(needs.setting)
  if (!needs || !on) return null
  const value = valueOf(on.id) ?? on.default
  if (needs.is.includes(value)) return null
  return { setting: on.id, sentence: `It does nothing, because ${on.title} is: ${sayValueOf(on, value)}.` }
}

/**
 * The parts of a condition that decided that it does not hold (or, with `wanted` false, that it does).
 * Of `any` all parts are named, of `all` those that failed.
 */
export function explain(condition: Condition, facts: Facts, networks: readonly NetworkClass[], wanted: boolean): Finding[] {
  if (isGroupOf(condition)) {
    const parts = partsOf(condition)
    if ('none' in condition) return parts.flatMap((part) => (isTrue(part, facts, networks) === wanted ? explain(part, facts, networks, !wanted) : []))
    return parts.flatMap((part) => (isTrue(part, facts, networks) === wanted ? [] : explain(part, facts, networks, wanted)))
  }
  if (isTrue(condition, facts, networks) === wanted) return []
  const told = 'network' in condition ? networks.filter(({ id }) => condition.network.some((name) => name.toLowerCase() === id.toLowerCase())) : []
  const [network] = told
  if (network && 'network' in condition && told.length === condition.network.length)
    return explain(conditionOf(network), facts, networks, wanted).map((finding) => ({ ...finding, part: `${writeText(condition)}: ${finding.part}` }))
  const part = cachedText(condition)
  return [{ part, found: foundFor(condition, facts), needed: wanted ? part : `not ${part}` }]
}

/** Leaves as text, made once for each. */
const texts = new WeakMap<Leaf, string>()
function cachedText(leaf: Leaf): string {
  let text = texts.get(leaf)
  if (text === undefined) texts.set(leaf, (text = writeText(leaf)))
  return text
}

/** Tests of leaves, made once for each. */
const tests = new WeakMap<Leaf, Test>()
function cachedTest(leaf: Leaf): Test {
  let test = tests.get(leaf)
  if (!test) tests.set(leaf, (test = testOf(leaf)))
  return test
}

function isTrue(condition: Condition, facts: Facts, networks: readonly NetworkClass[]): boolean {
  if (isGroupOf(condition)) {
    const parts = partsOf(condition)
    if ('all' in condition) return parts.every((part) => isTrue(part, facts, networks))
    const some = parts.some((part) => isTrue(part, facts, networks))
    return 'any' in condition ? some : !some
  }
  if ('network' in condition)
    return condition.network.some((name) => {
      const told = networks.find(({ id }) => id.toLowerCase() === name.toLowerCase())
      return told ? isTrue(conditionOf(told), facts, networks) : facts.network === name.toLowerCase()
    })
  return cachedTest(condition)(facts)
}
