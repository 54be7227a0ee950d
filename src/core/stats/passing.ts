/**
 * A map for what only passes through, in great numbers. A Map leaves the table behind that it has outgrown or filled up: the collector of young garbage takes an old one for alive, with
 * all that was in it, so that what lives for a moment is kept, copied and moved among what lives long (half of the collector's time when reading evidence). Here a value has a place in a list, which
 * the next one takes over. Keys are in the order in which they came.
 */
export class Passing<V> {
  readonly #places = new Map<string, number>()
  readonly #values: (V | undefined)[] = []
  readonly #free: number[] = []

  get(key: string): V | undefined {
    const place = this.#places.get(key)
    return place === undefined ? undefined : this.#values[place]
  }

  set(key: string, value: V): void {
    let place = this.#places.get(key)
    if (place === undefined) this.#places.set(key, (place = this.#free.pop() ?? this.#values.length))
    this.#values[place] = value
  }

  delete(key: string): void {
    const place = this.#places.get(key)
    if (place === undefined) return
    this.#places.delete(key)
    this.#values[place] = undefined
    this.#free.push(place)
  }

  clear(): void {
    this.#places.clear()
    this.#values.length = this.#free.length = 0
  }

  keys(): Iterable<string> {
    return this.#places.keys()
  }

  *values(): Generator<V> {
    for (const [, value] of this) yield value
  }

  /** What is deleted meanwhile is not given any more, what is added is. */
  *[Symbol.iterator](): Generator<[key: string, value: V]> {
    for (const [key, place] of this.#places) yield [key, this.#values[place] as V]
  }
}

/** Empties a list that nobody needs any more, so that it holds on to nothing until it is collected itself. */
export function letGo(list: unknown[]): void {
  list.fill(undefined)
  list.length = 0
}
