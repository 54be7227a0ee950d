import type { OrgFileText } from '../../contract/org'
import type { Observation } from '../../core/logons/observation'
import { Random } from '../random'
import { companyOf, type Company, type Family, type Machine, type Member, type PoolPlan } from './company'
import { run, tell, throwDice, type Conditions, type Dice, type Run } from './physics'
import { LASTING, SINGLE, STAGED, type Altered, type Meeting, type Place, type Trouble } from './troubles'

const DAY_MS = 86_400_000

export interface TrialOptions {
  readonly seed: string
  readonly family: Family
  readonly people: number
  readonly days: number
  /** The day of the first logon, as epoch milliseconds at midnight. */
  readonly fromMs: number
  /** How many troubles are staged; which ones, where it matters. */
  readonly troubles: number | readonly string[]
  /** Nothing befalls single people either. */
  readonly healthy?: boolean
}

/** The truth about one logon. */
export interface TrueAttempt {
  readonly id: string
  readonly person: string
  readonly host: string
  readonly startedAtMs: number
  /** The trouble that cost most; null where there was none. */
  readonly cause: string | null
  readonly trouble: string | null
  readonly lostMs: number
  /** Whether anybody could be expected to see it: failed, degraded, or at least 4 s and 30 % longer. */
  readonly clear: boolean
}
export interface TrueIncident {
  readonly id: string
  readonly cause: string
  readonly scope: readonly Place[]
  /** Of the first and last logon that it was felt in. */
  readonly fromMs: number
  readonly toMs: number
  readonly attempts: number
  readonly lostMs: number
  readonly change: string | null
}
export interface Trial {
  readonly org: OrgFileText
  readonly observations: readonly Observation[]
  readonly attempts: readonly TrueAttempt[]
  readonly incidents: readonly TrueIncident[]
}

interface Affliction {
  readonly cause: string
  readonly trouble: string | null
  alter(conditions: Conditions, meeting: Meeting): void
}

/** Plays some days of an invented company with planted troubles, and keeps the truth about each logon. */
export function play(options: TrialOptions): Trial {
  const { seed, family, days, fromMs } = options
  const company = companyOf(seed, family, options.people)
  const random = new Random(`play ${family} ${seed}`)
  const staged = stage(company, random, options)
  const lasting = lastingOf(company, random, options)
  const pools = new Map(company.pools.map((pool) => [pool.id, pool]))
  const hosts = new Map(company.pools.map(({ id }) => [id, company.hosts.filter(({ pool }) => pool === id)]))
  const bears = new Map(company.shares.map(({ path, bears: most }) => [path, most]))
  const peaks = peaksOf(company)
  const due: { atMs: number; person: Member }[] = []
  for (let day = 0; day < days; day++)
    for (const person of company.people) {
      if (person.restDays.includes(new Date(fromMs + day * DAY_MS).getUTCDay())) continue
      const atMs = fromMs + day * DAY_MS + (person.startMinute + 3 + random.normal() * spreadOf(person)) * 60_000
      due.push({ atMs, person })
      if (random.chance(0.3)) due.push({ atMs: atMs + (0.5 + 6 * random.next()) * 3_600_000, person })
    }
  due.sort((a, b) => a.atMs - b.atMs)
  const observations: Observation[] = []
  const attempts: TrueAttempt[] = []
  const felt = new Map<string, { from: number; to: number; n: number; lost: number }>()
  const recent: { atMs: number; share: string }[] = []
  const seen = new Set<string>()
  for (const person of company.people) if (random.chance(0.94)) seen.add(person.id)
  for (const [index, { atMs, person }] of due.entries()) {
    const home = pools.get(person.pool)
    if (!home) continue
    recent.push({ atMs, share: person.share })
    while ((recent[0]?.atMs ?? atMs) < atMs - 180_000) recent.shift()
    const aMinute = recent.filter(({ share }) => share === person.share).length / 3
    const rate = aMinute / (bears.get(person.share) ?? 1)
    const dice = throwDice(random, company.parameters.spread)
    const base = usualConditions(company, person, rate, aMinute < CROWD ? 0 : aMinute / (peaks.get(person.share) ?? 1), !seen.has(person.id), random)
    seen.add(person.id)
    const single = options.healthy || !random.chance(0.012) ? null : singleOf(random, person, home)
    // Whoever tries a desktop that none of their groups has.
    const pool = single?.cause === 'not-granted' ? (company.pools.find(({ id }) => id !== home.id) ?? home) : home
    const candidates = hosts.get(pool.id) ?? []
    const host = pool.binding === 'fixed' ? candidates[Number(person.id.slice(1)) % candidates.length] : random.pick(candidates)
    if (!host) continue
    const meeting: Meeting = { person, host, pool, atMs, luck: random.next() }
    const hit: Affliction[] = staged
      .filter((one) => atMs >= one.fromMs && atMs < one.toMs && one.meets(meeting))
      .map((one) => ({ ...one, trouble: one.id }))
    for (const one of lasting.get(person.id) ?? []) if (atMs >= one.fromMs) hit.push(one)
    if (single) hit.push(single)
    const id = `${seed}-${String(index).padStart(6, '0')}`
    const all = under(base, hit, meeting)
    const ran = run(company, pool, all, dice)
    const truth = { id, person: person.id, host: host.id, startedAtMs: Math.round(atMs), ...judge(company, pool, base, hit, meeting, dice, ran) }
    delete all.extra['crowd']
    if (all.extra['scanner']) {
      delete all.extra['scanner']
      if (random.chance(0.5)) observations.push({ ...told(company, id, person, host, pool, atMs), code: 'scanner.active' })
    }
    observations.push(...tell(company, id, person, host, pool, atMs, all, ran))
    attempts.push(truth)
    if (truth.trouble !== null && truth.clear) {
      const one = felt.get(truth.trouble) ?? { from: atMs, to: atMs, n: 0, lost: 0 }
      felt.set(truth.trouble, { from: one.from, to: atMs, n: one.n + 1, lost: one.lost + truth.lostMs })
    }
  }
  const incidents = staged.flatMap(({ id, cause, scope, change }): TrueIncident[] => {
    const one = felt.get(id)
    return one && one.n >= 5
      ? [
          {
            id,
            cause,
            scope,
            fromMs: Math.round(one.from),
            toMs: Math.round(one.to),
            attempts: one.n,
            lostMs: Math.round(one.lost),
            change: change?.id ?? null,
          },
        ]
      : []
  })
  const changes = [...staged.flatMap(({ change }) => (change ? [change] : [])), ...idleChanges(company, random, options)]
  changes.sort((a, b) => (a.at < b.at ? -1 : 1))
  const late = options.healthy ? [] : lateIn(company)
  const inCopy = company.org.people?.map((one) =>
    late.includes(one.id) ? { ...one, groups: one.groups?.slice(1), groupsAtSource: one.groups } : one,
  )
  return {
    org: { ...company.org, people: inCopy, changes: changes.map((one) => ({ ...one, scope: [...one.scope] })) },
    observations,
    attempts,
    incidents,
  }
}

/** Fewer logons a minute than this are no crowd, however quiet it is otherwise. */
const CROWD = 1.5

/** By how many minutes somebody's beginning spreads: at the office people come when they like. */
const spreadOf = ({ startMinute }: Member): number => (startMinute >= 480 && startMinute <= 540 ? 35 : 6)

/** How many log on a minute on each share when most do, as their shifts say. */
function peaksOf(company: Company): Map<string, number> {
  const peaks = new Map<string, number>()
  const begins = new Map<string, { share: string; n: number; spread: number }>()
  for (const person of company.people) {
    const key = `${person.share} ${person.startMinute}`
    const known = begins.get(key)
    if (known) known.n++
    else begins.set(key, { share: person.share, n: 1, spread: spreadOf(person) })
  }
  for (const { share, n, spread } of begins.values()) peaks.set(share, Math.max(peaks.get(share) ?? 0, n / (spread * Math.sqrt(2 * Math.PI))))
  return peaks
}

function told(company: Company, id: string, person: Member, host: Machine, pool: PoolPlan, atMs: number): Observation {
  return {
    kind: 'mark',
    timeMs: Math.round(atMs + 9000),
    ...(company.telling.attemptIds ? { attempt: id } : {}),
    person: `CORP\\${person.id}`,
    host: host.id,
    pool: pool.id,
    session: `s${id}`,
    phase: 'container',
  }
}

function usualConditions(company: Company, person: Member, rate: number, crowd: number, first: boolean, random: Random): Conditions {
  const { parameters } = company
  return {
    first,
    shareMs: (parameters.shareMs * Math.exp(0.12 * random.normal())) / (1 - Math.min(0.5, 0.3 * rate)),
    distanceMs: 0.3,
    directoryMs: parameters.directoryMs * Math.exp(0.1 * random.normal()),
    cpu: Math.min(0.8, Math.max(0.05, parameters.cpu + 0.08 * random.normal())),
    cold: false,
    relay: person.network !== 'office',
    rttMs: person.rttMs * Math.exp(0.1 * random.normal()),
    kbps: person.kbps,
    factor: person.network === 'office' ? 'none' : 'push',
    approvalMs: parameters.approvalMs * Math.exp(0.22 * random.normal()),
    gatewayMs: 120_000,
    autostart: person.autostart,
    profileBytes: person.profileBytes,
    profileFiles: person.profileFiles,
    packages: company.pools.find(({ id }) => id === person.pool)?.packages ?? 0,
    slowPackage: null,
    slowPart: null,
    slowScript: null,
    drag: null,
    scanMs: 0,
    containerFreeBytes: person.containerBytes * (0.3 + 0.5 * random.next()),
    shareFreeBytes: 1.2e12 * (0.5 + 0.2 * random.next()),
    retries: 0,
    retryMs: 0,
    holder: null,
    gap: null,
    refused: null,
    instead: null,
    extra: { crowd },
  }
}

function under(base: Conditions, hit: readonly Affliction[], meeting: Meeting): Conditions {
  const conditions: Conditions = { ...base, extra: { ...base.extra } }
  for (const one of hit) {
    const before = conditions.refused
    one.alter(conditions, meeting)
    // Of two refusals the earlier one is met.
    if (before && conditions.refused && ORDER.indexOf(before.in) <= ORDER.indexOf(conditions.refused.in)) conditions.refused = before
  }
  return conditions
}

const ORDER = ['broker', 'connect', 'sign-on', 'container', 'profile']

/** What the troubles cost: the logon as it ran against the same one without them. Of several, the one without which it would have gone best. */
function judge(company: Company, pool: PoolPlan, base: Conditions, hit: readonly Affliction[], meeting: Meeting, dice: Dice, ran: Run) {
  const healthy = run(company, pool, base, dice)
  if (hit.length === 0) {
    const slowFirst = base.first && healthy.totalMs > 45_000
    return { cause: slowFirst ? 'first-logon' : null, trouble: null, lostMs: 0, clear: true }
  }
  const badness = (one: Run) => (one.outcome === 'failed' ? 1e9 : 0) + (one.outcome === 'degraded' ? 1e8 : 0) + one.totalMs
  const saved = hit.map((one) => ({
    one,
    saved:
      badness(ran) -
      badness(
        run(
          company,
          pool,
          under(
            base,
            hit.filter((other) => other !== one),
            meeting,
          ),
          dice,
        ),
      ),
  }))
  // Two can each be enough for a failure: then it is the one that gives this very code.
  const decisive =
    ran.outcome === 'ready'
      ? undefined
      : hit.find((one) => {
          const alone = run(company, pool, under(base, [one], meeting), dice)
          return alone.outcome === ran.outcome && alone.code === ran.code && alone.steps.length === ran.steps.length
        })
  const worst = decisive ? { one: decisive } : saved.reduce((best, other) => (other.saved > best.saved ? other : best))
  const lostMs = ran.outcome === 'failed' ? ran.totalMs : Math.max(0, ran.totalMs - healthy.totalMs)
  const clear = ran.outcome !== 'ready' || lostMs >= Math.max(4000, 0.3 * healthy.totalMs)
  if (ran.outcome === 'ready' && lostMs < 1500) return { cause: null, trouble: null, lostMs, clear: true }
  return { cause: worst.one.cause, trouble: worst.one.trouble, lostMs, clear }
}

/** Stages troubles one after another and beside each other, each for some hours or days of the second half. */
function stage(company: Company, random: Random, { troubles, days, fromMs }: TrialOptions): Trouble[] {
  const names = Object.keys(STAGED)
  const chosen: string[] = typeof troubles === 'number' ? [] : [...troubles]
  while (typeof troubles === 'number' && chosen.length < Math.min(troubles, names.length)) {
    const name = random.pick(names)
    if (!chosen.includes(name)) chosen.push(name)
  }
  return chosen.flatMap((cause, i): Trouble[] => {
    const sketch = STAGED[cause]?.(company, random)
    if (!sketch) throw new RangeError(`${cause} cannot be staged`)
    const from = fromMs + (days * (0.35 + 0.4 * random.next()) + 0.02 * i) * DAY_MS
    const lengthDays = random.pick([0.7, 1.2, 2, days])
    const toMs = Math.min(fromMs + days * DAY_MS, from + lengthDays * DAY_MS)
    const change: Altered | null = sketch.kind
      ? {
          id: `c-${cause}`,
          at: new Date(from - random.next() * 20 * 60_000).toISOString(),
          kind: sketch.kind,
          scope: sketch.scope,
          sentence: sketch.sentence ?? cause,
        }
      : null
    return [{ id: `t${i}-${cause}`, cause, scope: sketch.scope, fromMs: from, toMs, change, meets: sketch.meets, alter: sketch.alter }]
  })
}

function lastingOf(company: Company, random: Random, { healthy, days, fromMs }: TrialOptions): Map<string, (Affliction & { fromMs: number })[]> {
  const result = new Map<string, (Affliction & { fromMs: number })[]>()
  if (healthy) return result
  const modes = new Map(company.pools.map(({ id, mode }) => [id, mode]))
  for (const [cause, make] of Object.entries(LASTING)) {
    if (cause === 'directory-lag') continue
    const needs = cause === 'bloated-profile' ? 'files' : cause === 'near-full' ? 'container' : null
    const candidates = company.people.filter(
      ({ pool, network }) => (needs === null || modes.get(pool) === needs) && (cause !== 'poor-line' || network === 'home'),
    )
    if (candidates.length === 0) continue
    for (let n = 0; n < 2; n++) {
      const { id } = random.pick(candidates)
      result.set(id, [
        ...(result.get(id) ?? []),
        { cause, trouble: null, alter: make(random), fromMs: fromMs + (0.3 + 0.4 * random.next()) * days * DAY_MS },
      ])
    }
  }
  const lag = LASTING['directory-lag']
  if (lag) for (const id of lateIn(company)) result.set(id, [{ cause: 'directory-lag', trouble: null, alter: lag(random), fromMs }])
  return result
}

/** Whose groups have not reached the copy of the directory. */
const lateIn = ({ people }: Company): string[] => people.filter((_, n) => n % 211 === 7).map(({ id }) => id)

function singleOf(random: Random, person: Member, pool: PoolPlan): Affliction | null {
  const cause = random.pick(Object.keys(SINGLE))
  if (cause.startsWith('container') && pool.mode !== 'container') return null
  if (cause.startsWith('second-factor') && person.network === 'office') return null
  const alter = SINGLE[cause]?.(random)
  return alter ? { cause, trouble: null, alter } : null
}

/** Changes that have nothing to do with any trouble. */
function idleChanges(company: Company, random: Random, { days, fromMs }: TrialOptions): Altered[] {
  return Array.from({ length: days }, (_, i): Altered => {
    const at = new Date(fromMs + (i + random.next()) * DAY_MS).toISOString()
    return random.chance(0.5)
      ? { id: `d-${i}`, at, kind: 'host', scope: [{ dimension: 'host', value: random.pick(company.hosts).id }], sentence: 'Host restarted' }
      : { id: `d-${i}`, at, kind: 'policy', scope: [{ dimension: 'pool', value: random.pick(company.pools).id }], sentence: 'Wallpaper changed' }
  })
}
