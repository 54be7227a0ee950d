import { isSameHost } from '../people/host'
import { shortHash } from '../stats/hash'
import { assemble } from './assemble'
import type { Attempt } from './attempt'
import { canonicalCode, codeFails } from './codes'
import { isOnHost, observationKey, type Observation } from './observation'
import { nameBySession } from './sessions'
import { endOf, hasId, personThreadOf, SILENCE_MS, threadKey } from './threads'
import { usedAgain, type Called, type Renamed } from './used-again'

/**
 * The threads that meet: for each thread of a person those of attempts with an id that are of the same person. The others can be correlated one by one, these
 * only together.
 */
export function meetings<T>(
  threads: ReadonlyMap<string, T>,
  observationsOf: (thread: T) => readonly Observation[],
): ReadonlyMap<string, readonly string[]> {
  const met = new Map<string, string[]>()
  for (const thread of threads.keys()) if (thread.startsWith('p:')) met.set(thread, [])
  if (met.size === 0) return met
  for (const [key, thread] of threads) if (hasId(key)) met.get(personThreadOf(observationsOf(thread)) ?? '')?.push(key)
  return met
}

/** All threads to attempts, those that meet together. @param called see usedAgain */
export function correlateThreads(threads: ReadonlyMap<string, readonly Observation[]>, nowMs: number, called?: Called): Correlated[] {
  const met = meetings(threads, (observations) => observations)
  const together = new Set([...met.values()].flat())
  const result: Correlated[] = []
  for (const [thread, observations] of threads) {
    if (together.has(thread)) continue
    const others = met.get(thread)?.flatMap((one) => threads.get(one) ?? []) ?? []
    for (const one of correlateThread(thread, others.length > 0 ? [...observations, ...others] : observations, nowMs, called)) result.push(one)
  }
  return result
}

/** Whether an attempt has an id, and holds what came without one. */
export const isMixed = (thread: string, observations: readonly Observation[]): boolean =>
  hasId(thread) && observations.some(({ attempt }) => !attempt)

/** One attempt with the observations that it was made of. */
export interface Correlated {
  readonly attempt: Attempt
  readonly thread: string
  readonly observations: readonly Observation[]
}

/**
 * Observations to attempts. The result depends on the set of observations only: not on their order, nor on how often one is given.
 * @param nowMs the newest moment known; an attempt silent for 15 minutes before it is no longer open
 */
export function correlate(observations: Iterable<Observation>, nowMs: number): Correlated[] {
  return correlateThreads(intoThreads(nameBySession([...observations])), nowMs).sort(
    (a, b) => a.attempt.startedAtMs - b.attempt.startedAtMs || (a.attempt.id < b.attempt.id ? -1 : 1),
  )
}

/** Observations by the key of their thread. */
export function intoThreads(observations: Iterable<Observation>): Map<string, Observation[]> {
  const threads = new Map<string, Observation[]>()
  let attempt: string | undefined
  let list: Observation[] = []
  for (const observation of observations) {
    // Those of one attempt mostly come together.
    if (attempt === undefined || observation.attempt !== attempt) {
      const key = threadKey(observation)
      list = threads.get(key) ?? []
      if (list.length === 0) threads.set(key, list)
      attempt = observation.attempt
    }
    list.push(observation)
  }
  return threads
}

/**
 * The same for the observations of a single thread, or of threads that meet. What belongs to an attempt with an id is of the thread of that id.
 * @param called see usedAgain
 */
export function correlateThread(thread: string, observations: readonly Observation[], nowMs: number, called?: Called): Correlated[] {
  const ordered = inOrder(observations)
  const renamed = usedAgain(ordered, called)
  if (hasId(thread) && renamed.size === 0) return [{ thread, observations: ordered, attempt: assemble(thread.slice(3), ordered, nowMs) }]
  const begun = new Map<string, number>()
  return split(ordered, renamed).map(({ id, name, observations: group }) => {
    if (id !== null) return { thread: `id:${id}`, observations: group, attempt: withId(id, name ?? id, assemble(name ?? id, group, nowMs)) }
    // One person may begin twice in the same millisecond, on two hosts.
    const { timeMs = 0, host = '', session = '', pool = '' } = group[0] ?? {}
    const begin = [thread, timeMs, host.toLowerCase(), session, pool].join('|')
    const nth = begun.get(begin) ?? 0
    begun.set(begin, nth + 1)
    return { thread, observations: group, attempt: assemble(`x${shortHash(nth === 0 ? begin : `${begin}#${nth}`)}`, group, nowMs) }
  })
}

/** Where it is not called by its id, that is said. */
function withId(id: string, name: string, attempt: Attempt): Attempt {
  if (id === name) return attempt
  const sentence = `Its source calls it ${id}, as it calls other logons, too; they are told apart by when they began.`
  return { ...attempt, oddities: [...attempt.oddities, { code: 'id.used-again', sentence }] }
}

/** Each observation once, by time; ties by what must come first, then by content, so that the order is total. */
function inOrder(observations: readonly Observation[]): readonly Observation[] {
  if (isInOrder(observations)) return observations
  const keys = new Map<Observation, string>()
  const keyOf = (observation: Observation) => {
    let key = keys.get(observation)
    if (key === undefined) keys.set(observation, (key = observationKey(observation)))
    return key
  }
  const compare = (a: Observation, b: Observation) => {
    const byTime = a.timeMs - b.timeMs || RANK[a.kind] - RANK[b.kind]
    if (byTime !== 0) return byTime
    return keyOf(a) < keyOf(b) ? -1 : keyOf(a) > keyOf(b) ? 1 : 0
  }
  const sorted = [...observations].sort(compare)
  return sorted.filter((observation, index) => index === 0 || compare(sorted[index - 1] ?? observation, observation) !== 0)
}

function isInOrder(observations: readonly Observation[]): boolean {
  let before: Observation | null = null
  for (const observation of observations) {
    if (before && (before.timeMs > observation.timeMs || (before.timeMs === observation.timeMs && RANK[before.kind] >= RANK[observation.kind])))
      return false
    before = observation
  }
  return true
}

const RANK = { begin: 0, 'phase-begin': 1, phase: 2, mark: 3, 'phase-end': 4, end: 5 } as const

/** One attempt while its observations are told apart from those of the person's others. */
interface Group {
  /** Its id, where a source knows one, and how it is called: see usedAgain. */
  id: string | null
  name: string | null
  readonly observations: Observation[]
  readonly firstMs: number
  /** Who reported its begin when, with an id or without. */
  readonly begins: { readonly by: string; readonly withId: boolean; readonly ms: number }[]
  /** Where it was seen: the host, and before it perhaps the machine that chose the host. */
  readonly hosts: string[]
  /** Since when it was seen at each of them. */
  readonly since: number[]
  session: string | null
  pool: string | null
  /** The phases that anybody told of. */
  readonly phases: Set<string>
  /** Whether it was refused before it was on a host: what comes then is another try. */
  refused: boolean
  /** The host that went through a phase that only the host itself goes through; empty where it did not say its name, null before there was any. */
  onHost: string | null
  lastMs: number
  closedAtMs: number | null
  /** Whether only other machines told of its end, whose clocks may be behind: its host may go on all the same. */
  endIsTold: boolean
  /** What its host told of itself: phases, and `end`; a blank for anything else. Empty where only other machines speak of it. */
  readonly own: Set<string>
}

/** A machine that tells of the same begin twice, with an id and without, does so within this time. */
const SAME_MS = 5000
/** What one machine began, another goes on with this soon. */
const HANDED_OVER_MS = 120_000
/** And this soon a host begins with what was sent to it. */
const SENT_MS = 30_000
/** So far may the clock of who sends be ahead of the host's, for a begin to be told after what it began. */
const AHEAD_MS = 10_000

/**
 * Cuts the thread of a person into attempts: a `begin` opens one. What follows joins the one whose host, session and pool it names, or that it does not
 * contradict, until its `end`, the end of its shell, or long silence. A host may also go on with what another machine began. What has an id is of the attempt with
 * that id; what another machine says of the same begin, within two minutes, is of it, too.
 */
function split(ordered: readonly Observation[], renamed: Renamed): Group[] {
  const groups: Group[] = []
  const byName = new Map<string, Group>()
  const tellerOf = tellersIn(ordered)
  let alive: Group[] = []
  for (const observation of ordered) {
    alive = alive.filter(({ lastMs }) => observation.timeMs - lastMs <= SILENCE_MS)
    const { attempt: id, host, session, pool, phase } = observation
    const name = id && (renamed.get(observation) ?? id)
    let group = name ? (byName.get(name) ?? sameBegin(alive, observation)) : followed(alive, observation, tellerOf)
    if (!group) {
      group = {
        id: null,
        name: null,
        observations: [],
        firstMs: observation.timeMs,
        begins: [],
        hosts: [],
        since: [],
        session: null,
        pool: null,
        phases: new Set(),
        refused: false,
        onHost: null,
        lastMs: -Infinity,
        closedAtMs: null,
        endIsTold: true,
        own: new Set(),
      }
      groups.push(group)
    }
    if (id && name) {
      group.id = id
      byName.set((group.name = name), group)
    }
    if (!alive.includes(group)) alive.push(group)
    group.observations.push(observation)
    if (observation.kind === 'begin') group.begins.push({ by: reporter(observation), withId: id !== undefined, ms: observation.timeMs })
    if (host && !group.hosts.some((one) => isSameHost(one, host))) {
      group.hosts.push(host)
      group.since.push(observation.timeMs)
    }
    group.session ??= session ?? null
    group.pool ??= pool ?? null
    if (phase) group.phases.add(phase)
    if (isOnHost(phase) && observation.kind !== 'mark') group.onHost ||= host ?? ''
    else if (group.onHost === null && observation.code && codeFails(canonicalCode(observation.code))) group.refused = true
    if (tellerOf(observation) === null) group.own.add(observation.kind === 'end' ? 'end' : (phase ?? ''))
    group.lastMs = Math.max(group.lastMs, endOf(observation))
    const closes = closingTime(observation)
    if (closes !== null) {
      group.closedAtMs = Math.max(group.closedAtMs ?? -Infinity, closes)
      if (tellerOf(observation) === null) group.endIsTold = false
    }
  }
  return paired(groups.some(isOnlyTold) ? rejoined(groups, tellerOf) : groups)
}

/** What was told of an attempt before it was on a host, and nothing of it on one. */
const isOnlySent = ({ onHost, refused, phases, closedAtMs }: Group): boolean => onHost === null && !refused && phases.size > 0 && closedAtMs === null

/** What only marks tell of: they begin nothing. */
const isOnlyMarked = ({ observations }: Group): boolean => observations.every(({ kind }) => kind === 'mark')

/** Whether another machine's marks may be of an attempt: who was refused did not get in. */
const isMarkedBy = (group: Group, marks: Group): boolean =>
  !isOnlyMarked(group) &&
  !(marks.refused && group.phases.has('shell')) &&
  !marks.hosts.some((one) => group.hosts.some((other) => isSameHost(one, other)))

/** What a host told of itself, without what came before. */
const isOnlyOnHost = ({ onHost, begins }: Group): boolean => onHost !== null && begins.length === 0

/**
 * Where clocks differ by more than a moment, and there are no ids, a host goes through a logon before it was sent there, or long after it: the two that lie nearest are one,
 * where what the one tells the other does not.
 */
function paired(groups: readonly Group[]): Group[] {
  const isPart = (group: Group) => isOnlySent(group) || isOnlyMarked(group)
  if (groups.length < 2 || !groups.some(isPart)) return [...groups]
  const left = new Set(groups)
  for (const [at, sent] of groups.entries()) {
    if (!isPart(sent)) continue
    let best: Group | null = null
    for (const group of near(groups, at, SENT_MS)) {
      if (!left.has(group) || (group.id !== null && sent.id !== null)) continue
      if (!isOfSame(group.pool, sent.pool ?? undefined) || !isOfSame(group.session, sent.session ?? undefined)) continue
      if (isOnlySent(sent) ? !isOnlyOnHost(group) || [...sent.phases].some((phase) => group.phases.has(phase)) : !isMarkedBy(group, sent)) continue
      if (!best || Math.abs(group.firstMs - sent.firstMs) < Math.abs(best.firstMs - sent.firstMs)) best = group
    }
    if (!best) continue
    left.delete(sent)
    for (const one of sent.observations) best.observations.push(one)
    for (const phase of sent.phases) best.phases.add(phase)
    for (const begin of sent.begins) best.begins.push(begin)
    best.id ??= sent.id
    best.name ??= sent.name
  }
  return [...left].map(inTime)
}

/** Its observations by time. */
const inTime = (group: Group): Group => (isInOrder(group.observations) ? group : { ...group, observations: [...inOrder(group.observations)] })

/** The machine that an observation is of, where it speaks of another one; null where a host speaks of itself, or nobody knows. */
type TellerOf = (observation: Observation) => string | null

/** A machine that speaks of other hosts does so also where it names none. */
function tellersIn(observations: readonly Observation[]): TellerOf {
  const speaksOfAnother = ({ source, host }: Observation) => source !== undefined && host !== undefined && !isSameHost(source, host)
  const tellers = new Set(observations.filter(speaksOfAnother).map(({ source }) => source))
  return (one) => (speaksOfAnother(one) || (one.host === undefined && tellers.has(one.source)) ? (one.source?.toLowerCase() ?? null) : null)
}

const isOnlyTold = ({ own }: Group): boolean => own.size === 0

/**
 * Where clocks differ, what other machines say of a logon may come before its begin or after its end, and belongs to it all the same: to the nearest on the host
 * that they speak of, of which they say nothing else. They may know its id, too.
 */
function rejoined(groups: readonly Group[], tellerOf: TellerOf): Group[] {
  const heard = new Map(groups.map((group) => [group, new Set(group.observations.map(tellerOf))]))
  const left: Group[] = []
  for (const [at, group] of groups.entries()) {
    const whole = isOnlyTold(group) ? toldOf(groups, at, heard) : null
    if (!whole) left.push(group)
    else {
      whole.id ??= group.id
      whole.name ??= group.name
      for (const teller of heard.get(group) ?? []) heard.get(whole)?.add(teller)
      for (const one of group.observations) whole.observations.push(one)
    }
  }
  return left.map(inTime)
}

/** The attempt that others speak of in the group of this number, where there is one. */
function toldOf(groups: readonly Group[], at: number, heard: ReadonlyMap<Group, ReadonlySet<string | null>>): Group | null {
  const told = groups[at]
  if (!told) return null
  const tellers = [...(heard.get(told) ?? [])]
  const refused = told.observations.some(({ code }) => code !== undefined && codeFails(canonicalCode(code)))
  let best: Group | null = null
  for (const group of near(groups, at)) {
    if (best && Math.abs(group.firstMs - told.firstMs) >= Math.abs(best.firstMs - told.firstMs)) continue
    // Who was refused did not get in: that was another try.
    if (isOnlyTold(group) || (group.id !== null && told.id !== null) || !isOfHost(group, told) || (refused && group.own.has('shell'))) continue
    if (!tellers.some((teller) => heard.get(group)?.has(teller))) best = group
  }
  return best
}

/** Those that began about as early, before and after: groups are by their first moment, and a person may have very many. */
function* near(groups: readonly Group[], at: number, eitherSideMs = SILENCE_MS): Generator<Group> {
  const atMs = groups[at]?.firstMs ?? 0
  for (const step of [-1, 1])
    for (let i = at + step, group = groups[i]; group && Math.abs(group.firstMs - atMs) <= eitherSideMs; group = groups[(i += step)]) yield group
}

const isOfHost = ({ hosts, session, pool }: Group, told: Group): boolean =>
  hosts.some((one) => isSameHost(one, told.hosts[0] ?? '')) &&
  (session === null || told.session === null || session === told.session) &&
  (pool === null || told.pool === null || pool === told.pool)

/** What an observation without an id goes on with, or says the begin of. */
function followed(alive: readonly Group[], observation: Observation, tellerOf: TellerOf): Group | undefined {
  if (observation.kind === 'begin') return sameBegin(alive, observation) ?? alive.findLast((one) => wasSentTo(one, observation))
  return joined(alive, observation, tellerOf) ?? alive.findLast((one) => takesOver(one, observation) || isSpokenOf(one, observation))
}

/**
 * Whether a begin is that of what is there: another machine, which knew of no begin or of no host, sent it to a host just before; or the clock of whoever tells of it is a
 * little ahead of the host that went on with it.
 */
function wasSentTo(group: Group, observation: Observation): boolean {
  const { begins, closedAtMs, refused, onHost, lastMs, hosts, pool, session, phases } = group
  const { host, timeMs } = observation
  if (closedAtMs !== null || refused || !isOfSame(session, observation.session) || !isOfSame(pool, observation.pool)) return false
  const isHere = host !== undefined && hosts.some((one) => isSameHost(one, host))
  if (begins.length === 0 && !phases.has('broker') && (host === undefined || isHere) && hasJustCome(group, observation)) return true
  return (
    onHost === null && !isHere && timeMs - lastMs <= SENT_MS && begins.every(({ by }) => by === '') && (host !== undefined || begins.length === 0)
  )
}

/**
 * Whether another machine speaks of an attempt that is going on: what it says begins no logon. A mark or an end does not, and neither does how long the host was looked for,
 * where that is still to be told.
 */
function isSpokenOf(group: Group, observation: Observation): boolean {
  const { closedAtMs, lastMs, onHost, phases, pool, session } = group
  const { kind, timeMs, phase } = observation
  const isToBeTold =
    phase === 'broker' && !phases.has('broker') && ((onHost === null && timeMs - lastMs <= SENT_MS) || hasJustCome(group, observation))
  const beginsNone = kind === 'mark' || kind === 'end' || kind === 'phase-end' || isToBeTold
  const isOpen = closedAtMs === null || trails(observation) || followsSoon({ closedAtMs }, observation)
  return beginsNone && isOpen && timeMs - lastMs <= HANDED_OVER_MS && isOfSame(session, observation.session) && isOfSame(pool, observation.pool)
}

/** What is only noted when the desktop is there, as that the profile was not theirs. A refusal is of another try. */
const followsSoon = ({ closedAtMs }: Pick<Group, 'closedAtMs'>, { kind, timeMs, code }: Observation): boolean =>
  kind === 'mark' && closedAtMs !== null && timeMs - closedAtMs <= SAME_MS && !(code !== undefined && codeFails(canonicalCode(code)))

/** Whether an attempt was first seen at the host that an observation names, or where it was seen last, only just before. */
function hasJustCome({ hosts, since, firstMs }: Group, { host, timeMs }: Observation): boolean {
  const at = host === undefined ? -1 : hosts.findIndex((one) => isSameHost(one, host))
  return timeMs - (since.at(at) ?? firstMs) <= AHEAD_MS
}

/** Whether two say the same, or one says nothing. */
const isOfSame = (one: string | null, other: string | undefined): boolean => one === null || !other || one === other

/**
 * The attempt that began just before, as far as another machine has it: of the two, one knows the id and the other does not. Two begins that both have an id, or
 * both none, are two.
 */
function sameBegin(alive: readonly Group[], observation: Observation): Group | undefined {
  const { attempt: id = null, timeMs, session, pool, kind } = observation
  return alive.findLast(
    (group) =>
      (group.id === null) !== (id === null) &&
      timeMs - group.firstMs <= HANDED_OVER_MS &&
      (group.closedAtMs === null || timeMs <= group.closedAtMs) &&
      !(
        kind === 'begin' &&
        group.begins.some((one) => one.withId === (id !== null) || (one.by === reporter(observation) && timeMs - one.ms > SAME_MS))
      ) &&
      isOfSame(group.session, session) &&
      isOfSame(group.pool, pool) &&
      // One machine chose the host, the other is the host: until both have been on one, they need not be the same.
      !isOnOther(group, observation),
  )
}

/** Whether both are of the time on a host, and of different ones. */
const isOnOther = ({ onHost }: Group, { host, phase }: Observation): boolean => !!onHost && !!host && isOnHost(phase) && !isSameHost(onHost, host)

const reporter = ({ source, host }: Observation): string => (source ?? host ?? '').toLowerCase()

/** The attempt that an observation belongs to: of those that it does not contradict, the one that it names best, then the latest. */
function joined(alive: readonly Group[], observation: Observation, tellerOf: TellerOf): Group | undefined {
  let best: Group | undefined
  let most = -1
  for (const group of alive) {
    const on = goesOn(group, observation, tellerOf)
    const isOver = group.closedAtMs !== null && observation.timeMs > group.closedAtMs
    if (isOver && !trails(observation) && !followsSoon(group, observation) && !(on && group.endIsTold)) continue
    const { host, session, pool } = observation
    const sameHost = host !== undefined && group.hosts.some((one) => isSameHost(one, host))
    if ((host && group.hosts.length > 0 && !sameHost) || isOnOther(group, observation)) continue
    if (!isOfSame(group.session, session) || !isOfSame(group.pool, pool)) continue
    const names = (sameHost ? 2 : 0) + (session !== undefined && session === group.session ? 1 : 0) + (sameHost && on ? 4 : 0)
    if (names >= most) [best, most] = [group, names]
  }
  return best
}

/** Whether a host goes on with what it told of itself, and does not begin anew: another machine whose clock is ahead may have begun meanwhile. */
function goesOn({ own, closedAtMs, endIsTold }: Group, observation: Observation, tellerOf: TellerOf): boolean {
  const { kind, phase, timeMs } = observation
  if (own.size === 0 || tellerOf(observation) !== null) return false
  if (closedAtMs !== null && timeMs > closedAtMs + (endIsTold ? HANDED_OVER_MS : SAME_MS)) return false
  return kind === 'end' ? !own.has('end') : phase !== undefined && (kind === 'phase-end' || !own.has(phase))
}

/** Whether a host goes on with an attempt that only other machines saw so far. */
function takesOver({ closedAtMs, onHost, lastMs, pool }: Group, observation: Observation): boolean {
  return (
    closedAtMs === null &&
    onHost === null &&
    observation.timeMs - lastMs <= HANDED_OVER_MS &&
    observation.phase !== undefined &&
    observation.phase !== 'broker' &&
    isOfSame(pool, observation.pool)
  )
}

/** What may still follow the end of an attempt and belongs to it: also the person's answer, when the gateway had given up already. */
function trails({ phase, kind, code }: Observation): boolean {
  return (
    phase === 'settle' || kind === 'phase-end' || kind === 'end' || (kind === 'mark' && code !== undefined && ANSWERS.includes(canonicalCode(code)))
  )
}
const ANSWERS = ['factor.approved', 'factor.declined']

function closingTime(observation: Observation): number | null {
  if (observation.kind === 'end') return observation.timeMs
  if (observation.phase !== 'shell' || observation.part) return null
  if (observation.kind === 'phase-end') return observation.timeMs
  return observation.kind === 'phase' ? endOf(observation) : null
}
