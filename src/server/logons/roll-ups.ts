import { durationsOf, endedWell, kindOf, seenOf, SERIES, slotOf, tookByItself } from '../../core/logons'
import { Histogram } from '../../core/stats/histogram'
import type { Queryable } from '../db/database'
import { dayOf, hourOf, packHistograms, unpackHistograms } from './model'
import type { Worked } from './stored'

/** What an attempt counts for in the roll-ups. */
export interface Counted {
  readonly pool: string
  readonly first: boolean
  readonly network: string
  readonly slot: number
  readonly startedMs: number
  /** What each of SERIES is blamed for, and what it took: see tookByItself. */
  readonly durations: ArrayLike<number>
  readonly took: ArrayLike<number>
  readonly times: 1 | -1
  /** It lost time. */
  readonly bad: boolean
  /** Whether it counts for the usual of its kind, not only for the hour's band. */
  readonly saysUsual: boolean
}

/** What an attempt counts for; null where it counts for nothing, as it did not end well. */
export function countsFor({ attempt, explained, counted }: Worked, times: 1 | -1): Counted | null {
  if (!endedWell(explained)) return null
  return {
    ...kindOf(attempt),
    startedMs: attempt.startedAtMs,
    durations: durationsOf(explained.blame, attempt.totalMs),
    took: tookByItself(attempt, explained.blame),
    times,
    bad: Math.round(seenOf(explained).lostMs) > 0,
    saysUsual: counted,
  }
}

/** Takes back what the attempts counted for before, adds what they count for now, cell by cell. */
export async function rollUp(handle: Queryable, before: readonly Counted[], worked: readonly Worked[]): Promise<void> {
  const after = worked.flatMap((one) => countsFor(one, 1) ?? [])
  const days = new Map<string, { day: number; pool: string; first: boolean; network: string; slot: number; n: number; histograms: Histogram[] }>()
  const hours = new Map<number, { hour: number; n: number; bad: number; histogram: Histogram; sums: number[] }>()
  for (const counted of [...before, ...after]) {
    const hour = hourOf(counted.startedMs)
    const hourCell = hours.get(hour) ?? { hour, n: 0, bad: 0, histogram: new Histogram(), sums: SERIES.map(() => 0) }
    hours.set(hour, hourCell)
    hourCell.n += counted.times
    if (counted.bad) hourCell.bad += counted.times
    hourCell.histogram.add(counted.durations[SERIES.length - 1] ?? 0, counted.times)
    for (let i = 0; i < hourCell.sums.length; i++) hourCell.sums[i] = (hourCell.sums[i] ?? 0) + counted.times * (counted.durations[i] ?? 0)
    if (!counted.saysUsual) continue
    const day = dayOf(counted.startedMs)
    const dayKey = `${day}|${counted.pool}|${counted.first}|${counted.network}|${counted.slot}`
    const dayCell = days.get(dayKey) ?? {
      day,
      pool: counted.pool,
      first: counted.first,
      network: counted.network,
      slot: counted.slot,
      n: 0,
      histograms: SERIES.map(() => new Histogram()),
    }
    days.set(dayKey, dayCell)
    dayCell.n += counted.times
    dayCell.histograms.forEach((histogram, i) => {
      histogram.add(counted.took[i] ?? 0, counted.times)
    })
  }
  if (hours.size === 0) return
  const dayCells = [...days.values()]
  const [storedDays, storedHours] = await Promise.all([
    handle.query<{ day_ms: number; pool: string; first: boolean; network: string; slot: number; n: number; sketch: Uint8Array }>(
      'select day_ms, pool, first, network, slot, n, sketch from usual_days where day_ms = any($1::bigint[])',
      [[...new Set(dayCells.map(({ day }) => day))]],
    ),
    handle.query<{ hour_ms: number; n: number; bad: number; sketch: Uint8Array; sums: (number | string)[] | null }>(
      'select hour_ms, n, bad, sketch, sums from hours where hour_ms = any($1::bigint[])',
      [[...hours.keys()]],
    ),
  ])
  for (const row of storedDays) {
    const cell = days.get(`${row.day_ms}|${row.pool}|${row.first}|${row.network}|${row.slot}`)
    if (!cell) continue
    cell.n += row.n
    unpackHistograms(row.sketch).forEach((histogram, i) => cell.histograms[i]?.merge(histogram))
  }
  for (const row of storedHours) {
    const cell = hours.get(row.hour_ms)
    const [stored] = unpackHistograms(row.sketch)
    if (!cell || !stored) continue
    cell.n += row.n
    cell.bad += row.bad
    cell.histogram.merge(stored)
    // int8 in arrays comes as texts from a PostgreSQL server.
    row.sums?.forEach((sum, i) => (cell.sums[i] = (cell.sums[i] ?? 0) + Number(sum)))
  }
  await Promise.all([
    handle.query(
      `insert into usual_days (day_ms, pool, first, network, slot, n, sketch)
      select day, pool, first, network, slot, n, decode(sketch, 'base64') from jsonb_to_recordset($1::jsonb) as r(day bigint, pool text, first boolean, network text, slot smallint, n integer, sketch text)
      on conflict (day_ms, pool, first, network, slot) do update set n = excluded.n, sketch = excluded.sketch`,
      [JSON.stringify(dayCells.map(({ histograms, ...cell }) => ({ ...cell, sketch: Buffer.from(packHistograms(histograms)).toString('base64') })))],
    ),
    handle.query(
      `insert into hours (hour_ms, n, bad, sketch, sums) select hour, n, bad, decode(sketch, 'base64'), sums from jsonb_to_recordset($1::jsonb) as r(hour bigint, n integer, bad integer, sketch text, sums bigint[])
      on conflict (hour_ms) do update set n = excluded.n, bad = excluded.bad, sketch = excluded.sketch, sums = excluded.sums`,
      [
        JSON.stringify(
          [...hours.values()].map(({ histogram, ...cell }) => ({ ...cell, sketch: Buffer.from(packHistograms([histogram])).toString('base64') })),
        ),
      ],
    ),
  ])
}

/** What attempts say of the usual is taken back: they say nothing of it until they are explained again. */
export async function takeBackUsual(handle: Queryable, ids: readonly string[]): Promise<void> {
  const counted = (await countedBefore(handle, ids)).filter(({ saysUsual }) => saysUsual)
  await rollUp(handle, [...counted, ...counted.map((one): Counted => ({ ...one, times: 1, saysUsual: false }))], [])
  await handle.query('update attempts set counted = false where id = any($1) and counted', [ids])
}

/** What attempts that are known counted for until now. */
export async function countedBefore(handle: Queryable, ids: readonly string[]): Promise<Counted[]> {
  if (ids.length === 0) return []
  const rows = await handle.query<{
    pool: string | null
    first: boolean
    network: string
    started_ms: number
    blame_ms: number[]
    took_ms: number[] | null
    counted: boolean
    lost_ms: number
  }>(
    `select pool, first, network, started_ms, blame_ms, took_ms, counted, lost_ms from attempts where id = any($1) and outcome in ('ready', 'slow')`,
    [ids],
  )
  return rows.map((row) => ({
    pool: row.pool ?? '',
    first: row.first,
    network: row.network,
    slot: slotOf(row.started_ms, row.first),
    startedMs: row.started_ms,
    durations: row.blame_ms,
    took: row.took_ms ?? row.blame_ms,
    times: -1,
    bad: row.lost_ms > 0,
    saysUsual: row.counted,
  }))
}
