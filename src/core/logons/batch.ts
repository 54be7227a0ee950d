import { EMPTY_ORG, type Org } from '../people/org'
import { isUnusual, measure, type Measured } from './analyse'
import { Around, NEAR_MS, neighbourOf } from './around'
import type { Attempt } from './attempt'
import { blame, type Blame } from './blame'
import { diagnose, NOTHING_UNUSUAL, type Diagnosis } from './diagnose'
import { durationsOf, ENOUGH, kindOf, UsualModel, type Usual } from './usual'

export interface Explained extends Measured {
  readonly diagnosis: Diagnosis
}

/** Fills in what the organisation knows of an attempt's place where the evidence does not say it. */
export function place(attempt: Attempt, org: Org, hosts: ReadonlyMap<string, Org['hosts'][number]>): Attempt {
  const host = attempt.host === null ? undefined : hosts.get(attempt.host.toLowerCase())
  if (!host) return attempt
  const { zone, image, pool } = host
  const attrs = { ...(zone ? { zone } : {}), ...(image ? { image } : {}), ...attempt.attrs }
  return { ...attempt, attrs, pool: attempt.pool ?? pool ?? null }
}

export function hostsByName(org: Org): Map<string, Org['hosts'][number]> {
  return new Map(org.hosts.map((host) => [host.id.toLowerCase(), host]))
}

/** Only attempts that ended well say what is usual. */
export function countsForUsual({ outcome }: Pick<Measured, 'outcome'>): boolean {
  return outcome === 'ready' || outcome === 'slow'
}

/** So many of the first attempts say what is usual where fewer than ENOUGH came before. */
const FIRST_ONES = 10_000

/** Analyses attempts that are all at hand, as from files (see explain). */
export function analyseAll(attempts: Iterable<Attempt>, org: Org = EMPTY_ORG): Explained[] {
  return [...explain(attempts, org)]
}

/**
 * Analyses attempts one after another, in bounded memory: an attempt is given out once the half hour after it is known. The usual of each comes
 * from those before it; where these are too few, from the first ones of all (medians bear the few that are ill).
 * @param attempts by start, as correlate() returns them
 */
export function* explain(attempts: Iterable<Attempt>, org: Org = EMPTY_ORG): Generator<Explained> {
  const hosts = hostsByName(org)
  const limits = new Map(org.pools.map((pool) => [pool.id, pool.slowMs]))
  const first = new UsualModel()
  const earlier = new UsualModel()
  const around = new Around()
  let waiting: Measured[] = []
  let told = 0
  for (const { attempt, split } of lookingAhead(attempts)) {
    const kind = kindOf(attempt)
    const before = earlier.usualFor(kind)
    const usual = before && before.n >= ENOUGH && before.basis.pool !== null ? before : allOf(first.usualFor(kind), before)
    const result = measure(attempt, usual, limits.get(attempt.pool ?? '') ?? undefined, split)
    if (countsForUsual(result)) earlier.add(kind, durationsOf(result.blame, attempt.totalMs))
    around.add(neighbourOf(result))
    waiting.push(result)
    while (told < waiting.length && startOf(waiting[told]) + NEAR_MS < attempt.startedAtMs) yield explained(waiting[told++])
    if (told > 5000) {
      around.forget(startOf(waiting[told]) - NEAR_MS)
      waiting = waiting.slice(told)
      told = 0
    }
  }
  while (told < waiting.length) yield explained(waiting[told++])

  function explained(measured: Measured | undefined): Explained {
    if (!measured) throw new RangeError('nothing waits')
    return { ...measured, diagnosis: isUnusual(measured) ? diagnose(measured, around, org) : NOTHING_UNUSUAL }
  }

  function* lookingAhead(source: Iterable<Attempt>): Generator<{ attempt: Attempt; split: Blame }> {
    let ahead: { attempt: Attempt; split: Blame }[] | null = []
    for (const unplaced of source) {
      const attempt = place(unplaced, org, hosts)
      const one = { attempt, split: blame(attempt) }
      if (ahead === null) {
        yield one
        continue
      }
      if (countsForUsual(attempt)) first.add(kindOf(attempt), durationsOf(one.split, attempt.totalMs))
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
