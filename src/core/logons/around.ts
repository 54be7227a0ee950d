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

  add({ id, atMs, places, beyond, failed, fault }: Neighbour): void {
    const last = this.#rows.at(-1)
    if (last && last.atMs > atMs) this.#sorted = false
    this.#rows.push({ id, atMs, places: DIMENSIONS.map((dimension) => this.#numberOf(places[dimension])), beyond, failed, fault })
  }

  /** Forgets everything before a moment, so that memory stays bounded. */
  forget(beforeMs: number): void {
    this.#sort()
    this.#rows = this.#rows.slice(this.#firstFrom(beforeMs))
    if (this.#numbers.size > MOST_PLACES) {
      const used = new Set(this.#rows.flatMap(({ places }) => places))
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
    const count = (slot: number, inside: boolean, hit: boolean) => {
      const at = slot * 4 + (inside ? 0 : 2)
      counts[at] = (counts[at] ?? 0) + 1
      if (hit) counts[at + 1] = (counts[at + 1] ?? 0) + 1
    }
    const [from, to] = this.#neighbours(self.atMs)
    for (let i = from; i < to; i++) {
      const row = this.#rows[i]
      if (!row || isSelf(row, self) || fences.some((column) => row.places[column] !== own[column])) continue
      const hit = bit === 0 ? row.failed && row.fault === self.fault : (row.beyond & bit) !== 0
      // A place that was not reported is another one, unless the attempt ended before it could be.
      for (let d = 0; d < DIMENSIONS.length; d++)
        if (own[d] !== 0 && (row.places[d] !== 0 || !row.failed)) count(d, row.places[d] === own[d], hit)
      for (const [p, columns] of PAIR_COLUMNS.entries()) {
        const [a, b] = columns
        if (own[a] === 0 || own[b] === 0 || (row.failed && (row.places[a] === 0 || row.places[b] === 0))) continue
        count(DIMENSIONS.length + p, row.places[a] === own[a] && row.places[b] === own[b], hit)
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

  /**
   * How crowded a share is at a moment: logons a minute in the two minutes either side, and in the median four minutes that had any, within a
   * day either side. And of the nearest others on it, how many had the same trouble when it was crowded, and when it was quiet.
   */
  crowd(self: Neighbour, phase: string): Crowd {
    const bit = 1 << SERIES.indexOf(phase)
    const [column, own] = this.#column(self, 'share')
    const [from, to] = this.#range(self.atMs, FAR_MS)
    let near = 0
    const slots = new Map<number, number>()
    const slotOf = (row: Row) => Math.floor((row.atMs - self.atMs) / 240_000 + 0.5)
    const on: Row[] = []
    for (let i = from; i < to; i++) {
      const row = this.#rows[i]
      if (row?.places[column] !== own || !row) continue
      if (Math.abs(row.atMs - self.atMs) <= 120_000) near++
      slots.set(slotOf(row), (slots.get(slotOf(row)) ?? 0) + 1)
      if (!row.failed) on.push(row)
    }
    const sorted = [...slots.values()].sort((a, b) => a - b)
    const median = sorted[sorted.length >> 1] ?? 0
    const crowded = (row: Row) => (slots.get(slotOf(row)) ?? 0) >= Math.max(4, 2 * median)
    on.sort((a, b) => Math.abs(a.atMs - self.atMs) - Math.abs(b.atMs - self.atMs))
    const tally = (rows: readonly Row[]) => ({ n: rows.length, hit: rows.filter(({ beyond }) => (beyond & bit) !== 0).length })
    const others = on.filter((row) => !isSelf(row, self))
    return {
      aMinute: near / 4,
      medianAMinute: median / 4,
      whenCrowded: tally(others.filter(crowded).slice(0, NEAREST)),
      whenQuiet: tally(others.filter((row) => !crowded(row)).slice(0, NEAREST)),
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

const PAIR_COLUMNS = PAIRS.map(([a, b]) => [DIMENSIONS.indexOf(a), DIMENSIONS.indexOf(b)] as const)

/** By time first: texts of one length are slow to tell apart. */
function isSelf(row: Row, self: Neighbour): boolean {
  return row.atMs === self.atMs && row.id === self.id
}
