import { groupResolver, type Org } from '../people/org'
import { FACTS, leafOf, type Leaf } from './condition'
import { factsOf, holds, type CompiledSet } from './compile'
import type { Facts, SessionFacts } from './facts'
import { combine, standing, type Reason } from './resolve'
import { ANOTHER, axesOf, leavesIn } from './universe'
import { settingOf } from './catalogue'

/** One fact that would have to be otherwise. */
export interface FactChange {
  readonly fact: 'person' | 'groups' | 'place' | keyof SessionFacts
  readonly sentence: string
}
export interface Way {
  readonly changes: readonly FactChange[]
  /** The session with these changes, with which it does win. */
  readonly facts: SessionFacts
}
export interface WhyNot {
  /** `wins`: it does already; `asleep`: it is not switched on, or not yet or no longer in force. */
  readonly state: 'wins' | 'possible' | 'impossible' | 'not decided'
  /** Why it does not count at all now, whatever the facts; the changes then hold for when it does. */
  readonly asleep: Reason | null
  /** The smallest changes of facts with which it would win; each is enough by itself. All have the same number of facts. */
  readonly ways: readonly Way[]
  readonly tried: number
}

const MOST_FACTS = 4
const MOST_TRIES = 200_000
const MOST_WAYS = 5

/**
 * The smallest change of facts with which a policy would decide on a setting (or apply at all, where none is named). All single changes are tried before all
 * pairs, and so on, over one representative of every value that the set tells apart: so none that is smaller is missed.
 * @param at the policy's place in the order
 */
export function whyNot(compiled: CompiledSet, org: Org, given: SessionFacts, at: number, settingId: string | null, nowMs: number): WhyNot {
  const policy = compiled.policies[at]
  const setting = settingId === null ? undefined : settingOf(settingId)
  if (!policy || (settingId !== null && (!setting || !(settingId in policy.policy.settings))))
    return { state: 'impossible', asleep: null, ways: [], tried: 0 }
  const ready = factsOf(org)
  const rivals = setting ? (compiled.setters.get(setting) ?? []) : []
  const asleep = standing(policy, given.atMs)
  const wins = (facts: Facts): boolean => {
    const known = new Map<number, boolean>()
    const leaf = (number: number) => {
      let answer = known.get(number)
      if (answer === undefined) known.set(number, (answer = compiled.leaves[number]?.test(facts) ?? false))
      return answer
    }
    // A change of time must not take it out of its own time.
    if (!asleep && standing(policy, facts.atMs)) return false
    if (!holds(policy.node, leaf)) return false
    if (!setting) return true
    const bids = rivals.flatMap((index) => {
      const rival = compiled.policies[index]
      if (!rival) return []
      const applies = index === at || (!standing(rival, facts.atMs) && holds(rival.node, leaf))
      return applies ? [{ by: index, value: rival.policy.settings[setting.id] }] : []
    })
    return combine(setting, bids, compiled.set.base[setting.id]).parts.includes(at)
  }
  const here = ready(given)
  if (!asleep && wins(here)) return { state: 'wins', asleep: null, ways: [], tried: 1 }

  const nodes = [policy.node, ...rivals.flatMap((index) => compiled.policies[index]?.node ?? [])]
  const moves = movesOf(compiled, org, given, here, nodes, nowMs)
  let tried = 0
  const ways: Way[] = []
  const search = (from: number, left: number, facts: SessionFacts, taken: FactChange[]): boolean => {
    if (left === 0) {
      if (++tried > MOST_TRIES) return false
      if (wins(ready(facts))) ways.push({ changes: taken, facts })
      return ways.length < MOST_WAYS
    }
    for (let axis = from; axis <= moves.length - left; axis++)
      for (const { change, apply } of moves[axis] ?? []) if (!search(axis + 1, left - 1, apply(facts), [...taken, change])) return false
    return true
  }
  for (let size = asleep ? 0 : 1; size <= Math.min(MOST_FACTS, moves.length); size++) {
    search(0, size, given, [])
    if (ways.length) return { state: 'possible', asleep, ways, tried }
    if (tried > MOST_TRIES) return { state: 'not decided', asleep, ways: [], tried }
  }
  return { state: moves.length <= MOST_FACTS ? 'impossible' : 'not decided', asleep, ways: [], tried }
}

interface Move {
  readonly change: FactChange
  /** The facts with this change, whatever was changed before. */
  readonly apply: (facts: SessionFacts) => SessionFacts
}

/** For each fact that matters: every other value that it could have. */
function movesOf(
  compiled: CompiledSet,
  org: Org,
  given: SessionFacts,
  here: Facts,
  nodes: CompiledSet['policies'][number]['node'][],
  nowMs: number,
): Move[][] {
  const asked = [...leavesIn(nodes)].flatMap((number) => compiled.leaves[number]?.leaf ?? [])
  const { places, axes } = axesOf(compiled, org, { nowMs: given.atMs ?? nowMs, nodes })
  const put = (value: SessionFacts) => (facts: SessionFacts) => ({ ...facts, ...value })
  const moves: Move[][] = [personMoves(asked, here), ...groupMoves(asked, org, here)]
  if (places.length > 1 && asked.some((leaf) => ['pool', 'host', 'zone', 'image'].includes(leafOf(leaf).name)))
    moves.push(
      places
        .filter(({ facts }) => facts.host !== given.host || facts.pool !== given.pool)
        .map(({ facts }) => ({ change: { fact: 'place', sentence: sayPlace(facts, here.given) }, apply: put(facts) })),
    )
  for (const values of axes)
    moves.push(
      values
        .filter((value) => Object.entries(value).some(([name, one]) => given[name as keyof SessionFacts] !== one))
        .map((value) => ({
          change: { fact: (Object.keys(value)[0] ?? 'atMs') as keyof SessionFacts, sentence: sayValue(value) },
          apply: put(value),
        })),
    )
  return moves.filter((list) => list.length > 0)
}

/** Being one of those who are named, with the groups that they have; or being none of them. */
function personMoves(asked: readonly Leaf[], here: Facts): Move[] {
  const named = [...new Set(asked.flatMap((leaf) => ('person' in leaf ? leaf.person : [])))]
  const moves = named
    .filter((person) => person.toLowerCase() !== here.person)
    .map((person): Move => ({
      change: { fact: 'person', sentence: `the person is ${person}` },
      apply: ({ groups: _, ...facts }) => ({ ...facts, person }),
    }))
  if (moves.length === named.length) return moves
  const groups = [...(here.groups ?? [])]
  return [
    ...moves,
    {
      change: { fact: 'person', sentence: 'the person is another, in the same groups' },
      apply: ({ person: _, ...facts }) => ({ ...facts, groups: facts.groups ?? groups }),
    },
  ]
}

/** Each group is a fact of its own, so that two groups count as two changes. Leaving one means leaving those through which one is in it. */
function groupMoves(asked: readonly Leaf[], org: Org, here: Facts): Move[][] {
  const groupsOf = groupResolver(org.groups)
  const directOf = ({ person, groups }: SessionFacts) =>
    groups ?? org.people.find(({ id }) => id.toLowerCase() === person?.toLowerCase())?.groups ?? []
  const leadsTo = (from: string, group: string) => [...groupsOf([from])].some((one) => one.toLowerCase() === group.toLowerCase())
  const groups = [...new Set(asked.flatMap((leaf) => ('group' in leaf ? leaf.group : [])))]
  return groups.map((group): Move[] => {
    const within = here.groups?.has(group.toLowerCase()) ?? false
    return [
      {
        change: { fact: 'groups', sentence: `the person is ${within ? 'not ' : ''}in ${group}` },
        apply: (facts) => ({ ...facts, groups: within ? directOf(facts).filter((one) => !leadsTo(one, group)) : [...directOf(facts), group] }),
      },
    ]
  })
}

function sayPlace(facts: SessionFacts, given: SessionFacts): string {
  return facts.host !== undefined && facts.pool === given.pool
    ? `the host is ${facts.host}`
    : `the pool is ${facts.pool ?? ''}${facts.host ? `, such as on ${facts.host}` : ''}`
}

function sayValue(value: SessionFacts): string {
  const [entry] = Object.entries(value)
  if (!entry) return ''
  const [name, one] = entry as [keyof SessionFacts, unknown]
  if (name === 'atMs') return `it is ${new Date(one as number).toISOString().slice(0, 16).replace('T', ' ')} UTC`
  if (name === 'first') return one ? 'it is a first logon' : 'it is a returning logon'
  if (name === 'factor')
    return one === 'none' ? 'signed on with a password alone' : one === 'key' ? 'signed on with a security key' : 'signed on with a second factor'
  const fact = FACTS[name as keyof typeof FACTS]
  if (one === ANOTHER) return `the ${fact?.title ?? name} is any other`
  return `the ${fact?.title ?? name} is ${String(one)}${fact && 'unit' in fact && fact.unit ? ` ${fact.unit}` : ''}`
}
