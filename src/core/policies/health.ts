import type { Org } from '../people/org'
import { canonical } from './canonical'
import { settingOf, type Setting } from './catalogue'
import { whatWouldChange } from './changes'
import { compile, type CompiledSet } from './compile'
import { leafOf, leavesOf, plain } from './condition'
import { matrixOf } from './matrix'
import { combine, idleOf } from './resolve'
import type { Policy, PolicySet } from './set'
import { universe } from './universe'

export interface HealthFinding {
  readonly code:
    | 'never applies'
    | 'never wins'
    | 'loses everywhere'
    | 'named persons'
    | 'expired'
    | 'does nothing'
    | 'no usable location'
    | 'unknown name'
    | 'unknown setting'
    | 'many administrators'
    | 'not decided'
  /** Null where the whole set is meant. */
  readonly policy: string | null
  readonly sentence: string
  readonly people: number
}
export interface Simplification {
  readonly sentence: string
  readonly policy: string
  /** What is to be done; `simplified` does it. */
  readonly change:
    { readonly kind: 'remove' } | { readonly kind: 'unset'; readonly setting: string } | { readonly kind: 'merge'; readonly next: string }
}

/** What is odd about a set, found over all classes of sessions. */
export function healthOf(set: PolicySet, org: Org, nowMs: number, limit?: number): HealthFinding[] {
  const compiled = compile(set)
  // Without people nothing can be concluded about who gets what.
  if (org.people.length === 0) return aloneFindings(set, org, nowMs)
  return [
    ...deadOnes(compiled, org, nowMs, limit),
    ...aloneFindings(set, org, nowMs),
    ...idleOnes(compiled, org, nowMs, limit),
    ...withoutLocation(compiled, org, nowMs, limit),
    ...administrators(set, org),
  ]
}

/** What can be said of each policy by itself. */
function aloneFindings(set: PolicySet, org: Org, nowMs: number): HealthFinding[] {
  return [
    ...set.policies.flatMap((policy) => [...ofPolicy(policy, nowMs), ...(org.people.length ? unknownNames(policy, org) : [])]),
    ...Object.keys(set.base)
      .filter((id) => !settingOf(id))
      .map((id) => finding('unknown setting', null, `The base policy sets ${id}, which is not known here: it is kept, and not applied.`)),
  ]
}

const finding = (code: HealthFinding['code'], policy: string | null, sentence: string, people = 0): HealthFinding => ({
  code,
  policy,
  sentence,
  people,
})

/** What each policy is good for, over all sessions. */
interface Uses {
  /** Settings that it decides somewhere. */
  readonly wins: readonly ReadonlySet<string>[]
  /** Settings for which somebody would get another value without it. */
  readonly needed: readonly ReadonlySet<string>[]
  /** Too many situations to say. */
  readonly undecided: readonly boolean[]
}

/** Settings with the same setters are looked at together; whether a policy is needed is told from each set of policies that apply together somewhere. */
function usesOf(compiled: CompiledSet, org: Org, nowMs: number, limit?: number): Uses {
  const bySetters = new Map<string, Setting[]>()
  for (const [setting, by] of compiled.setters) {
    const list = bySetters.get(by.join())
    if (list) list.push(setting)
    else bySetters.set(by.join(), [setting])
  }
  const wins = compiled.policies.map(() => new Set<string>())
  const needed = compiled.policies.map(() => new Set<string>())
  const undecided = compiled.policies.map(() => false)
  for (const settings of bySetters.values()) {
    const by = settings[0] ? (compiled.setters.get(settings[0]) ?? []) : []
    if (by.length === 0) continue
    const involved = by.flatMap((at) => compiled.policies[at] ?? [])
    const found = universe(compiled, org, { nowMs, nodes: involved.map(({ node }) => node), policies: involved, ...(limit ? { limit } : {}) })
    if (!found.complete) {
      for (const at of by) undecided[at] = true
      continue
    }
    const matrix = matrixOf(compiled, org, found.situations, { settings })
    const used = new Set(matrix.cells.flatMap((row) => [...row]))
    for (const [at, result] of matrix.results.entries()) {
      if (!used.has(at)) continue
      for (const [s, setting] of settings.entries()) {
        const bids = result.applying
          .filter((one) => by.includes(one))
          .map((one) => ({ by: one, value: compiled.policies[one]?.policy.settings[setting.id] }))
        const gathers = setting.combine === 'union' || setting.combine === 'append'
        for (const winner of gathers ? bids.map((bid) => bid.by) : [result.winners[s] ?? -2]) {
          wins[winner]?.add(setting.id)
          if (winner < 0 || needed[winner]?.has(setting.id)) continue
          const without = combine(
            setting,
            bids.filter((bid) => bid.by !== winner),
            compiled.set.base[setting.id],
          )
          if (JSON.stringify(without.value) !== JSON.stringify(result.values[s])) needed[winner]?.add(setting.id)
        }
      }
    }
  }
  return { wins, needed, undecided }
}

/** Policies and settings that decide nowhere. */
function deadOnes(compiled: CompiledSet, org: Org, nowMs: number, limit?: number): HealthFinding[] {
  const { wins, undecided } = usesOf(compiled, org, nowMs, limit)
  return compiled.policies.flatMap(({ policy, untilMs, node, fromMs }, at): HealthFinding[] => {
    if (policy.state !== 'on' || untilMs <= nowMs) return []
    const own = universe(compiled, org, {
      nowMs,
      nodes: [node],
      policies: [{ policy, node, fromMs, untilMs, ofPlace: true }],
      ...(limit ? { limit } : {}),
    })
    if (!own.complete || undecided[at])
      return [finding('not decided', policy.id, `Too many situations to say whether it can ever win (${own.count}).`)]
    const matrix = matrixOf(compiled, org, own.situations, { settings: [], watch: [node] })
    const ever = matrix.watched.some(([bits], s) =>
      matrix.cells[s]?.some((cell, c) => cell >= 0 && (((bits?.[c >>> 5] ?? 0) >>> (c & 31)) & 1) === 1),
    )
    if (!ever) return [finding('never applies', policy.id, 'Its condition can hold for nobody, in no place and at no time of the coming year.')]
    const known = Object.keys(policy.settings).filter((id) => settingOf(id))
    const lost = known.filter((id) => !wins[at]?.has(id))
    if (known.length === 0) return [finding('never wins', policy.id, 'It sets nothing.')]
    if (lost.length === known.length) return [finding('never wins', policy.id, 'Wherever it applies, others decide on everything that it sets.')]
    return lost.map((id) =>
      finding('loses everywhere', policy.id, `${settingOf(id)?.title ?? id}: others decide on it wherever this policy applies.`),
    )
  })
}

function ofPolicy(policy: Policy, nowMs: number): HealthFinding[] {
  const persons = [...new Set(leavesOf(policy.when).flatMap((leaf) => ('person' in leaf ? leaf.person : [])))]
  const since = policy.since ? `, since ${policy.since.slice(0, 10)}` : ''
  return [
    ...(persons.length
      ? [
          finding(
            'named persons',
            policy.id,
            `It names ${persons.length === 1 ? 'one person' : `${persons.length} persons`} (${persons.slice(0, 5).join(', ')}${persons.length > 5 ? ' …' : ''})${since}. A group would say why.`,
            persons.length,
          ),
        ]
      : []),
    ...(policy.until !== undefined && Date.parse(policy.until) <= nowMs
      ? [finding('expired', policy.id, `It ended on ${policy.until.slice(0, 10)}.`)]
      : []),
    ...Object.keys(policy.settings)
      .filter((id) => !settingOf(id))
      .map((id) => finding('unknown setting', policy.id, `It sets ${id}, which is not known here: it is kept, and not applied.`)),
  ]
}

function unknownNames(policy: Policy, org: Org): HealthFinding[] {
  const known: Record<string, Set<string>> = {
    person: new Set(org.people.map(({ id }) => id.toLowerCase())),
    group: new Set([
      ...org.groups.map(({ id }) => id.toLowerCase()),
      ...org.people.flatMap(({ groups }) => groups ?? []).map((group) => group.toLowerCase()),
    ]),
    pool: new Set(org.pools.map(({ id }) => id.toLowerCase())),
  }
  return leavesOf(policy.when).flatMap((leaf) => {
    const { name, want } = leafOf(leaf)
    const names = known[name]
    if (!names) return []
    return (want as string[])
      .filter((one) => !names.has(one.toLowerCase()))
      .map((one) => finding('unknown name', policy.id, `No ${name} is called ${one}.`))
  })
}

/** Settings that a policy sets, which do nothing wherever it decides, because what they depend on is set otherwise there. */
function idleOnes(compiled: CompiledSet, org: Org, nowMs: number, limit?: number): HealthFinding[] {
  return [...compiled.setters].flatMap(([setting, by]) => {
    const needed = setting.needs && settingOf(setting.needs.setting)
    if (!needed || by.length === 0) return []
    const involved = [...new Set([...by, ...(compiled.setters.get(needed) ?? [])])].flatMap((at) => compiled.policies[at] ?? [])
    const found = universe(compiled, org, { nowMs, nodes: involved.map(({ node }) => node), policies: involved, ...(limit ? { limit } : {}) })
    if (!found.complete) return []
    const matrix = matrixOf(compiled, org, found.situations, { settings: [setting, needed] })
    const used = new Set(matrix.cells.flatMap((row) => [...row]))
    const states = new Map<number, { works: boolean; idle: string | null }>()
    for (const [at, result] of matrix.results.entries()) {
      if (!used.has(at)) continue
      const winner = result.winners[0] ?? -2
      const idle = idleOf(setting, () => result.values[1])
      const known = states.get(winner) ?? { works: false, idle: null }
      states.set(winner, { works: known.works || idle === null, idle: known.idle ?? idle?.sentence ?? null })
    }
    return by.flatMap((at) => {
      const state = states.get(at)
      return state && !state.works ? [finding('does nothing', compiled.policies[at]?.policy.id ?? null, `${setting.title}: ${state.idle ?? ''}`)] : []
    })
  })
}

/** People who may use a pool that works with containers, and for whom no location results. */
function withoutLocation(compiled: CompiledSet, org: Org, nowMs: number, limit?: number): HealthFinding[] {
  const [containers, locations] = [settingOf('containers'), settingOf('locations')]
  if (!containers || !locations) return []
  const involved = [...new Set([containers, locations].flatMap((setting) => compiled.setters.get(setting) ?? []))].flatMap(
    (at) => compiled.policies[at] ?? [],
  )
  const found = universe(compiled, org, { nowMs, nodes: involved.map(({ node }) => node), policies: involved, ...(limit ? { limit } : {}) })
  if (!found.complete) return []
  const modes = new Map(org.pools.map(({ id, mode }) => [id, mode]))
  const matrix = matrixOf(compiled, org, found.situations, { settings: [containers, locations] })
  const hit = new Set<number>()
  const pools = new Set<string>()
  for (const [s, row] of matrix.cells.entries()) {
    const pool = found.situations[s]?.facts.pool ?? ''
    if (modes.get(pool) !== 'container') continue
    for (const [c, at] of row.entries()) {
      const values = matrix.results[at]?.values
      if (values?.[0] !== 'on' || (values[1] as unknown[]).length > 0) continue
      hit.add(c)
      pools.add(pool)
    }
  }
  const people = [...hit].reduce((n, c) => n + (matrix.classes[c]?.people.length ?? 0), 0)
  return people
    ? [finding('no usable location', null, `On ${[...pools].join(', ')} containers are on, and no location is set for them.`, people)]
    : []
}

/** The right to be an administrator, given where many people share machines, or to a group at large. */
function administrators(set: PolicySet, org: Org): HealthFinding[] {
  const fixed = new Set(org.pools.filter(({ binding }) => binding === 'fixed').map(({ id }) => id.toLowerCase()))
  return [
    ['base', set.base] as const,
    ...set.policies.filter(({ state }) => state === 'on').map((policy) => [policy.id, policy.settings, policy.when] as const),
  ].flatMap(([id, values, when]) => {
    if (values['localAdministrator'] !== 'assigned') return []
    const pools = when ? [...new Set(leavesOf(when).flatMap((leaf) => ('pool' in leaf ? leaf.pool : [])))] : []
    const free = pools.filter((pool) => !fixed.has(pool.toLowerCase()))
    if (pools.length && free.length === 0) return []
    return [
      finding(
        'many administrators',
        id === 'base' ? null : id,
        pools.length
          ? `It gives the right on ${free.join(', ')}, where no desktop is assigned to anybody: there it does nothing.`
          : 'It gives the right on every pool. Only desktops that are assigned to one person get it; name those pools, so that nobody has to rely on that.',
      ),
    ]
  })
}

/** Merges are compared one by one, so only so many are tried. */
const MOST_MERGES = 30

/** Ways to say the same with less. Each was proven by itself: over all classes of sessions nothing differs. None where no people are known. */
export function simplify(set: PolicySet, org: Org, nowMs: number, limit?: number): Simplification[] {
  if (org.people.length === 0) return []
  const compiled = compile(set)
  const { needed, undecided } = usesOf(compiled, org, nowMs, limit)
  const found: Simplification[] = []
  let tried = 0
  const merge = (policy: Policy, next: Policy, sentence: string) => {
    if (++tried > MOST_MERGES) return
    const one: Simplification = { policy: policy.id, sentence, change: { kind: 'merge', next: next.id } }
    const { groups, decided } = whatWouldChange(set, simplified(set, one), org, { nowMs, ...(limit ? { limit } : {}) })
    if (decided && groups.length === 0) found.push(one)
  }
  for (const [index, policy] of set.policies.entries()) {
    if (policy.state !== 'on' || undecided[index]) continue
    const known = Object.keys(policy.settings).filter((id) => settingOf(id))
    const idle = known.filter((id) => !needed[index]?.has(id))
    if (idle.length === Object.keys(policy.settings).length) {
      found.push({ policy: policy.id, sentence: `${policy.name} can go: nothing changes for anybody.`, change: { kind: 'remove' } })
      continue
    }
    for (const id of idle)
      found.push({
        policy: policy.id,
        sentence: `${policy.name} need not set ${settingOf(id)?.title ?? id}: the same results without.`,
        change: { kind: 'unset', setting: id },
      })
    const next = set.policies[index + 1]
    if (next?.state !== 'on' || next.from !== policy.from || next.until !== policy.until) continue
    if (same(policy.settings, next.settings)) merge(policy, next, `${policy.name} and ${next.name} set the same: they can be one.`)
    else if (same(plain(policy.when), plain(next.when)))
      merge(policy, next, `${policy.name} and ${next.name} are for the same sessions: they can be one.`)
  }
  return found
}

/** A set with a simplification carried out. What has changed since it was found is left as it is. */
export function simplified(set: PolicySet, { policy: id, change }: Simplification): PolicySet {
  const at = set.policies.findIndex((one) => one.id === id)
  const policy = set.policies[at]
  if (!policy) return set
  const others = set.policies.filter((one) => one !== policy)
  if (change.kind === 'remove') return { ...set, policies: others }
  if (change.kind === 'unset') {
    const { [change.setting]: _, ...settings } = policy.settings
    return { ...set, policies: set.policies.map((one) => (one === policy ? { ...one, settings } : one)) }
  }
  const next = set.policies[at + 1]
  if (next?.id !== change.next) return set
  const when = same(plain(policy.when), plain(next.when)) ? policy.when : plain({ any: [policy.when, next.when] })
  const one = { ...policy, name: `${policy.name}, ${next.name}`, when, settings: { ...next.settings, ...policy.settings } }
  return { ...set, policies: others.map((other) => (other === next ? one : other)) }
}

const same = (a: unknown, b: unknown) => canonical(a) === canonical(b)
