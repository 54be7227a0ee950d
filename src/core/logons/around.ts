import type { Measured } from './analyse'
import { SERIES } from './usual'

/** The dimensions by which attempts are laid side by side. */
export const DIMENSIONS = ['host', 'pool', 'share', 'zone', 'image', 'network', 'transport', 'clientVersion'] as const
export type Dimension = (typeof DIMENSIONS)[number]

/** What the neighbours of an attempt need to know of it. */
export interface Neighbour {
  readonly id: string
  readonly atMs: number
  readonly places: Readonly<Record<Dimension, string>>
  /** One bit for each of SERIES that was beyond its usual. */
  readonly beyond: number
  readonly failed: boolean
}

export function placesOf({ attempt }: Pick<Measured, 'attempt'>): Record<Dimension, string> {
  const text = (name: string) => {
    const value = attempt.attrs[name]
    return typeof value === 'string' ? value : ''
  }
  return {
    host: attempt.host ?? '',
    pool: attempt.pool ?? '',
    share: text('share'),
    zone: text('zone'),
    image: text('image'),
    network: text('network'),
    transport: text('transport'),
    clientVersion: text('clientVersion'),
  }
}

export function neighbourOf(measured: Measured): Neighbour {
  let beyond = 0
  for (const { phase } of measured.excess) {
    const index = SERIES.indexOf(phase)
    if (index >= 0) beyond |= 1 << index
  }
  return { id: measured.attempt.id, atMs: measured.attempt.startedAtMs, places: placesOf(measured), beyond, failed: measured.outcome === 'failed' }
}

/** How many of those inside a place, and of those outside it, were beyond their usual in one phase. */
export interface Contrast {
  readonly inside: { readonly n: number; readonly beyond: number }
  readonly outside: { readonly n: number; readonly beyond: number }
}

/** Half an hour either side of an attempt: who logged on then is its neighbour. */
export const NEAR_MS = 1_800_000

/** With more places than this, those that no neighbour is at are forgotten. */
const MOST_PLACES = 20_000

/** A neighbour as it is kept: its places by number, in the order of DIMENSIONS; 0 is "not known". */
interface Row {
  readonly id: string
  readonly atMs: number
  readonly places: readonly number[]
  readonly beyond: number
  readonly failed: boolean
}

/** The attempts around a moment: who else had it, where, and how many logged on at once. */
export class Around {
  #rows: Row[] = []
  #sorted = true
  readonly #numbers = new Map<string, number>([['', 0]])
  #next = 1

  add({ id, atMs, places, beyond, failed }: Neighbour): void {
    const last = this.#rows.at(-1)
    if (last && last.atMs > atMs) this.#sorted = false
    this.#rows.push({ id, atMs, places: DIMENSIONS.map((dimension) => this.#numberOf(places[dimension])), beyond, failed })
  }

  /** Forgets everything before a moment, so that memory stays bounded. */
  forget(beforeMs: number): void {
    this.#sort()
    this.#rows = this.#rows.slice(this.#firstFrom(beforeMs))
    if (this.#numbers.size > MOST_PLACES) {
      const used = new Set(this.#rows.flatMap(({ places }) => places))
      for (const [place, number] of this.#numbers) if (number !== 0 && !used.has(number)) this.#numbers.delete(place)
    }
  }

  /**
   * Compares a place with everywhere else, within half an hour either side.
   * @param within only neighbours that share this other place (for example hosts of the same pool)
   */
  contrast(self: Neighbour, dimension: Dimension, phase: string, within?: Dimension): Contrast {
    const bit = 1 << SERIES.indexOf(phase)
    const [column, own] = this.#column(self, dimension)
    const [fence, fenced] = within ? this.#column(self, within) : [-1, 0]
    const inside = { n: 0, beyond: 0 }
    const outside = { n: 0, beyond: 0 }
    const [from, to] = this.#range(self.atMs, NEAR_MS)
    for (let i = from; i < to; i++) {
      const row = this.#rows[i]
      if (!row || isSelf(row, self)) continue
      const place = row.places[column]
      if (place === 0 || (fence >= 0 && row.places[fence] !== fenced)) continue
      const side = place === own ? inside : outside
      side.n++
      if (row.beyond & bit) side.beyond++
    }
    return { inside, outside }
  }

  /** How many others failed in the same place, within half an hour either side. */
  failures(self: Neighbour, dimension: Dimension): number {
    const [column, own] = this.#column(self, dimension)
    const [from, to] = this.#range(self.atMs, NEAR_MS)
    return this.#rows.slice(from, to).filter((row) => row.failed && row.places[column] === own && !isSelf(row, self)).length
  }

  /** Logons a minute on the same share in the two minutes either side of a moment. */
  logonsAMinute(share: string, atMs: number): number {
    const number = this.#numbers.get(share)
    const column = DIMENSIONS.indexOf('share')
    const [from, to] = this.#range(atMs, 120_000)
    return this.#rows.slice(from, to).filter((row) => row.places[column] === number).length / 4
  }

  #range(atMs: number, eitherSideMs: number): [from: number, to: number] {
    this.#sort()
    return [this.#firstFrom(atMs - eitherSideMs), this.#firstFrom(atMs + eitherSideMs)]
  }

  #column(self: Neighbour, dimension: Dimension): [column: number, own: number] {
    return [DIMENSIONS.indexOf(dimension), this.#numbers.get(self.places[dimension]) ?? -1]
  }

  #numberOf(place: string): number {
    let number = this.#numbers.get(place)
    if (number === undefined) this.#numbers.set(place, (number = this.#next++))
    return number
  }

  #sort(): void {
    if (this.#sorted) return
    this.#rows.sort((a, b) => a.atMs - b.atMs || (a.id < b.id ? -1 : 1))
    this.#sorted = true
  }

  #firstFrom(ms: number): number {
    let low = 0
    let high = this.#rows.length
    while (low < high) {
      const middle = (low + high) >> 1
      if ((this.#rows[middle]?.atMs ?? 0) < ms) low = middle + 1
      else high = middle
    }
    return low
  }
}

/** By time first: texts of one length are slow to tell apart. */
function isSelf(row: Row, self: Neighbour): boolean {
  return row.atMs === self.atMs && row.id === self.id
}
