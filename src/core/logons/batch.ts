import { EMPTY_ORG, type Org } from '../people/org'
import { isUnusual, measure, type Measured } from './analyse'
import { Around, neighbourOf } from './around'
import type { Attempt } from './attempt'
import { blame } from './blame'
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

/**
 * Analyses attempts that are all at hand, as from files. The usual of each comes from those before it; where these are too few,
 * from all of them (medians bear the few that are ill).
 * @param attempts by start, as correlate() returns them
 */
export function analyseAll(attempts: readonly Attempt[], org: Org = EMPTY_ORG): Explained[] {
  const hosts = hostsByName(org)
  const limits = new Map(org.pools.map((pool) => [pool.id, pool.slowMs]))
  const whole = new UsualModel()
  const earlier = new UsualModel()
  const around = new Around()
  const placed = attempts.map((attempt) => place(attempt, org, hosts))
  const blames = placed.map((attempt) => {
    const split = blame(attempt)
    if (countsForUsual(attempt)) whole.add(kindOf(attempt), durationsOf(split, attempt.totalMs))
    return split
  })
  const measured = placed.map((attempt, index) => {
    const kind = kindOf(attempt)
    const before = earlier.usualFor(kind)
    const usual = before && before.n >= ENOUGH && before.basis.pool !== null ? before : allOf(whole.usualFor(kind), before)
    const result = measure(attempt, usual, limits.get(attempt.pool ?? '') ?? undefined, blames[index])
    if (countsForUsual(result)) earlier.add(kind, durationsOf(result.blame, attempt.totalMs))
    around.add(neighbourOf(result))
    return result
  })
  return measured.map((result) => ({ ...result, diagnosis: isUnusual(result) ? diagnose(result, around, org) : NOTHING_UNUSUAL }))
}

function allOf(whole: Usual | null, before: Usual | null): Usual | null {
  if (!whole) return before
  return { ...whole, basis: { ...whole.basis, sentence: whole.basis.sentence.replace(' earlier ', ' ') + ' in the same evidence' } }
}
