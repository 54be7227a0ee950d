import { contrastGain } from '../stats/significance'
import { Alike, BEYOND, COULD, FAULT, UNREPORTED } from './alike'
import { worseOf, type Contrast } from './contrast'
import { Crowds, NEAREST, type Crowd } from './crowds'
import { Beginnings, type SinceImage } from './beginnings'
import { couldHave, type Neighbour } from './neighbour'
import { COURSE, FAR_MS, KIND, NEAR_MS, NeighbourRows, STRIDE, type Placed } from './neighbour-rows'
import { DIMENSIONS, maskOf, type Dimension } from './places'

export type { Crowd } from './crowds'
export { FAR_MS, NEAR_MS } from './neighbour-rows'

/** Pairs of dimensions that can be a place together: a way between two, or a part of one. */
const PAIRS: readonly (readonly [Dimension, Dimension])[] = [
  ['zone', 'share'],
  ['site', 'share'],
  ['zone', 'pool'],
  ['network', 'pool'],
  ['network', 'clientVersion'],
  ['pool', 'clientVersion'],
]

const SINGLES: readonly (readonly Dimension[])[] = DIMENSIONS.map((dimension) => [dimension])

/** A place that the trouble may sit at. */
export interface Located extends Contrast {
  readonly at: readonly { readonly dimension: Dimension; readonly value: string }[]
  /** How much better it is told by this place than by none: twice the log of the likelihood ratio. */
  readonly gain: number
}

/** Where hardly anybody logs on, those within hours are the nearest. */
const SAME_DAY_MS = 4 * 3_600_000

/** How many of those nearest in time had it, and on how many hosts. */
export interface Anywhere {
  readonly n: number
  readonly hit: number
  readonly hosts: number
}

/** How many had it one after another, beside the attempt itself, on how many hosts; and of those before and after these, how many had it. */
export interface InARow {
  readonly n: number
  readonly hosts: number
  readonly rest: Contrast['inside']
}

/** Hosts by the nearest few logons on each around an attempt, where there are enough: those on which nearly all had its trouble, of how many pools these are, those on which hardly any had, and the rest. */
export interface ByHost {
  readonly ill: number
  readonly pools: number
  readonly well: number
  readonly others: number
  /** Those asked on its own host, where that is among the first. */
  readonly ownIll: Contrast['inside'] | null
  /** Of the second, those of its own pool. */
  readonly wellInPool: number
}
const ENOUGH_ON_HOST = 3
const NEAREST_ON_HOST = 5
const MOST_ASKED = 400
const NEARLY_ALL = 0.8
const HARDLY_ANY = 0.1

/** Those before an attempt, or after it. */
interface Side {
  n: number
  hit: number
  readonly hosts: Set<number>
}

/** What an attempt sees around it. */
interface Seen {
  readonly self: Neighbour
  /** The dimensions in which its own place is known. */
  readonly asked: number
  /** Those around it but itself, each once: one bit for each of DIMENSIONS that is as it has it, and how they went. */
  readonly alike: Alike
}

const WIDTH = DIMENSIONS.length
const HOST = DIMENSIONS.indexOf('host')
const POOL = DIMENSIONS.indexOf('pool')

/** The attempts around a moment: who else had it, where, and how many logged on at once. Kept by time, in rows of numbers. */
export class Around {
  readonly #held = new NeighbourRows()
  readonly #crowds = new Crowds(this.#held)
  readonly #beginnings = new Beginnings()
  /** See #counts: all zero between two questions. */
  readonly #answers = new Int32Array(1 << (WIDTH + 1))
  readonly #alike = new Alike()
  #seen: Seen | null = null

  add(neighbour: Neighbour): void {
    this.addAll([neighbour])
  }

  /** Adds many at once: those that are there are moved once, if at all. */
  addAll(neighbours: readonly Neighbour[]): void {
    this.#seen = null
    this.#held.addAll(neighbours)
    for (const one of neighbours) this.#beginnings.add(one)
  }

  /** Adds those who only say how logons went when images came, as they are no neighbours any more. */
  addBeginnings(neighbours: readonly Neighbour[]): void {
    for (const one of neighbours) this.#beginnings.add(one)
  }

  /** The same attempt again, as it is known now. */
  replace(neighbour: Neighbour): void {
    this.#seen = null
    if (this.#held.replace(neighbour)) this.#beginnings.replace(neighbour)
    else this.#beginnings.add(neighbour)
  }

  get size(): number {
    return this.#held.size
  }

  /** Forgets everything before a moment, so that memory stays bounded. */
  forget(beforeMs: number): void {
    this.#seen = null
    if (this.#held.forget(beforeMs)) this.#crowds.forget()
    this.#beginnings.forget(beforeMs)
  }

  /** How crowded its share was. See Crowds. */
  crowd(self: Neighbour, phase: string, among: readonly Dimension[] = []): Crowd {
    return this.#crowds.of(self, phase, among)
  }

  /** Who was slow in other crowds as large. See Crowds. */
  inOtherCrowds(self: Neighbour, phase: string): Contrast['inside'] {
    return this.#crowds.inOthers(self, phase)
  }

  /**
   * The places of an attempt (single ones, and pairs that say much more, or tell it from the others at either of their places) by how well each tells who had the same
   * trouble from who had not.
   * @param phase the phase that was beyond its usual, or `failed`: failed by the same code
   * @param among only neighbours that share these places with it
   */
  locate(self: Neighbour, phase: string, among: readonly Dimension[] = []): readonly Located[] {
    const { counts, answers } = this.#counts(self, phase, among)
    const at = (slot: number): Contrast => ({
      inside: { n: counts[slot * 4] ?? 0, hit: counts[slot * 4 + 1] ?? 0 },
      outside: { n: counts[slot * 4 + 2] ?? 0, hit: counts[slot * 4 + 3] ?? 0 },
    })
    const gainAt = (slot: number) => {
      const gain = gainOf(at(slot))
      return gain >= TELLS_APART ? Math.min(gain, leftOf(ALL_BITS[slot] ?? 0, at(slot), answers)) : gain
    }
    const gains = SINGLES.map((_, d) => gainAt(d))
    const bestSingle = Math.max(...gains)
    const result: Located[] = []
    const tell = (slot: number, dimensions: readonly Dimension[], gain: number) => {
      if (gain > 0) result.push({ at: dimensions.map((dimension) => ({ dimension, value: self.places[dimension] })), ...at(slot), gain })
    }
    PAIRS.forEach((pair, p) => {
      const both = at(WIDTH + p)
      const gain = gainAt(WIDTH + p)
      const singles = pair.map((dimension) => DIMENSIONS.indexOf(dimension))
      if (gain >= bestSingle && singles.every((d) => gainOf({ inside: both.inside, outside: without(at(d).inside, both.inside) }) >= TELLS_APART)) {
        tell(WIDTH + p, pair, gain)
        // What is left of either for the others who are there.
        for (const d of singles) gains[d] = gainOf({ inside: without(at(d).inside, both.inside), outside: at(d).outside })
      } else if (gain > 1.15 * bestSingle + 6) tell(WIDTH + p, pair, gain)
    })
    SINGLES.forEach((single, d) => {
      tell(d, single, gains[d] ?? 0)
    })
    return result.sort((a, b) => b.gain - a.gain)
  }

  /** Four counts for each of ALL_BITS: inside n and hit, outside n and hit; and what they are the sums of. */
  #counts(self: Neighbour, phase: string, among: readonly Dimension[]): { readonly counts: Int32Array; readonly answers: readonly Answer[] } {
    const [bit, byFault] = this.#held.trouble(self, phase)
    const { asked, alike } = this.#seenFrom(self)
    const courses = this.#held.courses
    const fences = maskOf(among)
    const counts = new Int32Array(ALL_BITS.length * 4)
    // Those with the same answer are counted together: there are few different ones. By which places are the same, and whether hit.
    const timesOf = this.#answers
    const met: number[] = []
    for (let i = 0; i < alike.n; i++) {
      const mask = alike.masks[i] ?? 0
      const course = alike.courses[i] ?? 0
      if ((mask & fences) !== fences) continue
      const had = courses.had(course, bit, byFault)
      if (had === null) continue
      const times = alike.times[i] ?? 0
      const key = (mask << 1) | (had ? 1 : 0)
      // A place that was not reported is another one, unless the attempt ended before it could be.
      const known = courses.table[course + FAULT] === 0 ? asked : asked & ~(courses.table[course + UNREPORTED] ?? 0)
      if (known !== asked) sumInto(counts, known, key, times)
      else {
        const before = timesOf[key] ?? 0
        if (before === 0) met.push(key)
        timesOf[key] = before + times
      }
    }
    const answers: Answer[] = []
    for (const key of met) {
      const times = timesOf[key] ?? 0
      sumInto(counts, asked, key, times)
      answers.push({ mask: key >> 1, isHit: (key & 1) !== 0, times })
      timesOf[key] = 0
    }
    return { counts, answers }
  }

  /** What an attempt sees around it, for every question about it: kept until another asks, or something comes in. */
  #seenFrom(self: Neighbour): Seen {
    if (this.#seen?.self === self) return this.#seen
    const [from, to] = this.#held.neighbours(self.atMs)
    const { kinds, rows } = this.#held
    const own = this.#held.rowOf(self)
    let asked = 0
    for (const [d, dimension] of DIMENSIONS.entries()) if (self.places[dimension] !== '') asked |= 1 << d
    kinds.compareWith(self.places)
    const alike = this.#alike
    alike.clear()
    const add = (row: number) => {
      if (row !== own) alike.add(kinds.sameAs(rows[row * STRIDE + KIND] ?? 0), rows[row * STRIDE + COURSE] ?? 0)
    }
    for (let row = from; row < to; row++) add(row)
    for (const row of this.#held.moreOfPool(self, from, to)) add(row)
    return (this.#seen = { self, asked, alike })
  }

  /** Whether its image is told from its pool by nothing that was seen: see PlaceKinds.isImageThePools. */
  isImageThePools({ places }: Neighbour): boolean {
    return this.#held.kinds.isImageThePools(places)
  }

  /** How many were slow in a phase when the attempt's image came to its pool, and right before. See Beginnings. */
  sinceImage(self: Neighbour, phase: string): SinceImage | null {
    const [bit] = this.#held.trouble(self, phase)
    return bit === 0 ? null : this.#beginnings.of(self, (one) => ((couldHave(one) & bit) === bit ? (one.beyond & bit) !== 0 : null))
  }

  /** Compares a place with everywhere else, among the neighbours that share some other places with the attempt. */
  contrast(self: Neighbour, dimension: Dimension, phase: string, among: readonly Dimension[] = []): Contrast {
    const [bit] = this.#held.trouble(self, phase)
    const { alike } = this.#seenFrom(self)
    const courses = this.#held.courses.table
    const [there, fences] = [maskOf([dimension]), maskOf(among)]
    let [insideN, insideHit, outsideN, outsideHit] = [0, 0, 0, 0]
    for (let i = 0; i < alike.n; i++) {
      const mask = alike.masks[i] ?? 0
      const course = alike.courses[i] ?? 0
      if ((mask & fences) !== fences || ((courses[course + UNREPORTED] ?? 0) & there) !== 0) continue
      if (((courses[course + COULD] ?? 0) & bit) !== bit) continue
      const times = alike.times[i] ?? 0
      const hits = (bit === 0 ? courses[course + FAULT] !== 0 : ((courses[course + BEYOND] ?? 0) & bit) !== 0) ? times : 0
      if ((mask & there) !== 0) {
        insideN += times
        insideHit += hits
      } else {
        outsideN += times
        outsideHit += hits
      }
    }
    return { inside: { n: insideN, hit: insideHit }, outside: { n: outsideN, hit: outsideHit } }
  }

  /** Of the neighbours at some places of its own that are nearest in time, how many had the same trouble: of the half hour either side, or on a way between two places of hours. */
  nearest(self: Neighbour, dimensions: readonly Dimension[], phase: string, most = 8): Contrast['inside'] {
    const [bit, byFault] = this.#held.trouble(self, phase)
    const places = dimensions.map((dimension) => this.#held.placeOf(self, dimension))
    const result = { n: 0, hit: 0 }
    this.#held.outwards(self, dimensions.length > 1 ? SAME_DAY_MS : NEAR_MS, (row) => {
      if (!places.every(([d, own]) => this.#held.isAt(row, d, own)) || this.#held.isSelf(row, self)) return true
      const had = this.#held.had(row, bit, byFault)
      if (had === null) return true
      if (had) result.hit++
      return ++result.n < most
    })
    return result
  }

  /**
   * Of the neighbours that are nearest in time, wherever they were: how many had the same trouble, and on how many hosts. Of those before and after it, or where it
   * has just begun or ended of those on the side where more had it.
   * @param outside only of those who are not at these places of its own
   * @param among only of those who are at these
   */
  anywhere(self: Neighbour, phase: string, outside: readonly Dimension[] = [], among: readonly Dimension[] = [], most = NEAREST / 2): Anywhere {
    const [bit, byFault] = this.#held.trouble(self, phase)
    const [own, shared] = [outside, among].map((dimensions) => dimensions.map((dimension) => this.#held.placeOf(self, dimension))) as [
      Placed[],
      Placed[],
    ]
    const [before, after] = [0, 1].map(() => ({ n: 0, hit: 0, hosts: new Set<number>() })) as [Side, Side]
    this.#held.outwards(self, SAME_DAY_MS, (row) => {
      const one = (this.#held.at[row] ?? 0) < self.atMs ? before : after
      if (own.length > 0 && own.every(([d, place]) => this.#held.isAt(row, d, place))) return true
      if (!shared.every(([d, place]) => this.#held.isAt(row, d, place))) return true
      if (one.n >= most || this.#held.isSelf(row, self)) return true
      const had = this.#held.had(row, bit, byFault)
      if (had === null) return true
      one.n++
      if (had) {
        one.hit++
        one.hosts.add(this.#held.valueAt(row, HOST))
      }
      return before.n < most || after.n < most
    })
    const best = worseOf(before, after)
    const hosts = best === before ? before.hosts : best === after ? after.hosts : new Set([...before.hosts, ...after.hosts])
    return { n: best.n, hit: best.hit, hosts: hosts.size }
  }

  /**
   * Those at a place of its own who came right before and after it, one after another, and had the same trouble; and how those went who came before and after these. Where few log
   * on, what lasted some hours is seen by nothing else.
   * @param fewest where fewer had it in a row, nobody else is asked
   */
  inARow(self: Neighbour, dimension: Dimension, phase: string, fewest: number, most = 60): InARow {
    const [bit, byFault] = this.#held.trouble(self, phase)
    const [d, own] = this.#held.placeOf(self, dimension)
    const hosts = new Set([this.#held.kinds.known(self.places.host)])
    const result = { n: 0, rest: { n: 0, hit: 0 } }
    const goesOn = [true, true]
    this.#held.outwards(self, FAR_MS, (row) => {
      if (!this.#held.isAt(row, d, own) || this.#held.isSelf(row, self)) return true
      const had = this.#held.had(row, bit, byFault)
      if (had === null) return true
      const side = (this.#held.at[row] ?? 0) < self.atMs ? 0 : 1
      goesOn[side] &&= had
      if (goesOn[side]) {
        result.n++
        hosts.add(this.#held.valueAt(row, HOST))
      } else {
        result.rest.n++
        if (had) result.rest.hit++
      }
      return result.rest.n < most && (result.n >= fewest || goesOn.includes(true))
    })
    return { ...result, hosts: hosts.size }
  }

  /** How its trouble is spread over the hosts around it. */
  byHost(self: Neighbour, phase: string): ByHost {
    const [bit, byFault] = this.#held.trouble(self, phase)
    const hosts = new Map<number, { n: number; hit: number; readonly pool: number }>()
    let asked = 0
    this.#held.outwards(self, SAME_DAY_MS, (row) => {
      const host = this.#held.valueAt(row, HOST)
      const count = hosts.get(host) ?? { n: 0, hit: 0, pool: this.#held.valueAt(row, POOL) }
      // Who never got to a host is on none.
      const isAsked = host !== 0 && count.n < NEAREST_ON_HOST && !this.#held.isSelf(row, self)
      const had = isAsked ? this.#held.had(row, bit, byFault) : null
      if (had !== null) {
        hosts.set(host, count)
        count.n++
        if (had) count.hit++
      }
      return ++asked < MOST_ASKED
    })
    const known = [...hosts.values()].filter(({ n }) => n >= ENOUGH_ON_HOST)
    const ill = known.filter(({ n, hit }) => hit >= NEARLY_ALL * n)
    const well = known.filter(({ n, hit }) => hit <= HARDLY_ANY * n)
    const [, ownHost] = this.#held.placeOf(self, 'host')
    const [, ownPool] = this.#held.placeOf(self, 'pool')
    const own = hosts.get(ownHost)
    return {
      ill: ill.length,
      pools: new Set(ill.map(({ pool }) => pool)).size,
      well: well.length,
      others: known.length - ill.length - well.length,
      ownIll: own && ill.includes(own) ? { n: own.n, hit: own.hit } : null,
      wellInPool: well.filter(({ pool }) => pool === ownPool).length,
    }
  }

  /** Of the neighbours at a place that are nearest in time: how many failed, and how many of them by one of these codes. */
  failing(self: Neighbour, dimension: Dimension, codes: readonly string[], most = 12): { n: number; failed: number; byThese: number } {
    const [d, own] = this.#held.placeOf(self, dimension)
    const rows = this.#held.rows
    const courses = this.#held.courses.table
    const faults = codes.map((code) => this.#held.kinds.known(code))
    const result = { n: 0, failed: 0, byThese: 0 }
    this.#held.outwards(self, NEAR_MS, (row) => {
      if (!this.#held.isAt(row, d, own) || this.#held.isSelf(row, self)) return true
      const fault = courses[(rows[row * STRIDE + COURSE] ?? 0) + FAULT] ?? 0
      if (fault !== 0) result.failed++
      if (fault !== 0 && faults.includes(fault)) result.byThese++
      return ++result.n < most
    })
    return result
  }
}

/** So much better must a pair be told from the others who are at one of its places: once in two hundred by chance (likelihood ratio test, one degree of freedom). */
const TELLS_APART = 7.9

const gainOf = (contrast: Contrast): number => (contrast.inside.n >= 2 ? contrastGain(contrast) : 0)

/** Rows with the same answer: one bit for each of DIMENSIONS that is as the attempt has it, whether they had the trouble, and how many there are. */
interface Answer {
  readonly mask: number
  readonly isHit: boolean
  readonly times: number
}

/**
 * How well a place still tells where it is another place that tells its own apart: of a host whose logons are slow that have their profiles on a share far away, those whose
 * profiles are elsewhere, as the attempt's is, are fine. Then only those speak for the host.
 */
function leftOf(bits: number, all: Contrast, answers: readonly Answer[]): number {
  const there = answers.filter(({ mask }) => (mask & bits) === bits)
  let left = Infinity
  for (let other = 0; other < WIDTH; other++) {
    if ((bits & (1 << other)) !== 0) continue
    const same = { n: 0, hit: 0 }
    for (const { mask, isHit, times } of there) {
      if ((mask & (1 << other)) === 0) continue
      same.n += times
      if (isHit) same.hit += times
    }
    const rest = without(all.inside, same)
    if (same.n < FEWEST_ALIKE || RARER * same.hit * rest.n > rest.hit * same.n || gainOf({ inside: rest, outside: same }) < EXPLAINS) continue
    left = Math.min(left, gainOf({ inside: same, outside: all.outside }))
  }
  return left
}
/** Fewer than so many do not speak for a place; and so many times rarer it must be among them: once in two thousand by chance, as all other places are asked. */
const FEWEST_ALIKE = 5
const RARER = 4
const EXPLAINS = 12

const without = (all: Contrast['inside'], some: Contrast['inside']): Contrast['inside'] => ({
  n: Math.max(0, all.n - some.n),
  hit: Math.max(0, all.hit - some.hit),
})

/** The bits of each dimension, then of each pair. */
const ALL_BITS = [...SINGLES, ...PAIRS].map(maskOf)

/** Adds rows with the same answer to the counts of every slot that they say something of. */
function sumInto(counts: Int32Array, known: number, key: number, times: number): void {
  const mask = key >> 1
  const hits = (key & 1) * times
  for (let slot = 0; slot < ALL_BITS.length; slot++) {
    const bits = ALL_BITS[slot] ?? 0
    if ((known & bits) !== bits) continue
    const at = slot * 4 + ((mask & bits) === bits ? 0 : 2)
    counts[at] = (counts[at] ?? 0) + times
    counts[at + 1] = (counts[at + 1] ?? 0) + hits
  }
}
