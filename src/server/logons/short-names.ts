import { keepable } from '../../core/formats'
import type { Attrs, Observation } from '../../core/logons'
import { shortHash } from '../../core/stats/hash'

/** Names are keys of indexes, which take 2,704 bytes: two of so many characters fit, whatever their script. A longer one is none that anybody gave. */
const LONGEST = 200
const NAMED = ['attempt', 'person', 'host', 'source', 'pool', 'session', 'phase', 'part'] as const
const NAMED_IN_ATTRS = ['share', 'zone', 'site', 'image', 'network', 'transport', 'clientKind', 'clientVersion', 'factor', 'holderHost'] as const

/** A name that is too long by its begin, and a hash of all of it: it stays one name for one thing. */
const short = (name: string): string => `${keepable(name.slice(0, LONGEST - 18))}…${shortHash(name)}`

/** The same observation, but that no name in it is longer than the database takes. */
export function withShortNames(one: Observation): Observation {
  const long = NAMED.filter((field) => (one[field]?.length ?? 0) > LONGEST)
  const { attrs } = one
  const longAttrs = attrs ? NAMED_IN_ATTRS.filter((name) => isLong(attrs[name])) : []
  if (long.length + longAttrs.length === 0) return one
  return {
    ...one,
    ...Object.fromEntries(long.map((field) => [field, short(one[field] ?? '')])),
    ...(longAttrs.length > 0 ? { attrs: { ...attrs, ...Object.fromEntries(longAttrs.map((name) => [name, short(String(attrs?.[name]))])) } } : {}),
  }
}

const isLong = (value: Attrs[string] | undefined): boolean => typeof value === 'string' && value.length > LONGEST
