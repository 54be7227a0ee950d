/**
 * Objects that have the same names as one another, as the attributes of much evidence have: one with all the names is copied, and filled in by whoever asked for it, which is several times
 * as quick as to give an object one name after another.
 */
export class Shape<T> {
  /** As the engine keeps the names of fields, so that it need not look for them each time. */
  readonly names: readonly string[]
  readonly #empty: Readonly<Record<string, T>>

  /** @param names each once */
  constructor(names: readonly string[], filler: T) {
    this.names = names.flatMap((name) => Object.keys({ [name]: filler }))
    this.#empty = Object.fromEntries(names.map((name) => [name, filler]))
  }

  /** A new object, which has all the names. */
  empty(): Record<string, T> {
    return { ...this.#empty }
  }
}
