import { UsualModel, type Durations, type Kind } from '../../core/logons'
import type { Queryable } from '../db/database'
import { DAY_MS, dayOf } from './model'

/** The usual rests on this many whole days before the day of an attempt. */
const USUAL_DAYS = 14
/** So many days are kept in memory. */
const MOST_DAYS = 6

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

/** What is usual for attempts of a day, read from the roll-ups when a day is first asked for, and kept in step with what is counted since. */
export class UsualDays {
  readonly #days = new Map<number, Day>()
  /** What was counted of the batch in hand: no roll-up has it yet. */
  #batch: Counted[] = []
  /** The day that was asked for last. */
  #lastMs = NaN

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
    this.#days.clear()
    this.#batch = []
  }

  async of(atMs: number): Promise<Day> {
    const dayMs = dayOf(atMs)
    let day = this.#days.get(dayMs)
    if (day) {
      if (dayMs !== this.#lastMs) {
        // The day that was asked for longest ago is forgotten first.
        this.#days.delete(dayMs)
        this.#days.set(dayMs, day)
      }
    } else {
      day = { before: await this.#load(dayMs - USUAL_DAYS * DAY_MS, dayMs), today: await this.#load(dayMs, dayMs + DAY_MS) }
      for (const one of this.#batch) addTo(day, dayMs, one)
      const [oldest] = this.#days.keys()
      if (this.#days.size >= MOST_DAYS && oldest !== undefined) this.#days.delete(oldest)
      this.#days.set(dayMs, day)
    }
    this.#lastMs = dayMs
    return day
  }

  /** An attempt says what is usual; `times` -1: it does not, after all. */
  count(atMs: number, kind: Kind, durations: Durations, times: 1 | -1 = 1): void {
    const counted = { dayMs: dayOf(atMs), kind, durations, times }
    this.#batch.push(counted)
    for (const [dayMs, day] of this.#days) addTo(day, dayMs, counted)
  }

  async #load(fromMs: number, toMs: number): Promise<UsualModel> {
    if (!this.anyOn(fromMs, toMs)) return new UsualModel()
    await this.written()
    const rows = await this.database.query<{ pool: string; first: boolean; network: string; slot: number; sketch: Uint8Array }>(
      'select pool, first, network, slot, sketch from usual_days where day_ms >= $1 and day_ms < $2',
      [fromMs, toMs],
    )
    const model = new UsualModel()
    for (const { sketch, ...kind } of rows) model.addPacked(kind, sketch)
    return model
  }
}

function addTo({ before, today }: Day, dayMs: number, { dayMs: of, kind, durations, times }: Counted): void {
  if (of === dayMs) today.add(kind, durations, times)
  else if (of < dayMs && of >= dayMs - USUAL_DAYS * DAY_MS) before.add(kind, durations, times)
}
