import { UsualModel, type Durations, type Kind } from '../../core/logons'
import type { Queryable } from '../db/database'
import { DAY_MS, dayOf } from './model'

/** The usual rests on this many whole days before the day of an attempt. */
const USUAL_DAYS = 14
/** What was usual before so many days is kept in memory. */
const MOST_BEFORE = 6
/** And what each day says itself, while these are of no more kinds together (at most about 60 MB). */
const MOST_KINDS = 2000

interface Day {
  /** From the days before it. */
  readonly before: UsualModel
  /** From the day itself so far: for where those are too few. */
  readonly today: UsualModel
}

interface Counted {
  readonly dayMs: number
  readonly kind: Kind
  readonly durations: Durations
  readonly times: 1 | -1
}

/**
 * What is usual for attempts of a day, kept in step with what is counted since it was first asked for. Of evidence that comes day by day it is worked out from the day
 * before; else it is read from the roll-ups, which has to wait until they are written.
 */
export class UsualDays {
  /** By day, those that were asked for last at the end. */
  readonly #before = new Map<number, UsualModel>()
  readonly #today = new Map<number, UsualModel>()
  /** What was counted of the batch in hand: no roll-up has it yet. */
  #batch: Counted[] = []
  #last: (Day & { readonly dayMs: number }) | null = null

  /**
   * @param written resolves when all earlier batches are in the roll-ups
   * @param anyOn whether there may be any from one moment to another: else nothing is waited for
   */
  constructor(
    private readonly database: Queryable,
    private readonly written: () => Promise<unknown>,
    private readonly anyOn: (fromMs: number, toMs: number) => boolean = () => true,
  ) {}

  /** A new batch: the one before is in the roll-ups as soon as it is written. */
  begin(): void {
    this.#batch = []
  }

  clear(): void {
    this.#before.clear()
    this.#today.clear()
    this.#last = null
    this.#batch = []
  }

  async of(atMs: number): Promise<Day> {
    const dayMs = dayOf(atMs)
    if (this.#last?.dayMs === dayMs) return this.#last
    const today = await this.#todayOf(dayMs)
    const before = this.#before.get(dayMs) ?? this.#afterTheDayBefore(dayMs) ?? (await this.#load(dayMs - USUAL_DAYS * DAY_MS, dayMs))
    lastly(this.#before, dayMs, before)
    forgetOldest(this.#before, () => this.#before.size > MOST_BEFORE)
    forgetOldest(this.#today, () => [...this.#today.values()].reduce((sum, { kinds }) => sum + kinds, 0) > MOST_KINDS)
    this.#last = { dayMs, before, today }
    return this.#last
  }

  /** What the newest day at hand knows, where it is after another: more came before it. */
  after(atMs: number): readonly UsualModel[] {
    const newest = Math.max(...this.#before.keys())
    return newest <= dayOf(atMs) ? [] : [this.#before.get(newest), this.#today.get(newest)].filter((one) => one !== undefined)
  }

  async #todayOf(dayMs: number): Promise<UsualModel> {
    const today = this.#today.get(dayMs) ?? (await this.#load(dayMs, dayMs + DAY_MS))
    lastly(this.#today, dayMs, today)
    return today
  }

  /** What was usual before the day before, with that day, and without the one that is too long ago now; null where not all of that is known here. */
  #afterTheDayBefore(dayMs: number): UsualModel | null {
    const dayBefore = dayMs - DAY_MS
    const tooOld = dayBefore - USUAL_DAYS * DAY_MS
    const [before, added, gone] = [this.#before.get(dayBefore), this.#known(dayBefore), this.#known(tooOld)]
    if (!before || !added || !gone) return null
    const result = new UsualModel()
    return result.addAll(before) && result.addAll(added) && result.addAll(gone, -1) ? result : null
  }

  #known(dayMs: number): UsualModel | null {
    const known = this.#today.get(dayMs)
    if (known) return known
    return this.anyOn(dayMs, dayMs + DAY_MS) || this.#batch.some((one) => one.dayMs === dayMs) ? null : NOTHING
  }

  /** An attempt says what is usual; `times` -1: it does not, after all. */
  count(atMs: number, kind: Kind, durations: Durations, times: 1 | -1 = 1): void {
    const counted = { dayMs: dayOf(atMs), kind, durations, times }
    this.#batch.push(counted)
    this.#today.get(counted.dayMs)?.add(kind, durations, times)
    for (const [dayMs, before] of this.#before) if (isBefore(counted, dayMs)) before.add(kind, durations, times)
  }

  async #load(fromMs: number, toMs: number): Promise<UsualModel> {
    const model = new UsualModel()
    if (this.anyOn(fromMs, toMs)) {
      await this.written()
      const rows = await this.database.query<{ pool: string; first: boolean; network: string; slot: number; sketch: Uint8Array }>(
        'select pool, first, network, slot, sketch from usual_days where day_ms >= $1 and day_ms < $2',
        [fromMs, toMs],
      )
      for (const { sketch, ...kind } of rows) model.addPacked(kind, sketch)
    }
    for (const { dayMs, kind, durations, times } of this.#batch) if (dayMs >= fromMs && dayMs < toMs) model.add(kind, durations, times)
    return model
  }
}

const NOTHING = new UsualModel()

const isBefore = (counted: Counted, dayMs: number): boolean => counted.dayMs < dayMs && counted.dayMs >= dayMs - USUAL_DAYS * DAY_MS

/** Puts it at the end, whether it was there before or not. */
function lastly(map: Map<number, UsualModel>, dayMs: number, model: UsualModel): void {
  map.delete(dayMs)
  map.set(dayMs, model)
}

/** But never the last. */
function forgetOldest(map: Map<number, UsualModel>, areTooMany: () => boolean): void {
  for (const dayMs of map.keys()) {
    if (map.size < 2 || !areTooMany()) return
    map.delete(dayMs)
  }
}
