import { contrastGain, fisherExact, minus, plus, type Share, type Table } from '../stats/significance'
import { CAUSE_BY_ID } from './causes'
import { ANY, isOfAll, isPlace, knownOfAll, type Element, type RowPlaces } from './incident-places'
import { burstOf, FEWEST, partedByPauses, stretchesOf, withoutStragglers } from './incident-times'
import type { Place } from './incidents'
import type { Ledger } from './ledger'

/** So many incidents are looked for behind one cause. */
const MOST_OF_A_CAUSE = 40
/** A contrast must gain at least so much before it names a place. */
const LEAST_GAIN = 12
/** Too few to compare with. */
const FEW = 10
/** Where no place tells, so many of all must have it; or so many, where its own places are not reported: there may be several of them. */
const EVERYBODY = 0.5
const MANY = 0.2
/** Or of the latter fewer, where so many times fewer had it before. */
const SOME = 0.05
const TIMES_BEFORE = 20
/** Of the others at a place, at most this share of the rate at the part that tells it better. */
const HARDLY = 0.12
const DAY_MS = 86_400_000
/** Where nobody asks which hosts of it they were. */
const NOT_OF_HOSTS = new Set(['host', 'person', 'group', 'logon', 'holderHost'])

/** Where a cause can sit when nothing is known of it beforehand. */
const ANYWHERE = [
  'host',
  'share',
  'pool',
  'image',
  'zone',
  'site',
  'network',
  'factor',
  'transport',
  'clientVersion',
  'clientKind',
  'logon',
  'holderHost',
  'group',
  'person',
]
/** And where it can sit when none of the places is reported at which it does by its nature. */
const STEAD = ['share', 'pool', 'image', 'network']
/** What may narrow a place further. */
const NARROWING = ['pool', 'zone', 'site', 'image', 'network', 'clientVersion', 'share', 'host', 'group', 'logon']

interface Scope {
  readonly elements: readonly Element[]
  readonly gain: number
}

export interface Candidate {
  readonly cause: string
  readonly elements: readonly Element[]
  readonly hits: readonly number[]
  readonly episodes: number
  readonly contrast: Table
  readonly p: number
}

/** Whether what no place tells is of all: so many of them have it, or where its places are not reported so many more than before. */
function isEverybodys({ hit, n }: Share, before: Share, isHidden: boolean): boolean {
  if (hit >= (isHidden ? MANY : EVERYBODY) * n) return true
  return isHidden && before.n >= FEW && hit >= SOME * n && hit * before.n >= TIMES_BEFORE * before.hit * n
}

/** Of those who had it, so many say where. */
const REPORTED = 1 / 4
const NONE = { hit: 0, n: 0 }
const isOneHost = ({ elements: [place, ...more] }: Scope) => place?.dimension === 'host' && more.length === 0

/** The search for incidents among the rows of a ledger: see findIncidents. */
export class Search {
  #fine: Int32Array | null = null
  readonly #fineCounts = new Map<string, Map<number, number>>()

  constructor(
    private readonly ledger: Ledger,
    private readonly places: RowPlaces,
    private readonly rows: Int32Array,
  ) {}

  /** Every attempt at a place, and whether it had a cause there. */
  each(scope: readonly Place[], cause: string, tell: (atMs: number, hit: boolean) => void): void {
    const elements = scope.map(({ dimension, value }) => this.places.element(dimension, value))
    if (elements.includes(null)) return
    const all = elements.filter((one) => one !== null)
    const [isThere, isAtAll] = [this.places.at(knownOfAll(all)), this.places.at(all)]
    for (const row of this.rows) {
      const has = this.ledger.cause(row)
      if (has < 0 || !isThere(row)) continue
      tell(this.ledger.atMs(row), has > 0 && this.ledger.causeName(has) === cause && isAtAll(row))
    }
  }

  /** Rows with a cause, by cause. */
  byCause(): Map<number, number[]> {
    const result = new Map<number, number[]>()
    for (const row of this.rows) {
      const cause = this.ledger.cause(row)
      if (cause <= 0) continue
      const list = result.get(cause)
      if (list) list.push(row)
      else result.set(cause, [row])
    }
    return result
  }

  /** The incidents behind one cause are added to the candidates; what is left over is returned. */
  of(cause: string, hits: readonly number[], candidates: Candidate[]): readonly number[] {
    const natural = CAUSE_BY_ID.get(cause)?.at ?? ANYWHERE
    if (natural.length === 0) return hits
    const reported = this.#reported(natural, hits)
    if (reported.length >= REPORTED * hits.length) return this.#rounds(cause, natural, hits, candidates)
    // Where its own places are not reported, it is everybody's before it is each person's own.
    const places = natural.filter((dimension) => dimension !== 'person')
    const known = new Set(reported)
    const hidden = hits.filter((row) => !known.has(row))
    const left = this.#rounds(cause, [...places, ...STEAD.filter((dimension) => !places.includes(dimension))], hidden, candidates, true)
    const others = this.#rounds(cause, natural, reported, candidates)
    return [...(places.length < natural.length ? this.#rounds(cause, natural, left, candidates) : left), ...others]
  }

  #rounds(cause: string, at: readonly string[], hits: readonly number[], candidates: Candidate[], isHidden = false): readonly number[] {
    let left = [...hits]
    for (let round = 0; round < MOST_OF_A_CAUSE && left.length >= FEWEST; round++) {
      const found = this.#next(cause, at, left, isHidden)
      if (found.length === 0) break
      const taken = new Set(found.flatMap((one) => one.hits))
      candidates.push(...found)
      left = left.filter((row) => !taken.has(row))
    }
    return left
  }

  /** Those of whom it is known where they are in any of these dimensions; but not hosts, people and first logons, which everybody is or is not, whatever the cause. */
  #reported(dimensions: readonly string[], hits: readonly number[]): readonly number[] {
    const places = dimensions.flatMap((dimension) => dimension.split('+')).filter((one) => isPlace(one) && one !== 'host' && one !== 'logon')
    return places.length === 0 ? hits : hits.filter((row) => places.some((dimension) => this.places.number(dimension, row) > 0))
  }

  /** @param isHidden whether its own places are not reported */
  #next(cause: string, at: readonly string[], hits: readonly number[], isHidden: boolean): Candidate[] {
    // What a part or package is called is known only of those who waited for it: it names the incident, and places narrow it.
    const named = this.#named(at, hits)
    const mine = named ? hits.filter(this.places.at([named])) : hits
    const dimensions = named ? NARROWING : at.filter(isOfAll)
    const whole = this.#best(dimensions.length ? dimensions : NARROWING, mine, this.rows, named ? 'most of it' : 'any')
    // What was short does not show in a long window: then the time tells first, and the place within it. Of no place that tells, it is of everybody's.
    const burst = whole || named ? null : isHidden ? this.rows : burstOf(this.ledger, mine)
    if (!whole && !named && !burst) return []
    const episodes = this.#episodes(whole?.elements ?? [], new Set(mine), burst ?? this.rows)
    return episodes.flatMap((stretch): Candidate[] => {
      const episode = withoutStragglers(this.ledger, stretch)
      if (episode.length < FEWEST) return []
      const first = this.ledger.atMs(episode[0] ?? 0)
      const last = this.ledger.atMs(episode.at(-1) ?? 0)
      // While it lasted, its place shows more sharply than over the whole window.
      const during = this.ledger.rows(first, last + 1)
      const all = mine.filter((row) => this.ledger.atMs(row) >= first && this.ledger.atMs(row) <= last)
      const sharper = this.#best(dimensions.length ? dimensions : NARROWING, all, during, named ? 'it alone' : 'any')
      const place = sharper ?? (named ? null : whole)
      // Of too few to tell, all at one place where the cause sits by its nature: there, rather than everywhere.
      const elements = place?.elements ?? (burst ? this.#common(CAUSE_BY_ID.get(cause)?.at ?? [], all) : [])
      const inside = all.filter(this.places.at(elements))
      if (inside.length < FEWEST) return []
      const contrast = this.#contrast(elements, new Set(inside), during)
      const before = this.#before(elements, first, new Set(mine))
      if (burst && !sharper && !isEverybodys(contrast.inside, before, isHidden)) return []
      const people = new Set(inside.map((row) => this.ledger.person(row))).size
      const single = elements.some(({ dimension }) => dimension === 'person')
      if (people < 2 && !single) return []
      // By chance: against others at the time, or against the same place before it began, whichever says more; where there were hardly any, against all.
      const atTheTime = inside.length === all.length ? contrast : this.#contrast(elements, new Set(all), during)
      const tables = [atTheTime, { inside: contrast.inside, outside: before }]
      if (contrast.outside.n + before.n < FEW) tables.push(this.#contrast(elements, new Set(inside), this.rows))
      const p = Math.min(1, this.#choices(elements) * Math.min(...tables.map((table) => fisherExact(table, 'more'))))
      return [{ cause, elements: [...(named ? [named] : []), ...elements], hits: inside, episodes: 1, contrast, p }]
    })
  }

  /** Out of so many places these were chosen, as those that tell best: of many people, some are always worse off by chance (Bonferroni's correction). */
  #choices(elements: readonly Element[]): number {
    return elements.reduce((product, { dimension }) => product * Math.max(1, this.places.sizeOf(dimension)), 1)
  }

  /** The first of some places that all rows have in common. */
  #common(dimensions: readonly string[], rows: readonly number[]): readonly Element[] {
    for (const dimension of dimensions) {
      const elements = dimension.split('+').map((one) => ({ dimension: one, number: this.places.number(one, rows[0] ?? 0) }))
      if (dimension !== 'group' && elements.every(({ number }) => number > 0) && rows.every(this.places.at(elements))) return elements
    }
    return []
  }

  /** The part or package that most of the hits waited for. */
  #named(at: readonly string[], hits: readonly number[]): Element | null {
    for (const dimension of ['package', 'part']) {
      if (!at.includes(dimension)) continue
      const counts = this.places.count(dimension, hits)
      const best = [...counts].filter(([number]) => number > 0).sort((a, b) => b[1] - a[1])[0]
      if (best && best[1] >= FEWEST) return { dimension, number: best[0] }
    }
    return null
  }

  /**
   * The place that tells best who had it: one element, or two where the second says much more.
   * @param only `most of it`: a place that nearly all of it is at; `it alone`: and few others
   */
  #best(dimensions: readonly string[], hits: readonly number[], among: Int32Array, only: 'any' | 'most of it' | 'it alone'): Scope | null {
    const hitSet = new Set(hits)
    const fine = this.#fineOf(among)
    const total = { hit: hits.length, n: hits.length + fine.length }
    const scopes: (Scope & { table: Table; rank: number })[] = []
    dimensions.forEach((dimension, rank) => {
      if (dimension.includes('+')) {
        const pair = dimension.split('+')
        const keyed = new Map<string, { elements: Element[]; n: number }>()
        for (const row of hits) {
          const elements = pair.map((one) => ({ dimension: one, number: this.places.number(one, row) }))
          if (elements.some(({ number }) => number <= 0)) continue
          const key = elements.map(({ number }) => number).join(' ')
          const known = keyed.get(key)
          if (known) known.n++
          else keyed.set(key, { elements, n: 1 })
        }
        for (const { elements, n } of keyed.values()) if (n >= FEWEST) add(elements, this.#contrast(elements, hitSet, among), rank)
        return
      }
      const counts = this.places.count(dimension, hits)
      if (![...counts].some(([number, n]) => number > 0 && n >= FEWEST)) return
      const healthy = this.#countFine(dimension, among, fine)
      if (dimension === 'factor') this.#addAny(counts, healthy)
      for (const [number, hit] of counts) {
        if ((number <= 0 && number !== ANY) || hit < FEWEST) continue
        const n = hit + (healthy.get(number) ?? 0)
        add([{ dimension, number }], { inside: { hit, n }, outside: { hit: total.hit - hit, n: total.n - n } }, rank)
      }
    })
    function add(elements: readonly Element[], table: Table, rank: number): void {
      const gain = contrastGain(table)
      if (gain < LEAST_GAIN) return
      if (only !== 'any' && table.inside.hit < 0.85 * total.hit) return
      scopes.push({ elements, gain, table, rank })
    }
    // Of places that tell about as well, the one where it sits by its nature.
    scopes.sort((a, b) => b.gain * (1 - 0.015 * b.rank) - a.gain * (1 - 0.015 * a.rank))
    for (const best of scopes) {
      const single = dimensions.includes('host') && this.#isOfSomeHosts(best, hits, fine) ? (scopes.find(isOneHost) ?? best) : best
      const scope = this.#sharpened(single, hits, among)
      if (only !== 'it alone') return scope
      const { inside } = this.#contrast(scope.elements, hitSet, among)
      if (inside.hit >= 0.5 * inside.n) return scope
    }
    return null
  }

  #sharpened(single: Scope & { table: Table }, hits: readonly number[], among: Int32Array): Scope {
    if (single.elements.length > 1 || single.elements.some(({ dimension }) => dimension === 'person' || dimension === 'host')) return single
    const there = hits.filter(this.places.at(single.elements))
    return this.#narrowed(single, there, among) ?? single
  }

  /**
   * Whether hosts of a place tell better than the place: those where it was most frequent, as many of them as tell best, and hardly anybody on the others of the place.
   * Which ones they are counts as a guess for each, as some of many are always worse by chance. The hosts with the highest rates are the best of all sets of so many: Neill (2012),
   * Fast subset scan for spatial pattern detection, J. R. Statist. Soc. B 74.
   */
  #isOfSomeHosts({ elements }: Scope, hits: readonly number[], fine: Int32Array): boolean {
    if (elements.some(({ dimension }) => NOT_OF_HOSTS.has(dimension))) return false
    const isThere = this.places.at(elements)
    const [had, well] = [this.places.count('host', hits.filter(isThere)), this.places.count('host', fine.filter(isThere))]
    const names = new Set([...had.keys(), ...well.keys()])
    const hosts = [...names]
      .map((name) => ({ hit: had.get(name) ?? 0, n: (had.get(name) ?? 0) + (well.get(name) ?? 0) }))
      .sort((a, b) => b.hit / b.n - a.hit / a.n)
    const all = hosts.reduce(plus, NONE)
    const guess = 2 * Math.log(Math.max(2, hosts.length))
    let [inside, best, isPart] = [NONE, LEAST_GAIN, false]
    for (const [i, host] of hosts.entries()) {
      inside = plus(inside, host)
      const outside = minus(all, inside)
      const gain = contrastGain({ inside, outside }) - guess * (i + 1)
      if (gain <= best) continue
      best = gain
      isPart = i > 0 && outside.n >= 5 && outside.hit / outside.n <= HARDLY * (inside.hit / inside.n)
    }
    return isPart
  }

  /** Those among rows that had nothing unusual; of the whole window worked out once, as are their counts by place. */
  #fineOf(among: Int32Array): Int32Array {
    if (among !== this.rows) return among.filter((row) => this.ledger.cause(row) === 0)
    return (this.#fine ??= among.filter((row) => this.ledger.cause(row) === 0))
  }

  /** Where several factors have it: all of them together. */
  #addAny(hits: Map<number, number>, healthy: Map<number, number>): void {
    const factors = [...hits].filter(([number, n]) => this.places.isFactor(number) && n >= FEWEST)
    if (factors.length < 2) return
    for (const counts of [hits, healthy])
      counts.set(
        ANY,
        [...counts].reduce((sum, [number, n]) => (this.places.isFactor(number) ? sum + n : sum), 0),
      )
  }

  #countFine(dimension: string, among: Int32Array, fine: Int32Array): Map<number, number> {
    if (among !== this.rows) return this.places.count(dimension, fine)
    let counts = this.#fineCounts.get(dimension)
    if (!counts) this.#fineCounts.set(dimension, (counts = this.places.count(dimension, fine)))
    return counts
  }

  /** A second place within the first: nearly all of the hits are at both, and those at the first alone are fine. */
  #narrowed(first: Scope & { table: Table }, hits: readonly number[], among: Int32Array): Scope | null {
    const isThere = this.places.at(first.elements)
    const inside = among.filter((row) => this.ledger.cause(row) === 0 && isThere(row))
    if (inside.length < 5) return null
    const known = new Set(first.elements.map(({ dimension }) => dimension))
    let best: { element: Element; gain: number } | null = null
    for (const dimension of NARROWING) {
      if (known.has(dimension)) continue
      const healthy = this.places.count(dimension, inside)
      for (const [number, hit] of this.places.count(dimension, hits)) {
        if (number <= 0 || hit < 0.85 * hits.length) continue
        const n = hit + (healthy.get(number) ?? 0)
        const rest = { hit: hits.length - hit, n: hits.length + inside.length - n }
        if (rest.n < 5 || rest.hit / rest.n > HARDLY * (hit / n)) continue
        const gain = contrastGain({ inside: { hit, n }, outside: rest })
        if (gain > Math.max(LEAST_GAIN, best?.gain ?? 0)) best = { element: { dimension, number }, gain }
      }
    }
    return best ? { elements: [...first.elements, best.element], gain: first.gain + best.gain } : null
  }

  /** When it began and ended at a place, as far as these rows tell: each stretch as its hits by time. */
  #episodes(elements: readonly Element[], hits: ReadonlySet<number>, among: Int32Array): number[][] {
    const rows = this.places.thereOf(elements, hits, among)
    // Who held a container is known only of those who waited for it: all of these have it, and only pauses part them.
    return elements.some(({ dimension }) => dimension === 'holderHost') ? partedByPauses(this.ledger, rows) : stretchesOf(rows, hits)
  }

  /** The same with who had it there, and elsewhere, over all of its time: for one that took another up. */
  overAll(candidate: Candidate): Candidate {
    const { elements, hits } = candidate
    const places = knownOfAll(elements)
    const during = this.ledger.rows(this.ledger.atMs(hits[0] ?? 0), this.ledger.atMs(hits.at(-1) ?? 0) + 1)
    return { ...candidate, contrast: this.#contrast(places, new Set(hits), during) }
  }

  #contrast(elements: readonly Element[], hits: ReadonlySet<number>, among: Int32Array): Table {
    const inside = { hit: 0, n: 0 }
    const outside = { hit: 0, n: 0 }
    const isThere = this.places.at(elements)
    for (const row of among) {
      const hit = this.ledger.cause(row) !== 0
      if (hit && !hits.has(row)) continue
      const side = isThere(row) ? inside : outside
      side.n++
      if (hit) side.hit++
    }
    return { inside, outside }
  }

  /** The same place in the days before: nobody, or hardly anybody, had it. */
  #before(elements: readonly Element[], fromMs: number, hits: ReadonlySet<number>): Table['outside'] {
    const result = { hit: 0, n: 0 }
    // Who held a container is known only of those who waited for it: before it, everybody counts.
    const places = elements.filter(({ dimension }) => dimension !== 'holderHost')
    const isThere = this.places.at(places)
    for (const row of this.ledger.rows(fromMs - 3 * DAY_MS, fromMs)) {
      const hit = this.ledger.cause(row) !== 0
      if (!isThere(row) || (hit && !hits.has(row))) continue
      result.n++
      if (hit) result.hit++
    }
    return result
  }
}
