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
  const text = (name: string) => { const value = attempt.attrs[name]; return typeof value === 'string' ? value : '' }
  return {
    host: attempt.host ?? '', pool: attempt.pool ?? '', share: text('share'), zone: text('zone'), image: text('image'),
    network: text('network'), transport: text('transport'), clientVersion: text('clientVersion'),
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

/** The attempts around a moment: who else had it, where, and how many logged on at once. */
export class Around {
  #list: Neighbour[] = []
  #sorted = true

  add(neighbour: Neighbour): void {
    const last = this.#list.at(-1)
    if (last && last.atMs > neighbour.atMs) this.#sorted = false
    this.#list.push(neighbour)
  }

  /** Forgets everything before a moment, so that a server's memory stays bounded. */
  forget(beforeMs: number): void {
    this.#list = this.between(beforeMs, Infinity)
  }

  between(fromMs: number, toMs: number): Neighbour[] {
    if (!this.#sorted) {
      this.#list.sort((a, b) => a.atMs - b.atMs || (a.id < b.id ? -1 : 1))
      this.#sorted = true
    }
    return this.#list.slice(this.#firstFrom(fromMs), this.#firstFrom(toMs))
  }

  /**
   * Compares a place with everywhere else, within half an hour either side.
   * @param within only neighbours that share this other place (for example hosts of the same pool)
   */
  contrast(self: Neighbour, dimension: Dimension, phase: string, within?: Dimension): Contrast {
    const bit = 1 << SERIES.indexOf(phase)
    const inside = { n: 0, beyond: 0 }
    const outside = { n: 0, beyond: 0 }
    for (const other of this.between(self.atMs - 1_800_000, self.atMs + 1_800_000)) {
      if (other.id === self.id || (within && other.places[within] !== self.places[within])) continue
      if (other.places[dimension] === '') continue
      const side = other.places[dimension] === self.places[dimension] ? inside : outside
      side.n++
      if (other.beyond & bit) side.beyond++
    }
    return { inside, outside }
  }

  /** Logons a minute on the same share in the two minutes either side of a moment. */
  logonsAMinute(share: string, atMs: number): number {
    let n = 0
    for (const other of this.between(atMs - 120_000, atMs + 120_000)) if (other.places.share === share) n++
    return n / 4
  }

  #firstFrom(ms: number): number {
    let low = 0
    let high = this.#list.length
    while (low < high) {
      const middle = (low + high) >> 1
      if ((this.#list[middle]?.atMs ?? 0) < ms) low = middle + 1
      else high = middle
    }
    return low
  }
}
