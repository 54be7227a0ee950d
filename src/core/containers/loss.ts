import { countSay } from '../stats/count'
import { shareLoads, type BalanceAim, type RoomContainer, type RoomShare, type ShareLoad } from './balance'

/** How a host finds a container: what the policy says of locations. */
export interface LocationRule {
  /** In order; plain form (core/policies/location.ts). */
  readonly locations: readonly string[]
  readonly mode: 'in-order' | 'mirrored'
  /** Of mirrored locations, how many must be writable. */
  readonly required: number
  readonly onFailure: 'refuse' | 'temporary'
}

export interface LossContainer extends RoomContainer {
  readonly person: string | null
  readonly pool: string | null
  /** A session has it open now. */
  readonly inUse: boolean
}

export type LossFate = 'unaffected' | 'empty profile' | 'temporary profile' | 'refused' | 'goes on'

export interface LossResult {
  /** Sessions that lose their profile while people work. */
  readonly sessionsHit: number
  readonly fates: readonly { readonly fate: LossFate; readonly people: number; readonly sentence: string }[]
  readonly pools: readonly { readonly pool: string; readonly people: number; readonly hit: number }[]
  /** The shares that are left, with what is asked of them then. */
  readonly left: readonly ShareLoad[]
  /** What goes wrong on those: too full, asked for too much. */
  readonly tooMuch: readonly string[]
  /** Containers that do not exist anywhere else, and their bytes: what is lost with the share for good unless there is a backup. */
  readonly onlyThere: { readonly containers: number; readonly bytes: number }
}

/** On which share a location lies; null where none of the known ones is meant. */
export function shareOfLocation(location: string, shares: readonly { readonly path: string }[]): string | null {
  const wanted = `${location.toLowerCase()}\\`
  return shares.find(({ path }) => wanted.startsWith(`${path.toLowerCase()}\\`))?.path ?? null
}

/**
 * What happens to everybody with a container when shares are lost: at their next logon, by what the policy says of locations.
 * In order: the host takes the person's container where it lies; where that share cannot be had, it makes a new one at the first location that can.
 * Mirrored: every location has all containers; people go on while enough are writable. Common practice, no published source.
 * @param newBytes what a new, empty profile takes
 */
export function loseShares(
  shares: readonly RoomShare[],
  containers: readonly LossContainer[],
  lost: readonly string[],
  rule: LocationRule,
  aim: BalanceAim,
  newBytes: number,
): LossResult {
  const gone = new Set(lost)
  const left = shares.filter(({ path }) => !gone.has(path))
  const places = rule.locations.map((location) => ({ location, share: shareOfLocation(location, shares) }))
  const writable = places.filter(({ share }) => share === null || !gone.has(share))
  const failed: LossFate = rule.onFailure === 'refuse' ? 'refused' : 'temporary profile'
  const enough = writable.length >= rule.required
  const fateOf = ({ share }: LossContainer): LossFate => {
    if (rule.mode === 'mirrored') return !enough ? failed : writable.length < places.length ? 'goes on' : 'unaffected'
    return !gone.has(share) ? 'unaffected' : writable.length > 0 ? 'empty profile' : failed
  }
  const people = new Map<string, { fate: LossFate; pool: string | null }>()
  const after: RoomContainer[] = []
  let sessionsHit = 0
  const extra = new Map<string, number>()
  const refuge = writable[0]?.share ?? null
  const onlyThere = { containers: 0, bytes: 0 }
  for (const one of containers) {
    const fate = fateOf(one)
    const hit = gone.has(one.share)
    if (one.person !== null) {
      const known = people.get(one.person)
      if (!known || RANK[fate] > RANK[known.fate]) people.set(one.person, { fate, pool: one.pool })
    }
    if (hit && one.inUse && !(rule.mode === 'mirrored' && enough)) sessionsHit++
    if (hit && rule.mode === 'in-order') {
      onlyThere.containers++
      onlyThere.bytes += one.bytes
    }
    if (!hit) after.push(one)
    else if (fate === 'empty profile' && refuge !== null) {
      after.push({ ...one, share: refuge })
      extra.set(refuge, (extra.get(refuge) ?? 0) + newBytes)
    } else if (fate === 'goes on') for (const { share } of writable.slice(0, 1)) if (share !== null) after.push({ ...one, share })
  }
  const loads = shareLoads(
    left.map((share) => ({ ...share, usedBytes: share.usedBytes + (extra.get(share.path) ?? 0) })),
    after,
    aim,
  )
  return {
    sessionsHit,
    fates: fatesOf(people, rule, places.length, writable.length, refuge),
    pools: poolsOf(people),
    left: loads,
    tooMuch: loads.flatMap(({ path, usedBytes, totalBytes, peakIops, bearsIops }) => [
      ...(usedBytes > totalBytes ? [`${path} has no room for the new profiles.`] : []),
      ...(bearsIops !== null && peakIops > bearsIops
        ? [`${path} would be asked for ${countSay(peakIops)} operations a second; it bears ${countSay(bearsIops)}.`]
        : []),
    ]),
    onlyThere,
  }
}

const RANK: Readonly<Record<LossFate, number>> = { unaffected: 0, 'goes on': 1, 'empty profile': 2, 'temporary profile': 3, refused: 4 }

function fatesOf(
  people: ReadonlyMap<string, { fate: LossFate }>,
  rule: LocationRule,
  places: number,
  writable: number,
  refuge: string | null,
): LossResult['fates'] {
  const says: Readonly<Record<LossFate, string>> = {
    unaffected: 'notice nothing.',
    'goes on': `go on with their own profile: ${writable} of ${places} locations are writable, ${rule.required} must be. What is written waits in the journal for the others.`,
    'empty profile': `begin with an empty profile${refuge === null ? '' : ` on ${refuge}`}: theirs lies where nobody can reach it. When the share is back they have two.`,
    'temporary profile': `get a temporary profile: ${rule.mode === 'mirrored' ? `only ${writable} of ${places} locations are writable, ${rule.required} must be` : 'no location can be had'}. What they do is lost at logoff.`,
    refused: `cannot log on: ${rule.mode === 'mirrored' ? `only ${writable} of ${places} locations are writable, ${rule.required} must be` : 'no location can be had'}, and the policy refuses the logon then.`,
  }
  const counts = new Map<LossFate, number>()
  for (const { fate } of people.values()) counts.set(fate, (counts.get(fate) ?? 0) + 1)
  return [...counts].sort((a, b) => RANK[b[0]] - RANK[a[0]]).map(([fate, n]) => ({ fate, people: n, sentence: says[fate] }))
}

function poolsOf(people: ReadonlyMap<string, { fate: LossFate; pool: string | null }>): LossResult['pools'] {
  const pools = new Map<string, { people: number; hit: number }>()
  for (const { fate, pool } of people.values()) {
    const name = pool ?? 'no pool'
    const known = pools.get(name) ?? { people: 0, hit: 0 }
    pools.set(name, { people: known.people + 1, hit: known.hit + (RANK[fate] >= 2 ? 1 : 0) })
  }
  return [...pools].map(([pool, counts]) => ({ pool, ...counts })).sort((a, b) => b.hit - a.hit)
}
