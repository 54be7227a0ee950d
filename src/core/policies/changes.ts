import type { Org, OrgPerson } from '../people/org'
import type { Setting } from './catalogue'
import { compile, type CompiledSet, type Node } from './compile'
import type { SessionFacts } from './facts'
import { matrixOf, type Matrix } from './matrix'
import type { PolicySet } from './set'
import { ANOTHER, universe, type Situation } from './universe'
import { direction, sayValueOf } from './value'

/** One difference, and whom it concerns. */
export interface ChangeGroup {
  readonly setting: string
  readonly title: string
  readonly before: string
  readonly after: string
  /** The same as values. */
  readonly values: { readonly before: unknown; readonly after: unknown }
  readonly direction: 'stricter' | 'looser' | 'other'
  readonly takesEffect: Setting['takesEffect']
  readonly people: number
  /** Ids of the first of them. */
  readonly some: readonly string[]
  readonly pools: readonly string[]
  /** Under which circumstances only, by fact; empty: under all. */
  readonly only: readonly { readonly fact: keyof SessionFacts; readonly values: readonly string[] }[]
}
export interface Changes {
  readonly groups: readonly ChangeGroup[]
  /** How many people get anything else in any situation. */
  readonly people: number
  /** Situations that were looked at, each for everybody who can be in it. */
  readonly situations: number
  /** False: there are too many situations to look at; nothing was concluded. */
  readonly decided: boolean
}

export interface ChangesOptions {
  readonly nowMs: number
  /** The situations to look at; without: all that the two sets can tell apart. */
  readonly situations?: readonly Situation[]
  readonly limit?: number
  /** The settings that there are, where not the usual ones. */
  readonly catalogue?: readonly Setting[]
}

const SOME = 100

/** Who gets what else when one set takes the place of another: exact over all classes of sessions, and only what differs is looked at. */
export function whatWouldChange(before: PolicySet, after: PolicySet, org: Org, options: ChangesOptions): Changes {
  const old = compile(before, undefined, options.catalogue)
  const young = compile(after, old.table, options.catalogue)
  const settings = [...new Set([...old.setters.keys(), ...young.setters.keys()])].filter(
    (setting) => signature(old, setting) !== signature(young, setting),
  )
  if (settings.length === 0) return { groups: [], people: 0, situations: 0, decided: true }
  const involved = [old, young].map((compiled) =>
    [...new Set(settings.flatMap((setting) => compiled.setters.get(setting) ?? []))].flatMap((at) => compiled.policies[at] ?? []),
  )
  const nodes = involved.flat().map(({ node }) => node)
  const found = options.situations
    ? { situations: options.situations, complete: true }
    : universe(old, org, { nowMs: options.nowMs, nodes, policies: involved.flat(), ...(options.limit ? { limit: options.limit } : {}) })
  if (!found.complete) return { groups: [], people: 0, situations: 0, decided: false }
  // Both share their leaves, so both part people into the same classes.
  const only = changedNodes(old, young, settings)
  const [was, is] = [old, young].map((compiled) => matrixOf(compiled, org, found.situations, { settings, nodes, ...(only ? { only } : {}) }))
  if (!was || !is) throw new RangeError('two sets are compared')
  return { ...compareMatrices(was, is, found.situations), situations: found.situations.length, decided: true }
}

/** Where anything can differ at all: where a policy holds that is not the same in both. Null: anywhere, as with another base or another order. */
function changedNodes(old: CompiledSet, young: CompiledSet, settings: readonly Setting[]): Node[] | null {
  const nodes: Node[] = []
  for (const setting of settings) {
    if (JSON.stringify(old.set.base[setting.id]) !== JSON.stringify(young.set.base[setting.id])) return null
    const [a, b] = [old, young].map((compiled) => bidders(compiled, setting)) as [Bidder[], Bidder[]]
    const [inA, inB] = [new Set(a.map(({ key }) => key)), new Set(b.map(({ key }) => key))]
    const kept = (list: Bidder[], other: Set<string>) => list.filter(({ key }) => other.has(key)).map(({ key }) => key)
    if (kept(a, inB).join() !== kept(b, inA).join()) return null
    nodes.push(...a.filter(({ key }) => !inB.has(key)).map(({ node }) => node), ...b.filter(({ key }) => !inA.has(key)).map(({ node }) => node))
  }
  return nodes
}

interface Bidder {
  /** Equal where condition, value and time are. */
  readonly key: string
  readonly node: Node
}
/** The policies that can decide on a setting, highest first. */
function bidders(compiled: CompiledSet, setting: Setting): Bidder[] {
  return (compiled.setters.get(setting) ?? []).flatMap((at) => {
    const policy = compiled.policies[at]
    if (policy?.policy.state !== 'on') return []
    return [
      { key: JSON.stringify([policy.policy.settings[setting.id], policy.node, String(policy.fromMs), String(policy.untilMs)]), node: policy.node },
    ]
  })
}

/** All that decides on a setting, as text: equal where nothing can have changed. */
function signature(compiled: CompiledSet, setting: Setting): string {
  return JSON.stringify([compiled.set.base[setting.id] ?? null, ...bidders(compiled, setting).map(({ key }) => key)])
}

interface Gathered {
  readonly setting: Setting
  readonly before: unknown
  readonly after: unknown
  readonly classes: Set<number>
  readonly situations: Set<number>
}

function compareMatrices(was: Matrix, is: Matrix, situations: readonly Situation[]): Pick<Changes, 'groups' | 'people'> {
  const { settings, classes } = was
  const differing = new Map<number, readonly number[]>()
  const differ = (a: number, b: number): readonly number[] => {
    const key = a * is.results.length + b
    let list = differing.get(key)
    if (!list) {
      const [old, young] = [was.results[a]?.numbers, is.results[b]?.numbers]
      differing.set(key, (list = [...settings.keys()].filter((s) => old?.[s] !== young?.[s])))
    }
    return list
  }
  const groups = new Map<string, Gathered>()
  /** Where the classes of a group are at all, changed or not: to say under which circumstances only. */
  const touched = new Set<number>()
  for (const [s, row] of was.cells.entries()) {
    const other = is.cells[s]
    for (let c = 0; c < classes.length; c++) {
      const [a, b] = [row[c] ?? -1, other?.[c] ?? -1]
      if (a < 0 || b < 0) continue
      for (const at of differ(a, b)) {
        const setting = settings[at]
        if (!setting) continue
        const [before, after] = [was.results[a]?.values[at], is.results[b]?.values[at]]
        const key = `${at}|${JSON.stringify(before)}|${JSON.stringify(after)}`
        let group = groups.get(key)
        if (!group) groups.set(key, (group = { setting, before, after, classes: new Set(), situations: new Set() }))
        group.classes.add(c)
        group.situations.add(s)
        touched.add(c)
      }
    }
  }
  const sized = [...groups.values()].map((group) => told(group, was, situations))
  return {
    groups: sized.sort((a, b) => b.people - a.people || a.title.localeCompare(b.title)),
    people: sum([...touched].map((c) => classes[c]?.people.length ?? 0)),
  }
}

const sum = (numbers: readonly number[]) => numbers.reduce((a, b) => a + b, 0)

function told({ setting, before, after, classes, situations }: Gathered, matrix: Matrix, all: readonly Situation[]): ChangeGroup {
  const people: OrgPerson[] = []
  for (const c of classes) if (people.length < SOME) people.push(...(matrix.classes[c]?.people.slice(0, SOME - people.length) ?? []))
  const hit = [...situations].flatMap((s) => all[s] ?? [])
  // The situations that these people can be in at all.
  const possible = all.filter((_, s) => [...classes].some((c) => (((matrix.reachable[s]?.[c >>> 5] ?? 0) >>> (c & 31)) & 1) === 1))
  return {
    setting: setting.id,
    title: setting.title,
    before: sayValueOf(setting, before),
    after: sayValueOf(setting, after),
    values: { before, after },
    direction: direction(setting, before, after),
    takesEffect: setting.takesEffect,
    people: sum([...classes].map((c) => matrix.classes[c]?.people.length ?? 0)),
    some: people.map(({ id }) => id),
    pools: [...new Set(hit.map(({ facts }) => facts.pool ?? ''))].filter((pool) => pool !== ''),
    only: circumstances(hit, possible),
  }
}

const SHOWN_FACTS = [
  'zone',
  'image',
  'clientKind',
  'clientName',
  'clientVersion',
  'address',
  'network',
  'rttMs',
  'bandwidthKbps',
  'factor',
  'first',
  'atMs',
] as const

/** Facts of which not every value that is possible is among those hit. */
function circumstances(hit: readonly Situation[], possible: readonly Situation[]): ChangeGroup['only'] {
  return SHOWN_FACTS.flatMap((fact) => {
    const values = (list: readonly Situation[]) => new Set(list.map(({ facts }) => sayFact(fact, facts)))
    const [some, every] = [values(hit), values(possible)]
    return some.size < every.size ? [{ fact, values: [...some] }] : []
  })
}

function sayFact(fact: (typeof SHOWN_FACTS)[number], facts: SessionFacts): string {
  const value = facts[fact]
  if (value === undefined) return 'not known'
  if (fact === 'atMs') return new Date(value as number).toISOString()
  // What stands for every value that no condition names (universe.ts).
  return value === ANOTHER ? 'any other' : String(value)
}
