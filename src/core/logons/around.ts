import { contrastGain } from '../stats/significance'
import { bothOf, worseOf, type Contrast } from './contrast'
import { COULD_HAVE, type Neighbour } from './neighbour'
import { DIMENSIONS, maskOf, PlaceKinds, type Dimension } from './places'
import { SERIES } from './usual'

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

/** Half an hour either side of an attempt: who logged on then is its neighbour. */
export const NEAR_MS = 1_800_000
/** Where hardly anybody logs on, those within hours are the nearest. */
const SAME_DAY_MS = 4 * 3_600_000
/** Where these are fewer than MANY, those of up to a day either side are asked too. */
export const FAR_MS = 24 * 3_600_000
const MANY = 300

/** With more kinds of place than this, those that no neighbour is of are forgotten. */
const MOST_KINDS = 20_000

/** A share is called crowded by what comes in four minutes. */
const SLOT_MS = 240_000
/** So many of the nearest are asked about a share. */
const NEAREST = 30
/** So many of the quiet moments on one side are all but all of them. */
const NEARLY_ALL = 0.7

export interface Crowd {
  readonly aMinute: number
  /** In the fullest four minutes that the moment is in: it may be at the edge of a crowd. */
  readonly mostAMinute: number
  readonly medianAMinute: number
  readonly whenCrowded: Contrast['inside']
  readonly whenQuiet: Contrast['inside']
}

/** How many of those nearest in time had it, and on how many hosts. */
export interface Anywhere {
  readonly n: number
  readonly hit: number
  readonly hosts: number
}

/** Those before an attempt, or after it. */
interface Side {
  n: number
  hit: number
  readonly hosts: Set<number>
}

/** Logons on a share by slots, the median of those that had any, from how many on a slot is crowded, and how many logons came in such. */
interface Slots {
  readonly counts: ReadonlyMap<number, number>
  readonly median: number
  readonly crowdedFrom: number
  readonly crowded: number
}

/** The rows around an attempt, and for each of them one bit for each of DIMENSIONS that is as it has it. */
interface Seen {
  readonly self: Neighbour
  readonly from: number
  readonly to: number
  /** Its own, where it is among them. */
  readonly row: number
  /** The dimensions in which its own place is known. */
  readonly asked: number
  readonly same: Int32Array
}

const WIDTH = DIMENSIONS.length
/**
 * What is kept of each attempt, STRIDE numbers: its kind of place, one bit for each of SERIES that was beyond, by what it failed (0: it did not), one bit for
 * each of DIMENSIONS that was not reported, and one for each of SERIES that it could be slow in.
 */
const KIND = 0
const BEYOND = 1
const FAULT = 2
const UNREPORTED = 3
const COULD = 4
const STRIDE = 5

/** The attempts around a moment: who else had it, where, and how many logged on at once. Kept by time, in rows of numbers. */
export class Around {
  #size = 0
  #ids: string[] = []
  #at = new Float64Array(256)
  /** See KIND. */
  #rows = new Int32Array(256 * STRIDE)
  readonly #kinds = new PlaceKinds()
  /** See #counts: all zero between two questions. */
  readonly #alike = new Int32Array(1 << (WIDTH + 1))
  #seen: Seen | null = null
  #same = new Int32Array(1024)
  readonly #slotsOf = new Map<number, Slots & { readonly slot: number; readonly rows: number }>()

  add(neighbour: Neighbour): void {
    this.addAll([neighbour])
  }

  /** Adds many at once: those that are there are moved once, if at all. */
  addAll(neighbours: readonly Neighbour[]): void {
    const fresh = neighbours.length < 2 ? neighbours : [...neighbours].sort((a, b) => a.atMs - b.atMs || (a.id < b.id ? -1 : 1))
    this.#seen = null
    const size = this.#size + fresh.length
    while (size > this.#at.length) this.#grow()
    let old = this.#size - 1
    this.#size = size
    for (let next = fresh.length - 1, row = size - 1; next >= 0; row--) {
      const neighbour = fresh[next]
      if (!neighbour) break
      const oldMs = old < 0 ? -Infinity : (this.#at[old] ?? 0)
      if (oldMs > neighbour.atMs || (oldMs === neighbour.atMs && (this.#ids[old] ?? '') > neighbour.id)) this.#move(old--, row)
      else {
        this.#put(row, neighbour)
        next--
      }
    }
  }

  #put(row: number, { id, atMs, places, beyond, ran, failed, fault }: Neighbour): void {
    this.#ids[row] = id
    this.#at[row] = atMs
    const base = row * STRIDE
    const kind = this.#kinds.kindOf(places)
    this.#rows[base + KIND] = kind
    this.#rows[base + UNREPORTED] = this.#kinds.unreported(kind)
    this.#rows[base + BEYOND] = beyond
    this.#rows[base + COULD] = beyond | ran | COULD_HAVE
    this.#rows[base + FAULT] = failed ? this.#kinds.numberOf(fault || 'failed') : 0
  }

  #move(from: number, to: number): void {
    this.#ids[to] = this.#ids[from] ?? ''
    this.#at[to] = this.#at[from] ?? 0
    this.#rows.copyWithin(to * STRIDE, from * STRIDE, (from + 1) * STRIDE)
  }

  /** The same attempt again, as it is known now. */
  replace(neighbour: Neighbour): void {
    for (let row = this.#firstFrom(neighbour.atMs); row < this.#size && this.#at[row] === neighbour.atMs; row++)
      if (this.#ids[row] === neighbour.id) {
        this.#shift(row + 1, row)
        this.#ids.splice(row, 1)
        this.#size--
        break
      }
    this.add(neighbour)
  }

  get size(): number {
    return this.#size
  }

  /** Forgets everything before a moment, so that memory stays bounded. */
  forget(beforeMs: number): void {
    this.#seen = null
    const first = this.#firstFrom(beforeMs)
    this.#shift(first, 0)
    this.#ids = this.#ids.slice(first)
    this.#size -= first
    if (this.#kinds.size > MOST_KINDS) this.#forgetPlaces()
  }

  #forgetPlaces(): void {
    const rows = this.#rows.subarray(0, this.#size * STRIDE)
    const [kinds, faults] = [new Set<number>(), new Set<number>()]
    for (let base = 0; base < rows.length; base += STRIDE) {
      kinds.add(rows[base + KIND] ?? 0)
      faults.add(rows[base + FAULT] ?? 0)
    }
    const kept = this.#kinds.keepOnly(kinds, faults)
    for (let base = 0; base < rows.length; base += STRIDE) rows[base + KIND] = kept.get(rows[base + KIND] ?? 0) ?? 0
    this.#slotsOf.clear()
  }

  /**
   * The places of an attempt (single ones, and pairs that say much more) by how well each tells who had the same trouble from who had not.
   * @param phase the phase that was beyond its usual, or `failed`: failed by the same code
   * @param among only neighbours that share these places with it
   */
  locate(self: Neighbour, phase: string, among: readonly Dimension[] = []): readonly Located[] {
    const counts = this.#counts(self, phase, among)
    const result: Located[] = []
    const read = (slot: number, dimensions: readonly Dimension[]) => {
      const at = slot * 4
      const contrast = { inside: { n: counts[at] ?? 0, hit: counts[at + 1] ?? 0 }, outside: { n: counts[at + 2] ?? 0, hit: counts[at + 3] ?? 0 } }
      const gain = contrast.inside.n >= 2 ? contrastGain(contrast) : 0
      if (gain > 0) result.push({ at: dimensions.map((dimension) => ({ dimension, value: self.places[dimension] })), ...contrast, gain })
    }
    SINGLES.forEach((single, d) => {
      read(d, single)
    })
    const bestSingle = result.reduce((best, { gain }) => Math.max(best, gain), 0)
    PAIRS.forEach((pair, p) => {
      read(WIDTH + p, pair)
    })
    return result.filter(({ at, gain }) => at.length === 1 || gain > 1.15 * bestSingle + 6).sort((a, b) => b.gain - a.gain)
  }

  /** Four counts for each of ALL_BITS: inside n and hit, outside n and hit. */
  #counts(self: Neighbour, phase: string, among: readonly Dimension[]): Int32Array {
    const [bit, byFault] = this.#trouble(self, phase)
    const { from, to, row: selfRow, asked, same } = this.#seenFrom(self)
    const fences = maskOf(among)
    const counts = new Int32Array(ALL_BITS.length * 4)
    // Rows with the same answer are counted together: there are few different ones. By which places are the same, and whether hit.
    const alike = this.#alike
    const rows = this.#rows
    const met: number[] = []
    const rare = new Map<number, number>()
    for (let row = from; row < to; row++) {
      const mask = same[row - from] ?? 0
      const base = row * STRIDE
      if ((mask & fences) !== fences || row === selfRow || ((rows[base + COULD] ?? 0) & bit) !== bit) continue
      const fault = rows[base + FAULT] ?? 0
      const key = (mask << 1) | ((bit === 0 ? fault === byFault : ((rows[base + BEYOND] ?? 0) & bit) !== 0) ? 1 : 0)
      // A place that was not reported is another one, unless the attempt ended before it could be.
      const known = fault === 0 ? asked : asked & ~(rows[base + UNREPORTED] ?? 0)
      if (known !== asked) {
        const both = (known << (WIDTH + 1)) | key
        rare.set(both, (rare.get(both) ?? 0) + 1)
      } else {
        const times = alike[key] ?? 0
        if (times === 0) met.push(key)
        alike[key] = times + 1
      }
    }
    for (const key of met) {
      sumInto(counts, asked, key, alike[key] ?? 0)
      alike[key] = 0
    }
    for (const [key, times] of rare) sumInto(counts, key >>> (WIDTH + 1), key & ((1 << (WIDTH + 1)) - 1), times)
    return counts
  }

  /** What an attempt sees around it, for every question about it: kept until another asks, or something comes in. */
  #seenFrom(self: Neighbour): Seen {
    if (this.#seen?.self === self) return this.#seen
    const [from, to] = this.#neighbours(self.atMs)
    let asked = 0
    for (const [d, dimension] of DIMENSIONS.entries()) if (self.places[dimension] !== '') asked |= 1 << d
    this.#kinds.compareWith(self.places)
    if (this.#same.length < to - from) this.#same = new Int32Array(2 * (to - from))
    const same = this.#same
    for (let row = from; row < to; row++) same[row - from] = this.#kinds.sameAs(this.#rows[row * STRIDE + KIND] ?? 0)
    return (this.#seen = { self, from, to, row: this.#rowOf(self), asked, same })
  }

  #rowOf({ atMs, id }: Neighbour): number {
    for (let row = this.#firstFrom(atMs); row < this.#size && this.#at[row] === atMs; row++) if (this.#ids[row] === id) return row
    return -1
  }

  /** Whether its image is told from its pool by nothing that was seen: see PlaceKinds.isImageThePools. */
  isImageThePools({ places }: Neighbour): boolean {
    return this.#kinds.isImageThePools(places)
  }

  /** Compares a place with everywhere else, among the neighbours that share some other places with the attempt. */
  contrast(self: Neighbour, dimension: Dimension, phase: string, among: readonly Dimension[] = []): Contrast {
    const [bit] = this.#trouble(self, phase)
    const { from, to, row: selfRow, same } = this.#seenFrom(self)
    const rows = this.#rows
    const [own, fences] = [maskOf([dimension]), maskOf(among)]
    let [insideN, insideHit, outsideN, outsideHit] = [0, 0, 0, 0]
    for (let row = from; row < to; row++) {
      const mask = same[row - from] ?? 0
      const base = row * STRIDE
      if ((mask & fences) !== fences || ((rows[base + UNREPORTED] ?? 0) & own) !== 0 || row === selfRow) continue
      if (((rows[base + COULD] ?? 0) & bit) !== bit) continue
      const hit = (bit === 0 ? rows[base + FAULT] !== 0 : ((rows[base + BEYOND] ?? 0) & bit) !== 0) ? 1 : 0
      if ((mask & own) !== 0) {
        insideN++
        insideHit += hit
      } else {
        outsideN++
        outsideHit += hit
      }
    }
    return { inside: { n: insideN, hit: insideHit }, outside: { n: outsideN, hit: outsideHit } }
  }

  /** Of the neighbours at a place that are nearest in time, how many had the same trouble. */
  nearest(self: Neighbour, dimension: Dimension, phase: string, most = 8): Contrast['inside'] {
    const [bit, byFault] = this.#trouble(self, phase)
    const [d, own] = this.#placeOf(self, dimension)
    const rows = this.#rows
    const result = { n: 0, hit: 0 }
    this.#outwards(self, NEAR_MS, (row) => {
      const base = row * STRIDE
      if (!this.#isAt(row, d, own) || this.#isSelf(row, self) || ((rows[base + COULD] ?? 0) & bit) !== bit) return true
      if (bit === 0 ? rows[base + FAULT] === byFault : ((rows[base + BEYOND] ?? 0) & bit) !== 0) result.hit++
      return ++result.n < most
    })
    return result
  }

  /**
   * Of the neighbours that are nearest in time, wherever they were: how many had the same trouble, and on how many hosts. Of those before and after it, or where it
   * has just begun or ended of those on the side where more had it.
   * @param outside only of those who are not at these places of its own
   */
  anywhere(self: Neighbour, phase: string, outside: readonly Dimension[] = [], most = NEAREST / 2): Anywhere {
    const [bit, byFault] = this.#trouble(self, phase)
    const rows = this.#rows
    const host = DIMENSIONS.indexOf('host')
    const own = outside.map((dimension) => this.#placeOf(self, dimension))
    const [before, after] = [0, 1].map(() => ({ n: 0, hit: 0, hosts: new Set<number>() })) as [Side, Side]
    this.#outwards(self, SAME_DAY_MS, (row) => {
      const base = row * STRIDE
      const one = (this.#at[row] ?? 0) < self.atMs ? before : after
      if (own.length > 0 && own.every(([d, place]) => this.#isAt(row, d, place))) return true
      if (one.n >= most || this.#isSelf(row, self) || ((rows[base + COULD] ?? 0) & bit) !== bit) return true
      one.n++
      if (bit === 0 ? rows[base + FAULT] === byFault : ((rows[base + BEYOND] ?? 0) & bit) !== 0) {
        one.hit++
        one.hosts.add(this.#kinds.valueOf(rows[base + KIND] ?? 0, host))
      }
      return before.n < most || after.n < most
    })
    const best = worseOf(before, after)
    const hosts = best === before ? before.hosts : best === after ? after.hosts : new Set([...before.hosts, ...after.hosts])
    return { n: best.n, hit: best.hit, hosts: hosts.size }
  }

  /** Of the neighbours at a place that are nearest in time: how many failed, and how many of them by one of these codes. */
  failing(self: Neighbour, dimension: Dimension, codes: readonly string[], most = 12): { n: number; failed: number; byThese: number } {
    const [d, own] = this.#placeOf(self, dimension)
    const rows = this.#rows
    const faults = codes.map((code) => this.#kinds.known(code))
    const result = { n: 0, failed: 0, byThese: 0 }
    this.#outwards(self, NEAR_MS, (row) => {
      if (!this.#isAt(row, d, own) || this.#isSelf(row, self)) return true
      const fault = rows[row * STRIDE + FAULT] ?? 0
      if (fault !== 0) result.failed++
      if (fault !== 0 && faults.includes(fault)) result.byThese++
      return ++result.n < most
    })
    return result
  }

  /**
   * How crowded a share is at a moment: logons a minute in the two minutes either side, and in the median four minutes that had any, within a
   * day either side. And of the nearest others on it, how many had the same trouble when it was crowded, and when it was quiet.
   */
  crowd(self: Neighbour, phase: string): Crowd {
    const [bit] = this.#trouble(self, phase)
    const [share, own] = this.#placeOf(self, 'share')
    const rows = this.#rows
    const { counts, median, crowdedFrom, crowded: crowdedRows } = this.#slots(share, own, self.atMs)
    const { near, most } = this.#crowdAt(share, own, self.atMs)
    const whenCrowded = { n: 0, hit: 0 }
    const [quietBefore, quietAfter] = [
      { n: 0, hit: 0 },
      { n: 0, hit: 0 },
    ]
    const isCrowded = (slot: number) => (counts.get(slot) ?? 0) >= crowdedFrom
    // As a rule there is no crowd at all, and nobody has to look for one all day long.
    let crowdedLeft = crowdedRows
    this.#outwards(self, FAR_MS, (row) => {
      const base = row * STRIDE
      if (!this.#isAt(row, share, own)) return true
      const slot = Math.floor((this.#at[row] ?? 0) / SLOT_MS)
      const crowded = isCrowded(slot)
      if (crowded) crowdedLeft--
      // Just before and after a crowd it is neither crowded nor quiet.
      else if (crowdedRows > 0 && (isCrowded(slot - 1) || isCrowded(slot + 1))) return true
      const isBefore = (this.#at[row] ?? 0) < self.atMs
      const side = crowded ? whenCrowded : isBefore ? quietBefore : quietAfter
      if (
        side.n < (crowded ? NEAREST : NEAREST / 2) &&
        rows[base + FAULT] === 0 &&
        ((rows[base + COULD] ?? 0) & bit) === bit &&
        !this.#isSelf(row, self)
      ) {
        side.n++
        if (((rows[base + BEYOND] ?? 0) & bit) !== 0) side.hit++
      }
      return Math.min(quietBefore.n, quietAfter.n) < NEAREST / 2 || (whenCrowded.n < NEAREST && crowdedLeft > 0)
    })
    // A crowd leaves quiet moments alone on both sides of it, but for some soon after. What has just begun or ended without one does not.
    const worse = worseOf(quietBefore, quietAfter)
    const whenQuiet = worse.hit >= NEARLY_ALL * worse.n ? worse : bothOf(quietBefore, quietAfter)
    const [aMinute = 0, mostAMinute = 0, medianAMinute = 0] = [near, most, median].map((n) => (n * 60_000) / SLOT_MS)
    return { aMinute, mostAMinute, medianAMinute, whenCrowded, whenQuiet }
  }

  /** How many logged on at a place in the four minutes around a moment, and in the fullest four minutes that it is in. */
  #crowdAt(d: number, own: number, atMs: number): { readonly near: number; readonly most: number } {
    const [from, to] = this.#range(atMs, SLOT_MS)
    let [near, most, oldest] = [0, 0, 0]
    const times: number[] = []
    for (let row = from; row < to; row++) {
      if (!this.#isAt(row, d, own)) continue
      const rowMs = this.#at[row] ?? 0
      if (Math.abs(rowMs - atMs) <= SLOT_MS / 2) near++
      times.push(rowMs)
      while ((times[oldest] ?? rowMs) < rowMs - SLOT_MS) oldest++
      most = Math.max(most, times.length - oldest)
    }
    return { near, most }
  }

  /** Logons on a share by slots of four minutes, a day either side; kept for all who ask within the same slot while hardly any come in. */
  #slots(d: number, own: number, atMs: number): Slots {
    const slot = Math.floor(atMs / SLOT_MS)
    const kept = this.#slotsOf.get(own)
    if (kept?.slot === slot && Math.abs(kept.rows - this.#size) <= 0.02 * kept.rows) return kept
    const counts = new Map<number, number>()
    const [from, to] = this.#range((slot + 0.5) * SLOT_MS, FAR_MS)
    for (let row = from; row < to; row++) {
      if (!this.#isAt(row, d, own)) continue
      const at = Math.floor((this.#at[row] ?? 0) / SLOT_MS)
      counts.set(at, (counts.get(at) ?? 0) + 1)
    }
    const sorted = [...counts.values()].sort((a, b) => a - b)
    const median = sorted[sorted.length >> 1] ?? 0
    const crowdedFrom = Math.max(4, 2 * median)
    const crowded = sorted.reduce((sum, n) => (n >= crowdedFrom ? sum + n : sum), 0)
    const result = { slot, rows: this.#size, counts, median, crowdedFrom, crowded }
    this.#slotsOf.set(own, result)
    return result
  }

  /** Visits rows from an attempt outwards, the nearest first, while `visit` says to go on. */
  #outwards({ atMs }: Neighbour, eitherSideMs: number, visit: (row: number) => boolean): void {
    const [from, to] = this.#range(atMs, eitherSideMs)
    const at = this.#at
    let after = this.#firstFrom(atMs)
    let before = after - 1
    while (before >= from || after < to) {
      const earlier = before >= from ? atMs - (at[before] ?? 0) : Infinity
      const later = after < to ? (at[after] ?? 0) - atMs : Infinity
      if (!visit(earlier < later ? before-- : after++)) return
    }
  }

  /** Half an hour either side, and as much further as is needed for MANY, up to a day. */
  #neighbours(atMs: number): [from: number, to: number] {
    let [from, to] = this.#range(atMs, NEAR_MS)
    if (to - from >= MANY) return [from, to]
    const [first, last] = this.#range(atMs, FAR_MS)
    while (to - from < MANY && (from > first || to < last)) {
      const before = from > first ? atMs - (this.#at[from - 1] ?? -Infinity) : Infinity
      const after = to < last ? (this.#at[to] ?? Infinity) - atMs : Infinity
      if (before <= after) from--
      else to++
    }
    return [from, to]
  }

  #range(atMs: number, eitherSideMs: number): [from: number, to: number] {
    return [this.#firstFrom(atMs - eitherSideMs), this.#firstFrom(atMs + eitherSideMs)]
  }

  /** Where in a row a dimension is, and the number of the attempt's own place there. */
  #placeOf(self: Neighbour, dimension: Dimension): [d: number, own: number] {
    return [DIMENSIONS.indexOf(dimension), this.#kinds.known(self.places[dimension])]
  }

  #isAt(row: number, d: number, own: number): boolean {
    return this.#kinds.valueOf(this.#rows[row * STRIDE + KIND] ?? 0, d) === own
  }

  /** The bit of a phase; or 0, and the number of the fault that the attempt failed by. */
  #trouble(self: Neighbour, phase: string): [bit: number, byFault: number] {
    return phase === 'failed' ? [0, this.#kinds.known(self.fault) || -1] : [1 << SERIES.indexOf(phase), -1]
  }

  /** By time first: texts of one length are slow to tell apart. */
  #isSelf(row: number, self: Neighbour): boolean {
    return this.#at[row] === self.atMs && this.#ids[row] === self.id
  }

  #firstFrom(ms: number): number {
    let low = 0
    let high = this.#size
    while (low < high) {
      const middle = (low + high) >> 1
      if ((this.#at[middle] ?? 0) < ms) low = middle + 1
      else high = middle
    }
    return low
  }

  /** Moves all but the ids, from a row to the last, to begin at another. */
  #shift(from: number, to: number): void {
    this.#at.copyWithin(to, from, this.#size)
    this.#rows.copyWithin(to * STRIDE, from * STRIDE, this.#size * STRIDE)
  }

  #grow(): void {
    const wider = <T extends Float64Array | Int32Array>(old: T, kind: new (length: number) => T): T => {
      const result = new kind(old.length * 2)
      result.set(old)
      return result
    }
    this.#at = wider(this.#at, Float64Array)
    this.#rows = wider(this.#rows, Int32Array)
  }
}

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
