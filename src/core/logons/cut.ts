import { isSameHost } from '../people/host'
import { canonicalCode, codeFails } from './codes'
import { SENT_MS, whole } from './fragments'
import { isOfSame, tellersIn, type Group, type TellerOf } from './group'
import { isOnHost, type Observation } from './observation'
import { endOf, SILENCE_MS } from './threads'
import type { Renamed } from './used-again'

/** A machine that tells of the same begin twice, with an id and without, does so within this time. */
const SAME_MS = 5000
/** Nobody tries again within this time. */
const AT_ONCE_MS = 1500
/** What one machine began, another goes on with this soon. */
const HANDED_OVER_MS = 120_000
/** So far may the clock of who sends be ahead of the host's, for a begin to be told after what it began. */
const AHEAD_MS = 10_000

/**
 * Cuts the thread of a person into attempts: a `begin` opens one. What follows joins the one whose host, session and pool it names, or that it does not
 * contradict, until its `end`, the end of its shell, or long silence. A host may also go on with what another machine began. What has an id is of the attempt with
 * that id; what another machine says of the same begin, within two minutes, is of it, too.
 */
export function cut(ordered: readonly Observation[], renamed: Renamed): Group[] {
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
  return whole(groups, tellerOf)
}

/** What an observation without an id goes on with, or says the begin of. */
function followed(alive: readonly Group[], observation: Observation, tellerOf: TellerOf): Group | undefined {
  if (observation.kind === 'begin') return sameBegin(alive, observation) ?? alive.findLast((one) => wasSentTo(one, observation))
  return joined(alive, observation, tellerOf) ?? alive.findLast((one) => takesOver(one, observation) || isSpokenOf(one, observation, tellerOf))
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
function isSpokenOf(group: Group, observation: Observation, tellerOf: TellerOf): boolean {
  const { closedAtMs, lastMs, onHost, phases, pool, session } = group
  const { kind, timeMs, phase } = observation
  const isToBeTold =
    phase === 'broker' && !phases.has('broker') && ((onHost === null && timeMs - lastMs <= SENT_MS) || hasJustCome(group, observation))
  // Whoever tells of two hosts at once tells of two logons.
  if (onHost && observation.host !== undefined && tellerOf(observation) !== null && !isSameHost(onHost, observation.host)) return false
  const beginsNone = kind === 'mark' || kind === 'end' || kind === 'phase-end' || isToBeTold
  const isOpen = closedAtMs === null || trails(group, observation, tellerOf) || followsSoon(group, observation)
  return beginsNone && isOpen && timeMs - lastMs <= HANDED_OVER_MS && isOfSame(session, observation.session) && isOfSame(pool, observation.pool)
}

/**
 * What is only noted when the desktop is there, as that the profile was not theirs. A refusal is of another try, unless a directory server tells of the one that just failed:
 * clocks that agree within a second do not tell which of the two was first.
 */
function followsSoon({ closedAtMs, refused }: Pick<Group, 'closedAtMs' | 'refused'>, { kind, timeMs, code, source }: Observation): boolean {
  if (kind !== 'mark' || closedAtMs === null) return false
  const refuses = code !== undefined && codeFails(canonicalCode(code))
  return refuses ? refused && source !== undefined && timeMs - closedAtMs <= AT_ONCE_MS : timeMs - closedAtMs <= SAME_MS
}

/** Whether an attempt was first seen at the host that an observation names, or where it was seen last, only just before. */
function hasJustCome({ hosts, since, firstMs }: Group, { host, timeMs }: Observation): boolean {
  const at = host === undefined ? -1 : hosts.findIndex((one) => isSameHost(one, host))
  return timeMs - (since.at(at) ?? firstMs) <= AHEAD_MS
}

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
    if (isOver && !trails(group, observation, tellerOf) && !followsSoon(group, observation) && !(on && group.endIsTold)) continue
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
function trails(group: Group, observation: Observation, tellerOf: TellerOf): boolean {
  const { phase, kind, code } = observation
  if (kind === 'end') return !endsAnother(group, observation, tellerOf)
  return phase === 'settle' || kind === 'phase-end' || (kind === 'mark' && code !== undefined && ANSWERS.includes(canonicalCode(code)))
}

/** Whoever told the end of one tells with another one of another try, of which that may be all there is; and whoever got in is not refused minutes later. */
function endsAnother({ own, closedAtMs }: Group, observation: Observation, tellerOf: TellerOf): boolean {
  if (closedAtMs === null || tellerOf(observation) !== null) return false
  const sinceMs = observation.timeMs - closedAtMs
  return own.has('end') ? sinceMs > AT_ONCE_MS : sinceMs > SAME_MS && observation.outcome === 'failed'
}
const ANSWERS = ['factor.approved', 'factor.declined']

function closingTime(observation: Observation): number | null {
  if (observation.kind === 'end') return observation.timeMs
  if (observation.phase !== 'shell' || observation.part) return null
  if (observation.kind === 'phase-end') return observation.timeMs
  return observation.kind === 'phase' ? endOf(observation) : null
}
