import type { Queryable } from '../db/database'
import { DAY_MS, dayOf } from './model'

/**
 * The days on which any logon began, be it written already or still to be. Of days that have none, nothing need be asked, nor waited for: evidence of long ago comes a day
 * at a time, and mostly where there is nothing yet.
 */
export class DaysWithLogons {
  #days: Set<number> | null = null

  constructor(private readonly database: Queryable) {}

  /** @param written waited for where they have to be read */
  async read(written: () => Promise<unknown>): Promise<void> {
    if (this.#days) return
    await written()
    // From day to day by the index.
    const rows = await this.database.query<{ day: number }>(
      `with recursive days(day) as (
        select (select started_ms / ${DAY_MS} from attempts order by started_ms limit 1)
        union all
        select (select started_ms / ${DAY_MS} from attempts where started_ms >= (day + 1) * ${DAY_MS} order by started_ms limit 1) from days where day is not null)
      select day from days where day is not null`,
    )
    this.#days = new Set(rows.map(({ day }) => day * DAY_MS))
  }

  add(atMs: number): void {
    this.#days?.add(dayOf(atMs))
  }

  /** Whether any may have begun from one moment to another. */
  any(fromMs: number, toMs: number): boolean {
    if (!this.#days) return true
    for (const day of this.#days) if (day + DAY_MS > fromMs && day < toMs) return true
    return false
  }
}
