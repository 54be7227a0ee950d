import { Engine, type RuleProperties } from 'json-rules-engine'
import type { Org } from '../src/core/people'
import {
  CATALOGUE,
  compile,
  factsOf,
  matrixOf,
  resolve,
  replay,
  whatWouldChange,
  type Condition,
  type Policy,
  type PolicySet,
  type SessionFacts,
  type Situation,
} from '../src/core/policies'

/*
 * 200 policies over all settings for 50,000 people × 12 pools × 4 kinds of client. The peer is json-rules-engine on the same decisions: one rule a policy,
 * the highest priority of those that hold decides; combining rules other than “first” are left out for both.
 */
const PEOPLE = 50_000
const POOLS = 12
const CLIENTS = ['terminal', 'laptop', 'tablet', 'telephone']
const POLICIES = 200
let seed = 5
const random = (below: number) => {
  seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0
  return Math.floor((seed / 2 ** 32) * below)
}
const pick = <T>(list: readonly T[]): T => list[random(list.length)] as T
const GROUPS = Array.from({ length: 400 }, (_, i) => `group ${i}`)
const org: Org = {
  groups: GROUPS.map((id, i) => ({ id, memberOf: i >= 40 ? [GROUPS[i % 40] as string] : [] })),
  people: Array.from({ length: PEOPLE }, (_, i) => ({ id: `person${i}`, groups: [pick(GROUPS), pick(GROUPS), pick(GROUPS)] })),
  pools: Array.from({ length: POOLS }, (_, i) => ({ id: `pool${i}`, grants: GROUPS })),
  hosts: [],
}
// The catalogue has fewer than 120 settings that any session policy can set; they are taken twice, and once more, under other names.
const PLAIN = CATALOGUE.filter(({ holdsFor, combine, type }) => holdsFor === 'session' && combine === 'first' && type.kind !== 'list')
const SETTINGS = Array.from({ length: 120 }, (_, i) => {
  const setting = PLAIN[i % PLAIN.length] as (typeof PLAIN)[number]
  return i < PLAIN.length ? setting : { ...setting, id: `${setting.id}.${Math.floor(i / PLAIN.length)}` }
})
const valueFor = ({ type }: (typeof SETTINGS)[number]): unknown =>
  type.kind === 'switch'
    ? pick(['on', 'off'])
    : type.kind === 'choice'
      ? pick(type.options).id
      : type.kind === 'number'
        ? type.min + random(Math.min(20, type.max - type.min))
        : ''
const policies: Policy[] = Array.from({ length: POLICIES }, (_, i) => {
  const parts: Condition[] = [{ group: [pick(GROUPS), pick(GROUPS)] }]
  if (random(2)) parts.push({ pool: [`pool${random(POOLS)}`, `pool${random(POOLS)}`] })
  if (random(2)) parts.push({ clientKind: [pick(CLIENTS)] })
  if (random(10) === 0) parts.push({ none: [{ person: [`person${random(PEOPLE)}`] }] })
  const settings: Record<string, unknown> = {}
  for (let k = 0; k < 8; k++) {
    const setting = pick(SETTINGS)
    settings[setting.id] = valueFor(setting)
  }
  return { id: `p${i}`, name: `Policy ${i}`, owner: '', note: '', state: 'on', when: { all: parts }, settings }
})
const base = Object.fromEntries(SETTINGS.map((setting) => [setting.id, setting.default]))
const set: PolicySet = { base, policies, networks: [], promises: [] }
const situations: Situation[] = org.pools.flatMap(({ id }) => CLIENTS.map((clientKind) => ({ facts: { pool: id, clientKind }, grants: null })))

const time = <T>(work: () => T): { ms: number; value: T } => {
  const begun = performance.now()
  const value = work()
  return { ms: performance.now() - begun, value }
}
const contexts = PEOPLE * situations.length
const all = time(() => {
  const compiled = compile(set, undefined, SETTINGS)
  const matrix = matrixOf(compiled, org, situations)
  // Handed out context by context, so that nothing is left to be done later.
  const out = new Int32Array(contexts)
  let n = 0
  for (const row of matrix.cells)
    for (const [c, { people }] of matrix.classes.entries()) for (let p = 0; p < people.length; p++) out[n++] = row[c] as number
  return { matrix, n }
})
if (all.value.n !== contexts) throw new Error('not every context was decided')

// The peer, for as many contexts as fit into a few seconds; and both must agree.
const engine = new Engine([], { allowUndefinedFacts: true })
const conditionOf = (condition: Condition): object => {
  if ('all' in condition) return { all: condition.all.map(conditionOf) }
  if ('none' in condition) return { not: { any: condition.none.map(conditionOf) } }
  if ('group' in condition) return { any: condition.group.map((group) => ({ fact: 'groups', operator: 'contains', value: group })) }
  const [[fact, value]] = Object.entries(condition) as [[string, unknown]]
  return { fact, operator: 'in', value }
}
for (const [i, policy] of policies.entries())
  engine.addRule({
    name: policy.id,
    priority: POLICIES - i,
    conditions: conditionOf(policy.when),
    event: { type: 'applies', params: policy.settings },
  } as RuleProperties)
const ready = factsOf(org)
let peerMs = 0
let decided = 0
let checked = 0
while (peerMs < 4000) {
  const person = org.people[random(PEOPLE)] as Org['people'][number]
  const facts = {
    person: person.id,
    pool: `pool${random(POOLS)}`,
    clientKind: pick(CLIENTS),
    groups: [...(ready({ person: person.id }).groups ?? [])],
  }
  const begun = performance.now()
  const { results } = await engine.run(facts)
  const values: Record<string, unknown> = { ...base }
  for (const { event } of results.sort((a, b) => (a.priority ?? 0) - (b.priority ?? 0))) Object.assign(values, event?.params)
  peerMs += performance.now() - begun
  decided++
  if (decided > 200) continue
  const ours = resolve(compile(set, undefined, SETTINGS), ready({ person: facts.person, pool: facts.pool, clientKind: facts.clientKind }))
  for (const { setting, value } of ours.settings) {
    checked++
    if (values[setting] !== value) throw new Error(`${setting} for ${facts.person}: ${String(values[setting])}, ours ${String(value)}`)
  }
}
const ourRate = contexts / (all.ms / 1000)
const peerRate = decided / (peerMs / 1000)

const edited = {
  ...set,
  policies: policies.map((policy, i) => (i === 20 ? { ...policy, settings: { ...policy.settings, idleMinutes: 17, lockMinutes: 3 } } : policy)),
}
const change = time(() => whatWouldChange(set, edited, org, { nowMs: 0, situations, catalogue: SETTINGS }))
const compiled = compile(set, undefined, SETTINGS)
const facts: SessionFacts = { person: 'person77', pool: 'pool3', clientKind: 'laptop' }
const tries = 200
for (let i = 0; i < tries; i++) resolve(compiled, ready({ ...facts, person: `person${i + tries}` }))
const once = time(() => {
  for (let i = 0; i < tries; i++) resolve(compiled, ready({ ...facts, person: `person${i}` }))
})
console.log(
  `Policies: ${POLICIES} over ${SETTINGS.length} settings, ${PEOPLE.toLocaleString('en')} people × ${POOLS} pools × ${CLIENTS.length} clients = ${contexts.toLocaleString('en')} contexts
  all of them         ${all.ms.toFixed(0)} ms (${all.value.matrix.classes.length} classes of people, ${all.value.matrix.results.length} results), ${Math.round(ourRate).toLocaleString('en')} contexts a second
  json-rules-engine   ${decided} in ${(peerMs / 1000).toFixed(1)} s, ${Math.round(peerRate).toLocaleString('en')} contexts a second; ${checked.toLocaleString('en')} values compared, all equal
  ratio               ${Math.round(ourRate / peerRate).toLocaleString('en')}
  what would change   ${change.ms.toFixed(0)} ms after one edit (${change.value.people.toLocaleString('en')} people, ${change.value.groups.length} differences)
  one session         ${(once.ms / tries).toFixed(2)} ms with all reasons`,
)

// Replay: 90 days of 5,000 people, against a bare sweep over the same columns without any limit.
const DAYS = 90
const STAFF = 5000
const MIN = 60_000
const rows: { person: number; pool: number; on: number; off: number; left: boolean }[] = []
for (let person = 0; person < STAFF; person++)
  for (let day = 0; day < DAYS; day++) {
    let at = day * 1440 + 300 + random(300)
    const parts = 1 + random(3)
    for (let part = 0; part < parts; part++) {
      const off = at + 30 + random(200)
      rows.push({ person, pool: person % POOLS, on: at * MIN + random(MIN), off: off * MIN + random(MIN), left: part === parts - 1 && random(3) > 0 })
      at = off + 2 + random(90)
    }
  }
const stretches = {
  person: Int32Array.from(rows, ({ person }) => person),
  pool: Int32Array.from(rows, ({ pool }) => pool),
  onMs: Float64Array.from(rows, ({ on }) => on),
  offMs: Float64Array.from(rows, ({ off }) => off),
  loggedOff: Uint8Array.from(rows, ({ left }) => Number(left)),
}
const limits = { disconnectedMs: new Float64Array(rows.length).fill(30 * MIN), sessionMs: new Float64Array(rows.length).fill(Infinity) }
const options = { untilMs: (DAYS + 1) * 1440 * MIN, pools: POOLS, localHour: (ms: number) => (ms / 3_600_000) % 24 }
/** The least that a sweep can be: beginnings and ends of each pool sorted, and the highest level. */
function bare(): number[] {
  const size = new Int32Array(POOLS)
  for (const pool of stretches.pool) size[pool] = (size[pool] as number) + 1
  return Array.from({ length: POOLS }, (_, pool) => {
    const starts = new Float64Array(size[pool] as number)
    const stops = new Float64Array(size[pool] as number)
    for (let i = 0, k = 0; i < stretches.pool.length; i++)
      if (stretches.pool[i] === pool) {
        starts[k] = stretches.onMs[i] as number
        stops[k++] = stretches.offMs[i] as number
      }
    starts.sort()
    stops.sort()
    let [level, peak] = [0, 0]
    for (let a = 0, b = 0; a < starts.length;) {
      if ((stops[b] as number) <= (starts[a] as number)) {
        level--
        b++
      } else {
        if (++level > peak) peak = level
        a++
      }
    }
    return peak
  })
}
const best = <T>(work: () => T) => Math.min(...[1, 2, 3].map(() => time(work).ms))
const [bareMs, replayMs] = [best(bare), best(() => replay(stretches, limits, options))]
console.log(
  `  replay              ${rows.length.toLocaleString('en')} stretches (${DAYS} days × ${STAFF.toLocaleString('en')} people): ${replayMs.toFixed(0)} ms; bare sweep ${bareMs.toFixed(0)} ms = ${(replayMs / bareMs).toFixed(2)} times\n`,
)
