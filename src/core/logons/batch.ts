import { readAccount } from '../people/account'
import { finderOf } from '../people/finder'
import { familyOf } from '../people/host'
import { EMPTY_ORG, type Org } from '../people/org'
import { endedWell, isUnusual, measure, type Measured } from './analyse'
import { Around, FAR_MS } from './around'
import type { Attempt } from './attempt'
import { blame, type Blame } from './blame'
import { corrected, offIn } from './clock-right'
import { clockOffsets, type ClockOffset } from './clocks'
import { conclude, concludeAlone, type Explained } from './diagnose'
import { LastSaid } from './last-said'
import { learn, type OfItself } from './learning'
import { neighbourOf } from './neighbour'
import type { AttrValue } from './observation'
import { OrdinaryModel } from './ordinary'
import { ENOUGH, kindOf, SERIES, tookByItself, UsualModel, type Usual } from './usual'

/** Fills in what the organisation knows: who the account belongs to, and an attempt's place where the evidence does not say it. */
export function place(attempt: Attempt, org: Org): Attempt {
  const find = finderOf(org)
  const host = find.host(attempt.host)
  const known = find.person(attempt.person)
  // By whatever account they signed on: it is one person.
  const person = known ? readAccount(known.id).key : attempt.person
  const share = attempt.attrs['share'] === undefined ? find.shareOf(known) : undefined
  // Where nobody names the pool: hosts of one have one name and numbers.
  const pool = attempt.pool ?? host?.pool ?? (attempt.host === null ? null : familyOf(attempt.host))
  if (!host && share === undefined && person === attempt.person && pool === attempt.pool) return attempt
  // By whatever name it was reported: it is one host.
  const hostName = host?.id ?? attempt.host
  // Only what is missing, one by one: this is done for every attempt, and objects put together from parts are slow.
  let attrs: Record<string, AttrValue> | null = null
  if (host?.zone && attempt.attrs['zone'] === undefined) (attrs ??= { ...attempt.attrs })['zone'] = host.zone
  if (host?.site && attempt.attrs['site'] === undefined) (attrs ??= { ...attempt.attrs })['site'] = host.site
  const image = host && attempt.attrs['image'] === undefined ? find.imageOf(host, attempt.startedAtMs) : undefined
  if (image) (attrs ??= { ...attempt.attrs })['image'] = image
  if (share !== undefined) (attrs ??= { ...attempt.attrs })['share'] = share
  return attrs === null && pool === attempt.pool && person === attempt.person && hostName === attempt.host
    ? attempt
    : { ...attempt, attrs: attrs ?? attempt.attrs, host: hostName, pool, person }
}

/** Of those, only the ones that were as usual themselves: an incident does not become the usual while it lasts. */
export function countsForUsual(measured: Measured): boolean {
  return endedWell(measured) && (measured.usual === null || !isExact(measured.usual) || measured.excess.length === 0 || !isUnusual(measured))
}

/** A cause that is this sure is no part of what is usual, however common it is by then. */
const SURE = 0.83

/** Whether an attempt, once it was explained, says what is usual. */
export function saysUsual({ diagnosis: { cause } }: Explained, counted: boolean): boolean {
  return counted && !(cause && cause.id !== 'first-logon' && cause.confidence >= SURE)
}

/** Whether a usual is of just the kind that was asked for, with enough behind it. */
export const isExact = ({ n, basis }: Usual): boolean => n >= ENOUGH && basis.pool !== null && basis.network !== null

/** So far ahead is looked for neighbours, unless so many wait already. */
const AHEAD_MS = 6 * 3_600_000
const MOST_WAITING = 20_000
/** Looked ahead at least so far, however many wait. */
const NEAR_MS = 1_800_000

/** So many of the first attempts say what is usual where fewer than ENOUGH came before. */
const FIRST_ONES = 10_000

/** Analyses attempts that are all at hand, as from files (see explain). */
export function analyseAll(
  attempts: Iterable<Attempt>,
  org: Org = EMPTY_ORG,
  onClocks?: (found: ReadonlyMap<string, ClockOffset>) => void,
): Explained[] {
  return [...explain(attempts, (one) => one, org, onClocks)]
}

/**
 * Analyses attempts one after another, in bounded memory: an attempt is given out once the hours after it are known (at least half an hour). The usual of each comes
 * from those before it; where these are too few, from the first ones of all (medians bear the few that are ill).
 * Clocks that are off are looked for in the first ones, and what they timed is put right.
 * @param attempts by start, as correlate() returns them
 * @param tell what is wanted of each. Asked as soon as all is known of it, which of most is at once: those wait as what was told, which is mostly small
 * @param onClocks told of the clocks that are off, if any are
 */
export function* explain<T>(
  attempts: Iterable<Attempt>,
  tell: (explained: Explained) => T,
  org: Org = EMPTY_ORG,
  onClocks: (found: ReadonlyMap<string, ClockOffset>) => void = () => undefined,
): Generator<T> {
  const find = finderOf(org)
  let inItself: OfItself = { usual: new UsualModel(), ill: new Set() }
  /** Up to here what parts take was learnt at once. */
  let learntUntilMs = -Infinity
  const earlier = new UsualModel()
  const around = new Around()
  const ordinary = new OrdinaryModel()
  const waiting: (Waiting<T> | undefined)[] = []
  let told = 0
  const took = new Int32Array(SERIES.length)
  for (const { attempt, split } of lookingAhead(attempts)) {
    const kind = kindOf(attempt)
    const before = earlier.usualFor(kind)
    const usual = before && isExact(before) ? before : (inAll(inItself.usual.usualFor(kind)) ?? before)
    const result = measure(attempt, usual, find.pool(attempt.pool)?.slowMs, split)
    around.add(neighbourOf(result))
    const alone = concludeAlone(result)
    if (alone && countsForUsual(result) && !inItself.ill.has(attempt)) learnFrom(result)
    const startMs = attempt.startedAtMs
    waiting.push(alone ? { startMs, measured: null, told: tell(alone) } : { startMs, measured: result, told: null })
    while (told < waiting.length && startOf(waiting[told]) + (waiting.length - told > MOST_WAITING ? NEAR_MS : AHEAD_MS) < attempt.startedAtMs)
      yield explained(next())
    if (told > 5000) {
      around.forget(startOf(waiting[told]) - FAR_MS)
      waiting.splice(0, told)
      told = 0
    }
  }
  while (told < waiting.length) yield explained(next())

  /** What is told is let go of at once: in the list it would be kept until that is cut. */
  function next(): Waiting<T> | undefined {
    const one = waiting[told]
    waiting[told++] = undefined
    return one
  }

  function explained(one: Waiting<T> | undefined): T {
    if (!one) throw new RangeError('nothing waits')
    if (one.measured === null) return one.told
    const { measured } = one
    const result = conclude(measured, around, org, ordinary)
    // Only now: of those that may be ill, too many would pass for usual to those after them until they are found to be.
    if (saysUsual(result, countsForUsual(measured) && !inItself.ill.has(measured.attempt))) learnFrom(measured)
    return tell(result)
  }

  function learnFrom({ attempt, blame: split }: Measured): void {
    earlier.add(kindOf(attempt), tookByItself(attempt, split, took))
    if (attempt.startedAtMs > learntUntilMs) ordinary.parts.add(attempt)
  }

  function* lookingAhead(source: Iterable<Attempt>): Generator<{ attempt: Attempt; split: Blame }> {
    let ahead: Attempt[] | null = []
    let clocks: ReadonlyMap<string, ClockOffset> = new Map()
    const said = new LastSaid()
    const ready = (attempt: Attempt) => {
      const right = corrected(attempt, offIn(attempt, clocks))
      ordinary.add(right)
      return { attempt: right, split: blame(right) }
    }
    const begin = (first: readonly Attempt[]) => {
      clocks = clockOffsets(first)
      if (clocks.size > 0) onClocks(clocks)
      const right = said.fillAll(first).map(ready)
      inItself = learn(right)
      for (const { attempt, split } of right) {
        const isAsUsual = () => measure(attempt, inItself.usual.usualFor(kindOf(attempt)), undefined, split).excess.length === 0
        if (endedWell(attempt) && !inItself.ill.has(attempt) && isAsUsual()) ordinary.parts.add(attempt)
        learntUntilMs = Math.max(learntUntilMs, attempt.startedAtMs)
      }
      return right
    }
    for (const unplaced of source) {
      const attempt = place(unplaced, org)
      if (ahead === null) {
        yield ready(said.fill(attempt))
        continue
      }
      if (ahead.push(attempt) < FIRST_ONES) continue
      yield* begin(ahead)
      ahead = null
    }
    if (ahead) yield* begin(ahead)
  }
}

/** Until its turn: as it was measured, or what was told of it already. */
type Waiting<T> = { readonly startMs: number } & (
  { readonly measured: Measured; readonly told: null } | { readonly measured: null; readonly told: T }
)

const startOf = (one: Waiting<unknown> | undefined): number => one?.startMs ?? Infinity

const saidOfAll = new WeakMap<Usual, Usual>()

/** A usual that comes from all the evidence, not from what was earlier, and says so. */
function inAll(usual: Usual | null): Usual | null {
  if (!usual) return null
  let said = saidOfAll.get(usual)
  if (!said) {
    said = { ...usual, basis: { ...usual.basis, sentence: usual.basis.sentence.replace(' earlier ', ' ') + ' in the same evidence' } }
    saidOfAll.set(usual, said)
  }
  return said
}
