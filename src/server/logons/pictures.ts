import type { Queryable } from '../db/database'
import { HOUR_MS, hourOf } from './model'

/** A stretch of time as Today needs it: what happened, what it cost, and dots to draw. */
export interface Picture {
  readonly counts: readonly { readonly outcome: string; readonly n: number; readonly lost: number }[]
  /** Thinned evenly by their ids where there are many; what cost time only from half as many on. */
  readonly dots: readonly (readonly [atMs: number, totalMs: number, outcome: string, id: string])[]
}

/** So many dots an hour are kept: 24 hours of them fill a picture. */
const DOTS_AN_HOUR = 170

/** Draws a stretch of time from the attempts themselves. */
async function drawPicture(handle: Queryable, fromMs: number, toMs: number): Promise<Picture> {
  const most = Math.ceil(DOTS_AN_HOUR * Math.max(1, (toMs - fromMs) / HOUR_MS))
  const [row] = await handle.query<{ picture: { counts: Picture['counts'] | null; dots: Picture['dots'] | null } }>(
    `with w as materialized (select id, started_ms, total_ms, outcome, lost_ms from attempts where started_ms >= $1 and started_ms < $2),
     n as (select count(*) as n, count(*) filter (where lost_ms > 0 or outcome <> 'ready') as bad from w)
     select json_build_object(
       'counts', (select json_agg(json_build_object('outcome', outcome, 'n', n, 'lost', lost)) from (select outcome, count(*) as n, sum(lost_ms) as lost from w group by outcome) c),
       'dots', (select json_agg(json_build_array(started_ms, total_ms, outcome, id)) from w, n where hashtext(id) % greatest(1, ((case when lost_ms > 0 or outcome <> 'ready' then n.bad * 2 else n.n end) / $3)::integer) = 0)) as picture`,
    [fromMs, toMs, most],
  )
  return { counts: row?.picture.counts ?? [], dots: row?.picture.dots ?? [] }
}

/** Windows longer than this show few dots an hour. */
const MANY_DOTS_MS = 36 * HOUR_MS
const FEW_DOTS = 30

/** A window, from kept hours where there are any, and from the attempts for the rest. */
export async function readPicture(handle: Queryable, fromMs: number, toMs: number): Promise<Picture> {
  const firstHour = Math.ceil(fromMs / HOUR_MS) * HOUR_MS
  const dots = toMs - fromMs > MANY_DOTS_MS ? 'few_dots' : 'dots'
  const kept = await keptPictures(handle, firstHour, toMs - HOUR_MS, dots)
  const missing: Promise<Picture>[] = []
  let at = fromMs
  for (const { hour_ms } of [...kept, { hour_ms: toMs }]) {
    if (hour_ms > at) missing.push(drawPicture(handle, at, hour_ms))
    at = hour_ms + HOUR_MS
  }
  return merged([...kept.map(({ picture }) => picture), ...(await Promise.all(missing))])
}

/** Unpacked pictures of a database, by hour and kind of dots; `stamp` is PostgreSQL's own mark of the row's version. */
const unpackedOf = new WeakMap<Queryable, Map<string, { stamp: string; picture: Picture }>>()
/** Two months of hours, in about 40 MB. */
const MOST_UNPACKED = 1500

/** Kept pictures by hour. Those that were read before, and have not changed since, are not read again. */
async function keptPictures(
  handle: Queryable,
  fromMs: number,
  toMs: number,
  dots: 'dots' | 'few_dots',
): Promise<{ hour_ms: number; picture: Picture }[]> {
  const cache = unpackedOf.get(handle) ?? new Map<string, { stamp: string; picture: Picture }>()
  unpackedOf.set(handle, cache)
  const [row] = await handle.query<{ hours: { hour: number; stamp: string }[] | null }>(
    "select json_agg(json_build_object('hour', hour_ms, 'stamp', xmin::text) order by hour_ms) as hours from pictures where hour_ms >= $1 and hour_ms <= $2",
    [fromMs, toMs],
  )
  const hours = row?.hours ?? []
  const unknown = hours.filter(({ hour, stamp }) => cache.get(`${dots} ${hour}`)?.stamp !== stamp).map(({ hour }) => hour)
  const read =
    unknown.length === 0
      ? []
      : await handle.query<{ hour_ms: number; stamp: string; counts: string; dots: string }>(
          `select hour_ms, xmin::text as stamp, counts, ${dots} as dots from pictures where hour_ms = any($1::bigint[])`,
          [unknown],
        )
  if (cache.size + read.length > MOST_UNPACKED) cache.clear()
  const fresh = new Map(read.map((one) => [one.hour_ms, unpacked(one)]))
  for (const { hour_ms, stamp } of read) cache.set(`${dots} ${hour_ms}`, { stamp, picture: fresh.get(hour_ms) as Picture })
  // A row that was taken back between the two questions is drawn from the attempts.
  return hours.flatMap(({ hour }) => {
    const picture = fresh.get(hour) ?? (unknown.includes(hour) ? undefined : cache.get(`${dots} ${hour}`)?.picture)
    return picture ? [{ hour_ms: hour, picture }] : []
  })
}

const unpacked = ({ counts, dots }: { counts: string; dots: string }): Picture => ({
  counts: JSON.parse(counts) as Picture['counts'],
  dots: JSON.parse(dots) as Picture['dots'],
})

function merged(pictures: readonly Picture[]): Picture {
  const counts = new Map<string, { outcome: string; n: number; lost: number }>()
  for (const { outcome, n, lost } of pictures.flatMap((picture) => picture.counts)) {
    const sum = counts.get(outcome) ?? { outcome, n: 0, lost: 0 }
    counts.set(outcome, sum)
    sum.n += n
    sum.lost += lost
  }
  return { counts: [...counts.values()], dots: pictures.flatMap(({ dots }) => dots) }
}

/** The newest hours that are over and have no picture yet. */
export async function hoursWithoutPicture(handle: Queryable, nowMs: number): Promise<number[]> {
  const rows = await handle.query<{ hour_ms: number }>(
    'select distinct h.hour_ms from hours h where h.hour_ms < $1 and not exists (select from pictures p where p.hour_ms = h.hour_ms) order by h.hour_ms desc limit 2000',
    [hourOf(nowMs) - HOUR_MS],
  )
  return rows.map(({ hour_ms }) => hour_ms)
}

/** Keeps the picture of an hour. Only the writer of attempts calls this, in its turn, so that no attempt slips in between. */
export async function keepPicture(handle: Queryable, hourMs: number): Promise<void> {
  const { counts, dots } = await drawPicture(handle, hourMs, hourMs + HOUR_MS)
  const every = Math.max(1, Math.ceil(dots.length / FEW_DOTS))
  const texts = [counts, dots, dots.filter((_, i) => i % every === 0)].map((part) => JSON.stringify(part))
  await handle.query(
    `insert into pictures values ($1, $2, $3, $4) on conflict (hour_ms) do update set counts = excluded.counts, dots = excluded.dots, few_dots = excluded.few_dots`,
    [hourMs, ...texts],
  )
}

/** Takes back the pictures of hours in which something changed. */
export async function dropPictures(handle: Queryable, startedMs: readonly number[]): Promise<void> {
  await handle.query('delete from pictures where hour_ms = any($1::bigint[])', [[...new Set(startedMs.map(hourOf))]])
}
