import { canonical } from './canonical'
import { CATALOGUE, settingOf } from './catalogue'
import { plain } from './condition'
import type { Policy, PolicySet, Values } from './set'
import { writeText } from './text'
import { sayValueOf } from './value'

/** One difference between two versions of a set, in words. */
export interface SetDifference {
  readonly kind: 'added' | 'removed' | 'changed' | 'moved'
  /** `base`, the id of a policy, `network …` or `promise …`. */
  readonly where: string
  readonly name: string
  /** What of it; empty where the whole is meant. */
  readonly what: string
  readonly before: string
  readonly after: string
}

/** What differs between two versions, policy by policy and setting by setting. */
export function compareSets(before: PolicySet, after: PolicySet): SetDifference[] {
  const found = valuesDiffer('base', 'The base policy', before.base, after.base)
  const [old, young] = [new Map(before.policies.map((one) => [one.id, one])), new Map(after.policies.map((one) => [one.id, one]))]
  for (const [id, policy] of old)
    if (!young.has(id)) found.push({ kind: 'removed', where: id, name: policy.name, what: '', before: writeText(policy.when), after: '' })
  for (const [id, policy] of young) {
    const was = old.get(id)
    if (!was) {
      found.push(
        { kind: 'added', where: id, name: policy.name, what: '', before: '', after: writeText(policy.when) },
        ...valuesDiffer(id, policy.name, {}, policy.settings),
      )
      continue
    }
    const tell = (what: string, a: string, b: string) => {
      if (a !== b) found.push({ kind: 'changed', where: id, name: policy.name, what, before: a, after: b })
    }
    tell('name', was.name, policy.name)
    tell('owner', was.owner, policy.owner)
    tell('note', was.note, policy.note)
    tell('state', was.state, policy.state)
    tell('begins', was.from ?? 'at once', policy.from ?? 'at once')
    tell('ends', was.until ?? 'never', policy.until ?? 'never')
    tell('condition', writeText(plain(was.when)), writeText(plain(policy.when)))
    found.push(...valuesDiffer(id, policy.name, was.settings, policy.settings))
  }
  found.push(...moves(before, after))
  for (const kind of ['networks', 'promises'] as const) {
    const [a, b] = [new Map(before[kind].map((one) => [one.id, one])), new Map(after[kind].map((one) => [one.id, one]))]
    const word = kind === 'networks' ? 'network' : 'promise'
    for (const id of new Set([...a.keys(), ...b.keys()])) {
      const [x, y] = [a.get(id), b.get(id)]
      if (canonical(x) === canonical(y)) continue
      found.push({
        kind: !x ? 'added' : !y ? 'removed' : 'changed',
        where: `${word} ${id}`,
        name: id,
        what: '',
        before: x ? canonical(x) : '',
        after: y ? canonical(y) : '',
      })
    }
  }
  return found
}

function valuesDiffer(where: string, name: string, before: Values, after: Values): SetDifference[] {
  const ids = new Set([...Object.keys(before), ...Object.keys(after)])
  const place = (id: string) => CATALOGUE.findIndex((setting) => setting.id === id)
  const say = (id: string, values: Values) => {
    const setting = settingOf(id)
    return !(id in values) ? 'not set' : setting ? sayValueOf(setting, values[id]) : canonical(values[id])
  }
  return [...ids]
    .filter((id) => canonical(before[id]) !== canonical(after[id]))
    .sort((a, b) => place(a) - place(b))
    .map((id) => ({ kind: 'changed' as const, where, name, what: settingOf(id)?.title ?? id, before: say(id, before), after: say(id, after) }))
}

/** Policies that changed their place among those that are in both: the fewest that explain the new order. */
function moves(before: PolicySet, after: PolicySet): SetDifference[] {
  const place = new Map(before.policies.map(({ id }, at) => [id, at]))
  const kept = after.policies.filter(({ id }) => place.has(id))
  // The longest run that is still in its old order stays; the others moved.
  const best: { readonly length: number; readonly from: number }[] = []
  for (const [i, { id }] of kept.entries()) {
    let length = 1
    let from = -1
    for (let j = 0; j < i; j++)
      if ((place.get(kept[j]?.id ?? '') ?? 0) < (place.get(id) ?? 0) && (best[j]?.length ?? 0) + 1 > length) {
        length = (best[j]?.length ?? 0) + 1
        from = j
      }
    best.push({ length, from })
  }
  const stays = new Set<number>()
  let at = best.reduce((top, { length }, i) => (length > (best[top]?.length ?? 0) ? i : top), 0)
  while (at >= 0 && best[at]) {
    stays.add(at)
    at = best[at]?.from ?? -1
  }
  return kept.flatMap(({ id, name }, i) =>
    stays.has(i)
      ? []
      : [
          {
            kind: 'moved' as const,
            where: id,
            name,
            what: 'place',
            before: String((place.get(id) ?? 0) + 1),
            after: String(after.policies.findIndex((one) => one.id === id) + 1),
          },
        ],
  )
}

export interface Rebased {
  readonly set: PolicySet
  /** What both sides changed, each in its own way: mine was kept. */
  readonly conflicts: readonly string[]
}

/** Brings a draft up to date with what somebody else published meanwhile. @param from the version that the draft began with */
export function rebase(from: PolicySet, mine: PolicySet, theirs: PolicySet): Rebased {
  const conflicts: string[] = []
  const pick = <T>(name: string, old: T, own: T, other: T): T => {
    if (canonical(own) === canonical(old)) return other
    if (canonical(other) !== canonical(old) && canonical(other) !== canonical(own)) conflicts.push(name)
    return own
  }
  const base: Record<string, unknown> = {}
  for (const id of new Set([...Object.keys(from.base), ...Object.keys(mine.base), ...Object.keys(theirs.base)])) {
    const value = pick(settingOf(id)?.title ?? id, from.base[id], mine.base[id], theirs.base[id])
    if (value !== undefined) base[id] = value
  }
  const merge = <T extends { readonly id: string }>(a: readonly T[], own: readonly T[], other: readonly T[], name: (one: T) => string): T[] => {
    const [old, theirsById] = [new Map(a.map((one) => [one.id, one])), new Map(other.map((one) => [one.id, one]))]
    const kept = own.flatMap((one): T[] => {
      const [was, is] = [old.get(one.id), theirsById.get(one.id)]
      // Gone at theirs, and untouched by mine.
      if (was && !is) return canonical(was) === canonical(one) ? [] : [one]
      return [was && is ? pick(name(one), was, one, is) : one]
    })
    // What they added stands where theirs has it, before the first of mine that follows it there.
    const known = new Set([...own, ...a].map(({ id }) => id))
    for (const [at, one] of other.entries()) {
      if (known.has(one.id)) continue
      const follower = other.slice(at + 1).find(({ id }) => kept.some((mineOne) => mineOne.id === id))
      const place = follower ? kept.findIndex(({ id }) => id === follower.id) : kept.length
      kept.splice(place, 0, one)
    }
    return kept
  }
  return {
    set: {
      base,
      policies: merge(from.policies, mine.policies, theirs.policies, ({ name }: Policy) => name),
      networks: merge(from.networks, mine.networks, theirs.networks, ({ id }) => id),
      promises: merge(from.promises, mine.promises, theirs.promises, ({ name }) => name),
    },
    conflicts,
  }
}
