import { Courses } from './alike'
import { bitOf, couldHave, type Neighbour } from './neighbour'
import { DIMENSIONS, PlaceKinds, type Dimension } from './places'

/** Half an hour either side of an attempt: who logged on then is its neighbour. */
export const NEAR_MS = 1_800_000
/** Where these are fewer than MANY, those of up to a day either side are asked too; two hours more, so that all of the same hours of the day before are among them. */
export const FAR_MS = 26 * 3_600_000
const MANY = 300
/** Of these, so many should be of its own pool: of a small one beside large ones hardly any would be. */
const MANY_OF_POOL = 48

/** With more kinds of place, or more courses, than this, those that no neighbour has are forgotten. */
const MOST_KINDS = 20_000
const MOST_COURSES = 20_000

/** What is kept of each attempt, STRIDE numbers: its kind of place, and its course, which is where in `courses.table` it says how it went. */
export const KIND = 0
export const COURSE = 1
export const STRIDE = 2

const SHARE = DIMENSIONS.indexOf('share')
const POOL = DIMENSIONS.indexOf('pool')
const ANEW = -1

/** A dimension, and which of its values. */
export type Placed = [d: number, own: number]

/** The attempts around a moment, by time, in rows of numbers: see KIND. */
export class NeighbourRows {
  size = 0
  at = new Float64Array(256)
  rows = new Int32Array(256 * STRIDE)
  readonly kinds = new PlaceKinds()
  readonly courses = new Courses()
  #ids: string[] = []
  /** The rows at each share, and of each pool, by time, as far as they were looked at; all anew when others than the last have changed. */
  readonly #ofShare = new Map<number, number[]>()
  readonly #ofPool = new Map<number, number[]>()
  #lookedAt = 0

  /** Adds many at once: those that are there are moved once, if at all. */
  addAll(neighbours: readonly Neighbour[]): void {
    const fresh = neighbours.length < 2 ? neighbours : [...neighbours].sort((a, b) => a.atMs - b.atMs || (a.id < b.id ? -1 : 1))
    while (this.size + fresh.length > this.at.length) this.#grow()
    let left = this.size
    this.size += fresh.length
    for (let next = fresh.length - 1; next >= 0; next--) {
      const neighbour = fresh[next]
      if (!neighbour) break
      const from = this.#placeFor(neighbour, left)
      this.#move(from, left, next + 1)
      this.#put(from + next, neighbour)
      left = from
    }
  }

  /** Of so many rows, how many come before a neighbour. */
  #placeFor({ atMs, id }: Neighbour, among: number): number {
    // Mostly it is the newest.
    if (among === 0 || (this.at[among - 1] ?? 0) < atMs) return among
    let row = this.firstFrom(atMs, among)
    while (row < among && this.at[row] === atMs && (this.#ids[row] ?? '') <= id) row++
    return row
  }

  #put(row: number, neighbour: Neighbour): void {
    const { id, atMs, places, beyond, failed, fault } = neighbour
    this.#ids[row] = id
    this.at[row] = atMs
    const base = row * STRIDE
    const kind = this.kinds.kindOf(places)
    this.rows[base + KIND] = kind
    this.rows[base + COURSE] = this.courses.of(
      beyond,
      failed ? this.kinds.numberOf(fault || 'failed') : 0,
      this.kinds.unreported(kind),
      couldHave(neighbour),
    )
  }

  /** Moves rows by so many. */
  #move(from: number, to: number, by: number): void {
    if (from === to) return
    this.#lookedAt = ANEW
    this.at.copyWithin(from + by, from, to)
    this.rows.copyWithin((from + by) * STRIDE, from * STRIDE, to * STRIDE)
    for (let row = to - 1; row >= from; row--) this.#ids[row + by] = this.#ids[row] ?? ''
  }

  /** The same attempt again, as it is known now. @returns whether it was there */
  replace(neighbour: Neighbour): boolean {
    const row = this.rowOf(neighbour)
    if (row < 0) {
      this.addAll([neighbour])
      return false
    }
    this.#put(row, neighbour)
    // It may be at another share.
    if (row < this.#lookedAt) this.#lookedAt = ANEW
    return true
  }

  /** Forgets everything before a moment, so that memory stays bounded. @returns whether places have other numbers now */
  forget(beforeMs: number): boolean {
    const first = this.firstFrom(beforeMs)
    this.#shift(first, 0)
    this.#ids = this.#ids.slice(first)
    this.size -= first
    this.#lookedAt = ANEW
    if (this.kinds.size <= MOST_KINDS && this.courses.size <= MOST_COURSES) return false
    this.#forgetUnused()
    return true
  }

  /** Forgets kinds of place and courses that no attempt has any more. */
  #forgetUnused(): void {
    const rows = this.rows.subarray(0, this.size * STRIDE)
    const [kinds, courses] = [new Set<number>(), new Set<number>()]
    for (let base = 0; base < rows.length; base += STRIDE) {
      kinds.add(rows[base + KIND] ?? 0)
      courses.add(rows[base + COURSE] ?? 0)
    }
    const keptCourses = this.courses.keepOnly(courses)
    const kept = this.kinds.keepOnly(kinds, this.courses.faults())
    for (let base = 0; base < rows.length; base += STRIDE) {
      rows[base + KIND] = kept.get(rows[base + KIND] ?? 0) ?? 0
      rows[base + COURSE] = keptCourses.get(rows[base + COURSE] ?? 0) ?? 0
    }
  }

  rowOf({ atMs, id }: Neighbour): number {
    for (let row = this.firstFrom(atMs); row < this.size && this.at[row] === atMs; row++) if (this.#ids[row] === id) return row
    return -1
  }

  /** The rows at the share of this number, by time. */
  atShare(own: number): readonly number[] {
    this.#look()
    return this.#ofShare.get(own) ?? []
  }

  #look(): void {
    if (this.#lookedAt === ANEW) {
      this.#ofShare.clear()
      this.#ofPool.clear()
      this.#lookedAt = 0
    }
    for (let row = this.#lookedAt; row < this.size; row++) {
      const kind = this.rows[row * STRIDE + KIND] ?? 0
      append(this.#ofShare, this.kinds.valueOf(kind, SHARE), row)
      append(this.#ofPool, this.kinds.valueOf(kind, POOL), row)
    }
    this.#lookedAt = this.size
  }

  /** Visits rows from an attempt outwards, the nearest first, while `visit` says to go on. */
  outwards({ atMs }: Neighbour, eitherSideMs: number, visit: (row: number) => boolean): void {
    const [from, to] = this.range(atMs, eitherSideMs)
    const at = this.at
    let after = this.firstFrom(atMs)
    let before = after - 1
    while (before >= from || after < to) {
      const earlier = before >= from ? atMs - (at[before] ?? 0) : Infinity
      const later = after < to ? (at[after] ?? 0) - atMs : Infinity
      if (!visit(earlier < later ? before-- : after++)) return
    }
  }

  /** Half an hour either side, and as much further as is needed for MANY, up to FAR_MS. */
  neighbours(atMs: number): [from: number, to: number] {
    let [from, to] = this.range(atMs, NEAR_MS)
    if (to - from >= MANY) return [from, to]
    const [first, last] = this.range(atMs, FAR_MS)
    while (to - from < MANY && (from > first || to < last)) {
      const before = from > first ? atMs - (this.at[from - 1] ?? -Infinity) : Infinity
      const after = to < last ? (this.at[to] ?? Infinity) - atMs : Infinity
      if (before <= after) from--
      else to++
    }
    return [from, to]
  }

  /** Those of its own pool that are nearest before and after its neighbours, where too few of these are of it. */
  moreOfPool({ atMs, places }: Neighbour, from: number, to: number): readonly number[] {
    if (places.pool === '') return []
    this.#look()
    const there = this.#ofPool.get(this.kinds.known(places.pool)) ?? []
    const [before, after] = [firstOf(there, from) - 1, firstOf(there, to)]
    const next = this.nearestOf(there, atMs, before, after)
    const more: number[] = []
    for (let missing = MANY_OF_POOL - (after - before - 1); missing > 0; missing--) {
      const row = next()
      if (row < 0) break
      more.push(row)
    }
    return more
  }

  /**
   * Some rows, by time, from a moment outwards, the nearest first, as far as FAR_MS: one each time it is asked, -1 when there are no more.
   * @param before where among them the first one before the moment is
   * @param after the same of the first one after it
   */
  nearestOf(there: readonly number[], atMs: number, before: number, after: number): () => number {
    const at = this.at
    const [first, last] = this.range(atMs, FAR_MS)
    let [left, right] = [before, after]
    return () => {
      const earlier = left < 0 ? -1 : (there[left] ?? -1)
      const later = there[right] ?? last
      if (earlier < first && later >= last) return -1
      const isEarlier = later >= last || (earlier >= first && atMs - (at[earlier] ?? 0) < (at[later] ?? 0) - atMs)
      if (isEarlier) left--
      else right++
      return isEarlier ? earlier : later
    }
  }

  range(atMs: number, eitherSideMs: number): [from: number, to: number] {
    return [this.firstFrom(atMs - eitherSideMs), this.firstFrom(atMs + eitherSideMs)]
  }

  /** Where in a row a dimension is, and the number of the attempt's own place there. */
  placeOf(self: Neighbour, dimension: Dimension): Placed {
    return [DIMENSIONS.indexOf(dimension), this.kinds.known(self.places[dimension])]
  }

  isAt(row: number, d: number, own: number): boolean {
    return this.valueAt(row, d) === own
  }

  /** The number of a row's place in a dimension. */
  valueAt(row: number, d: number): number {
    return this.kinds.valueOf(this.rows[row * STRIDE + KIND] ?? 0, d)
  }

  /** Whether a row had a trouble; null where it could not have. See Courses.had. */
  had(row: number, bit: number, byFault: number): boolean | null {
    return this.courses.had(this.rows[row * STRIDE + COURSE] ?? 0, bit, byFault)
  }

  /** The bit of a trouble; or 0, and the number of the fault that the attempt failed by. */
  trouble(self: Neighbour, phase: string): [bit: number, byFault: number] {
    return phase === 'failed' ? [0, this.kinds.known(self.fault) || -1] : [bitOf(phase), -1]
  }

  /** By time first: texts of one length are slow to tell apart. */
  isSelf(row: number, self: Neighbour): boolean {
    return this.at[row] === self.atMs && this.#ids[row] === self.id
  }

  /** @param among the first so many rows are looked at */
  firstFrom(ms: number, among = this.size): number {
    let low = 0
    let high = among
    while (low < high) {
      const middle = (low + high) >> 1
      if ((this.at[middle] ?? 0) < ms) low = middle + 1
      else high = middle
    }
    return low
  }

  /** Moves all but the ids, from a row to the last, to begin at another. */
  #shift(from: number, to: number): void {
    this.at.copyWithin(to, from, this.size)
    this.rows.copyWithin(to * STRIDE, from * STRIDE, this.size * STRIDE)
  }

  #grow(): void {
    const wider = <T extends Float64Array | Int32Array>(old: T, kind: new (length: number) => T): T => {
      const result = new kind(old.length * 2)
      result.set(old)
      return result
    }
    this.at = wider(this.at, Float64Array)
    this.rows = wider(this.rows, Int32Array)
  }
}

function append(lists: Map<number, number[]>, key: number, row: number): void {
  const list = lists.get(key)
  if (list) list.push(row)
  else lists.set(key, [row])
}

/** Of rows in order, the place of the first that is not before one. */
export function firstOf(rows: readonly number[], from: number): number {
  let [low, high] = [0, rows.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if ((rows[middle] ?? 0) < from) low = middle + 1
    else high = middle
  }
  return low
}
