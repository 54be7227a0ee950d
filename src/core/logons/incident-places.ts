import { finderOf } from '../people/finder'
import { groupResolver, type Org } from '../people/org'
import type { Place } from './incidents'
import { PLACE_DIMENSIONS, type Ledger } from './ledger'
import { ANY_FACTOR, namesOf, NO_FACTOR, SEVERAL } from './observation'

const DIMENSION_INDEX = new Map<string, number>(PLACE_DIMENSIONS.map((dimension, index) => [dimension, index]))
/** Whether it is a dimension of the places of an attempt; person and group are none. */
export const isPlace = (dimension: string): boolean => DIMENSION_INDEX.has(dimension)

/** The number of ANY_FACTOR, which is no single place. */
export const ANY = -2

/** One place, as a test of a row. */
export interface Element {
  readonly dimension: string
  readonly number: number
  /** Where several have the same: the others. */
  readonly also?: readonly number[]
}

/** What a part or package is called is known only of those who waited for it: which of some places are of all. */
export const knownOfAll = (elements: readonly Element[]): readonly Element[] => elements.filter(({ dimension }) => isOfAll(dimension))
export const isOfAll = (dimension: string): boolean => dimension !== 'part' && dimension !== 'package'

/** At which places the rows of a ledger are: their own, their people, and the groups that those are in. */
export class RowPlaces {
  readonly #groups = new Map<number, readonly number[]>()
  readonly #groupNames: string[] = []
  readonly #groupNumbers = new Map<string, number>()
  readonly #noFactor: number

  constructor(
    private readonly ledger: Ledger,
    org: Org,
  ) {
    this.#noFactor = ledger.placeNumber(DIMENSION_INDEX.get('factor') ?? -1, NO_FACTOR)
    const find = finderOf(org)
    const resolve = groupResolver(org.groups)
    for (let person = 1; person < ledger.people && org.people.length > 0; person++) {
      const all = resolve(find.person(ledger.personName(person))?.groups ?? [])
      this.#groups.set(
        person,
        [...all].map((group) => this.#groupNumber(group)),
      )
    }
  }

  /** A test of rows: whether an attempt is at all of some places. What a place is called is looked up once. */
  at(elements: readonly Element[]): (row: number) => boolean {
    const tests = elements.map((one) => this.#testOf(one))
    const [first, second] = tests
    if (!first) return () => true
    if (!second) return first
    return (row) => tests.every((test) => test(row))
  }

  #testOf({ dimension, number, also }: Element): (row: number) => boolean {
    const { ledger } = this
    if (dimension === 'group') return (row) => this.#groups.get(ledger.person(row))?.includes(number) ?? false
    if (dimension === 'person') return (row) => ledger.person(row) === number
    const index = DIMENSION_INDEX.get(dimension) ?? -1
    if (number === ANY) return (row) => this.isFactor(ledger.place(index, row))
    if (!also) return (row) => ledger.place(index, row) === number
    const several = new Set([number, ...also])
    return (row) => several.has(ledger.place(index, row))
  }

  number(dimension: string, row: number): number {
    if (dimension === 'person') return this.ledger.person(row)
    return this.ledger.place(DIMENSION_INDEX.get(dimension) ?? -1, row)
  }

  /** How many places there are in a dimension. */
  sizeOf(dimension: string): number {
    if (dimension === 'person') return this.ledger.people - 1
    if (dimension === 'group') return this.#groupNumbers.size
    return this.ledger.placesIn(DIMENSION_INDEX.get(dimension) ?? -1) - 1
  }

  name(dimension: string, number: number): string {
    if (dimension === 'person') return this.ledger.personName(number)
    if (dimension === 'group') return this.#groupNames[number] ?? ''
    return number === ANY ? ANY_FACTOR : this.ledger.placeName(DIMENSION_INDEX.get(dimension) ?? -1, number)
  }

  place({ dimension, number, also = [] }: Element): Place {
    return { dimension, value: [number, ...also].map((one) => this.name(dimension, one)).join(SEVERAL) }
  }

  isFactor(number: number): boolean {
    return number > 0 && number !== this.#noFactor
  }

  element(dimension: string, value: string): Element | null {
    if (dimension === 'factor' && value === ANY_FACTOR) return { dimension, number: ANY }
    const names = namesOf({ dimension, value })
    if (names.length > 1 && this.ledger.placeNumber(DIMENSION_INDEX.get(dimension) ?? -1, value) <= 0) {
      const [first, ...also] = names.flatMap((name) => this.element(dimension, name) ?? [])
      return first ? { ...first, also: also.map((one) => one.number) } : null
    }
    const number =
      dimension === 'person'
        ? this.ledger.personNumber(value)
        : dimension === 'group'
          ? (this.#groupNumbers.get(value) ?? -1)
          : this.ledger.placeNumber(DIMENSION_INDEX.get(dimension) ?? -1, value)
    return number > 0 || (dimension === 'group' && number >= 0) ? { dimension, number } : null
  }

  /** Those at a place that had it or were fine. */
  thereOf(elements: readonly Element[], hits: ReadonlySet<number>, among: Int32Array): number[] {
    const rows: number[] = []
    const isThere = this.at(elements)
    for (const row of among) if (isThere(row) && (this.ledger.cause(row) === 0 || hits.has(row))) rows.push(row)
    return rows
  }

  /** How many of these rows are at each place of a dimension. */
  count(dimension: string, rows: ArrayLike<number>): Map<number, number> {
    const counts = new Map<number, number>()
    if (dimension === 'group') {
      for (const [person, n] of this.count('person', rows))
        for (const group of this.#groups.get(person) ?? []) counts.set(group, (counts.get(group) ?? 0) + n)
      counts.delete(0)
      return counts
    }
    const size = dimension === 'person' ? this.ledger.people : this.ledger.placesIn(DIMENSION_INDEX.get(dimension) ?? -1)
    const tally = new Int32Array(size)
    for (let i = 0; i < rows.length; i++) {
      const number = this.number(dimension, rows[i] ?? 0)
      tally[number] = (tally[number] ?? 0) + 1
    }
    for (let number = 1; number < size; number++) {
      const n = tally[number] ?? 0
      if (n > 0) counts.set(number, n)
    }
    return counts
  }

  /** Groups count from 1. */
  #groupNumber(group: string): number {
    let number = this.#groupNumbers.get(group)
    if (number === undefined) {
      if (this.#groupNames.length === 0) this.#groupNames.push('')
      number = this.#groupNames.length
      this.#groupNames.push(group)
      this.#groupNumbers.set(group, number)
    }
    return number
  }
}
