import { bothOf, worseOf, type Contrast } from './contrast'
import type { Neighbour } from './neighbour'
import type { Dimension } from './places'
import { FAULT } from './alike'
import { COURSE, FAR_MS, firstOf, STRIDE, type NeighbourRows } from './neighbour-rows'

/** A share is called crowded by what comes in four minutes. */
const SLOT_MS = 240_000
/** So many of the nearest are asked about a share. */
export const NEAREST = 30
/** A crowd so long before or after is another one; and where as many came. */
const ANOTHER_CROWD_MS = 2 * 3_600_000
const AS_LARGE = 0.8
/** Within an hour it is the same. */
const SAME_CROWD_MS = 3_600_000
/** So many slots are as far as FAR_MS from the middle of one. */
const FAR_SLOTS = Math.ceil(FAR_MS / SLOT_MS)
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

/** Logons on a share by slots from the first on, the median of those that had any, from how many on a slot is crowded, and how many logons came in such. */
interface Slots {
  readonly first: number
  readonly counts: Int32Array
  readonly median: number
  readonly crowdedFrom: number
  readonly crowded: number
}

/** How crowded shares are. */
export class Crowds {
  readonly #slotsOf = new Map<number, Slots & { readonly slot: number; readonly rows: number }>()

  constructor(private readonly held: NeighbourRows) {}

  /** Places have other numbers now. */
  forget(): void {
    this.#slotsOf.clear()
  }

  /**
   * How crowded a share is at a moment: logons a minute in the two minutes either side, and in the median four minutes that had any, as far
   * as FAR_MS either side. And of the nearest others on it, how many had the same trouble when it was crowded, and when it was quiet.
   * @param among only others who are at these places of its own are asked
   */
  of(self: Neighbour, phase: string, among: readonly Dimension[] = []): Crowd {
    const [bit, byFault] = this.held.trouble(self, phase)
    const [, own] = this.held.placeOf(self, 'share')
    const { at, rows } = this.held
    const courses = this.held.courses
    const { first, counts, median, crowdedFrom, crowded: crowdedRows } = this.#slots(own, self.atMs)
    const { near, most } = this.#crowdAt(own, self.atMs)
    const shared = among.map((dimension) => this.held.placeOf(self, dimension))
    const whenCrowded = { n: 0, hit: 0 }
    const [quietBefore, quietAfter] = [
      { n: 0, hit: 0 },
      { n: 0, hit: 0 },
    ]
    // As a rule there is no crowd at all, and nobody has to look for one all day long.
    let crowdedLeft = crowdedRows
    const there = this.held.atShare(own)
    const after = firstOf(there, this.held.firstFrom(self.atMs))
    const next = this.held.nearestOf(there, self.atMs, after - 1, after)
    while (Math.min(quietBefore.n, quietAfter.n) < NEAREST / 2 || (whenCrowded.n < NEAREST && crowdedLeft > 0)) {
      const row = next()
      if (row < 0) break
      const course = rows[row * STRIDE + COURSE] ?? 0
      const slot = Math.floor((at[row] ?? 0) / SLOT_MS) - first
      const crowded = (counts[slot] ?? 0) >= crowdedFrom
      if (crowded) crowdedLeft--
      // Just before and after a crowd it is neither crowded nor quiet.
      else if (crowdedRows > 0 && ((counts[slot - 1] ?? 0) >= crowdedFrom || (counts[slot + 1] ?? 0) >= crowdedFrom)) continue
      const side = crowded ? whenCrowded : (at[row] ?? 0) < self.atMs ? quietBefore : quietAfter
      if (side.n >= (crowded ? NEAREST : NEAREST / 2) || courses.table[course + FAULT] !== 0) continue
      const had = courses.had(course, bit, byFault)
      if (had === null || this.held.isSelf(row, self) || !shared.every(([d, place]) => this.held.isAt(row, d, place))) continue
      side.n++
      if (had) side.hit++
    }
    // A crowd leaves quiet moments alone on both sides of it, but for some soon after. What has just begun or ended without one does not.
    const worse = worseOf(quietBefore, quietAfter)
    const whenQuiet = worse.hit >= NEARLY_ALL * worse.n ? worse : bothOf(quietBefore, quietAfter)
    const [aMinute = 0, mostAMinute = 0, medianAMinute = 0] = [near, most, median].map((n) => (n * 60_000) / SLOT_MS)
    return { aMinute, mostAMinute, medianAMinute, whenCrowded, whenQuiet }
  }

  /** Of those who came in other crowds with a crest as large, well before or after the one that an attempt is in: how many were slow in a phase. */
  inOthers(self: Neighbour, phase: string): Contrast['inside'] {
    const { at, rows } = this.held
    const courses = this.held.courses
    const { atMs } = self
    const [bit, byFault] = this.held.trouble(self, phase)
    const [, own] = this.held.placeOf(self, 'share')
    const { first, counts, crowdedFrom } = this.#slots(own, atMs)
    const inSlot = (ms: number) => counts[Math.floor(ms / SLOT_MS) - first] ?? 0
    let crest = this.#crowdAt(own, atMs).most
    for (let ms = atMs - SAME_CROWD_MS; ms <= atMs + SAME_CROWD_MS; ms += SLOT_MS) crest = Math.max(crest, inSlot(ms))
    const least = Math.max(crowdedFrom, AS_LARGE * crest)
    const result = { n: 0, hit: 0 }
    for (const row of this.#there(own, atMs, FAR_MS)) {
      const course = rows[row * STRIDE + COURSE] ?? 0
      if (Math.abs((at[row] ?? 0) - atMs) < ANOTHER_CROWD_MS || inSlot(at[row] ?? 0) < least) continue
      const had = courses.table[course + FAULT] === 0 ? courses.had(course, bit, byFault) : null
      if (had === null) continue
      result.n++
      if (had) result.hit++
    }
    return result
  }

  /** How many logged on at a share in the four minutes around a moment, and in the fullest four minutes that it is in. */
  #crowdAt(own: number, atMs: number): { readonly near: number; readonly most: number } {
    const at = this.held.at
    const there = this.held.atShare(own)
    const [from, to] = this.held.range(atMs, SLOT_MS)
    let [near, most] = [0, 0]
    let oldest = firstOf(there, from)
    for (let i = oldest; (there[i] ?? to) < to; i++) {
      const rowMs = at[there[i] ?? 0] ?? 0
      if (Math.abs(rowMs - atMs) <= SLOT_MS / 2) near++
      while ((at[there[oldest] ?? 0] ?? 0) < rowMs - SLOT_MS) oldest++
      most = Math.max(most, i + 1 - oldest)
    }
    return { near, most }
  }

  /** The rows at a share around a moment. */
  #there(own: number, atMs: number, eitherSideMs: number): readonly number[] {
    const there = this.held.atShare(own)
    const [from, to] = this.held.range(atMs, eitherSideMs)
    return there.slice(firstOf(there, from), firstOf(there, to))
  }

  /** Logons on a share by slots of four minutes, as far as FAR_MS either side; kept for all who ask within the same slot while hardly any come in. */
  #slots(own: number, atMs: number): Slots {
    const slot = Math.floor(atMs / SLOT_MS)
    const kept = this.#slotsOf.get(own)
    if (kept?.slot === slot && Math.abs(kept.rows - this.held.size) <= 0.02 * kept.rows) return kept
    const first = slot - FAR_SLOTS
    const counts = new Int32Array(2 * FAR_SLOTS + 1)
    for (const row of this.#there(own, (slot + 0.5) * SLOT_MS, FAR_MS)) {
      const at = Math.floor((this.held.at[row] ?? 0) / SLOT_MS) - first
      counts[at] = (counts[at] ?? 0) + 1
    }
    const sorted = counts.filter((n) => n > 0).sort()
    const median = sorted[sorted.length >> 1] ?? 0
    const crowdedFrom = Math.max(4, 2 * median)
    const crowded = sorted.reduce((sum, n) => (n >= crowdedFrom ? sum + n : sum), 0)
    const result = { slot, rows: this.held.size, first, counts, median, crowdedFrom, crowded }
    this.#slotsOf.set(own, result)
    return result
  }
}
