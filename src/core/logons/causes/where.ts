import { contrastGain } from '../../stats/significance'
import type { Anywhere, Located } from '../around'
import { TELL_OF_ALL } from '../contrast'
import type { Facts } from '../facts'
import { UNRECORDED } from '../observation'
import type { Dimension } from '../places'
import { against, clue, type Clue } from './cause'

export const NAMES: Readonly<Record<Dimension, string>> = {
  host: 'host',
  pool: 'pool',
  share: 'share',
  zone: 'zone',
  site: 'site',
  image: 'image',
  network: 'network',
  transport: 'transport',
  clientKind: 'kind of client',
  clientVersion: 'client version',
  factor: 'second factor',
}

const placeName = (at: Located['at']): string => at.map(({ dimension, value }) => `${NAMES[dimension]} ${value}`).join(' and ')

/** So many who were not at a place tell whether it was of that place only. */
const TELL_ELSEWHERE = 5
/** From this gain on a place tells something. */
export const TELLS = 6
/** Places whose gains differ by less tell about as well. */
const ABOUT = 3

/** What happened to those who had a trouble. */
function didWhat(trouble: string): string {
  if (trouble === 'failed') return 'failed the same way'
  return trouble === UNRECORDED ? 'waited without record' : `were slow in ${trouble}`
}

/** `31 of 40 other logons on host H were slow in shell; elsewhere 2 of 160.` */
export function contrastSentence({ at, inside, outside }: Located, phase: string): string {
  return `${inside.hit} of ${inside.n} other logons with ${placeName(at)} ${didWhat(phase)}; elsewhere ${outside.hit} of ${outside.n}.`
}

/** Where nothing tells an image from its pool, not even a change: so much of what the place says is left for the image. */
const LEFT_FOR_IMAGE = 0.65

/** Whether all of the pool has this image, nobody else has, and nobody told of a roll-out: what is slow on it may be the pool's as well. */
export function isImageThePools(facts: Facts): boolean {
  return facts.around.isImageThePools(facts.self) && changeBefore(facts, ['image'], ['image']).length === 0
}

/**
 * Whether the trouble sits where a cause would put it. For: one of these dimensions (or pairs) tells best, or about as well as the best.
 * Against: another place tells clearly better, or nobody else there has it.
 */
export function sitsAt(facts: Facts, phase: string, dimensions: readonly string[], most = 4): Clue[] {
  const places = facts.located(phase)
  const best = places[0]
  const fits = (one: Located) => dimensions.includes(one.at.map(({ dimension }) => dimension).join('+'))
  const own = places.find(fits)
  if (own && own.gain >= TELLS && best && own.gain >= best.gain - Math.max(ABOUT, 0.12 * best.gain))
    return [clue(leftOf(facts, own, phase) * mostAt(facts, own, most, 1 + own.gain / 8), contrastSentence(own, phase))]
  // Two troubles at once: another place tells better, but nearly everybody here has it too.
  if (
    own &&
    own.inside.n >= 3 &&
    own.inside.hit >= 0.7 * own.inside.n &&
    !isOnlyAlong(facts, phase, own, best) &&
    !isWhereverKnown(facts, phase, own)
  )
    return [clue(Math.min(0.6 * most, 0.5 + own.gain / 40), contrastSentence(own, phase))]
  if (best && best.gain >= TELLS && !fits(best))
    return [against(leftOf(facts, best, phase) * Math.min(4, 1 + best.gain / 10), `It sits elsewhere: ${contrastSentence(best, phase)}`)]
  return alone(facts, phase, dimensions)
}

/** So much of what a host says is left where it is one of several. */
const LEFT_FOR_ONE_OF_SEVERAL = 0.35

/** What several hosts have alike, out of many that do not, they have in common: a site, or an image, that nobody reports. It is none of each of them. */
function leftOf(facts: Facts, { at, inside, outside }: Located, phase: string): number {
  if (at.length > 1 || at[0]?.dimension !== 'host') return 1
  if (outside.n < 20 || outside.hit * 7 < outside.n || outside.hit < 2 * inside.hit) return 1
  return facts.anywhere(phase, ['host']).hosts < 3 ? 1 : LEFT_FOR_ONE_OF_SEVERAL
}

/** Whether a share has it only as part of the best place, as of an image: nearly all who are there, but on other shares, have it as well. */
function isOnlyAlong(facts: Facts, phase: string, { at: [own, ...more] }: Located, best: Located | undefined): boolean {
  const among = best?.at.map(({ dimension }) => dimension) ?? []
  if (own?.dimension !== 'share' || more.length > 0 || among.length === 0 || among.includes('share')) return false
  const { outside } = facts.contrast(own.dimension, phase, among)
  return outside.n >= 4 && outside.hit >= 0.8 * outside.n
}

/** Whether wherever a place of this kind was reported at all they have it: who does not report it, as from an older agent, only seems to be elsewhere. */
function isWhereverKnown(facts: Facts, phase: string, { at }: Located): boolean {
  const dimensions = at.map(({ dimension }) => dimension)
  return dimensions.some((own) => {
    const others = dimensions.filter((one) => one !== own)
    const { inside, outside } = facts.contrast(own, phase, others)
    return outside.n >= TELL_ELSEWHERE && outside.hit * inside.n >= 0.8 * inside.hit * outside.n
  })
}

function mostAt(facts: Facts, { at }: Located, most: number, weight: number): number {
  return Math.min(most * (at[0]?.dimension === 'image' && isImageThePools(facts) ? LEFT_FOR_IMAGE : 1), weight)
}

/** Against, where enough others were at the place and did not have it. */
function alone(facts: Facts, phase: string, dimensions: readonly string[]): Clue[] {
  for (const dimension of dimensions) {
    if (dimension.includes('+') || facts.self.places[dimension as Dimension] === '') continue
    const { inside } = facts.contrast(dimension as Dimension, phase)
    if (inside.n < 6 || inside.hit * 5 >= inside.n) continue
    // It may have begun or ended there within the hour: those right before and after tell.
    const nearest = facts.nearest([dimension as Dimension], phase)
    const place = `${NAMES[dimension as Dimension]} ${facts.self.places[dimension as Dimension]}`
    if (nearest.n >= 4 && nearest.hit >= 0.6 * nearest.n)
      return [clue(1.5, `${nearest.hit} of the ${nearest.n} nearest logons with ${place} had it too, though few of the hours around.`)]
    const row = inARow(facts, phase, dimension as Dimension, place)
    if (row) return [row]
    return [against(3, `Only ${inside.hit} of ${inside.n} other logons with ${place} had it.`)]
  }
  return []
}

/** So many in a row at least, and so many others who tell how seldom it is; and from this on it is no chance: once in four hundred. */
const FEWEST_IN_A_ROW = 2
const TELL_HOW_SELDOM = 10
const NO_CHANCE = 6

/** For, where so many had it one after another, not all on one host, though the others had it so seldom that it is no chance; the weight is half of how unlikely that is, in natural log odds. */
function inARow(facts: Facts, phase: string, dimension: Dimension, place: string): Clue | null {
  const { n, hosts, rest } = facts.inARow(dimension, phase, FEWEST_IN_A_ROW)
  const odds = n * Math.log((rest.n + 2) / (rest.hit + 1))
  if (n < FEWEST_IN_A_ROW || hosts < 2 || rest.n < TELL_HOW_SELDOM || odds < NO_CHANCE) return null
  return clue(
    Math.min(3, odds / 2),
    `The ${n} logons with ${place} next to this one ${didWhat(phase)}, too; of the other ${rest.n} around, ${rest.hit}.`,
  )
}

/**
 * For: nearly everybody had it at the time, wherever they were, so that no place can tell: what all of them ask is slow. Where most of them were at one place, those who
 * were not had it, too.
 */
export function everywhere(facts: Facts, phase: string, most = 4): Clue[] {
  const best = facts.located(phase)[0]
  const place = best && best.gain >= TELLS ? best.at.map(({ dimension }) => dimension) : null
  if (place && !areMost(facts.anywhere(phase, place), TELL_ELSEWHERE)) return []
  const all = facts.anywhere(phase)
  if (!areMost(all, TELL_OF_ALL) || all.hosts < 3) return []
  const left = (all.hit >= 0.8 * all.n ? 1 : 0.7) * (beganWithImage(facts, phase).length > 0 ? LEFT_FOR_OTHERS : 1)
  return [clue(left * most, `Of the ${all.n} nearest logons, wherever they were, ${all.hit} on ${all.hosts} hosts ${didWhat(phase)}.`)]
}

/** So many hosts that have it, and that have not, of so many pools show that they are two sorts; and so few are of neither. */
const FEWEST_HOSTS = 3
const FEWEST_POOLS = 2
const OF_NEITHER = 0.2

/**
 * For: some hosts of several pools have it in nearly all of their logons, the others in hardly any. What they have in common, as a site, nobody reports.
 */
export function onSomeHosts(facts: Facts, phase: string, weight = 3): Clue[] {
  const { ill, pools, well, others } = facts.around.byHost(facts.self, phase)
  if (ill < FEWEST_HOSTS || pools < FEWEST_POOLS || well < FEWEST_HOSTS || others > OF_NEITHER * (ill + well)) return []
  return [
    clue(
      weight,
      `On ${ill} hosts of ${pools} pools nearly all ${didWhat(phase)}, on ${well} others hardly any: there is a place that nobody reports.`,
    ),
  ]
}

/** For: nearly all on its host have it, on another host of its pool hardly any. Where most hosts of a small pool have it, each by itself, no place tells. */
export function onItsHost(facts: Facts, phase: string, weight = 2.5): Clue[] {
  const { ownIll, wellInPool } = facts.around.byHost(facts.self, phase)
  if (!ownIll || wellInPool === 0) return []
  const others = wellInPool === 1 ? 'one other host' : `${wellInPool} other hosts`
  return [clue(weight, `${ownIll.hit} of the ${ownIll.n} nearest other logons on this host ${didWhat(phase)}, on ${others} of the pool hardly any.`)]
}

const areMost = ({ n, hit }: Anywhere, least: number): boolean => n >= least && hit >= 0.6 * n

/** So many before and since an image came say whether it began with that. */
const TELL_OF_IMAGE = 8

/**
 * For: hardly anybody of the pool had it when its image came, and nearly everybody did from the first logon on it on, and does still. Only where no place tells: where others are on an
 * older image, those tell more. What is slow only while many log on did not begin with an image.
 */
export function beganWithImage(facts: Facts, phase: string, most = 5): Clue[] {
  const since = facts.sinceImage(phase)
  if (!since || since.before.n < TELL_OF_IMAGE || since.first.n < TELL_OF_IMAGE) return []
  const { before, first } = since
  if (first.hit < 0.6 * first.n || before.hit * 5 > before.n) return []
  if (!areMost(facts.anywhere(phase, [], ['image']), TELL_ELSEWHERE)) return []
  // Those of other pools that have it, too, do not have it from this image.
  if (areMost(facts.anywhere(phase, ['image']), TELL_OF_ALL)) return []
  // Those of other pools on the share, who are none of its business, are quiet at all times.
  const { whenQuiet } = facts.crowd(phase, ['image'])
  if (whenQuiet.n >= 4 && whenQuiet.hit * 5 <= whenQuiet.n) return []
  const image = facts.self.places.image
  return [
    clue(
      Math.min(most, 1 + contrastGain({ inside: first, outside: before }) / 8),
      `Of the first ${first.n} logons on image ${image} ${first.hit} were slow in ${phase}; of the last ${before.n} before it on the pool, ${before.hit}.`,
    ),
  ]
}

/**
 * Against, where nothing tells the image from its pool, nor it better than the pool does: those who came first on it did not have it. What a version brings, it brings from its
 * first logon on.
 */
export function notSinceImage(facts: Facts, phase: string): Clue[] {
  const gainOf = (own: Dimension) => facts.located(phase).find(({ at }) => at.length === 1 && at[0]?.dimension === own)?.gain ?? 0
  if (!isImageThePools(facts) || gainOf('image') > gainOf('pool') + ABOUT) return []
  const first = facts.sinceImage(phase)?.first
  if (!first || first.n < TELL_OF_IMAGE || first.hit * 5 > first.n) return []
  return [against(2.5, `Of the first ${first.n} logons that are known on image ${facts.self.places.image} ${first.hit} were slow in ${phase}.`)]
}

/** So much of what everybody's having it says is left where it began with an image that all of them have. */
const LEFT_FOR_OTHERS = 0.4

/** The same as sitsAt, or that everybody has it: then it does not sit elsewhere, either, whatever one place shows by chance. */
export function sitsAtOrEverywhere(facts: Facts, phase: string, dimensions: readonly string[], most = 4, mostIfAll = most): Clue[] {
  const [here, all] = [sitsAt(facts, phase, dimensions, most), everywhere(facts, phase, mostIfAll)]
  return all.length > 0 ? [...here.filter((one) => one.for), ...all] : here
}

/** Whether it is this person's own: hardly anybody else has it, wherever one looks. */
export function onlyTheirs(facts: Facts, phase: string): Clue[] {
  const best = facts.located(phase)[0]
  // Where only some there have it, this person need not have it from there.
  if (best && best.gain >= 12)
    return [against(Math.min(3, best.gain / 12) * (best.inside.hit / best.inside.n), `Others have it too: ${contrastSentence(best, phase)}`)]
  const { inside } = facts.contrast('pool', phase)
  return inside.n >= 10 && inside.hit * 10 < inside.n ? [clue(0.7, `Only ${inside.hit} of ${inside.n} others on the pool had it.`)] : []
}

/** A change of one of these kinds at one of the attempt's places, in the days before it. */
export function changeBefore(facts: Facts, kinds: readonly string[], dimensions: readonly string[]): Clue[] {
  const found = facts.org.changes?.findLast(
    ({ atMs, kind, scope }) =>
      kinds.includes(kind) &&
      atMs <= facts.attempt.startedAtMs &&
      atMs > facts.attempt.startedAtMs - 14 * 86_400_000 &&
      scope.some(({ dimension, value }) => dimensions.includes(dimension) && facts.self.places[dimension as Dimension] === value),
  )
  return found ? [clue(1, `Before it: ${(found.sentence || found.kind).replace(/\.$/, '')}.`, new Date(found.atMs).toISOString())] : []
}
