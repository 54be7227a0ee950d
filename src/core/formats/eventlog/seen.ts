import { readAccount } from '../../people/account'
import { remembering } from '../../stats/remembering'

/** When somebody, or something, was seen. */
export interface Moment {
  readonly timeMs: number
  readonly name: string
  /** Without its domain: by this two spellings are the same person. */
  readonly short: string
}

const BUCKET_MS = 120_000
/** So many stretches of two minutes are remembered of each machine, session or person: a month of busy days. */
const MOST_BUCKETS = 5000
/** Moments are told apart by a ten-thousandth of a millisecond, as event logs do. */
const UNITS_PER_MS = 10_000

/** Moments by key and time, so that those near a moment are found at once. */
export class Seen {
  /** Of each key and stretch of time the last of its moments, of which each leads to the next, and the last to the first. */
  readonly #byKey = new Map<string, Map<number, number>>()
  readonly #moments = new Moments()
  readonly #names: string[] = []
  readonly #numbers = new Map<string, number>()

  add(key: string, timeMs: number, name: string): void {
    let buckets = this.#byKey.get(key)
    if (!buckets) this.#byKey.set(key, (buckets = new Map<number, number>()))
    const at = Math.floor(timeMs / BUCKET_MS)
    const units = Math.round((timeMs - at * BUCKET_MS) * UNITS_PER_MS)
    const who = this.#numberOf(name)
    const last = buckets.get(at)
    // One event may be several observations.
    if (last === undefined || !this.#moments.is(last, units, who)) buckets.set(at, this.#moments.add(units, who, last))
    if (buckets.size > MOST_BUCKETS) {
      const [oldest] = buckets
      if (!oldest) return
      buckets.delete(oldest[0])
      this.#moments.drop(oldest[1])
    }
  }

  /** Those within a time of a moment. */
  *near(key: string, timeMs: number, withinMs: number): Generator<Moment> {
    const buckets = this.#byKey.get(key)
    if (!buckets) return
    for (let at = Math.floor((timeMs - withinMs) / BUCKET_MS); at <= Math.floor((timeMs + withinMs) / BUCKET_MS); at++) {
      const last = buckets.get(at)
      if (last === undefined) continue
      let one = last
      do {
        one = this.#moments.next(one)
        const oneMs = at * BUCKET_MS + this.#moments.units(one) / UNITS_PER_MS
        if (Math.abs(oneMs - timeMs) > withinMs) continue
        const name = this.#names[this.#moments.who(one)] ?? ''
        yield { timeMs: oneMs, name, short: shortName(name) }
      } while (one !== last)
    }
  }

  nearest(key: string, timeMs: number, withinMs: number): string | undefined {
    let best: Moment | undefined
    for (const one of this.near(key, timeMs, withinMs)) if (!best || Math.abs(one.timeMs - timeMs) < Math.abs(best.timeMs - timeMs)) best = one
    return best?.name
  }

  #numberOf(name: string): number {
    let number = this.#numbers.get(name)
    if (number === undefined) {
      number = this.#names.push(name) - 1
      this.#numbers.set(name, number)
    }
    return number
  }
}

const BLOCK = 1 << 12
/** What is kept of a moment: when it was, who, and which is the next. */
const FIELDS = 3

/** Rings of moments. Of a large log there are millions: each is three numbers in a block of them, twelve bytes. */
class Moments {
  readonly #blocks: Uint32Array[] = []
  #n = 0
  /** The first of those that were dropped, in a row; they are used again. */
  #free = NONE

  /** Puts one behind the last of a ring, or where there is none begins one. @returns it, the last now */
  add(units: number, who: number, last: number | undefined): number {
    const one = this.#room()
    this.#set(one, 0, units)
    this.#set(one, 1, who)
    this.#set(one, 2, last === undefined ? one : this.next(last))
    if (last !== undefined) this.#set(last, 2, one)
    return one
  }

  /** Drops a ring. @param last any of it */
  drop(last: number): void {
    const first = this.next(last)
    this.#set(last, 2, this.#free)
    this.#free = first
  }

  is = (one: number, units: number, who: number): boolean => this.units(one) === units && this.who(one) === who
  units = (one: number): number => this.#get(one, 0)
  who = (one: number): number => this.#get(one, 1)
  next = (one: number): number => this.#get(one, 2)

  #room(): number {
    const one = this.#free
    if (one !== NONE) {
      this.#free = this.next(one)
      return one
    }
    if (this.#n % BLOCK === 0) this.#blocks.push(new Uint32Array(BLOCK * FIELDS))
    return this.#n++
  }

  #get(one: number, field: number): number {
    return this.#blocks[Math.floor(one / BLOCK)]?.[(one % BLOCK) * FIELDS + field] ?? NONE
  }

  #set(one: number, field: number, value: number): void {
    const block = this.#blocks[Math.floor(one / BLOCK)]
    if (block) block[(one % BLOCK) * FIELDS + field] = value
  }
}

/** No moment. */
const NONE = 2 ** 32 - 1

/** People come again and again. */
export const shortName = remembering(100_000, (name) => readAccount(name).key)
