import type { Org, OrgChange } from '../people/org'
import { countSay } from '../stats/count'
import { CAUSE_BY_ID } from './causes'
import { knownOfAll, type Element, type RowPlaces } from './incident-places'
import type { Candidate } from './incident-search'
import { isNear } from './incident-times'
import type { Incident } from './incidents'
import type { Ledger } from './ledger'
import { suspect, SUSPECTED, type Between, type Onset, type Suspect } from './suspects'
import { worsening, type Worsening } from './worsening'

const DAY_MS = 86_400_000

/** Makes of what was found that which is told of it. */
export class Teller {
  constructor(
    private readonly ledger: Ledger,
    private readonly places: RowPlaces,
    private readonly org: Org,
  ) {}

  /** @param counted those of its attempts that are counted */
  told(candidate: Candidate, counted: readonly number[]): Incident {
    const { cause, elements, hits, episodes, contrast, p } = candidate
    const { ledger } = this
    const first = hits[0] ?? 0
    const fromMs = ledger.atMs(first)
    const lastRow = hits.at(-1) ?? first
    const toMs = ledger.atMs(lastRow)
    let worst = counted[0] ?? first
    let [failed, lostMs] = [0, 0]
    for (const row of counted) {
      if (ledger.lostMs(row) > ledger.lostMs(worst)) worst = row
      if (ledger.failed(row)) failed++
      lostMs += ledger.lostMs(row)
    }
    const scope = elements.map((one) => this.places.place(one))
    const hitSet = new Set(hits)
    const worse = worsening(ledger, this.places.thereOf(knownOfAll(elements), hitSet, ledger.rows(fromMs, toMs + 1)), hitSet)
    const suspects = this.#suspects(candidate, hitSet, worse)
    const [likely] = suspects
    return {
      id: [cause, ...scope.map(({ dimension, value }) => `${dimension}=${value}`), fromMs.toString(36)].join('~'),
      cause,
      title: CAUSE_BY_ID.get(cause)?.title ?? 'Not explained',
      scope,
      fromMs,
      toMs,
      episodes,
      attempts: counted.length,
      failed,
      people: new Set(counted.map((row) => ledger.person(row))).size,
      lostMs,
      example: ledger.id(worst),
      contrast,
      p,
      each: elements.flatMap((place) => this.#each(place, hitSet, fromMs, toMs)),
      alongside: this.#alongside(elements, hits),
      worse,
      suspects,
      change: likely && likely.score >= SUSPECTED ? likely.change : null,
    }
  }

  #each({ dimension, number, also }: Element, hits: ReadonlySet<number>, fromMs: number, toMs: number): Incident['each'] {
    if (!also) return []
    const during = this.ledger.rows(fromMs, toMs + 1)
    return [number, ...also].map((one) => {
      const element = { dimension, number: one }
      const there = this.places.thereOf([element], hits, during)
      const own = there.filter((row) => hits.has(row))
      return { place: this.places.place(element), fromMs: this.ledger.atMs(own[0] ?? there[0] ?? 0), inside: { hit: own.length, n: there.length } }
    })
  }

  /** Places that nearly all of it is at too, but at which others are fine. */
  #alongside(elements: readonly Element[], hits: readonly number[]): Incident['alongside'] {
    const times = hits.map((row) => this.ledger.atMs(row))
    const during = this.ledger.rows(times[0] ?? 0, (times.at(-1) ?? 0) + 1)
    // What came and went: those between its episodes were fine, but not at the time.
    const fine = during.filter((row) => this.ledger.cause(row) === 0 && isNear(times, this.ledger.atMs(row)))
    const used = new Set(elements.map(({ dimension }) => dimension))
    return ['host', 'pool', 'share', 'image', 'zone', 'network'].flatMap((dimension) => {
      if (used.has(dimension)) return []
      const best = [...this.places.count(dimension, hits)].filter(([number]) => number > 0).sort((a, b) => b[1] - a[1])[0]
      if (!best || best[1] < 0.7 * hits.length) return []
      const well = this.places.count(dimension, fine).get(best[0]) ?? 0
      if (well < 3) return []
      const value = this.places.name(dimension, best[0])
      return [
        {
          place: { dimension, value },
          sentence: `${countSay(best[1])} of ${countSay(hits.length)} are also on ${dimension} ${value}, but ${countSay(well)} others there were fine at the time.`,
        },
      ]
    })
  }

  /** The changes before it began or became worse, each as what speaks most for it. */
  #suspects({ cause, elements, hits, episodes }: Candidate, hitSet: ReadonlySet<number>, worse: Worsening | null): Suspect[] {
    const all = this.org.changes ?? []
    if (all.length === 0) return []
    const { ledger } = this
    const times = hits.map((row) => ledger.atMs(row))
    const [fromMs, toMs] = [times[0] ?? 0, times.at(-1) ?? 0]
    // Of what came and went, those in between were fine, but not at the time.
    const isThen = (row: number) => ledger.cause(row) === 0 && (episodes === 1 || isNear(times, ledger.atMs(row)))
    const during = ledger.rows(fromMs, toMs + 1).filter((row) => hitSet.has(row) || isThen(row))
    const isThere = this.places.at(knownOfAll(elements))
    const onsets: Onset[] = [{ cause, of: 'its beginning', atMs: fromMs }]
    if (worse) onsets.push({ cause, of: 'its worsening', atMs: worse.fromMs })
    const best = new Map<string, Suspect>()
    for (const onset of onsets) {
      const since = hits.filter((row) => ledger.atMs(row) >= onset.atMs)
      for (const change of all) {
        if (change.atMs > onset.atMs + 30 * 60_000 || change.atMs <= onset.atMs - 7 * DAY_MS) continue
        const between = ledger.rows(change.atMs, onset.atMs)
        const isGood = (row: number) => (onset.of === 'its beginning' ? ledger.cause(row) === 0 && isThere(row) : hitSet.has(row))
        const known = {
          ...this.#covered(
            change,
            elements,
            since,
            during.filter((row) => ledger.atMs(row) >= onset.atMs),
            hitSet,
          ),
          wellBetween: between.reduce((n, row) => n + Number(isGood(row)), 0),
        }
        const one = suspect(change, onset, known)
        if (one.score > (best.get(change.id)?.score ?? -Infinity)) best.set(change.id, one)
      }
    }
    return [...best.values()].sort((a, b) => b.score - a.score || b.change.atMs - a.change.atMs).slice(0, 8)
  }

  /** How well the places of a change and those of an incident go together. */
  #covered(
    { scope }: OrgChange,
    elements: readonly Element[],
    hits: readonly number[],
    during: Int32Array,
    hitSet: ReadonlySet<number>,
  ): Pick<Between, 'covered' | 'precise'> {
    // What happened to a host matters for those whose container it holds.
    const byHolder = elements.some(({ dimension }) => dimension === 'holderHost')
    const where = scope
      .filter(({ dimension }) => dimension !== 'part')
      .map(({ dimension, value }) => this.places.element(dimension === 'host' && byHolder ? 'holderHost' : dimension, value))
    const there = where.filter((one) => one !== null)
    if (there.length === 0 || there.length < where.length) return { covered: null, precise: null }
    const isThere = this.places.at(there)
    const inside = during.filter(isThere)
    return {
      covered: { hit: hits.filter(isThere).length, of: hits.length },
      precise: { hit: inside.reduce((n, row) => n + Number(hitSet.has(row)), 0), of: inside.length },
    }
  }
}
