import type { Attempt } from './attempt'

/** The dimensions by which attempts are laid side by side. */
export const DIMENSIONS = ['host', 'pool', 'share', 'zone', 'site', 'image', 'network', 'transport', 'clientKind', 'clientVersion', 'factor'] as const
export type Dimension = (typeof DIMENSIONS)[number]
/** A value for each of them; empty where it is not known. */
export type Places = Readonly<Record<Dimension, string>>

const WIDTH = DIMENSIONS.length

export function placesOf({ attempt: { host, pool, attrs } }: { readonly attempt: Pick<Attempt, 'host' | 'pool' | 'attrs'> }): Places {
  const text = (name: string) => {
    const value = attrs[name]
    return typeof value === 'string' ? value : ''
  }
  return {
    host: host ?? '',
    pool: pool ?? '',
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

function isSame(one: Places, other: Places): boolean {
  for (const dimension of DIMENSIONS) if (one[dimension] !== other[dimension]) return false
  return true
}

/** One bit for each of DIMENSIONS. */
export function maskOf(dimensions: readonly Dimension[]): number {
  let mask = 0
  for (const dimension of dimensions) mask |= 1 << DIMENSIONS.indexOf(dimension)
  return mask
}

/** So many numbers are kept for each kind; a power of two. */
const STRIDE = 16
const UNREPORTED = WIDTH
const POOL = DIMENSIONS.indexOf('pool')
const IMAGE = DIMENSIONS.indexOf('image')
const SEVERAL = -1

/**
 * Kinds of place, by number: attempts that agree in all of DIMENSIONS are of one kind. There are far fewer kinds than attempts, so that what is asked of a place
 * is worked out once for all of its kind.
 */
export class PlaceKinds {
  /** By its values; and each value by its number, 0: not known. */
  #kinds = new Map<string, number>()
  /** The last one that was asked for on each host: mostly it is asked for again. */
  readonly #lastOn = new Map<string, { readonly places: Places; readonly kind: number }>()
  readonly #numbers = new Map<string, number>([['', 0]])
  #next = 1
  /** STRIDE numbers for each kind: its values, then one bit for each of DIMENSIONS that was not reported. */
  #table = new Int32Array(64 * STRIDE)
  /** The kind that was compared last, with each: see sameAs(). */
  #own = new Int32Array(WIDTH)
  #same = new Int32Array(64).fill(-1)
  /** The one image of a pool, and the one pool of an image, by number; SEVERAL where there are more. */
  readonly #imageOf = new Map<number, number>()
  readonly #poolOf = new Map<number, number>()

  /** How many there are. */
  get size(): number {
    return this.#kinds.size
  }

  kindOf(places: Places): number {
    const last = this.#lastOn.get(places.host)
    if (last && isSame(last.places, places)) return last.kind
    const kind = this.#byValues(places)
    this.#lastOn.set(places.host, { places, kind })
    return kind
  }

  #byValues(places: Places): number {
    let key = ''
    for (const dimension of DIMENSIONS) key += `${places[dimension]}\u0000`
    let kind = this.#kinds.get(key)
    if (kind === undefined) {
      this.#kinds.set(key, (kind = this.#kinds.size))
      this.#keep(kind, places)
    }
    return kind
  }

  /** The number of a value. */
  numberOf(value: string): number {
    let number = this.#numbers.get(value)
    if (number === undefined) this.#numbers.set(value, (number = this.#next++))
    return number
  }

  /** The same for a value that need not be known; -1 where it is not. */
  known(value: string): number {
    return this.#numbers.get(value) ?? -1
  }

  /** The number of a kind's value in a dimension, given by its place among DIMENSIONS. */
  valueOf(kind: number, dimension: number): number {
    return this.#table[kind * STRIDE + dimension] ?? 0
  }

  /** One bit for each of DIMENSIONS that is not known of a kind. */
  unreported(kind: number): number {
    return this.#table[kind * STRIDE + UNREPORTED] ?? 0
  }

  /** Whether nothing tells the image of a place from its pool: all of the pool has it, and nobody else. */
  isImageThePools({ pool, image }: Places): boolean {
    const [one, other] = [this.known(pool), this.known(image)]
    return one > 0 && other > 0 && this.#imageOf.get(one) === other && this.#poolOf.get(other) === one
  }

  /** From now on, sameAs() compares with these. To be said again when a kind came meanwhile: it may have a value that nothing had before. */
  compareWith(places: Places): void {
    for (let d = 0; d < WIDTH; d++) this.#own[d] = this.known(places[DIMENSIONS[d] as Dimension])
    this.#same.fill(-1, 0, this.size)
  }

  /** One bit for each of DIMENSIONS in which a kind is as what it is compared with. */
  sameAs(kind: number): number {
    const known = this.#same[kind] ?? -1
    if (known >= 0) return known
    const base = kind * STRIDE
    let mask = 0
    for (let d = 0; d < WIDTH; d++) if (this.#table[base + d] === this.#own[d]) mask |= 1 << d
    this.#same[kind] = mask
    return mask
  }

  /** Forgets all kinds but those that are used, and all values but theirs and the further ones; says by what number a used kind is kept from now on. */
  keepOnly(used: ReadonlySet<number>, values: ReadonlySet<number>): ReadonlyMap<number, number> {
    const kept = new Map<number, number>()
    const stay = new Set(values)
    const kinds = new Map<string, number>()
    const table = this.#table
    this.#table = new Int32Array(Math.max(64, 2 * used.size) * STRIDE)
    this.#imageOf.clear()
    this.#poolOf.clear()
    for (const [key, kind] of this.#kinds) {
      if (!used.has(kind)) continue
      const row = table.subarray(kind * STRIDE, (kind + 1) * STRIDE)
      for (let d = 0; d < WIDTH; d++) stay.add(row[d] ?? 0)
      this.#table.set(row, kinds.size * STRIDE)
      this.#pair(kinds.size * STRIDE)
      kept.set(kind, kinds.size)
      kinds.set(key, kinds.size)
    }
    this.#kinds = kinds
    this.#lastOn.clear()
    for (const [value, number] of this.#numbers) if (number !== 0 && !stay.has(number)) this.#numbers.delete(value)
    this.#same.fill(-1)
    return kept
  }

  #keep(kind: number, places: Places): void {
    if ((kind + 1) * STRIDE > this.#table.length) {
      const wider = new Int32Array(2 * this.#table.length)
      wider.set(this.#table)
      this.#table = wider
    }
    if (kind >= this.#same.length) this.#same = new Int32Array(2 * kind).fill(-1)
    const base = kind * STRIDE
    let unreported = 0
    for (let d = 0; d < WIDTH; d++) {
      const number = this.numberOf(places[DIMENSIONS[d] as Dimension])
      if (number === 0) unreported |= 1 << d
      this.#table[base + d] = number
    }
    this.#table[base + UNREPORTED] = unreported
    this.#same[kind] = -1
    this.#pair(base)
  }

  #pair(base: number): void {
    const [pool, image] = [this.#table[base + POOL] ?? 0, this.#table[base + IMAGE] ?? 0]
    if (pool === 0 || image === 0) return
    this.#imageOf.set(pool, (this.#imageOf.get(pool) ?? image) === image ? image : SEVERAL)
    this.#poolOf.set(image, (this.#poolOf.get(image) ?? pool) === pool ? pool : SEVERAL)
  }
}
