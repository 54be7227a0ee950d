import { countSay } from '../stats/count'
import { bytesSay } from './words'

/** What one person costs a share while they log on and afterwards, in operations a second. Common practice, no published source (job.md, section 7). */
export interface Demand {
  readonly logonIops: number
  readonly steadyIops: number
  /** How long a session lasts, in slots of the day. */
  readonly sessionSlots: number
}
/** The day in steps of five minutes: those who log on in the same one are taken as logging on at once. */
export const SLOT_MINUTES = 5
export const SLOTS = (24 * 60) / SLOT_MINUTES
export const DEMAND: Demand = { logonIops: 50, steadyIops: 10, sessionSlots: (8 * 60) / SLOT_MINUTES }

export interface RoomShare {
  readonly path: string
  readonly zone: string | null
  readonly totalBytes: number
  /** Everything on it, containers or not. */
  readonly usedBytes: number
  /** Operations a second that it bears; null where nobody said. */
  readonly bearsIops: number | null
  /** Whether containers can be moved to it. */
  readonly takes: boolean
}

export interface RoomContainer {
  readonly id: string
  readonly share: string
  readonly bytes: number
  /** In which slot of the day its person usually logs on; null where that is not known. */
  readonly slot: number | null
  /** Why it must stay where it is; null where it may move. */
  readonly stays: string | null
}

/** Why a container of this kind stays where it is; null where it may move. */
export const cannotMoveKind = (kind: string): string | null =>
  kind === 'differencing' ? 'It holds only what differs from its parent, which it knows by its place beside it.' : null

export interface BalanceAim {
  /** No share fuller than this part of it. */
  readonly fullTo: number
  /** `same`: a container never leaves its zone. */
  readonly zones: 'any' | 'same'
  /** Shares that shall be empty of containers afterwards. */
  readonly empty: readonly string[]
  readonly demand: Demand
}

export interface Move {
  readonly id: string
  readonly from: string
  readonly to: string
  readonly bytes: number
  readonly because: 'room' | 'load' | 'empty'
}

export interface ShareLoad {
  readonly path: string
  readonly zone: string | null
  readonly totalBytes: number
  readonly usedBytes: number
  readonly limitBytes: number
  readonly containers: number
  /** The worst slot of the day, and what is asked of the share in it. */
  readonly peakIops: number
  readonly peakSlot: number
  readonly bearsIops: number | null
}

export interface BalancePlan {
  readonly moves: readonly Move[]
  readonly bytes: number
  /** No plan can move fewer bytes than this, however it is made. */
  readonly atLeastBytes: number
  readonly before: readonly ShareLoad[]
  readonly after: readonly ShareLoad[]
  /** What the plan could not bring about, as sentences. */
  readonly notMet: readonly string[]
}

/** A share while a plan is made: what lies on it and what is asked of it in each slot. */
class Shelf {
  readonly load = new Float64Array(SLOTS)
  readonly on = new Map<string, RoomContainer>()
  usedBytes: number

  constructor(
    readonly share: RoomShare,
    readonly limitBytes: number,
    readonly takes: boolean,
    private readonly demand: Demand,
  ) {
    this.usedBytes = share.usedBytes
  }

  get path(): string {
    return this.share.path
  }

  /** Puts a container on it; one that lies there already adds no bytes, they are counted. */
  add(one: RoomContainer, bytes: number): void {
    this.on.set(one.id, one)
    this.usedBytes += bytes
    this.#ask(one, 1)
  }

  remove(one: RoomContainer): void {
    this.on.delete(one.id)
    this.usedBytes -= one.bytes
    this.#ask(one, -1)
  }

  /** What a container asks in a slot. */
  asks({ slot }: RoomContainer, at: number): number {
    if (slot === null) return 0
    const since = (at - slot + SLOTS) % SLOTS
    return since === 0 ? this.demand.logonIops : since < this.demand.sessionSlots ? this.demand.steadyIops : 0
  }

  peak(): { slot: number; iops: number } {
    let slot = 0
    for (let at = 1; at < SLOTS; at++) if ((this.load[at] ?? 0) > (this.load[slot] ?? 0)) slot = at
    return { slot, iops: this.load[slot] ?? 0 }
  }

  /** Whether there is room and strength for one more. */
  bears(one: RoomContainer): boolean {
    if (!this.takes || this.usedBytes + one.bytes > this.limitBytes) return false
    const { bearsIops } = this.share
    if (bearsIops === null || one.slot === null) return true
    for (let since = 0; since < this.demand.sessionSlots; since++) {
      const at = (one.slot + since) % SLOTS
      if ((this.load[at] ?? 0) + this.asks(one, at) > bearsIops) return false
    }
    return true
  }

  says(): ShareLoad {
    const { slot, iops } = this.peak()
    const { path, zone, totalBytes, bearsIops } = this.share
    return {
      path,
      zone,
      totalBytes,
      usedBytes: this.usedBytes,
      limitBytes: this.limitBytes,
      containers: this.on.size,
      peakIops: iops,
      peakSlot: slot,
      bearsIops,
    }
  }

  #ask(one: RoomContainer, sign: 1 | -1): void {
    if (one.slot === null) return
    for (let since = 0; since < this.demand.sessionSlots; since++) {
      const at = (one.slot + since) % SLOTS
      this.load[at] = (this.load[at] ?? 0) + sign * this.asks(one, at)
    }
  }
}

function shelvesOf(shares: readonly RoomShare[], containers: readonly RoomContainer[], aim: BalanceAim): Map<string, Shelf> {
  const shelves = new Map(
    shares.map((share) => {
      const emptied = aim.empty.includes(share.path)
      return [share.path, new Shelf(share, Math.floor(share.totalBytes * aim.fullTo), share.takes && !emptied, aim.demand)]
    }),
  )
  for (const one of containers) shelves.get(one.share)?.add(one, 0)
  return shelves
}

/** What is asked of each share now. */
export function shareLoads(shares: readonly RoomShare[], containers: readonly RoomContainer[], aim: BalanceAim): ShareLoad[] {
  return [...shelvesOf(shares, containers, aim).values()].map((shelf) => shelf.says())
}

/**
 * Which containers should move where, so that no share is fuller than wanted and none is asked for more than it bears, with few bytes moved.
 * Emptied shares first, then load (the smallest containers of those who log on in the worst slot), then room: of all sets of containers
 * that free enough, the one with the fewest bytes, found by adding up sizes in steps of a fine grain.
 * @param containers those of all shares; what is not known to lie on one of `shares` is left out
 */
export function planBalance(shares: readonly RoomShare[], containers: readonly RoomContainer[], aim: BalanceAim): BalancePlan {
  const shelves = shelvesOf(shares, containers, aim)
  const all = [...shelves.values()]
  const before = all.map((shelf) => shelf.says())
  const moves: Move[] = []
  const notMet: string[] = []
  const move = (one: RoomContainer, from: Shelf, because: Move['because']): boolean => {
    const to = targetFor(one, from, all, aim)
    if (!to) return false
    from.remove(one)
    to.add(one, one.bytes)
    moves.push({ id: one.id, from: from.path, to: to.path, bytes: one.bytes, because })
    return true
  }
  const mobile = (shelf: Shelf) => [...shelf.on.values()].filter((one) => one.stays === null && one.share === shelf.path)
  let atLeastBytes = 0
  for (const shelf of all) {
    if (!aim.empty.includes(shelf.path)) continue
    for (const one of mobile(shelf).sort(largestFirst)) {
      atLeastBytes += one.bytes
      move(one, shelf, 'empty')
    }
    if (shelf.on.size > 0)
      notMet.push(
        `${shelf.on.size === 1 ? 'One container stays' : `${countSay(shelf.on.size)} containers stay`} on ${shelf.path}: ${whyThey(mobile(shelf).length, shelf.on.size)}.`,
      )
  }
  for (const shelf of all) if (!aim.empty.includes(shelf.path)) atLeastBytes += Math.max(0, shelf.share.usedBytes - shelf.limitBytes)
  for (const shelf of all) relieve(shelf, mobile, move, notMet)
  for (const shelf of all) if (!aim.empty.includes(shelf.path)) makeRoom(shelf, mobile, move, notMet)
  return { moves, bytes: moves.reduce((sum, { bytes }) => sum + bytes, 0), atLeastBytes, before, after: all.map((shelf) => shelf.says()), notMet }
}

const largestFirst = (a: RoomContainer, b: RoomContainer): number => b.bytes - a.bytes || (a.id < b.id ? -1 : 1)

const whyThey = (couldMove: number, all: number): string =>
  couldMove === all
    ? 'no other share has room and strength for them'
    : couldMove === 0
      ? 'what is left there cannot be moved'
      : 'some cannot be moved, for the others there is no room'

type Mobile = (shelf: Shelf) => RoomContainer[]
type Mover = (one: RoomContainer, from: Shelf, because: Move['because']) => boolean

/** Takes load off a share that is asked for more than it bears: each time in its worst slot, the container with the fewest bytes for what it asks. */
function relieve(shelf: Shelf, mobile: Mobile, move: Mover, notMet: string[]): void {
  const { bearsIops } = shelf.share
  if (bearsIops === null) return
  let sorted: { slot: number; candidates: readonly RoomContainer[] } = { slot: -1, candidates: [] }
  for (;;) {
    const { slot, iops } = shelf.peak()
    if (iops <= bearsIops) return
    if (sorted.slot !== slot) {
      const costs = mobile(shelf).map((one) => ({ one, cost: one.bytes / shelf.asks(one, slot) }))
      const candidates = costs.filter(({ cost }) => Number.isFinite(cost)).sort((a, b) => a.cost - b.cost || (a.one.id < b.one.id ? -1 : 1))
      sorted = { slot, candidates: candidates.map(({ one }) => one) }
    }
    const moved = sorted.candidates.findIndex((one) => move(one, shelf, 'load'))
    // Those before it found no place, and will find none while others only fill up.
    sorted = { slot, candidates: sorted.candidates.slice(moved + 1) }
    if (moved >= 0) continue
    notMet.push(`${shelf.path} is still asked for ${countSay(iops)} operations a second at ${slotSays(slot)}; it bears ${countSay(bearsIops)}.`)
    return
  }
}

/** Frees room on a share that is too full. What fits nowhere else is left out and the rest is chosen again. */
function makeRoom(shelf: Shelf, mobile: Mobile, move: Mover, notMet: string[]): void {
  const stuck = new Set<string>()
  for (;;) {
    const excess = shelf.usedBytes - shelf.limitBytes
    if (excess <= 0) return
    const candidates = mobile(shelf).filter(({ id, bytes }) => !stuck.has(id) && bytes > 0)
    const chosen = fewestBytes(candidates, excess) ?? candidates
    if (chosen.length === 0) break
    for (const one of [...chosen].sort(largestFirst)) if (!move(one, shelf, 'room')) stuck.add(one.id)
  }
  notMet.push(
    `${shelf.path} stays fuller than wanted by ${bytesSay(shelf.usedBytes - shelf.limitBytes)}: no other share has room and strength for more.`,
  )
}

/** Where a container goes: of the shares that bear it, the one with the most room left. */
function targetFor(one: RoomContainer, from: Shelf, all: readonly Shelf[], aim: BalanceAim): Shelf | null {
  let best: Shelf | null = null
  for (const shelf of all) {
    if (shelf === from || (aim.zones === 'same' && shelf.share.zone !== from.share.zone) || !shelf.bears(one)) continue
    if (!best || shelf.limitBytes - shelf.usedBytes > best.limitBytes - best.usedBytes) best = shelf
  }
  return best
}

/** Sums are counted in so many steps at most. */
const GRAIN = 20_000

/**
 * Of all subsets whose sizes sum to at least `wanted`, one with the smallest sum (to within a grain of wanted / 20,000 an item); null where all
 * together are not enough. The well-known dynamic program for sums of subsets: for each sum, the item by which it was first reached.
 */
export function fewestBytes<T extends { readonly bytes: number }>(items: readonly T[], wanted: number): T[] | null {
  const total = items.reduce((sum, { bytes }) => sum + bytes, 0)
  if (total < wanted) return null
  // Sizes are usually whole blocks: their common measure makes the sums exact.
  const unit = Math.max(
    items.reduce((measure, { bytes }) => greatestCommon(measure, bytes), 0),
    Math.ceil(wanted / GRAIN),
  )
  const goal = Math.ceil(wanted / unit)
  // Beyond the goal by more than the largest item no smallest sum can lie.
  const top = goal + items.reduce((largest, { bytes }) => Math.max(largest, Math.floor(bytes / unit)), 0)
  const by = new Int32Array(top + 1).fill(-1)
  let furthest = 0
  items.forEach(({ bytes }, item) => {
    const size = Math.floor(bytes / unit)
    if (size === 0) return
    for (let sum = Math.min(top, furthest + size); sum >= size; sum--) {
      if (by[sum] !== -1 || (sum !== size && by[sum - size] === -1)) continue
      by[sum] = item
      if (sum > furthest) furthest = sum
    }
  })
  for (let sum = goal; sum <= top; sum++) {
    if (by[sum] === -1) continue
    const chosen: T[] = []
    for (let left = sum; left > 0;) {
      const item = items[by[left] ?? 0]
      if (!item) break
      chosen.push(item)
      left -= Math.floor(item.bytes / unit)
    }
    return chosen
  }
  return [...items]
}

function greatestCommon(a: number, b: number): number {
  let [x, y] = [a, b]
  while (y > 0) [x, y] = [y, x % y]
  return x
}

/** `05:40`: a slot of the day. */
export function slotSays(slot: number): string {
  const minutes = slot * SLOT_MINUTES
  return `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`
}
