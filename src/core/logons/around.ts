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

/** A neighbour as it is kept: its places by number, in the order of DIMENSIONS; 0 is "not known". */
interface Row {
  readonly id: string
  readonly atMs: number
  readonly places: readonly number[]
  readonly beyond: number
  readonly failed: boolean
  readonly fault: string
}

/** The attempts around a moment: who else had it, where, and how many logged on at once. */
export class Around {
  #rows: Row[] = []
  #sorted = true
  readonly #numbers = new Map<string, number>([['', 0]])
  #next = 1
  readonly #slotsOf = new Map<number, { slot: number; rows: number; counts: ReadonlyMap<number, number>; median: number }>()

  add({ id, atMs, places, beyond, failed, fault }: Neighbour): void {
    const last = this.#rows.at(-1)
    if (last && last.atMs > atMs) this.#sorted = false
    this.#rows.push({ id, atMs, places: DIMENSIONS.map((dimension) => this.#numberOf(places[dimension])), beyond, failed, fault })
  }

  /** The same attempt again, as it is known now. */
  replace(neighbour: Neighbour): void {
    this.#sort()
    for (let i = this.#firstFrom(neighbour.atMs); this.#rows[i]?.atMs === neighbour.atMs; i++)
      if (this.#rows[i]?.id === neighbour.id) {
        this.#rows.splice(i, 1)
        break
      }
    this.add(neighbour)
  }

  get size(): number {
    return this.#rows.length
  }

  /** Forgets everything before a moment, so that memory stays bounded. */
  forget(beforeMs: number): void {
    this.#sort()
    this.#rows = this.#rows.slice(this.#firstFrom(beforeMs))
    if (this.#numbers.size > MOST_PLACES) {
      const used = new Set(this.#rows.flatMap(({ places }) => places))
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
    const bit = phase === 'failed' ? 0 : 1 << SERIES.indexOf(phase)
    const own = DIMENSIONS.map((dimension) => this.#numbers.get(self.places[dimension]) ?? -1)
    const fences = among.map((dimension) => DIMENSIONS.indexOf(dimension))
    // Counts for each dimension, then for each pair: inside n and hit, outside n and hit.
    const counts = new Int32Array((DIMENSIONS.length + PAIRS.length) * 4)
    const rows = this.#rows
    const [from, to] = this.#neighbours(self.atMs)
    for (let i = from; i < to; i++) {
      const row = rows[i]
      if (!row || isSelf(row, self)) continue
      const { places, failed } = row
      let fenced = false
      for (let f = 0; f < fences.length; f++) if (places[fences[f] ?? 0] !== own[fences[f] ?? 0]) fenced = true
      if (fenced) continue
      const hit = (bit === 0 ? failed && row.fault === self.fault : (row.beyond & bit) !== 0) ? 1 : 0
      // A place that was not reported is another one, unless the attempt ended before it could be. One bit a dimension: known, and the same.
      let known = 0
      let same = 0
      for (let d = 0; d < own.length; d++) {
        if (own[d] === 0) continue
        const place = places[d]
        if (place === 0 && failed) continue
        known |= 1 << d
        const inside = place === own[d]
        if (inside) same |= 1 << d
        const at = d * 4 + (inside ? 0 : 2)
        counts[at] = (counts[at] ?? 0) + 1
        counts[at + 1] = (counts[at + 1] ?? 0) + hit
      }
      for (let p = 0; p < PAIR_BITS.length; p++) {
        const bits = PAIR_BITS[p] ?? 0
        if ((known & bits) !== bits) continue
        const at = (DIMENSIONS.length + p) * 4 + ((same & bits) === bits ? 0 : 2)
        counts[at] = (counts[at] ?? 0) + 1
        counts[at + 1] = (counts[at + 1] ?? 0) + hit
      }
    }
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
      read(DIMENSIONS.length + p, pair)
    })
    return result.filter(({ at, gain }) => at.length === 1 || gain > 1.15 * bestSingle + 6).sort((a, b) => b.gain - a.gain)
  }

  /** Compares a place with everywhere else, among the neighbours that share some other places with the attempt. */
  contrast(self: Neighbour, dimension: Dimension, phase: string, among: readonly Dimension[] = []): Contrast {
    const bit = phase === 'failed' ? 0 : 1 << SERIES.indexOf(phase)
    const [column, own] = this.#column(self, dimension)
    const fences = among.map((one) => this.#column(self, one))
    const inside = { n: 0, hit: 0 }
    const outside = { n: 0, hit: 0 }
    const [from, to] = this.#neighbours(self.atMs)
    for (let i = from; i < to; i++) {
      const row = this.#rows[i]
      if (!row || isSelf(row, self)) continue
      const place = row.places[column]
      if (place === 0 || fences.some(([fence, fenced]) => row.places[fence] !== fenced)) continue
      const side = place === own ? inside : outside
      side.n++
      if (bit === 0 ? row.failed : row.beyond & bit) side.hit++
    }
    return { inside, outside }
  }

  /** Of the neighbours at a place that are nearest in time, how many had the same trouble. */
  nearest(self: Neighbour, dimension: Dimension, phase: string, most = 8): Contrast['inside'] {
    const bit = phase === 'failed' ? 0 : 1 << SERIES.indexOf(phase)
    const [column, own] = this.#column(self, dimension)
    const [from, to] = this.#range(self.atMs, NEAR_MS)
    const result = { n: 0, hit: 0 }
    for (const row of this.#outwards(self.atMs, from, to)) {
      if (row.places[column] !== own || isSelf(row, self)) continue
      if (bit === 0 ? row.failed && row.fault === self.fault : row.beyond & bit) result.hit++
      if (++result.n === most) break
    }
    return result
  }

  /**
   * How crowded a share is at a moment: logons a minute in the two minutes either side, and in the median four minutes that had any, within a
   * day either side. And of the nearest others on it, how many had the same trouble when it was crowded, and when it was quiet.
   */
  crowd(self: Neighbour, phase: string): Crowd {
    const bit = 1 << SERIES.indexOf(phase)
    const [column, own] = this.#column(self, 'share')
    const { counts, median } = this.#slots(column, own, self.atMs)
    const crowdedFrom = Math.max(4, 2 * median)
    const [nearFrom, nearTo] = this.#range(self.atMs, SLOT_MS / 2)
    let near = 0
    for (let i = nearFrom; i < nearTo; i++) if (this.#rows[i]?.places[column] === own) near++
    const whenCrowded = { n: 0, hit: 0 }
    const whenQuiet = { n: 0, hit: 0 }
    const [from, to] = this.#range(self.atMs, FAR_MS)
    for (const row of this.#outwards(self.atMs, from, to)) {
      if (row.places[column] !== own || row.failed || isSelf(row, self)) continue
      const side = (counts.get(Math.floor(row.atMs / SLOT_MS)) ?? 0) >= crowdedFrom ? whenCrowded : whenQuiet
      if (side.n < NEAREST) {
        side.n++
        if ((row.beyond & bit) !== 0) side.hit++
      } else if (whenCrowded.n + whenQuiet.n >= 2 * NEAREST) break
    }
    return { aMinute: (near * 60_000) / SLOT_MS, medianAMinute: (median * 60_000) / SLOT_MS, whenCrowded, whenQuiet }
  }

  /** Logons on a share by slots of four minutes, a day either side; kept for all who ask within the same slot while hardly any come in. */
  #slots(column: number, own: number, atMs: number): { readonly counts: ReadonlyMap<number, number>; readonly median: number } {
    const slot = Math.floor(atMs / SLOT_MS)
    const kept = this.#slotsOf.get(own)
    if (kept?.slot === slot && Math.abs(kept.rows - this.#rows.length) <= 0.02 * kept.rows) return kept
    const counts = new Map<number, number>()
    const [from, to] = this.#range((slot + 0.5) * SLOT_MS, FAR_MS)
    for (let i = from; i < to; i++) {
      const row = this.#rows[i]
      if (row?.places[column] !== own) continue
      const at = Math.floor(row.atMs / SLOT_MS)
      counts.set(at, (counts.get(at) ?? 0) + 1)
    }
    const sorted = [...counts.values()].sort((a, b) => a - b)
    const result = { slot, rows: this.#rows.length, counts, median: sorted[sorted.length >> 1] ?? 0 }
    this.#slotsOf.set(own, result)
    return result
  }

  /** Rows from a moment outwards, the nearest first. */
  *#outwards(atMs: number, from: number, to: number): Generator<Row> {
    let after = this.#firstFrom(atMs)
    let before = after - 1
    while (before >= from || after < to) {
      const earlier = before >= from ? atMs - (this.#rows[before]?.atMs ?? 0) : Infinity
      const later = after < to ? (this.#rows[after]?.atMs ?? 0) - atMs : Infinity
      const row = this.#rows[earlier < later ? before-- : after++]
      if (row) yield row
    }
  }

  /** Of the neighbours with the same other places, the share that has this one too. */
  commonness(self: Neighbour, dimension: Dimension, among: readonly Dimension[]): { readonly n: number; readonly share: number } {
    const [column, own] = this.#column(self, dimension)
    const fences = among.map((one) => this.#column(self, one))
    let n = 0
    let same = 0
    const [from, to] = this.#neighbours(self.atMs)
    for (let i = from; i < to; i++) {
      const row = this.#rows[i]
      if (!row || isSelf(row, self) || row.places[column] === 0 || fences.some(([fence, fenced]) => row.places[fence] !== fenced)) continue
      n++
      if (row.places[column] === own) same++
    }
    return { n, share: n === 0 ? 0 : same / n }
  }

  /** Half an hour either side, and as much further as is needed for MANY, up to a day. */
  #neighbours(atMs: number): [from: number, to: number] {
    let [from, to] = this.#range(atMs, NEAR_MS)
    if (to - from >= MANY) return [from, to]
    const [first, last] = this.#range(atMs, FAR_MS)
    while (to - from < MANY && (from > first || to < last)) {
      const before = from > first ? atMs - (this.#rows[from - 1]?.atMs ?? -Infinity) : Infinity
      const after = to < last ? (this.#rows[to]?.atMs ?? Infinity) - atMs : Infinity
      if (before <= after) from--
      else to++
    }
    return [from, to]
  }

  #range(atMs: number, eitherSideMs: number): [from: number, to: number] {
    this.#sort()
    return [this.#firstFrom(atMs - eitherSideMs), this.#firstFrom(atMs + eitherSideMs)]
  }

  #column(self: Neighbour, dimension: Dimension): [column: number, own: number] {
    return [DIMENSIONS.indexOf(dimension), this.#numbers.get(self.places[dimension]) ?? -1]
  }

  #numberOf(place: string): number {
    let number = this.#numbers.get(place)
    if (number === undefined) this.#numbers.set(place, (number = this.#next++))
    return number
  }

  #sort(): void {
    if (this.#sorted) return
    this.#rows.sort((a, b) => a.atMs - b.atMs || (a.id < b.id ? -1 : 1))
    this.#sorted = true
  }

  #firstFrom(ms: number): number {
    let low = 0
    let high = this.#rows.length
    while (low < high) {
      const middle = (low + high) >> 1
      if ((this.#rows[middle]?.atMs ?? 0) < ms) low = middle + 1
      else high = middle
    }
    return low
  }
}

const PAIR_BITS = PAIRS.map(([a, b]) => (1 << DIMENSIONS.indexOf(a)) | (1 << DIMENSIONS.indexOf(b)))

/** By time first: texts of one length are slow to tell apart. */
function isSelf(row: Row, self: Neighbour): boolean {
  return row.atMs === self.atMs && row.id === self.id
}
