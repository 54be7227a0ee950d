import type { Neighbour } from './neighbour'
import type { Contrast } from './contrast'

/** So many of the first on an image are kept, and of the last before it. */
export const MOST_OF_BEGINNING = 20
/** So many pools, and images of each, are kept: broken evidence may have any number. The oldest is forgotten. */
const MOST_POOLS = 2000
const MOST_IMAGES = 20
/** A beginning so long ago is forgotten: it is no news any more. */
export const NEWS_MS = 14 * 86_400_000

/** Who logged on to a pool when an image came to it. Both lists rise in time. */
interface Beginning {
  readonly image: string
  /** The first on it, and the last before these, on others. */
  readonly first: Neighbour[]
  readonly before: Neighbour[]
}

interface OfPool {
  /** The last on each of its images. */
  readonly last: Map<string, Neighbour[]>
  readonly beginnings: Map<string, Beginning>
}

/** Of those who logged on first since an image came to a pool, and of those last before it: how many had the same. */
export interface SinceImage {
  readonly sinceMs: number
  readonly before: Contrast['inside']
  readonly first: Contrast['inside']
}

/**
 * When images came to pools, and how the logons around then went. Where all hosts of a pool change at once, nobody is left on the older image to compare with: then those
 * before tell.
 */
export class Beginnings {
  readonly #pools = new Map<string, OfPool>()

  /** Takes part in any order; what comes about in order of time costs least. */
  add(neighbour: Neighbour): void {
    const { pool, image } = neighbour.places
    if (pool === '' || image === '') return
    let of = this.#pools.get(pool)
    if (!of) {
      this.#pools.set(pool, (of = { last: new Map(), beginnings: new Map() }))
      dropOldest(this.#pools, MOST_POOLS)
    }
    let last = of.last.get(image)
    if (!last) {
      of.last.set(image, (last = []))
      const before = [...of.last].flatMap(([other, list]) => (other === image ? [] : list))
      of.beginnings.set(image, { image, first: [], before: before.sort(byTime).slice(-MOST_OF_BEGINNING) })
      dropOldest(of.last, MOST_IMAGES)
      dropOldest(of.beginnings, MOST_IMAGES)
    }
    keepLast(last, neighbour)
    for (const beginning of of.beginnings.values()) take(beginning, neighbour)
  }

  /** The same one again, as it is known now. */
  replace(neighbour: Neighbour): void {
    const of = this.#pools.get(neighbour.places.pool)
    const lists = [...(of?.last.values() ?? []), ...[...(of?.beginnings.values() ?? [])].flatMap(({ first, before }) => [first, before])]
    for (const list of lists) {
      const at = list.findIndex(({ id }) => id === neighbour.id)
      if (at >= 0) list[at] = neighbour
    }
  }

  forget(beforeMs: number): void {
    for (const [pool, { last, beginnings }] of this.#pools) {
      for (const [image, list] of last) {
        if ((list.at(-1)?.atMs ?? 0) >= beforeMs - NEWS_MS) continue
        last.delete(image)
        beginnings.delete(image)
      }
      if (last.size === 0) this.#pools.delete(pool)
    }
  }

  /** @param isHit whether one of those who could have it had it; null of those who could not */
  of({ places: { pool, image }, atMs, id }: Neighbour, isHit: (one: Neighbour) => boolean | null): SinceImage | null {
    const beginning = this.#pools.get(pool)?.beginnings.get(image)
    const sinceMs = beginning?.first[0]?.atMs
    if (!beginning || sinceMs === undefined || sinceMs < atMs - NEWS_MS) return null
    const share = (list: readonly Neighbour[]) => {
      const known = list.flatMap((one) => (one.id === id ? [] : (isHit(one) ?? [])))
      return { n: known.length, hit: known.filter(Boolean).length }
    }
    return { sinceMs, before: share(beginning.before), first: share(beginning.first) }
  }
}

function dropOldest(map: Map<string, unknown>, most: number): void {
  const [oldest] = map.keys()
  if (map.size > most && oldest !== undefined) map.delete(oldest)
}

function take(beginning: Beginning, neighbour: Neighbour): void {
  const { image, first, before } = beginning
  if (neighbour.places.image === image) {
    if (first.length >= MOST_OF_BEGINNING && neighbour.atMs >= (first.at(-1)?.atMs ?? 0)) return
    insert(first, neighbour)
    if (first.length > MOST_OF_BEGINNING) first.pop()
    while (before.length > 0 && byTime(before.at(-1) as Neighbour, first[0] as Neighbour) >= 0) before.pop()
  } else if (neighbour.atMs < (first[0]?.atMs ?? -Infinity)) keepLast(before, neighbour)
}

function keepLast(list: Neighbour[], neighbour: Neighbour): void {
  if (list.length >= MOST_OF_BEGINNING && neighbour.atMs < (list[0]?.atMs ?? 0)) return
  insert(list, neighbour)
  if (list.length > MOST_OF_BEGINNING) list.shift()
}

/** Where it is not there already. */
function insert(list: Neighbour[], neighbour: Neighbour): void {
  let at = list.length
  while (at > 0 && byTime(list[at - 1] as Neighbour, neighbour) > 0) at--
  if (list[at - 1]?.id !== neighbour.id) list.splice(at, 0, neighbour)
}

const byTime = (a: Neighbour, b: Neighbour): number => a.atMs - b.atMs || (a.id < b.id ? -1 : Number(a.id > b.id))
