import { isSameHost } from '../people/host'
import { canonicalCode, codeFails } from './codes'
import { isOfSame, type Group, type TellerOf } from './group'
import { inOrder, isInOrder } from './in-order'
import { SILENCE_MS } from './threads'

/** This soon a host begins with what was sent to it. */
export const SENT_MS = 30_000

/** Fragments of an attempt that clocks put apart are brought together. */
export function whole(groups: readonly Group[], tellerOf: TellerOf): Group[] {
  return paired(groups.some(isOnlyTold) ? rejoined(groups, tellerOf) : groups)
}

/** What was told of an attempt before it was on a host, and nothing of it on one. */
const isOnlySent = ({ onHost, refused, phases, closedAtMs }: Group): boolean => onHost === null && !refused && phases.size > 0 && closedAtMs === null

/** What only marks tell of: they begin nothing. */
const isOnlyMarked = ({ observations }: Group): boolean => observations.every(({ kind }) => kind === 'mark')

const shareHost = (one: Pick<Group, 'hosts'>, other: Pick<Group, 'hosts'>): boolean =>
  one.hosts.some((host) => other.hosts.some((theirs) => isSameHost(host, theirs)))

/** Whether another machine's marks may be of an attempt: who was refused did not get in. */
const isMarkedBy = (group: Group, marks: Group): boolean =>
  !isOnlyMarked(group) && !(marks.refused && group.phases.has('shell')) && !shareHost(group, marks)

/** Whether what was sent may be what a host tells of, or who could not sign on there: one of the two knows of the begin. Who sends may not know the host by its name. */
function isSentTo({ onHost, refused, begins, hosts }: Group, sent: Group): boolean {
  if (begins.length > 0 && sent.begins.length > 0) return false
  const isThere = shareHost({ hosts }, sent)
  // A gateway that somebody signed on at names itself.
  const isSignOn = sent.begins.length === 0 && [...sent.phases].every((phase) => phase === 'sign-on')
  return onHost !== null ? isThere || begins.length === 0 || isSignOn : refused && isThere
}

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
      if (!isOfSame(group.pool, sent.pool) || !isOfSame(group.session, sent.session)) continue
      if (isOnlySent(sent) ? !isSentTo(group, sent) || [...sent.phases].some((phase) => group.phases.has(phase)) : !isMarkedBy(group, sent)) continue
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
  hosts.some((one) => isSameHost(one, told.hosts[0] ?? '')) && isOfSame(session, told.session) && isOfSame(pool, told.pool)
