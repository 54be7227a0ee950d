import { contrastGain } from '../stats/significance'
import type { Measured } from './analyse'
import { codeFails } from './codes'
import { SERIES } from './usual'

/** The dimensions by which attempts are laid side by side. */
export const DIMENSIONS = ['host', 'pool', 'share', 'zone', 'site', 'image', 'network', 'transport', 'clientKind', 'clientVersion', 'factor'] as const
export type Dimension = (typeof DIMENSIONS)[number]

/** Pairs of dimensions that can be a place together: a way between two, or a part of one. */
const PAIRS: readonly (readonly [Dimension, Dimension])[] = [
  ['zone', 'share'],
  ['site', 'share'],
  ['zone', 'pool'],
  ['network', 'pool'],
  ['network', 'clientVersion'],
  ['pool', 'clientVersion'],
]

/** What the neighbours of an attempt need to know of it. */
export interface Neighbour {
  readonly id: string
  readonly atMs: number
  readonly places: Readonly<Record<Dimension, string>>
  /** One bit for each of SERIES that took clearly more than usual. */
  readonly beyond: number
  readonly failed: boolean
  /** The code that it failed by, if any. */
  readonly fault: string
}

export function placesOf({ attempt }: Pick<Measured, 'attempt'>): Record<Dimension, string> {
  const text = (name: string) => {
    const value = attempt.attrs[name]
    return typeof value === 'string' ? value : ''
  }
  return {
    host: attempt.host ?? '',
    pool: attempt.pool ?? '',
    share: text('share'),
    zone: text('zone'),
    site: text('site'),
    image: text('image'),
    network: text('network'),
    transport: text('transport'),
    clientKind: text('clientKind'),
    clientVersion: text('clientVersion'),
    factor: text('factor'),
  }
}

export function neighbourOf(measured: Measured): Neighbour {
  let beyond = 0
  for (const { phase } of measured.mild) {
    const index = SERIES.indexOf(phase)
    if (index >= 0) beyond |= 1 << index
  }
  const failed = measured.outcome === 'failed'
  return {
    id: measured.attempt.id,
    atMs: measured.attempt.startedAtMs,
    places: placesOf(measured),
    beyond,
    failed,
    fault: failed ? (measured.attempt.marks.findLast(({ code }) => code !== null && codeFails(code))?.code ?? 'silent') : '',
  }
}

/** How many of those inside a place, and of those outside it, had the same trouble. */
export interface Contrast {
  readonly inside: { readonly n: number; readonly hit: number }
  readonly outside: { readonly n: number; readonly hit: number }
}

/** A place that the trouble may sit at. */
export interface Located extends Contrast {
  readonly at: readonly { readonly dimension: Dimension; readonly value: string }[]
  /** How much better it is told by this place than by none: twice the log of the likelihood ratio. */
  readonly gain: number
}

/** Half an hour either side of an attempt: who logged on then is its neighbour. */
export const NEAR_MS = 1_800_000
/** Where these are fewer than MANY, those of up to a day either side are asked too. */
export const FAR_MS = 24 * 3_600_000
const MANY = 300

/** With more places than this, those that no neighbour is at are forgotten. */
const MOST_PLACES = 20_000

/** A share is called crowded by what comes in four minutes. */
const SLOT_MS = 240_000
/** So many of the nearest are asked about a share. */
const NEAREST = 30

export interface Crowd {
  readonly aMinute: number
  readonly medianAMinute: number
  readonly whenCrowded: Contrast['inside']
  readonly whenQuiet: Contrast['inside']
}

/** Logons on a share by slots, the median of those that had any, from how many on a slot is crowded, and how many logons came in such. */
interface Slots {
  readonly counts: ReadonlyMap<number, number>
  readonly median: number
  readonly crowdedFrom: number
  readonly crowded: number
}

const WIDTH = DIMENSIONS.length
const NO_COLUMN = new Int32Array(0)

/** The attempts around a moment: who else had it, where, and how many logged on at once. Kept by time, in columns. */
export class Around {
  #size = 0
  #ids: string[] = []
  #at = new Float64Array(256)
  /** The places by number, a column for each of DIMENSIONS; 0 is "not known". */
  #places = DIMENSIONS.map(() => new Int32Array(256))
  #beyond = new Int32Array(256)
  /** By what it failed, by number; 0: it did not. */
  #fault = new Int32Array(256)
  /** See locate(): all zero between two questions. */
  readonly #alike = new Int32Array(1 << (WIDTH + 1))
  readonly #numbers = new Map<string, number>([['', 0]])
  #next = 1
  readonly #slotsOf = new Map<number, Slots & { readonly slot: number; readonly rows: number }>()

  add(neighbour: Neighbour): void {
    this.addAll([neighbour])
  }

  /** Adds many at once: those that are there are moved once, if at all. */
  addAll(neighbours: readonly Neighbour[]): void {
    const fresh = neighbours.length < 2 ? neighbours : [...neighbours].sort((a, b) => a.atMs - b.atMs || (a.id < b.id ? -1 : 1))
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

  #put(row: number, { id, atMs, places, beyond, failed, fault }: Neighbour): void {
    this.#ids[row] = id
    this.#at[row] = atMs
    for (let d = 0; d < WIDTH; d++) (this.#places[d] ?? NO_COLUMN)[row] = this.#numberOf(places[DIMENSIONS[d] as Dimension])
    this.#beyond[row] = beyond
    this.#fault[row] = failed ? this.#numberOf(fault || 'failed') : 0
  }

  #move(from: number, to: number): void {
    this.#ids[to] = this.#ids[from] ?? ''
    this.#at[to] = this.#at[from] ?? 0
    for (const column of this.#places) column[to] = column[from] ?? 0
    this.#beyond[to] = this.#beyond[from] ?? 0
    this.#fault[to] = this.#fault[from] ?? 0
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
    const first = this.#firstFrom(beforeMs)
    this.#shift(first, 0)
    this.#ids = this.#ids.slice(first)
    this.#size -= first
    if (this.#numbers.size > MOST_PLACES) {
      const used = new Set<number>()
      for (const column of [...this.#places, this.#fault]) for (const number of column.subarray(0, this.#size)) used.add(number)
      this.#slotsOf.clear()
      for (const [place, number] of this.#numbers) if (number !== 0 && !used.has(number)) this.#numbers.delete(place)
    }
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
      const [n = 0, hit = 0, outsideN = 0, outsideHit = 0] = counts.subarray(slot * 4, slot * 4 + 4)
      const contrast = { inside: { n, hit }, outside: { n: outsideN, hit: outsideHit } }
      const gain = n >= 2 ? contrastGain(contrast) : 0
      if (gain > 0) result.push({ at: dimensions.map((dimension) => ({ dimension, value: self.places[dimension] })), ...contrast, gain })
    }
    DIMENSIONS.forEach((dimension, d) => {
      read(d, [dimension])
    })
    const bestSingle = Math.max(0, ...result.map(({ gain }) => gain))
    PAIRS.forEach((pair, p) => {
      read(WIDTH + p, pair)
    })
    return result.filter(({ at, gain }) => at.length === 1 || gain > 1.15 * bestSingle + 6).sort((a, b) => b.gain - a.gain)
  }

  /** Four counts for each of ALL_BITS: inside n and hit, outside n and hit. */
  #counts(self: Neighbour, phase: string, among: readonly Dimension[]): Int32Array {
    const [bit, byFault] = this.#trouble(self, phase)
    const fences = maskOf(among)
    const [from, to] = this.#neighbours(self.atMs)
    const own = DIMENSIONS.map((dimension) => this.#numbers.get(self.places[dimension]) ?? -1)
    const same = this.#sameAs(own, fences, from, to)
    const asked = own.reduce((mask, number, d) => (number === 0 ? mask : mask | (1 << d)), 0)
    // Rows with the same answer are counted together: there are few different ones. By which places are the same, and whether hit.
    const alike = this.#alike
    const met: number[] = []
    const rare = new Map<number, number>()
    for (let row = from; row < to; row++) {
      const mask = same[row - from] ?? 0
      if ((mask & fences) !== fences || this.#isSelf(row, self)) continue
      const fault = this.#fault[row] ?? 0
      const hit = (bit === 0 ? fault === byFault : ((this.#beyond[row] ?? 0) & bit) !== 0) ? 1 : 0
      // A place that was not reported is another one, unless the attempt ended before it could be.
      const known = fault === 0 ? asked : asked & ~this.#unreported(row)
      if (known !== asked) {
        const key = (known << (WIDTH + 1)) | (mask << 1) | hit
        rare.set(key, (rare.get(key) ?? 0) + 1)
      } else {
        const key = (mask << 1) | hit
        const times = alike[key] ?? 0
        if (times === 0) met.push(key)
        alike[key] = times + 1
      }
    }
    const counts = new Int32Array(ALL_BITS.length * 4)
    const sum = (known: number, key: number, times: number) => {
      const mask = key >> 1
      ALL_BITS.forEach((bits, slot) => {
        if ((known & bits) !== bits) return
        const at = slot * 4 + ((mask & bits) === bits ? 0 : 2)
        counts[at] = (counts[at] ?? 0) + times
        if (key & 1) counts[at + 1] = (counts[at + 1] ?? 0) + times
      })
    }
    for (const key of met) {
      sum(asked, key, alike[key] ?? 0)
      alike[key] = 0
    }
    for (const [key, times] of rare) sum(key >>> (WIDTH + 1), key & ((1 << (WIDTH + 1)) - 1), times)
    return counts
  }

  /** For each row of a stretch, one bit for each of DIMENSIONS that is as given. */
  #sameAs(own: readonly number[], fences: number, from: number, to: number): Int32Array {
    const same = new Int32Array(to - from)
    own.forEach((number, d) => {
      // Nobody asks about a place that the attempt does not have.
      if (number === 0 && (fences & (1 << d)) === 0) return
      const column = this.#places[d] ?? NO_COLUMN
      for (let row = from; row < to; row++) if (column[row] === number) same[row - from] = (same[row - from] ?? 0) | (1 << d)
    })
    return same
  }

  /** One bit for each of DIMENSIONS that was not reported. */
  #unreported(row: number): number {
    return this.#places.reduce((mask, column, d) => (column[row] === 0 ? mask | (1 << d) : mask), 0)
  }

  /** Compares a place with everywhere else, among the neighbours that share some other places with the attempt. */
  contrast(self: Neighbour, dimension: Dimension, phase: string, among: readonly Dimension[] = []): Contrast {
    const [bit] = this.#trouble(self, phase)
    const [column, own] = this.#column(self, dimension)
    const fenced = this.#fences(self, among)
    const inside = { n: 0, hit: 0 }
    const outside = { n: 0, hit: 0 }
    const [from, to] = this.#neighbours(self.atMs)
    for (let row = from; row < to; row++) {
      const place = column[row]
      if (place === 0 || this.#isSelf(row, self) || (fenced.length > 0 && !this.#within(row, fenced))) continue
      const side = place === own ? inside : outside
      side.n++
      if (bit === 0 ? this.#fault[row] !== 0 : ((this.#beyond[row] ?? 0) & bit) !== 0) side.hit++
    }
    return { inside, outside }
  }

  /** Of the neighbours at a place that are nearest in time, how many had the same trouble. */
  nearest(self: Neighbour, dimension: Dimension, phase: string, most = 8): Contrast['inside'] {
    const [bit, byFault] = this.#trouble(self, phase)
    const [column, own] = this.#column(self, dimension)
    const result = { n: 0, hit: 0 }
    this.#outwards(self, NEAR_MS, (row) => {
      if (column[row] !== own || this.#isSelf(row, self)) return true
      if (bit === 0 ? this.#fault[row] === byFault : ((this.#beyond[row] ?? 0) & bit) !== 0) result.hit++
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
    const [column, own] = this.#column(self, 'share')
    const { counts, median, crowdedFrom, crowded: crowdedRows } = this.#slots(column, own, self.atMs)
    const [nearFrom, nearTo] = this.#range(self.atMs, SLOT_MS / 2)
    let near = 0
    for (let row = nearFrom; row < nearTo; row++) if (column[row] === own) near++
    const whenCrowded = { n: 0, hit: 0 }
    const whenQuiet = { n: 0, hit: 0 }
    // As a rule there is no crowd at all, and nobody has to look for one all day long.
    let crowdedLeft = crowdedRows
    this.#outwards(self, FAR_MS, (row) => {
      if (column[row] !== own) return true
      const crowded = (counts.get(Math.floor((this.#at[row] ?? 0) / SLOT_MS)) ?? 0) >= crowdedFrom
      if (crowded) crowdedLeft--
      const side = crowded ? whenCrowded : whenQuiet
      if (side.n < NEAREST && this.#fault[row] === 0 && !this.#isSelf(row, self)) {
        side.n++
        if (((this.#beyond[row] ?? 0) & bit) !== 0) side.hit++
      }
      return whenQuiet.n < NEAREST || (whenCrowded.n < NEAREST && crowdedLeft > 0)
    })
    return { aMinute: (near * 60_000) / SLOT_MS, medianAMinute: (median * 60_000) / SLOT_MS, whenCrowded, whenQuiet }
  }

  /** Logons on a share by slots of four minutes, a day either side; kept for all who ask within the same slot while hardly any come in. */
  #slots(column: Int32Array, own: number, atMs: number): Slots {
    const slot = Math.floor(atMs / SLOT_MS)
    const kept = this.#slotsOf.get(own)
    if (kept?.slot === slot && Math.abs(kept.rows - this.#size) <= 0.02 * kept.rows) return kept
    const counts = new Map<number, number>()
    const [from, to] = this.#range((slot + 0.5) * SLOT_MS, FAR_MS)
    for (let row = from; row < to; row++) {
      if (column[row] !== own) continue
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

  /** Of the neighbours with the same other places, the share that has this one too. */
  commonness(self: Neighbour, dimension: Dimension, among: readonly Dimension[]): { readonly n: number; readonly share: number } {
    const [column, own] = this.#column(self, dimension)
    const fenced = this.#fences(self, among)
    let n = 0
    let same = 0
    const [from, to] = this.#neighbours(self.atMs)
    for (let row = from; row < to; row++) {
      const place = column[row]
      if (place === 0 || this.#isSelf(row, self) || !this.#within(row, fenced)) continue
      n++
      if (place === own) same++
    }
    return { n, share: n === 0 ? 0 : same / n }
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

  #column(self: Neighbour, dimension: Dimension): [column: Int32Array, own: number] {
    return [this.#places[DIMENSIONS.indexOf(dimension)] ?? NO_COLUMN, this.#numbers.get(self.places[dimension]) ?? -1]
  }

  /** The bit of a phase; or 0, and the number of the fault that the attempt failed by. */
  #trouble(self: Neighbour, phase: string): [bit: number, byFault: number] {
    return phase === 'failed' ? [0, this.#numbers.get(self.fault) || -1] : [1 << SERIES.indexOf(phase), -1]
  }

  #fences(self: Neighbour, among: readonly Dimension[]): readonly [column: Int32Array, own: number][] {
    return among.map((dimension) => this.#column(self, dimension))
  }

  #within(row: number, fences: readonly [column: Int32Array, own: number][]): boolean {
    return fences.every(([column, own]) => column[row] === own)
  }

  #numberOf(place: string): number {
    let number = this.#numbers.get(place)
    if (number === undefined) this.#numbers.set(place, (number = this.#next++))
    return number
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

  /** Moves all columns but the ids, from a row to the last, to begin at another. */
  #shift(from: number, to: number): void {
    this.#at.copyWithin(to, from, this.#size)
    for (const column of this.#places) column.copyWithin(to, from, this.#size)
    this.#beyond.copyWithin(to, from, this.#size)
    this.#fault.copyWithin(to, from, this.#size)
  }

  #grow(): void {
    const wider = <T extends Float64Array | Int32Array>(old: T, kind: new (length: number) => T): T => {
      const result = new kind(old.length * 2)
      result.set(old)
      return result
    }
    this.#at = wider(this.#at, Float64Array)
    this.#places = this.#places.map((column) => wider(column, Int32Array))
    this.#beyond = wider(this.#beyond, Int32Array)
    this.#fault = wider(this.#fault, Int32Array)
  }
}

const maskOf = (dimensions: readonly Dimension[]): number => dimensions.reduce((mask, dimension) => mask | (1 << DIMENSIONS.indexOf(dimension)), 0)

/** The bits of each dimension, then of each pair. */
const ALL_BITS = [...DIMENSIONS.map((dimension) => maskOf([dimension])), ...PAIRS.map(maskOf)]
