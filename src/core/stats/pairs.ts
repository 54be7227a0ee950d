/** A map whose keys are pairs of texts. Putting two texts together to make a key costs more than looking twice. */
export class Pairs<V> {
  readonly #values = new Map<string, Map<string, V>>()

  get(one: string, other: string): V | undefined {
    return this.#values.get(one)?.get(other)
  }

  set(one: string, other: string, value: V): void {
    const values = this.#values.get(one)
    if (values) values.set(other, value)
    else this.#values.set(one, new Map([[other, value]]))
  }

  *[Symbol.iterator](): Generator<[one: string, other: string, value: V]> {
    for (const [one, values] of this.#values) for (const [other, value] of values) yield [one, other, value]
  }
}
