import { groupResolver, type Org, type OrgPerson } from '../people/org'
import type { Setting } from './catalogue'
import { factsOf, type CompiledSet, type Node } from './compile'
import { combine, standing, type Bid } from './resolve'
import { leavesIn, type Situation } from './universe'

/** People whom no condition tells apart. */
export interface PersonClass {
  readonly people: readonly OrgPerson[]
}

/** What one set of applying policies comes to. */
export interface Result {
  /** Places of the applying policies, highest first. */
  readonly applying: readonly number[]
  /** In the order of `Matrix.settings`. */
  readonly values: readonly unknown[]
  /** Place of the winner; -1 the base, -2 nobody. */
  readonly winners: readonly number[]
  /** A number for each value: equal numbers are equal values, also between sets that share a table. */
  readonly numbers: Int32Array
}

export interface Matrix {
  readonly settings: readonly Setting[]
  readonly classes: readonly PersonClass[]
  readonly results: readonly Result[]
  /** For each situation: for each class, the number of its result; -1 where nobody of the class can be there. */
  readonly cells: readonly Int32Array[]
  /** For each situation: one bit a class, set where somebody of it can be there at all, looked at or not. */
  readonly reachable: readonly Uint32Array[]
  /** For each situation and watched condition: one bit a class, set where it holds. */
  readonly watched: readonly (readonly Uint32Array[])[]
}

export interface MatrixOptions {
  /** Only these settings are worked out; without, all that anything sets. */
  readonly settings?: readonly Setting[]
  /** Further conditions whose parts must not be mixed within a class of people. */
  readonly nodes?: readonly Node[]
  /** Only where one of these holds; other cells are -1. */
  readonly only?: readonly Node[]
  /** Conditions to be answered for every class and situation. */
  readonly watch?: readonly Node[]
}

/**
 * Works out every person in every situation at once. People fall into classes by what conditions ask of them; for each situation and policy one bit per class says
 * whether the policy applies, 32 classes at a time; sets of applying policies that occur are resolved once each.
 * @param situations see universe.ts; or those that really occur
 */
export function matrixOf(compiled: CompiledSet, org: Org, situations: readonly Situation[], options: MatrixOptions = {}): Matrix {
  const settings = options.settings ?? [...compiled.setters.keys()]
  const relevant = [...new Set(settings.flatMap((setting) => compiled.setters.get(setting) ?? []))].sort((a, b) => a - b)
  const asked = leavesIn([
    ...relevant.flatMap((index) => compiled.policies[index]?.node ?? []),
    ...(options.nodes ?? []),
    ...(options.watch ?? []),
    ...(options.only ?? []),
  ])
  const grants = [...new Set(situations.flatMap(({ grants }) => grants ?? []))]
  const { classes, leafBits, grantBits } = classify(compiled, org, [...asked], grants)
  const words = Math.ceil(classes.length / 32)
  const all = new Uint32Array(words).fill(0xffffffff)
  const none = new Uint32Array(words)
  const facts = factsOf(org)

  const results: Result[] = []
  const find = resultFinder(compiled, settings, relevant, results)
  const perClass = Math.ceil(relevant.length / 32)
  const applying = new Uint32Array(classes.length * perClass)
  const watched: Uint32Array[][] = []
  const reachable: Uint32Array[] = []
  const cells = situations.map(({ facts: given, grants: wanted }) => {
    const here = facts(given)
    applying.fill(0)
    const bitsOf = (leaf: number) => leafBits.get(leaf) ?? (compiled.leaves[leaf]?.test(here) ? all : none)
    watched.push((options.watch ?? []).map((node) => evaluate(node, bitsOf, words)))
    for (const [slot, index] of relevant.entries()) {
      const policy = compiled.policies[index]
      if (!policy || standing(policy, given.atMs)) continue
      const bits = evaluate(policy.node, bitsOf, words)
      const [row, mark] = [slot >>> 5, 1 << (slot & 31)]
      for (let w = 0; w < words; w++) {
        let rest = bits[w] ?? 0
        while (rest !== 0) {
          const bit = 31 - Math.clz32(rest & -rest)
          rest &= rest - 1
          const at = (w * 32 + bit) * perClass + row
          if (at < applying.length) applying[at] = (applying[at] ?? 0) | mark
        }
      }
    }
    const granted =
      wanted === null
        ? all
        : union(
            wanted.map((group) => grantBits.get(group) ?? none),
            words,
          )
    reachable.push(granted)
    const may = options.only
      ? both(
          granted,
          union(
            options.only.map((node) => evaluate(node, bitsOf, words)),
            words,
          ),
          words,
        )
      : granted
    const row = new Int32Array(classes.length)
    for (let c = 0; c < classes.length; c++) row[c] = ((may[c >>> 5] ?? 0) >>> (c & 31)) & 1 ? find(applying, c * perClass, perClass) : -1
    return row
  })
  return { settings, classes, results, cells, reachable, watched }
}

function union(parts: readonly Uint32Array[], words: number): Uint32Array {
  const bits = new Uint32Array(words)
  for (const part of parts) for (let w = 0; w < words; w++) bits[w] = (bits[w] ?? 0) | (part[w] ?? 0)
  return bits
}

function both(a: Uint32Array, b: Uint32Array, words: number): Uint32Array {
  const bits = new Uint32Array(words)
  for (let w = 0; w < words; w++) bits[w] = (a[w] ?? 0) & (b[w] ?? 0)
  return bits
}

/** A condition for all classes at once. */
function evaluate(node: Node, leaf: (leaf: number) => Uint32Array, words: number): Uint32Array {
  if (typeof node === 'number') return leaf(node)
  const bits = new Uint32Array(words).fill(node.op === 'all' ? 0xffffffff : 0)
  for (const part of node.parts) {
    const other = evaluate(part, leaf, words)
    if (node.op === 'all') for (let w = 0; w < words; w++) bits[w] = (bits[w] ?? 0) & (other[w] ?? 0)
    else for (let w = 0; w < words; w++) bits[w] = (bits[w] ?? 0) | (other[w] ?? 0)
  }
  if (node.op === 'none') for (let w = 0; w < words; w++) bits[w] = ~(bits[w] ?? 0)
  return bits
}

/** Resolves each set of applying policies once; sets are told apart exactly, the hash only finds them fast. */
function resultFinder(compiled: CompiledSet, settings: readonly Setting[], relevant: readonly number[], results: Result[]) {
  const byHash = new Map<number, number[]>()
  const keys: Uint32Array[] = []
  const place = new Map(relevant.map((index, slot) => [index, slot]))
  const { values: known } = compiled.table
  const numberOf = (value: unknown): number => {
    const key = JSON.stringify(value) ?? ''
    let number = known.get(key)
    if (number === undefined) known.set(key, (number = known.size))
    return number
  }
  const setters = settings.map((setting) => {
    const base = compiled.set.base[setting.id]
    const bids = (compiled.setters.get(setting) ?? []).map((by) => {
      const value = compiled.policies[by]?.policy.settings[setting.id]
      return { by, slot: place.get(by) ?? 0, value, number: numberOf(value) }
    })
    const rest = combine(setting, [], base)
    return { setting, base, bids, rest: { by: rest.by, value: rest.value, number: numberOf(rest.value) } }
  })
  const resolved = (has: (slot: number) => number): Result => {
    const values: unknown[] = []
    const winners: number[] = []
    const numbers = new Int32Array(settings.length)
    for (const [at, { setting, base, bids, rest }] of setters.entries()) {
      if (setting.combine === 'first') {
        const { value, by, number } = bids.find(({ slot }) => has(slot)) ?? rest
        values.push(value)
        winners.push(by)
        numbers[at] = number
        continue
      }
      const given: Bid[] = bids.filter(({ slot }) => has(slot))
      const outcome = combine(setting, given, base)
      values.push(outcome.value)
      winners.push(outcome.by)
      numbers[at] = numberOf(outcome.value)
    }
    return { applying: relevant.filter((_, slot) => has(slot)), values, winners, numbers }
  }
  return (applying: Uint32Array, at: number, length: number): number => {
    let hash = 0
    for (let i = 0; i < length; i++) hash = Math.imul(hash ^ (applying[at + i] ?? 0), 0x9e3779b1) ^ (hash >>> 15)
    const candidates = byHash.get(hash)
    if (candidates)
      next: for (const candidate of candidates) {
        const key = keys[candidate]
        for (let i = 0; i < length; i++) if (key?.[i] !== applying[at + i]) continue next
        return candidate
      }
    const key = applying.slice(at, at + length)
    results.push(resolved((slot) => ((key[slot >>> 5] ?? 0) >>> (slot & 31)) & 1))
    keys.push(key)
    if (candidates) candidates.push(results.length - 1)
    else byHash.set(hash, [results.length - 1])
    return results.length - 1
  }
}

interface Classes {
  readonly classes: readonly PersonClass[]
  /** For each leaf on people: one bit a class. */
  readonly leafBits: ReadonlyMap<number, Uint32Array>
  readonly grantBits: ReadonlyMap<string, Uint32Array>
}

/** People by their answers to what is asked of people: one bit for each leaf and grant. What a group gives is worked out once for each group. */
function classify(compiled: CompiledSet, org: Org, asked: readonly number[], grants: readonly string[]): Classes {
  const leaves = asked.filter((leaf) => compiled.leaves[leaf]?.dimension === 'person')
  const words = Math.max(1, Math.ceil((leaves.length + grants.length) / 32))
  const set = (bits: Uint32Array, at: number) => {
    bits[at >>> 5] = (bits[at >>> 5] ?? 0) | (1 << (at & 31))
  }
  // Which places are set by a group's name alone, and by a person's.
  const byGroup = new Map<string, number[]>()
  const byPerson = new Map<string, number[]>()
  const note = (map: Map<string, number[]>, name: string, at: number) => {
    const list = map.get(name.toLowerCase())
    if (list) list.push(at)
    else map.set(name.toLowerCase(), [at])
  }
  for (const [at, number] of leaves.entries()) {
    const leaf = compiled.leaves[number]?.leaf
    if (leaf && 'group' in leaf) for (const group of leaf.group) note(byGroup, group, at)
    if (leaf && 'person' in leaf) for (const person of leaf.person) note(byPerson, person, at)
  }
  for (const [i, grant] of grants.entries()) note(byGroup, grant, leaves.length + i)
  const groupsOf = groupResolver(org.groups)
  const ofGroup = new Map<string, Uint32Array>()
  const maskOf = (group: string): Uint32Array => {
    let mask = ofGroup.get(group)
    if (!mask) {
      mask = new Uint32Array(words)
      for (const one of groupsOf([group])) for (const at of byGroup.get(one.toLowerCase()) ?? []) set(mask, at)
      ofGroup.set(group, mask)
    }
    return mask
  }
  const byKey = new Map<string, { people: OrgPerson[]; bits: Uint32Array }>()
  const bits = new Uint32Array(words)
  for (const person of org.people) {
    if (person.enabled === false) continue
    bits.fill(0)
    for (const group of person.groups ?? []) {
      const mask = maskOf(group)
      for (let w = 0; w < words; w++) bits[w] = (bits[w] ?? 0) | (mask[w] ?? 0)
    }
    for (const at of byPerson.get(person.id.toLowerCase()) ?? []) set(bits, at)
    const key = bits.join()
    const known = byKey.get(key)
    if (known) known.people.push(person)
    else byKey.set(key, { people: [person], bits: bits.slice() })
  }
  const classes = [...byKey.values()]
  const bitsAt = (position: number) => {
    const column = new Uint32Array(Math.ceil(classes.length / 32))
    for (const [c, one] of classes.entries()) if (((one.bits[position >>> 5] ?? 0) >>> (position & 31)) & 1) set(column, c)
    return column
  }
  return {
    classes: classes.map(({ people }) => ({ people })),
    leafBits: new Map(leaves.map((leaf, i) => [leaf, bitsAt(i)])),
    grantBits: new Map(grants.map((grant, i) => [grant, bitsAt(leaves.length + i)])),
  }
}
