import { EMPTY_ORG, type Org } from '../people/org'
import { discoveries, type Table } from '../stats/significance'
import { CAUSE_BY_ID } from './causes'
import { absorbed, joinedAt, ofSeveralHosts } from './incident-joins'
import { RowPlaces } from './incident-places'
import { Search, type Candidate } from './incident-search'
import { Teller } from './incident-told'
import type { Ledger } from './ledger'
import type { Suspect } from './suspects'
import type { Worsening } from './worsening'

export interface Place {
  readonly dimension: string
  /** Of several hosts that have the same: their names, see namesOf. */
  readonly value: string
}

/** Many attempts with one common cause: where, since when, until when, and what it cost. */
export interface Incident {
  readonly id: string
  readonly cause: string
  readonly title: string
  /** The smallest set of places that explains it. Empty means everywhere. */
  readonly scope: readonly Place[]
  readonly fromMs: number
  readonly toMs: number
  /** How often it came and went. */
  readonly episodes: number
  readonly attempts: number
  readonly failed: number
  readonly people: number
  readonly lostMs: number
  /** The attempt that shows it best: the one that lost most. */
  readonly example: string
  /** Of those who logged on there while it lasted, how many had it; and the same elsewhere. */
  readonly contrast: Table
  /** The probability of this, or a stronger contrast, by chance. */
  readonly p: number
  /** Of several hosts: on each of them, since when, and how many of those who logged on there from its beginning to its end had it. */
  readonly each: readonly { readonly place: Place; readonly fromMs: number; readonly inside: Table['inside'] }[]
  /** What goes along with it but explains it less well. */
  readonly alongside: readonly { readonly place: Place; readonly sentence: string }[]
  /** Since when it has been far worse than at first; null where it has not. */
  readonly worse: Worsening | null
  /** The changes of the days before it, or before it became worse, the most suspected first. */
  readonly suspects: readonly Suspect[]
  /** The one that most likely began it, or made it worse. */
  readonly change: Suspect['change'] | null
}

/** Attempts with a cause that make no incident: single cases. */
export interface Scattered {
  readonly cause: string
  readonly title: string
  readonly attempts: number
  readonly people: number
  readonly lostMs: number
  readonly failed: number
  readonly example: string
  readonly fromMs: number
  readonly toMs: number
}

/** Which incidents are wanted. */
export interface Wanted {
  readonly fromMs?: number
  readonly toMs?: number
  /** Attempts before this say when something began and how sure it is; only those from it on are counted and told. */
  readonly shownFromMs?: number
  /** What came and went several times at one place is told as one, and what several hosts have at the same time. */
  readonly joined?: boolean
}

export interface Found {
  readonly incidents: readonly Incident[]
  readonly scattered: readonly Scattered[]
}

/** Of the incidents named, at most this share is chance. */
const FALSE_RATE = 0.01
/**
 * Incidents among the attempts of a window. For each cause: the place that tells best who had it (twice the log likelihood ratio of two rates
 * against one, greedily, then narrowed by a second place where that says much more), then when it began and ended there (change points of the rate,
 * see change-points.ts), then the rest again. What shows at no place of a long window is looked for in the hours in which much of it happened. What could be chance is left out (Benjamini–Hochberg over all that were tried).
 */
export function findIncidents(
  ledger: Ledger,
  org: Org = EMPTY_ORG,
  { fromMs = -Infinity, toMs = Infinity, shownFromMs = fromMs, joined: join = false }: Wanted = {},
): Found {
  const places = new RowPlaces(ledger, org)
  const search = new Search(ledger, places, ledger.rows(fromMs, toMs))
  const teller = new Teller(ledger, places, org)
  const shown = (rows: readonly number[]) => (shownFromMs <= fromMs ? rows : rows.filter((row) => ledger.atMs(row) >= shownFromMs))
  const candidates: Candidate[] = []
  const left = new Map<string, readonly number[]>()
  for (const [number, rows] of search.byCause()) {
    const cause = ledger.causeName(number)
    left.set(cause, search.of(cause, rows, candidates))
  }
  const real = discoveries(
    candidates.map(({ p }) => p),
    FALSE_RATE,
  )
  const found = candidates.filter((candidate, i) => {
    if (!real[i]) left.set(candidate.cause, [...(left.get(candidate.cause) ?? []), ...candidate.hits])
    return real[i]
  })
  const whole = absorbed(found, ledger, (elements) => places.at(elements)).map((one) => (found.includes(one) ? one : search.overAll(one)))
  const together = join ? ofSeveralHosts(joinedAt(whole, ledger), left, ledger, places) : whole
  const incidents = together.flatMap((candidate) => {
    const hits = shown(candidate.hits)
    return hits.length ? [teller.told(candidate.elements[0]?.also ? search.overAll(candidate) : candidate, hits)] : []
  })
  const scattered = [...left].flatMap(([cause, all]) => {
    const rows = shown(all)
    return rows.length ? [scatteredOf(ledger, cause, rows)] : []
  })
  return {
    incidents: distinct(incidents).sort((a, b) => b.lostMs - a.lostMs || (a.id < b.id ? -1 : 1)),
    scattered: scattered.sort((a, b) => b.lostMs - a.lostMs || (a.cause < b.cause ? -1 : 1)),
  }
}

export interface HitHour {
  readonly atMs: number
  readonly n: number
  readonly hit: number
}
const HOUR_MS = 3_600_000

/**
 * Hour by hour, how many logged on at a place and how many of them had a cause. What a part or package is called is known only of those who had it:
 * such an element narrows who had it, not who logged on.
 */
export function hitsByHour(ledger: Ledger, org: Org, scope: readonly Place[], cause: string, fromMs: number, toMs: number): HitHour[] {
  const firstMs = Math.floor(fromMs / HOUR_MS) * HOUR_MS
  const search = new Search(ledger, new RowPlaces(ledger, org), ledger.rows(firstMs, toMs))
  const hours = Array.from({ length: Math.max(1, Math.ceil((toMs - firstMs) / HOUR_MS)) }, (_, i) => ({ atMs: firstMs + i * HOUR_MS, n: 0, hit: 0 }))
  search.each(scope, cause, (atMs, hit) => {
    const hour = hours[Math.floor((atMs - firstMs) / HOUR_MS)]
    if (!hour) return
    hour.n++
    if (hit) hour.hit++
  })
  return hours
}

function scatteredOf(ledger: Ledger, cause: string, rows: readonly number[]): Scattered {
  let worst = rows[0] ?? 0
  let [lostMs, failed, fromMs, toMs] = [0, 0, Infinity, -Infinity]
  for (const row of rows) {
    if (ledger.lostMs(row) > ledger.lostMs(worst)) worst = row
    lostMs += ledger.lostMs(row)
    if (ledger.failed(row)) failed++
    fromMs = Math.min(fromMs, ledger.atMs(row))
    toMs = Math.max(toMs, ledger.atMs(row))
  }
  const people = new Set(rows.map((row) => ledger.person(row))).size
  return {
    cause,
    title: CAUSE_BY_ID.get(cause)?.title ?? 'Not explained',
    attempts: rows.length,
    people,
    lostMs,
    failed,
    example: ledger.id(worst),
    fromMs,
    toMs,
  }
}

/** Ids are told apart where two episodes of one kind begin at the same moment. */
function distinct(list: readonly Incident[]): Incident[] {
  const seen = new Set<string>()
  return list.filter(({ id }) => !seen.has(id) && seen.add(id))
}
