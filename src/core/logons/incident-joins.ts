import type { Table } from '../stats/significance'
import type { Candidate } from './incident-search'
import type { Ledger } from './ledger'

/** This close to an incident, what has its cause at a part of its place is of it. */
const CLOSE_MS = 30 * 60_000

/** What sits at a part of a place right before, amid or right after what sits at all of it is no incident of its own: it only began more slowly, or ended so. */
export function absorbed(candidates: readonly Candidate[], ledger: Ledger): Candidate[] {
  const kept: Candidate[] = []
  for (const one of [...candidates].sort((a, b) => b.hits.length - a.hits.length)) {
    const at = kept.findIndex(({ cause, elements, hits }) => {
      if (cause !== one.cause || elements.length >= one.elements.length) return false
      if (!elements.every((a) => one.elements.some((b) => a.dimension === b.dimension && a.number === b.number))) return false
      const times = hits.map((row) => ledger.atMs(row))
      return one.hits.every((row) => isNear(times, ledger.atMs(row)))
    })
    const wider = kept[at]
    if (wider) kept[at] = { ...wider, hits: [...wider.hits, ...one.hits].sort((a, b) => ledger.atMs(a) - ledger.atMs(b)) }
    else kept.push(one)
  }
  return kept
}

/** @param times rising */
function isNear(times: readonly number[], atMs: number): boolean {
  let [low, high] = [0, times.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if ((times[middle] ?? 0) < atMs - CLOSE_MS) low = middle + 1
    else high = middle
  }
  return (times[low] ?? Infinity) <= atMs + CLOSE_MS
}

/** Those of one cause at one place as one. */
export function joinedAt(candidates: readonly Candidate[], ledger: Ledger): Candidate[] {
  const byPlace = new Map<string, Candidate>()
  for (const one of candidates) {
    const key = [one.cause, ...one.elements.map(({ dimension, number }) => `${dimension} ${number}`)].join('|')
    const known = byPlace.get(key)
    byPlace.set(
      key,
      known
        ? {
            ...one,
            episodes: known.episodes + one.episodes,
            hits: [...known.hits, ...one.hits].sort((a, b) => ledger.atMs(a) - ledger.atMs(b)),
            contrast: { inside: plus(known.contrast.inside, one.contrast.inside), outside: plus(known.contrast.outside, one.contrast.outside) },
            p: Math.min(known.p, one.p),
          }
        : one,
    )
  }
  return [...byPlace.values()]
}
const plus = (a: Table['inside'], b: Table['inside']) => ({ hit: a.hit + b.hit, n: a.n + b.n })
