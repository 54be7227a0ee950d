import { EMPTY_ORG, type Org } from '../people/org'
import { endedWell, isUnusual, measure, type Measured } from './analyse'
import { Around, FAR_MS, neighbourOf } from './around'
import type { Attempt } from './attempt'
import { blame, type Blame } from './blame'
import { conclude, type Diagnosis } from './diagnose'
import { OrdinaryModel } from './ordinary'
import { durationsOf, ENOUGH, kindOf, UsualModel, type Usual } from './usual'

export interface Explained extends Measured {
  readonly diagnosis: Diagnosis
}

/** Fills in what the organisation knows of an attempt's place where the evidence does not say it. */
export function place(attempt: Attempt, org: Org, hosts: ReadonlyMap<string, Org['hosts'][number]>): Attempt {
  const host = attempt.host === null ? undefined : hosts.get(attempt.host.toLowerCase())
  if (!host) return attempt
  const { zone, site, image, pool } = host
  const attrs = { ...(zone ? { zone } : {}), ...(site ? { site } : {}), ...(image ? { image } : {}), ...attempt.attrs }
  return { ...attempt, attrs, pool: attempt.pool ?? pool ?? null }
}

export function hostsByName(org: Org): Map<string, Org['hosts'][number]> {
  return new Map(org.hosts.map((host) => [host.id.toLowerCase(), host]))
}

/** Of those, only the ones that were as usual themselves: an incident does not become the usual while it lasts. */
export function countsForUsual(measured: Measured): boolean {
  return endedWell(measured) && (measured.usual === null || !isExact(measured.usual) || measured.excess.length === 0 || !isUnusual(measured))
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
export function analyseAll(attempts: Iterable<Attempt>, org: Org = EMPTY_ORG): Explained[] {
  return [...explain(attempts, org)]
}

/**
 * Analyses attempts one after another, in bounded memory: an attempt is given out once the hours after it are known (at least half an hour). The usual of each comes
 * from those before it; where these are too few, from the first ones of all (medians bear the few that are ill).
 * @param attempts by start, as correlate() returns them
 */
export function* explain(attempts: Iterable<Attempt>, org: Org = EMPTY_ORG): Generator<Explained> {
  const hosts = hostsByName(org)
  const limits = new Map(org.pools.map((pool) => [pool.id, pool.slowMs]))
  const first = new UsualModel()
  const earlier = new UsualModel()
  const around = new Around()
  const ordinary = new OrdinaryModel()
  let waiting: Measured[] = []
  let told = 0
  for (const { attempt, split } of lookingAhead(attempts)) {
    const kind = kindOf(attempt)
    const before = earlier.usualFor(kind)
    const usual = before && isExact(before) ? before : allOf(first.usualFor(kind), before)
    const result = measure(attempt, usual, limits.get(attempt.pool ?? '') ?? undefined, split)
    if (countsForUsual(result)) earlier.add(kind, durationsOf(result.blame, attempt.totalMs))
    around.add(neighbourOf(result))
    waiting.push(result)
    while (told < waiting.length && startOf(waiting[told]) + (waiting.length - told > MOST_WAITING ? NEAR_MS : AHEAD_MS) < attempt.startedAtMs)
      yield explained(waiting[told++])
    if (told > 5000) {
      around.forget(startOf(waiting[told]) - FAR_MS)
      waiting = waiting.slice(told)
      told = 0
    }
  }
  while (told < waiting.length) yield explained(waiting[told++])

  function explained(measured: Measured | undefined): Explained {
    if (!measured) throw new RangeError('nothing waits')
    return conclude(measured, around, org, ordinary)
  }

  function* lookingAhead(source: Iterable<Attempt>): Generator<{ attempt: Attempt; split: Blame }> {
    let ahead: { attempt: Attempt; split: Blame }[] | null = []
    for (const unplaced of source) {
      const attempt = place(unplaced, org, hosts)
      const one = { attempt, split: blame(attempt) }
      if (ahead === null) {
        ordinary.add(attempt)
        yield one
        continue
      }
      ordinary.add(attempt)
      if (endedWell(attempt)) first.add(kindOf(attempt), durationsOf(one.split, attempt.totalMs))
      if (ahead.push(one) < FIRST_ONES) continue
      yield* ahead
      ahead = null
    }
    yield* ahead ?? []
  }
}

const startOf = (measured: Measured | undefined): number => measured?.attempt.startedAtMs ?? Infinity

function allOf(whole: Usual | null, before: Usual | null): Usual | null {
  if (!whole) return before
  return { ...whole, basis: { ...whole.basis, sentence: whole.basis.sentence.replace(' earlier ', ' ') + ' in the same evidence' } }
}
