import { plus, type Share } from '../stats/significance'
import type { Element, RowPlaces } from './incident-places'
import type { Candidate } from './incident-search'
import { CLOSE_MS, isNear } from './incident-times'
import type { Ledger } from './ledger'
import { isHost } from './observation'

/** Of an incident, what is told of everywhere is no more than this. */
const FEW = 0.2

/**
 * What sits at a part of a place right before, amid or right after what sits at all of it is no incident of its own: it only began more slowly, or ended so. Nor is
 * what is too little to tell its place, where all of it is at that one.
 */
export function absorbed(
  candidates: readonly Candidate[],
  ledger: Ledger,
  testOf: (elements: Candidate['elements']) => (row: number) => boolean,
): Candidate[] {
  const kept: Candidate[] = []
  for (const one of [...candidates].sort((a, b) => b.hits.length - a.hits.length)) {
    const at = kept.findIndex(({ cause, elements, hits }) => {
      if (cause !== one.cause) return false
      const isPart =
        elements.length < one.elements.length && elements.every((a) => one.elements.some((b) => a.dimension === b.dimension && a.number === b.number))
      if (!isPart && (one.elements.length > 0 || one.hits.length > FEW * hits.length || !one.hits.every(testOf(elements)))) return false
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

/** From so many on, hosts that have the same are told as one, where each began within so long of the first; or could have, as no more were fine there since than chance would leave fine. */
const FEWEST_HOSTS = 3
const TOGETHER_MS = 2 * 3_600_000
/** What happens more rarely than this is no chance. */
const CHANCE = 0.05
const NOBODY: ReadonlySet<number> = new Set()

/**
 * Hosts that have the same of one cause at one time, though no other place tells them from the others, as one: somebody looks for what they have in common.
 * @param left of each cause those that make no incident: what is taken of them is no longer there
 */
export function ofSeveralHosts(
  candidates: readonly Candidate[],
  left: Map<string, readonly number[]>,
  ledger: Ledger,
  places: RowPlaces,
): Candidate[] {
  const beganMs = ({ hits }: Candidate) => ledger.atMs(hits[0] ?? 0)
  const endedMs = ({ hits }: Candidate) => ledger.atMs(hits.at(-1) ?? 0)
  const couldBegin = (one: Candidate, fromMs: number) =>
    beganMs(one) <= fromMs + TOGETHER_MS ||
    isByChance(one.contrast.inside, places.thereOf(one.elements, NOBODY, ledger.rows(fromMs, beganMs(one))).length)
  const lots: Candidate[][] = []
  for (const one of [...candidates].sort((a, b) => beganMs(a) - beganMs(b))) {
    const dimension = ofOneHost(one)
    const lot = lots.find(
      (others) =>
        dimension !== null &&
        others[0]?.cause === one.cause &&
        ofOneHost(others[0]) === dimension &&
        beganMs(one) <= Math.max(...others.map(endedMs)) &&
        couldBegin(one, beganMs(others[0])),
    )
    if (lot) lot.push(one)
    else lots.push([one])
  }
  return lots.flatMap((lot) => {
    const [first] = lot
    if (!first || lot.length < FEWEST_HOSTS) return lot
    const scattered = left.get(first.cause) ?? []
    const more = alike(lot, scattered, ledger, places)
    const taken = new Set(more.flatMap(({ hits }) => hits))
    left.set(
      first.cause,
      scattered.filter((row) => !taken.has(row)),
    )
    return [asOne([...lot, ...more], ledger, places)]
  })
}

/** Whether, where such a share has it, so many one after another could be fine. */
const isByChance = ({ hit, n }: Share, fine: number): boolean => fine === 0 || (1 - hit / n) ** fine >= CHANCE

/** Where so many hosts have it, those of which too few logons are known to tell by themselves have it, too: most of who logged on there meanwhile. */
function alike(lot: readonly Candidate[], left: readonly number[], ledger: Ledger, places: RowPlaces): Candidate[] {
  const [first] = lot
  const [place] = first?.elements ?? []
  if (!first || !place) return []
  const times = lot.flatMap(({ hits }) => hits.map((row) => ledger.atMs(row)))
  const [fromMs, toMs] = [Math.min(...times), Math.max(...times)]
  const during = ledger.rows(fromMs, toMs + 1)
  const known = new Set(lot.flatMap(({ elements }) => elements.map(({ number }) => number)))
  const rows = left.filter((row) => ledger.atMs(row) >= fromMs && ledger.atMs(row) <= toMs)
  return [...places.count(place.dimension, rows)].flatMap(([number, n]) => {
    const elements = [{ dimension: place.dimension, number }]
    if (number <= 0 || known.has(number) || n < 2) return []
    const hits = rows.filter(places.at(elements))
    const fine = places.thereOf(elements, NOBODY, during).length
    return n > fine ? [{ ...first, elements, hits, episodes: 1 }] : []
  })
}

const ofOneHost = ({ elements: [place, ...more] }: Candidate): string | null =>
  place && more.length === 0 && isHost(place.dimension) ? place.dimension : null

function asOne(lot: readonly Candidate[], ledger: Ledger, places: RowPlaces): Candidate {
  const name = ({ dimension, number }: Element) => places.name(dimension, number)
  const [first, ...others] = lot.flatMap(({ elements }) => elements).sort((a, b) => (name(a) < name(b) ? -1 : 1))
  const [longest = lot[0] as Candidate] = [...lot].sort((a, b) => b.episodes - a.episodes)
  return {
    ...longest,
    elements: first ? [{ ...first, also: others.map(({ number }) => number) }] : [],
    hits: lot.flatMap(({ hits }) => hits).sort((a, b) => ledger.atMs(a) - ledger.atMs(b)),
    p: Math.min(...lot.map(({ p }) => p)),
  }
}
