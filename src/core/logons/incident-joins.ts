import type { Table } from '../stats/significance'
import type { Candidate } from './incident-search'
import { CLOSE_MS, isNear } from './incident-times'
import type { Ledger } from './ledger'

/** Of an incident, what is told of everywhere is no more than this. */
const FEW = 0.2

/**
 * What sits at a part of a place right before, amid or right after what sits at all of it is no incident of its own: it only began more slowly, or ended so. Nor is
 * what is too little to tell its place, where all of it is at that one.
 */
export function absorbed(
  candidates: readonly Candidate[],
  ledger: Ledger,
  isAt: (row: number, elements: Candidate['elements']) => boolean,
): Candidate[] {
  const kept: Candidate[] = []
  for (const one of [...candidates].sort((a, b) => b.hits.length - a.hits.length)) {
    const at = kept.findIndex(({ cause, elements, hits }) => {
      if (cause !== one.cause) return false
      const isPart =
        elements.length < one.elements.length && elements.every((a) => one.elements.some((b) => a.dimension === b.dimension && a.number === b.number))
      if (!isPart && (one.elements.length > 0 || one.hits.length > FEW * hits.length || !one.hits.every((row) => isAt(row, elements)))) return false
      const times = hits.map((row) => ledger.atMs(row))
      const own = one.hits.map((row) => ledger.atMs(row))
      return isPart ? own.every((atMs) => isNear(times, atMs)) : leadsTo(own, times)
    })
    const wider = kept[at]
    if (wider) kept[at] = { ...wider, hits: [...wider.hits, ...one.hits].sort((a, b) => ledger.atMs(a) - ledger.atMs(b)) }
    else kept.push(one)
  }
  return kept
}

/** Whether the one times go over into the others, without a long pause. Both rise. */
function leadsTo(one: readonly number[], others: readonly number[]): boolean {
  const [first = 0, last = 0] = [one[0], one.at(-1)]
  if (one.some((atMs, i) => i > 0 && atMs - (one[i - 1] ?? atMs) > CLOSE_MS)) return false
  return isNear(others, first) || isNear(others, last)
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
