import { longestPart } from './parts'
import { DIMENSIONS, placesOf } from './places'
import { isUnusual } from './analyse'
import type { Explained } from './diagnose'
import { FIRST_LOGON } from './observation'
import { TimesOfRows, type Times } from './times'

/** In the place of a cause: unusual, and not explained. */
export const UNEXPLAINED = 'unexplained'

/** The dimensions in which an incident can sit; persons and groups beside them. */
export const PLACE_DIMENSIONS = [...DIMENSIONS, 'logon', 'holderHost', 'part', 'package'] as const
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
  const part = diagnosis.cause?.part ?? (slowest === undefined ? undefined : longestPart(attempt.parts, slowest)?.part.part)
  const holderHost = attempt.attrs['holderHost']
  // Every place is named, one by one: all of these objects have one shape, and are made fast.
  const at = placesOf(one)
  return {
    id: attempt.id,
    person: attempt.person ?? '',
    atMs: attempt.startedAtMs,
    lostMs: unusual ? lostMs : 0,
    failed: outcome === 'failed',
    cause: unusual ? (diagnosis.cause?.id ?? UNEXPLAINED) : null,
    open: outcome === 'open',
    places: {
      host: at.host,
      pool: at.pool,
      share: at.share,
      zone: at.zone,
      site: at.site,
      image: at.image,
      network: at.network,
      transport: at.transport,
      clientKind: at.clientKind,
      clientVersion: at.clientVersion,
      factor: at.factor,
      logon: attempt.attrs['first'] === true ? FIRST_LOGON : '',
      holderHost: typeof holderHost === 'string' ? holderHost : '',
      part: slowest === 'packages' ? '' : (part ?? ''),
      package: slowest === 'packages' ? (part ?? '') : '',
    } satisfies Record<PlaceDimension, string>,
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

/** Rows by their id: a table with open addressing, in two typed arrays. A million strings as keys of a Map cost several times as much. */
class RowsById {
  #rows = new Int32Array(4096).fill(-1)
  #hashes = new Int32Array(4096)
  #n = 0

  constructor(private readonly idOf: (row: number) => string) {}

  find(id: string): number {
    const hash = hashOf(id)
    const mask = this.#rows.length - 1
    for (let at = hash & mask; ; at = (at + 1) & mask) {
      const row = this.#rows[at] ?? -1
      if (row < 0 || (this.#hashes[at] === hash && this.idOf(row) === id)) return row
    }
  }

  /** @param id one that is not in yet */
  add(id: string, row: number): void {
    if (++this.#n * 2 > this.#rows.length) this.#grow()
    this.#put(hashOf(id), row)
  }

  #put(hash: number, row: number): void {
    const mask = this.#rows.length - 1
    let at = hash & mask
    while ((this.#rows[at] ?? -1) >= 0) at = (at + 1) & mask
    this.#rows[at] = row
    this.#hashes[at] = hash
  }

  #grow(): void {
    const [rows, hashes] = [this.#rows, this.#hashes]
    this.#rows = new Int32Array(rows.length * 2).fill(-1)
    this.#hashes = new Int32Array(rows.length * 2)
    rows.forEach((row, at) => {
      if (row >= 0) this.#put(hashes[at] ?? 0, row)
    })
  }
}

/** Multiplicative, 32 bits; mixed at the end, since tables look at the lowest bits. */
function hashOf(text: string): number {
  let hash = 0x811c9dc5
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193)
  hash ^= hash >>> 15
  return Math.imul(hash, 0x2c1b3c6d) ^ (hash >>> 12)
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
  readonly #rows = new RowsById((row) => this.#ids[row] ?? '')
  readonly #names = PLACE_DIMENSIONS.map(() => new Names())
  readonly #places = PLACE_DIMENSIONS.map(() => ints())
  readonly #persons = new Names()
  readonly #causes = new Names()
  readonly #person = ints()
  readonly #cause = ints()
  readonly #at = floats()
  readonly #lost = floats()
  readonly #failed = ints()
  /** How long each took, where that was wanted. */
  readonly times: TimesOfRows | null
  /** Rows by time; those that came since wait until somebody asks. */
  #order = new Int32Array(1024)
  #ordered = 0
  #waiting: number[] = []

  /** @param withTimes keeps also how long attempts took (cohorts.ts), which makes a row almost twice as large */
  constructor(withTimes = false) {
    this.times = withTimes ? new TimesOfRows() : null
  }

  /** @param times how long it took; needed where times are kept */
  add(seen: Seen, times?: Times): void {
    let row = this.#rows.find(seen.id)
    if (row < 0) {
      row = this.n++
      this.#ids.push(seen.id)
      this.#rows.add(seen.id, row)
      this.#waiting.push(row)
    } else if (this.#at.values[row] !== seen.atMs) {
      // Its place in time has changed: all are put in order again.
      this.#waiting = Array.from({ length: this.n }, (_, i) => i)
      this.#ordered = 0
    }
    const { places: p } = seen
    const places = [
      p.host,
      p.pool,
      p.share,
      p.zone,
      p.site,
      p.image,
      p.network,
      p.transport,
      p.clientKind,
      p.clientVersion,
      p.factor,
      p.logon,
      p.holderHost,
      p.part,
      p.package,
    ]
    for (let d = 0; d < places.length; d++) {
      const place = places[d]
      this.#places[d]?.set(row, place ? (this.#names[d]?.numberOf(place) ?? 0) : 0)
    }
    this.#person.set(row, this.#persons.numberOf(seen.person))
    // -1: no longer there, or not over yet.
    this.#cause.set(row, seen.open ? -1 : this.#causes.numberOf(seen.cause ?? ''))
    this.#at.set(row, seen.atMs)
    this.#lost.set(row, seen.lostMs)
    this.#failed.set(row, seen.failed ? 1 : 0)
    if (this.times && times) this.times.set(row, times)
  }

  has(id: string): boolean {
    return this.#rows.find(id) >= 0
  }

  /** An attempt that turned out to be part of another. */
  remove(id: string): void {
    const row = this.#rows.find(id)
    if (row >= 0) this.#cause.set(row, -1)
  }

  /** The ledger without what was before a moment: itself where that is not much. */
  since(beforeMs: number): Ledger {
    const kept = this.rows(beforeMs, Infinity)
    if (kept.length > 0.9 * this.n) return this
    const result = new Ledger(this.times !== null)
    for (const row of kept)
      result.add(
        {
          id: this.id(row),
          person: this.personName(this.person(row)),
          atMs: this.atMs(row),
          lostMs: this.lostMs(row),
          failed: this.failed(row),
          open: this.cause(row) < 0,
          cause: this.cause(row) > 0 ? this.causeName(this.cause(row)) : null,
          places: Object.fromEntries(PLACE_DIMENSIONS.map((dimension, d) => [dimension, this.placeName(d, this.place(d, row))])),
        },
        this.times?.of(row),
      )
    return result
  }

  /** The rows from one moment to before another, by time. */
  rows(fromMs: number, toMs: number): Int32Array {
    this.#putInOrder()
    const at = this.#at.values
    const order = this.#order.subarray(0, this.#ordered)
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

  /** The waiting ones are sorted, and merged from behind: nothing is moved where they are the newest, as they mostly are. */
  #putInOrder(): void {
    const waiting = this.#waiting
    if (waiting.length === 0) return
    const at = this.#at.values
    const before = (a: number, b: number) => (at[a] ?? 0) - (at[b] ?? 0) || a - b
    if (waiting.some((row, i) => i > 0 && before(waiting[i - 1] ?? 0, row) > 0)) waiting.sort(before)
    const total = this.#ordered + waiting.length
    if (total > this.#order.length) {
      const wider = new Int32Array(Math.max(total, this.#order.length * 2))
      wider.set(this.#order)
      this.#order = wider
    }
    const order = this.#order
    let old = this.#ordered - 1
    for (let fresh = waiting.length - 1, to = total - 1; fresh >= 0; to--) {
      const [earlier, row] = [order[old] ?? 0, waiting[fresh] ?? 0]
      if (old >= 0 && before(earlier, row) > 0) {
        order[to] = earlier
        old--
      } else {
        order[to] = row
        fresh--
      }
    }
    this.#ordered = total
    this.#waiting = []
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
  /** The number of a person, -1 where they made no attempt. */
  personNumber(person: string): number {
    return this.#persons.known(person)
  }
  get people(): number {
    return this.#persons.size
  }
  get causes(): number {
    return this.#causes.size
  }
}
