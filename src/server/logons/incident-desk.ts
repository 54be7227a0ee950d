import {
  cohortFigures,
  findIncidents,
  hitsByHour,
  Ledger,
  phaseFigures,
  seenOf,
  tookOf,
  type CohortFigures,
  type CohortFilter,
  type Explained,
  type Found,
  type HitHour,
  type PhaseAsk,
  type PhaseFigures,
  type Place,
} from '../../core/logons'
import type { Org } from '../../core/people'
import type { Queryable } from '../db/database'
import { DAY_MS, HOUR_MS, hourOf } from './model'
import { extentOf, lastIn, recallSeen } from './recall'

/** So far back incidents are looked for; older attempts are forgotten here. */
const KEPT_MS = 31 * DAY_MS
/** What is read at once from the database, which answers others in between. */
const SLICE_MS = 6 * HOUR_MS
/** An incident's beginning is looked for so far before the window. */
const LOOK_BACK_MS = 7 * DAY_MS
/** An answer waits this long for the attempts of earlier days; then it says how far back it reaches. */
const PATIENCE_MS = 1500

/** What was read of a window that lies before what is held. */
interface Older {
  readonly ledger: Ledger
  readonly fromMs: number
  readonly toMs: number
  readonly atMs: number
  readonly read: Promise<void>
  usedMs: number
  /** Whether attempts of it came or changed since. */
  changed: boolean
}
/** What has changed is read again no sooner than after this. */
const OLDER_FRESH_MS = 60_000
/** What nobody asked for so long is forgotten. */
const OLDER_KEPT_MS = 10 * 60_000

export interface FoundSince extends Found {
  /** Attempts from this moment on are known here; while earlier ones are still being read, this is later than what was asked for. */
  readonly knownFromMs: number
  readonly toMs: number
  /** The beginning of the hour that cost people most time, if any did. */
  readonly worstHourMs: number | null
}

/** The incidents of any window, and what cohorts and phases come to, from all attempts of a month held in columns. Lives in the thread of the single writer, which tells it what changes. */
export class IncidentDesk {
  #ledger = new Ledger(true)
  #version = 0
  #knownFromMs = Infinity
  /** What is older was forgotten here, and may be in the database all the same. */
  #oldestMs = -Infinity
  #recalling: Promise<void> | null = null
  /** Attempts of a window that lies before those held here. */
  #older: Older | null = null
  #answers = new Map<string, { version: number; atMs: number; tookMs: number; found: FoundSince }>()

  /** @param inTurn runs work between two writes */
  constructor(
    private readonly database: Queryable,
    private readonly inTurn: <T>(work: () => Promise<T>) => Promise<T>,
  ) {}

  take(explained: readonly Explained[]): void {
    if (explained.length === 0) return
    this.#version++
    for (const one of explained) {
      const { attempt, outcome, blame } = one
      if (this.#older && attempt.startedAtMs >= this.#older.fromMs && attempt.startedAtMs < this.#older.toMs) this.#older.changed = true
      this.#ledger.add(seenOf(one), { outcome, first: attempt.attrs['first'] === true, durations: tookOf(attempt, blame) })
    }
  }

  remove(ids: readonly string[]): void {
    for (const id of ids) this.#ledger.remove(id)
    if (ids.length === 0) return
    this.#version++
    if (this.#older) this.#older.changed = true
  }

  /** Whether no attempt of that id was there before. While what is in the database is still being read, nothing is sure. */
  surelyNew(id: string, atMs: number): boolean {
    this.#recalling ??= this.#recall()
    return this.#knownFromMs === -Infinity && atMs > this.#oldestMs && !this.#ledger.has(id)
  }

  /** What the organisation looks like has changed: answers are worked out again. */
  outdate(): void {
    this.#version++
  }

  async incidents(org: Org, fromMs: number, toMs: number): Promise<FoundSince> {
    this.#recalling ??= this.#recall()
    let timer: NodeJS.Timeout | undefined
    await Promise.race([this.#recalling, new Promise((resolve) => (timer = setTimeout(resolve, PATIENCE_MS)))])
    clearTimeout(timer)
    const key = `${Math.round((toMs - fromMs) / HOUR_MS)}`
    const { ledger, knownFromMs } = await this.#ledgerOf(fromMs, toMs)
    const known = this.#answers.get(key)
    // While evidence streams in, a large answer is worked out no more often than a tenth of the time goes into it.
    if (known && Math.abs(known.found.toMs - toMs) < 120_000 && (known.version === this.#version || Date.now() - known.atMs < 10 * known.tookMs))
      return known.found
    const begun = Date.now()
    const found = {
      ...findIncidents(ledger, org, { fromMs: fromMs - LOOK_BACK_MS, toMs, shownFromMs: fromMs, joined: true }),
      knownFromMs,
      toMs,
      worstHourMs: worstHour(ledger, fromMs, toMs),
    }
    this.#answers.set(key, { version: this.#version, atMs: Date.now(), tookMs: Date.now() - begun, found })
    return found
  }

  /** What a cohort comes to; null where not all of its window is known here. */
  cohort(filter: CohortFilter): CohortFigures | null {
    return this.#knows(filter.fromMs) ? cohortFigures(this.#ledger, filter) : null
  }

  /** What phases come to, an answer for each question; null where not all of a window is known here. */
  phases(asked: readonly PhaseAsk[]): PhaseFigures[][] | null {
    return asked.every(({ filter }) => this.#knows(filter.fromMs)) ? asked.map((ask) => phaseFigures(this.#ledger, ask)) : null
  }

  #knows(fromMs: number): boolean {
    this.#recalling ??= this.#recall()
    return fromMs >= this.#knownFromMs && fromMs >= this.#oldestMs
  }

  async hoursOf(org: Org, scope: readonly Place[], cause: string, fromMs: number, toMs: number): Promise<HitHour[]> {
    // These hours begin a day before the incident, which may have begun as far back as is looked: the window itself decides what is read.
    const { ledger } = await this.#ledgerOf(fromMs + LOOK_BACK_MS + DAY_MS, toMs)
    return hitsByHour(ledger, org, scope, cause, fromMs, toMs)
  }

  /**
   * The attempts of a window and some days before it: those held here, or, where it reaches further back, read from the database and kept for the
   * next who asks.
   */
  async #ledgerOf(fromMs: number, toMs: number): Promise<{ readonly ledger: Ledger; readonly knownFromMs: number }> {
    if (fromMs >= this.#oldestMs) return { ledger: this.#ledger, knownFromMs: this.#knownFromMs }
    const known = this.#older
    const current = known && known.fromMs <= fromMs && known.toMs >= toMs && (!known.changed || Date.now() - known.atMs < OLDER_FRESH_MS)
    const older = current ? known : this.#readOlder(fromMs - LOOK_BACK_MS - DAY_MS, toMs)
    older.usedMs = Date.now()
    this.#older = older
    try {
      await older.read
    } catch (error) {
      // Half of it is of no use: the next who asks reads it again.
      if (this.#older === older) this.#older = null
      throw error
    }
    return { ledger: older.ledger, knownFromMs: -Infinity }
  }

  #readOlder(fromMs: number, toMs: number): Older {
    const ledger = new Ledger()
    const read = async () => {
      // A window may be of any length: what has nothing in it is passed over.
      for (let last = await lastIn(this.database, fromMs, toMs); last !== null; last = await lastIn(this.database, fromMs, last + 1 - SLICE_MS)) {
        const until = last + 1
        await this.inTurn(async () => {
          for (const { seen } of await recallSeen(this.database, Math.max(fromMs, until - SLICE_MS), until)) ledger.add(seen)
        })
      }
    }
    return { ledger, fromMs, toMs, atMs: Date.now(), usedMs: Date.now(), read: read(), changed: false }
  }

  /** Reads what is in the database, the newest first, a slice in each turn. */
  async #recall(): Promise<void> {
    const extent = await extentOf(this.database)
    if (extent) {
      const oldestMs = Math.max(extent.firstMs, extent.lastMs - KEPT_MS)
      if (oldestMs > extent.firstMs) this.#oldestMs = oldestMs
      for (let toMs = extent.lastMs + 1; toMs > oldestMs; toMs -= SLICE_MS) {
        await this.inTurn(async () => {
          for (const { seen, times } of await recallSeen(this.database, Math.max(oldestMs, toMs - SLICE_MS), toMs)) this.#ledger.add(seen, times)
        })
        this.#knownFromMs = toMs - SLICE_MS
        this.#version++
      }
    }
    this.#knownFromMs = -Infinity
    this.#version++
  }

  /** Keeps memory bounded: what is older than a month before the newest is dropped, a day at a time. */
  forget(newestMs: number): void {
    if (this.#older && Date.now() - this.#older.usedMs > OLDER_KEPT_MS) this.#older = null
    const [first] = this.#ledger.rows(-Infinity, newestMs - KEPT_MS - DAY_MS)
    if (first === undefined) return
    this.#ledger = this.#ledger.since(newestMs - KEPT_MS)
    this.#oldestMs = newestMs - KEPT_MS + DAY_MS
  }
}

/** The beginning of the hour in which most time was lost, if any was. */
function worstHour(ledger: Ledger, fromMs: number, toMs: number): number | null {
  const lost = new Map<number, number>()
  let worst: number | null = null
  for (const row of ledger.rows(fromMs, toMs)) {
    const ms = ledger.lostMs(row)
    if (ms === 0) continue
    const hour = hourOf(ledger.atMs(row))
    lost.set(hour, (lost.get(hour) ?? 0) + ms)
    if (worst === null || (lost.get(hour) ?? 0) > (lost.get(worst) ?? 0)) worst = hour
  }
  return worst
}
