import { settingOf } from './catalogue'
import { FACTS, leafOf, leavesOf, readCondition, ALWAYS, type Condition, type Span } from './condition'
import { readRange } from './address'
import { readValue } from './value'

export type Values = Readonly<Record<string, unknown>>

/** Settings, a condition, and a place in the order: the first of the list is the highest. */
export interface Policy {
  readonly id: string
  readonly name: string
  readonly owner: string
  readonly note: string
  readonly state: 'on' | 'off' | 'draft'
  /** When it begins and ends to count, RFC 3339; from and until the very moment. */
  readonly from?: string
  readonly until?: string
  /** Since when it is there, RFC 3339. */
  readonly since?: string
  readonly when: Condition
  readonly settings: Values
}

/** A class of networks with a name; it is told by what is measured, where it says so, and not by what a client reports. */
export interface NetworkClass {
  readonly id: string
  readonly addresses?: readonly string[]
  readonly rttMs?: Span<number>
  readonly bandwidthKbps?: Span<number>
}

/** What must hold for every session that a condition covers. */
export interface SetPromise {
  readonly id: string
  readonly name: string
  readonly when: Condition
  readonly then: readonly Demand[]
  readonly waived?: { readonly reason: string; readonly until: string; readonly by: string }
}
/** `is`: one of these values; `atLeast`: this strict, or stricter. */
export type Demand = { readonly setting: string; readonly is: readonly unknown[] } | { readonly setting: string; readonly atLeast: unknown }

export interface PolicySet {
  readonly base: Values
  /** Highest first. */
  readonly policies: readonly Policy[]
  readonly networks: readonly NetworkClass[]
  readonly promises: readonly SetPromise[]
}
export const EMPTY_SET: PolicySet = { base: {}, policies: [], networks: [], promises: [] }

export interface SetFault {
  /** Where, such as `policies[3].settings.idleMinutes`. */
  readonly path: string
  readonly sentence: string
  /** `unknown`: kept and shown, but not applied; `wrong`: it must be put right, or left out. */
  readonly weight: 'wrong' | 'unknown'
}
export interface SetReading {
  /** What was understood. Policies, promises and networks with a fault are left out of it; single wrong values of the base too. */
  readonly set: PolicySet
  readonly faults: readonly SetFault[]
  /** Ids of policies and promises that were left out. */
  readonly leftOut: readonly string[]
}

const MOST = 10_000

/** Reads a set that came from outside, whatever it is. Everything that is wrong is told with its path. */
export function readSet(given: unknown): SetReading {
  const faults: SetFault[] = []
  const leftOut: string[] = []
  const wrong = (path: string, sentence: string) => faults.push({ path, sentence, weight: 'wrong' })
  if (!isObject(given)) {
    wrong('', 'A set of policies is an object with base, policies, networks and promises.')
    return { set: EMPTY_SET, faults, leftOut }
  }
  const KNOWN = ['format', '$schema', 'base', 'policies', 'networks', 'promises']
  for (const key of Object.keys(given))
    if (!KNOWN.includes(key)) faults.push({ path: key, sentence: `“${key}” is not known here.`, weight: 'unknown' })
  if (given['format'] !== undefined && given['format'] !== 'ikebana-policies/1')
    wrong('format', `The format is ikebana-policies/1, not ${JSON.stringify(given['format'])}.`)
  const base = readValues(given['base'] ?? {}, 'base', faults, null)

  const list = (key: string): unknown[] => {
    const value = given[key] ?? []
    if (Array.isArray(value) && value.length <= MOST) return value
    wrong(key, Array.isArray(value) ? `At most ${MOST} can be read.` : 'It is a list.')
    return []
  }
  const ids = new Set<string>()
  /** Reads one entry; it is taken only when nothing in it was wrong. */
  const entry = <T extends { readonly id: string }>(
    key: string,
    index: number,
    one: unknown,
    read: (one: Record<string, unknown>, path: string) => T,
  ): T[] => {
    const path = `${key}[${index}]`
    const before = faults.length
    let result: T | null = null
    if (!isObject(one)) wrong(path, 'It is an object.')
    else {
      const id = one['id']
      if (typeof id !== 'string' || !/^[\p{L}\p{N}._-]{1,100}$/u.test(id)) wrong(`${path}.id`, 'It needs an id of letters, digits, dots and hyphens.')
      else if (ids.has(`${key} ${id}`)) wrong(`${path}.id`, `The id ${id} is there twice.`)
      else if (key === 'policies' && (id === 'base' || id === 'default')) wrong(`${path}.id`, `${id} is kept for Ikebana.`)
      else ids.add(`${key} ${id}`)
      result = read(one, path)
    }
    if (!faults.slice(before).some(({ weight }) => weight === 'wrong') && result) return [result]
    leftOut.push(result?.id || path)
    return []
  }
  return {
    set: {
      base,
      policies: list('policies').flatMap((one, i) => entry('policies', i, one, (policy, path) => readPolicy(policy, path, faults))),
      networks: list('networks').flatMap((one, i) => entry('networks', i, one, (network, path) => readNetwork(network, path, faults))),
      promises: list('promises').flatMap((one, i) => entry('promises', i, one, (promise, path) => readPromise(promise, path, faults))),
    },
    faults,
    leftOut,
  }
}

function readPolicy(one: Record<string, unknown>, path: string, faults: SetFault[]): Policy {
  const wrong = (at: string, sentence: string) => faults.push({ path: `${path}.${at}`, sentence, weight: 'wrong' })
  const KNOWN = ['id', 'name', 'owner', 'note', 'state', 'from', 'until', 'since', 'when', 'settings']
  for (const key of Object.keys(one))
    if (!KNOWN.includes(key)) faults.push({ path: `${path}.${key}`, sentence: `“${key}” is not known here.`, weight: 'unknown' })
  const when = conditionOf(one['when'], `${path}.when`, faults)
  const state = one['state'] ?? 'on'
  if (state !== 'on' && state !== 'off' && state !== 'draft') wrong('state', 'It is on, off or draft.')
  const moment = (key: string) => {
    const value = one[key]
    if (value === undefined || value === null) return {}
    if (typeof value === 'string' && isMoment(value)) return { [key]: value }
    wrong(key, 'It is a moment with its offset, such as 2026-12-01T00:00:00+01:00.')
    return {}
  }
  const id = textOf(one['id'])
  return {
    id,
    name: textOf(one['name']) || id,
    owner: textOf(one['owner']),
    note: textOf(one['note']),
    state: state === 'off' || state === 'draft' ? state : 'on',
    ...moment('from'),
    ...moment('until'),
    ...moment('since'),
    when,
    settings: readValues(one['settings'] ?? {}, `${path}.settings`, faults, when),
  }
}

function readNetwork(one: Record<string, unknown>, path: string, faults: SetFault[]): NetworkClass {
  const { addresses, rttMs, bandwidthKbps } = one
  const leaf = (name: string, want: unknown) => want !== undefined && readCondition({ [name]: want }, path, asFaults(faults))
  leaf('rttMs', rttMs)
  leaf('bandwidthKbps', bandwidthKbps)
  if (addresses !== undefined && !(Array.isArray(addresses) && addresses.every((text) => typeof text === 'string' && readRange(text))))
    faults.push({ path: `${path}.addresses`, sentence: 'It is a list of address ranges such as 10.20.0.0/16.', weight: 'wrong' })
  if (addresses === undefined && rttMs === undefined && bandwidthKbps === undefined)
    faults.push({ path, sentence: 'It needs addresses, rttMs or bandwidthKbps, by which it is told.', weight: 'wrong' })
  return {
    id: textOf(one['id']),
    ...(Array.isArray(addresses) ? { addresses: addresses as string[] } : {}),
    ...(rttMs === undefined ? {} : { rttMs: rttMs as Span<number> }),
    ...(bandwidthKbps === undefined ? {} : { bandwidthKbps: bandwidthKbps as Span<number> }),
  }
}

function readPromise(one: Record<string, unknown>, path: string, faults: SetFault[]): SetPromise {
  const wrong = (at: string, sentence: string) => faults.push({ path: `${path}.${at}`, sentence, weight: 'wrong' })
  const then = Array.isArray(one['then']) ? (one['then'] as unknown[]) : []
  if (then.length === 0) wrong('then', 'It is a list of demands, such as {"setting": "copyTextOut", "is": ["off"]}.')
  const demands = then.flatMap((demand, index): Demand[] => {
    const at = `then[${index}]`
    if (!isObject(demand) || typeof demand['setting'] !== 'string') {
      wrong(at, 'A demand names a setting.')
      return []
    }
    const setting = settingOf(demand['setting'])
    if (!setting) {
      wrong(at, `The setting ${demand['setting']} is not known, so nothing can be promised about it.`)
      return []
    }
    const values = Array.isArray(demand['is']) ? (demand['is'] as unknown[]) : [demand['atLeast']]
    for (const value of values) {
      const reading = readValue(setting, value)
      if (!reading.ok) wrong(at, reading.sentence)
    }
    if (Array.isArray(demand['is'])) return [{ setting: setting.id, is: demand['is'] as unknown[] }]
    if (setting.stricter === null) wrong(at, `${setting.title} has no stricter side; say “is”.`)
    return [{ setting: setting.id, atLeast: demand['atLeast'] }]
  })
  const waived = one['waived']
  if (waived !== undefined && !(isObject(waived) && textOf(waived['reason']) && textOf(waived['by']) && isMoment(textOf(waived['until']))))
    wrong('waived', 'It has a reason, by whom, and until when.')
  const id = textOf(one['id'])
  return {
    id,
    name: textOf(one['name']) || id,
    when: conditionOf(one['when'], `${path}.when`, faults),
    then: demands,
    ...(isObject(waived) ? { waived: waived as unknown as NonNullable<SetPromise['waived']> } : {}),
  }
}

function conditionOf(given: unknown, path: string, faults: SetFault[]): Condition {
  return given === undefined ? ALWAYS : (readCondition(given, path, asFaults(faults)) ?? ALWAYS)
}
const asFaults = (faults: SetFault[]) =>
  ({ push: (fault: { path: string; sentence: string }) => faults.push({ ...fault, weight: 'wrong' }) }) as unknown as {
    path: string
    sentence: string
  }[]

const PLACES = new Set(['pool', 'host', 'zone', 'image'])
/** The first fact in a condition that is not about the place of a host. */
export const notOfPlace = (when: Condition): string | null =>
  leavesOf(when)
    .map((leaf) => leafOf(leaf).name)
    .find((name) => !PLACES.has(name)) ?? null

/** @param when the condition of the policy; null for the base */
function readValues(given: unknown, path: string, faults: SetFault[], when: Condition | null): Values {
  if (!isObject(given)) {
    faults.push({ path, sentence: 'It is an object of settings and their values.', weight: 'wrong' })
    return {}
  }
  const values: Record<string, unknown> = {}
  const odd = when && notOfPlace(when)
  for (const [id, value] of Object.entries(given)) {
    const setting = settingOf(id)
    const at = `${path}.${id}`
    if (!setting) {
      faults.push({ path: at, sentence: `The setting ${id} is not known here. It is kept, and not applied.`, weight: 'unknown' })
      values[id] = value
      continue
    }
    const reading = readValue(setting, value)
    if (!reading.ok) faults.push({ path: at, sentence: `${setting.title}: ${reading.sentence}`, weight: 'wrong' })
    else if (when && setting.holdsFor === 'base')
      faults.push({ path: at, sentence: `${setting.title} is the same for everybody; only the base policy sets it.`, weight: 'wrong' })
    else if (odd && setting.holdsFor === 'host')
      faults.push({
        path: at,
        sentence: `${setting.title} holds for a whole host, so that only pool, host, zone and image can decide on it, not ${FACTS[odd as keyof typeof FACTS].title}.`,
        weight: 'wrong',
      })
    else values[id] = reading.value
  }
  return values
}

const isObject = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value)
const textOf = (value: unknown) => (typeof value === 'string' ? value.slice(0, 2000) : '')
const isMoment = (text: string) => /^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?(Z|[+-]\d\d:\d\d)$/.test(text) && !Number.isNaN(Date.parse(text))
