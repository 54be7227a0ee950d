import { DIMENSIONS, placesOf } from './around'
import { isUnusual } from './analyse'
import type { Explained } from './batch'

/** The dimensions in which an incident can sit; persons and groups beside them. */
export const PLACE_DIMENSIONS = [...DIMENSIONS, 'holderHost', 'part', 'package'] as const
export type PlaceDimension = (typeof PLACE_DIMENSIONS)[number]

/** One attempt as incidents are worked out from: unusual or not. */
export interface Seen {
  readonly id: string
  readonly person: string
  readonly atMs: number
  readonly lostMs: number
  readonly failed: boolean
  /** The cause, `unexplained`, or null where nothing was unusual. */
  readonly cause: string | null
  /** Of the attempt's end not yet known: it is kept, but counts for nothing. */
  readonly open: boolean
  readonly places: Readonly<Partial<Record<PlaceDimension, string>>>
}

/** What incidents need of an explained attempt. */
export function seenOf(one: Explained): Seen {
  const { attempt, outcome, lostMs, diagnosis, excess } = one
  const unusual = diagnosis.cause !== null || isUnusual(one)
  const slowest = unusual ? excess[0]?.phase : undefined
  let part: string | undefined
  if (slowest !== undefined) {
    let longest = -1
    for (const other of attempt.parts)
      if (other.phase === slowest && other.endMs - other.startMs > longest) {
        longest = other.endMs - other.startMs
        part = other.part
      }
  }
  const holderHost = attempt.attrs['holderHost']
  return {
    id: attempt.id,
    person: attempt.person ?? '',
    atMs: attempt.startedAtMs,
    lostMs: unusual ? lostMs : 0,
    failed: outcome === 'failed',
    cause: unusual ? (diagnosis.cause?.id ?? 'unexplained') : null,
    open: outcome === 'open',
    places: {
      ...placesOf(one),
      ...(typeof holderHost === 'string' ? { holderHost } : {}),
      ...(part === undefined ? {} : slowest === 'packages' ? { package: part } : { part }),
    },
  }
}

/** Numbers for names, and back. 0 is "not known". */
class Names {
  readonly #numbers = new Map<string, number>([['', 0]])
  readonly #names: string[] = ['']

  numberOf(name: string): number {
    let number = this.#numbers.get(name)
    if (number === undefined) {
      number = this.#names.length
      this.#numbers.set(name, number)
      this.#names.push(name)
    }
    return number
  }

  known(name: string): number {
    return this.#numbers.get(name) ?? -1
  }

  nameOf(number: number): string {
    return this.#names[number] ?? ''
  }

  get size(): number {
    return this.#names.length
  }
}

/** A column that grows. */
class Column<T extends Float64Array | Int32Array> {
  constructor(
    private readonly make: (n: number) => T,
    public values: T,
  ) {}

  set(at: number, value: number): void {
    if (at >= this.values.length) {
      const wider = this.make(Math.max(1024, this.values.length * 2))
      wider.set(this.values)
      this.values = wider
    }
    this.values[at] = value
  }
}
const ints = () => new Column((n) => new Int32Array(n), new Int32Array(1024))
const floats = () => new Column((n) => new Float64Array(n), new Float64Array(1024))

/**
 * Attempts in columns, by the order of their coming: about 90 bytes each, so that a million can be asked again and again.
 * An attempt that comes again replaces what was known of it.
 */
export class Ledger {
  n = 0
  readonly #ids: string[] = []
  readonly #rowOf = new Map<string, number>()
  readonly #names = PLACE_DIMENSIONS.map(() => new Names())
  readonly #places = PLACE_DIMENSIONS.map(() => ints())
  readonly #persons = new Names()
  readonly #causes = new Names()
  readonly #person = ints()
  readonly #cause = ints()
  readonly #at = floats()
  readonly #lost = floats()
  readonly #failed = ints()
  #order: Int32Array | null = null

  add(seen: Seen): void {
    let row = this.#rowOf.get(seen.id)
    if (row === undefined) {
      row = this.n++
      this.#rowOf.set(seen.id, row)
      this.#ids.push(seen.id)
      this.#order = null
    } else if (this.#at.values[row] !== seen.atMs) this.#order = null
    PLACE_DIMENSIONS.forEach((dimension, d) => {
      this.#places[d]?.set(row, this.#names[d]?.numberOf(seen.places[dimension] ?? '') ?? 0)
    })
    this.#person.set(row, this.#persons.numberOf(seen.person))
    // -1: no longer there, or not over yet.
    this.#cause.set(row, seen.open ? -1 : this.#causes.numberOf(seen.cause ?? ''))
    this.#at.set(row, seen.atMs)
    this.#lost.set(row, seen.lostMs)
    this.#failed.set(row, seen.failed ? 1 : 0)
  }

  /** An attempt that turned out to be part of another. */
  remove(id: string): void {
    const row = this.#rowOf.get(id)
    if (row !== undefined) this.#cause.set(row, -1)
  }

  /** The rows from one moment to before another, by time. */
  rows(fromMs: number, toMs: number): Int32Array {
    const at = this.#at.values
    this.#order ??= Int32Array.from({ length: this.n }, (_, row) => row).sort((a, b) => (at[a] ?? 0) - (at[b] ?? 0) || a - b)
    const order = this.#order
    const firstFrom = (ms: number) => {
      let [low, high] = [0, order.length]
      while (low < high) {
        const middle = (low + high) >> 1
        if ((at[order[middle] ?? 0] ?? 0) < ms) low = middle + 1
        else high = middle
      }
      return low
    }
    return order.subarray(firstFrom(fromMs), firstFrom(toMs))
  }

  id(row: number): string {
    return this.#ids[row] ?? ''
  }
  atMs(row: number): number {
    return this.#at.values[row] ?? 0
  }
  lostMs(row: number): number {
    return this.#lost.values[row] ?? 0
  }
  failed(row: number): boolean {
    return this.#failed.values[row] === 1
  }
  /** 0: nothing unusual; -1: counts for nothing. */
  cause(row: number): number {
    return this.#cause.values[row] ?? -1
  }
  person(row: number): number {
    return this.#person.values[row] ?? 0
  }
  place(dimension: number, row: number): number {
    return this.#places[dimension]?.values[row] ?? 0
  }
  placeName(dimension: number, place: number): string {
    return this.#names[dimension]?.nameOf(place) ?? ''
  }
  /** The number of a place, -1 where no attempt was there. */
  placeNumber(dimension: number, name: string): number {
    return this.#names[dimension]?.known(name) ?? -1
  }
  placesIn(dimension: number): number {
    return this.#names[dimension]?.size ?? 0
  }
  causeName(cause: number): string {
    return this.#causes.nameOf(cause)
  }
  personName(person: number): string {
    return this.#persons.nameOf(person)
  }
  get people(): number {
    return this.#persons.size
  }
  get causes(): number {
    return this.#causes.size
  }
}
