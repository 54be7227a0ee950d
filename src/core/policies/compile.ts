import type { Org } from '../people/org'
import { groupResolver } from '../people/org'
import { CATALOGUE, type Setting } from './catalogue'
import { isGroupOf, leafOf, partsOf, type Condition, type FactName, type Leaf } from './condition'
import { readyFacts, testOf, type Facts, type SessionFacts, type Test } from './facts'
import { notOfPlace, type NetworkClass, type Policy, type PolicySet } from './set'

/** What decides on a leaf: facts of one dimension vary together, and apart from the others. */
export type Dimension =
  'person' | 'place' | 'clientKind' | 'clientName' | 'clientVersion' | 'address' | 'network' | 'rttMs' | 'bandwidthKbps' | 'time' | 'factor' | 'first'
const DIMENSION_OF: Readonly<Record<FactName, Dimension>> = {
  person: 'person',
  group: 'person',
  pool: 'place',
  host: 'place',
  zone: 'place',
  image: 'place',
  clientKind: 'clientKind',
  clientName: 'clientName',
  clientVersion: 'clientVersion',
  address: 'address',
  network: 'network',
  rttMs: 'rttMs',
  bandwidthKbps: 'bandwidthKbps',
  time: 'time',
  signOn: 'factor',
  first: 'first',
}

export interface CompiledLeaf {
  readonly leaf: Leaf
  readonly dimension: Dimension
  readonly test: Test
}
/** A leaf by its number, or parts under one word. */
export type Node = number | { readonly op: 'all' | 'any' | 'none'; readonly parts: readonly Node[] }

export interface CompiledPolicy {
  readonly policy: Policy
  readonly node: Node
  readonly fromMs: number
  readonly untilMs: number
  /** Whether host-wide settings can be decided by it. */
  readonly ofPlace: boolean
}
/** Leaves by number; sets that are compared share one, so that a leaf has the same number in both. */
export interface LeafTable {
  readonly leaves: CompiledLeaf[]
  readonly numbers: Map<string, number>
  /** Numbers of values, by their text. */
  readonly values: Map<string, number>
}
export interface CompiledSet {
  readonly set: PolicySet
  readonly table: LeafTable
  readonly policies: readonly CompiledPolicy[]
  readonly leaves: readonly CompiledLeaf[]
  /** For each setting that anything sets: who sets it, as places in `policies`, highest first. */
  readonly setters: ReadonlyMap<Setting, readonly number[]>
  /** Makes a further condition ready, as for a promise. Its leaves are added to `leaves`. */
  condition(when: Condition): Node
}

/**
 * Makes a set ready for being asked many times. Only what is switched on can apply; the rest is kept for the explanations.
 * @param catalogue the settings that there are
 */
export function compile(
  set: PolicySet,
  table: LeafTable = { leaves: [], numbers: new Map(), values: new Map() },
  catalogue: readonly Setting[] = CATALOGUE,
): CompiledSet {
  const byId = new Map(catalogue.map((setting) => [setting.id, setting]))
  const { leaves, numbers } = table
  const networks = new Map(set.networks.map((network) => [network.id.toLowerCase(), network]))
  const leafNumber = (leaf: Leaf): number => {
    const key = JSON.stringify(leaf)
    let number = numbers.get(key)
    if (number === undefined) {
      numbers.set(key, (number = leaves.length))
      leaves.push({ leaf, dimension: DIMENSION_OF[leafOf(leaf).name], test: testOf(leaf) })
    }
    return number
  }
  const node = (condition: Condition): Node => {
    if (isGroupOf(condition)) {
      const op = 'all' in condition ? 'all' : 'any' in condition ? 'any' : 'none'
      return { op, parts: partsOf(condition).map(node) }
    }
    return 'network' in condition ? networkNode(condition.network) : leafNumber(condition)
  }
  const networkNode = (names: readonly string[]): Node => {
    const reported = names.filter((name) => !networks.has(name.toLowerCase()))
    const told = names.flatMap((name) => networks.get(name.toLowerCase()) ?? [])
    const parts = [...told.map((network) => node(conditionOf(network))), ...(reported.length ? [leafNumber({ network: reported })] : [])]
    const [only] = parts
    return parts.length === 1 && only !== undefined ? only : { op: 'any', parts }
  }
  const policies = set.policies.map((policy) => ({
    policy,
    node: node(policy.when),
    fromMs: policy.from === undefined ? -Infinity : Date.parse(policy.from),
    untilMs: policy.until === undefined ? Infinity : Date.parse(policy.until),
    ofPlace: notOfPlace(policy.when) === null,
  }))
  const found = new Map<Setting, number[]>()
  for (const id of Object.keys(set.base)) {
    const setting = byId.get(id)
    if (setting) found.set(setting, [])
  }
  for (const [index, { policy, ofPlace }] of policies.entries())
    for (const id of Object.keys(policy.settings)) {
      const setting = byId.get(id)
      if (!setting || setting.holdsFor === 'base' || (setting.holdsFor === 'host' && !ofPlace)) continue
      const list = found.get(setting)
      if (list) list.push(index)
      else found.set(setting, [index])
    }
  // In the order of the catalogue, whatever the order in the set.
  const setters = new Map(catalogue.flatMap((setting) => (found.has(setting) ? [[setting, found.get(setting) ?? []] as const] : [])))
  return { set, table, policies, leaves, setters, condition: node }
}

/** How a network class is told, as a condition. */
export function conditionOf({ addresses, rttMs, bandwidthKbps }: NetworkClass): Condition {
  return { all: [...(addresses ? [{ address: addresses }] : []), ...(rttMs ? [{ rttMs }] : []), ...(bandwidthKbps ? [{ bandwidthKbps }] : [])] }
}

export function holds(node: Node, leafHolds: (leaf: number) => boolean): boolean {
  if (typeof node === 'number') return leafHolds(node)
  switch (node.op) {
    case 'all':
      return node.parts.every((part) => holds(part, leafHolds))
    case 'any':
      return node.parts.some((part) => holds(part, leafHolds))
    case 'none':
      return !node.parts.some((part) => holds(part, leafHolds))
  }
}

/** The facts of sessions of an organisation: groups from the directory where none are given, zone and image from the host. */
export function factsOf(org: Org): (given: SessionFacts) => Facts {
  const groupsOf = groupResolver(org.groups)
  const people = new Map(org.people.map((person) => [person.id.toLowerCase(), person]))
  const hosts = new Map(org.hosts.map((host) => [host.id.toLowerCase(), host]))
  const lowered = new Map<ReadonlySet<string>, ReadonlySet<string>>()
  const lower = (groups: ReadonlySet<string>) => {
    let all = lowered.get(groups)
    if (!all) lowered.set(groups, (all = new Set([...groups].map((group) => group.toLowerCase()))))
    return all
  }
  return (given) => {
    const direct = given.groups ?? (given.person === undefined ? undefined : (people.get(given.person.toLowerCase())?.groups ?? []))
    const host = given.host === undefined ? undefined : hosts.get(given.host.toLowerCase())
    return readyFacts(
      { ...given, pool: given.pool ?? host?.pool, zone: given.zone ?? host?.zone, image: given.image ?? host?.image },
      direct === undefined ? undefined : lower(groupsOf(direct)),
    )
  }
}
