import type { Affected } from '../../core/logons'
import type { Queryable } from '../db/database'
import { HOUR_MS, hourOf } from './model'

/** A stretch of time as Today needs it: what happened, whom it cost time, and dots to draw. */
export interface Picture {
  readonly counts: readonly { readonly outcome: string; readonly n: number; readonly lost: number }[]
  /** Thinned evenly by their ids where there are many; what cost time only from half as many on. */
  readonly dots: readonly (readonly [atMs: number, totalMs: number, outcome: string, id: string])[]
  readonly affected: readonly Affected[]
}

type AffectedRow = readonly [
  id: string,
  person: string | null,
  atMs: number,
  lostMs: number,
  outcome: string,
  cause: string,
  host: string | null,
  share: string | null,
  zone: string | null,
  pool: string | null,
  image: string | null,
  network: string,
  holderHost: string | null,
  part: string | null,
]

/** So many dots an hour are kept: 24 hours of them fill a picture. */
const DOTS_AN_HOUR = 170

/** Draws a stretch of time from the attempts themselves. */
export async function drawPicture(handle: Queryable, fromMs: number, toMs: number): Promise<Picture> {
  const most = Math.ceil(DOTS_AN_HOUR * Math.max(1, (toMs - fromMs) / HOUR_MS))
  const [row] = await handle.query<{ picture: { counts: Picture['counts'] | null; dots: Picture['dots'] | null; affected: AffectedRow[] | null } }>(
    `with w as materialized (select id, person, started_ms, total_ms, outcome, lost_ms, cause, host, share, zone, pool, image, network, holder_host, part from attempts where started_ms >= $1 and started_ms < $2),
     n as (select count(*) as n, count(*) filter (where lost_ms > 0 or outcome <> 'ready') as bad from w)
     select json_build_object(
       'counts', (select json_agg(json_build_object('outcome', outcome, 'n', n, 'lost', lost)) from (select outcome, count(*) as n, sum(lost_ms) as lost from w group by outcome) c),
       'dots', (select json_agg(json_build_array(started_ms, total_ms, outcome, id)) from w, n where hashtext(id) % greatest(1, ((case when lost_ms > 0 or outcome <> 'ready' then n.bad * 2 else n.n end) / $3)::integer) = 0),
       'affected', (select json_agg(json_build_array(id, person, started_ms, lost_ms, outcome, cause, host, share, zone, pool, image, network, holder_host, part)) from w where lost_ms > 0 and cause is not null)) as picture`,
    [fromMs, toMs, most],
  )
  return { counts: row?.picture.counts ?? [], dots: row?.picture.dots ?? [], affected: (row?.picture.affected ?? []).map(toAffected) }
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

const toAffected = ([
  id,
  person,
  atMs,
  lostMs,
  outcome,
  cause,
  host,
  share,
  zone,
  pool,
  image,
  network,
  holderHost,
  part,
]: AffectedRow): Affected => ({
  id,
  person: person ?? '',
  atMs,
  lostMs,
  outcome,
  cause,
  places: {
    host: host ?? '',
    share: share ?? '',
    zone: zone ?? '',
    pool: pool ?? '',
    image: image ?? '',
    network,
    // These name an incident only where the cause is about them.
    holderHost: cause.startsWith('container-') ? (holderHost ?? '') : '',
    part: cause.endsWith('part-slow') || cause === 'script-slow' ? (part ?? '') : '',
  },
})

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
      : await handle.query<{ hour_ms: number; stamp: string; counts: string; dots: string; affected: string }>(
          `select hour_ms, xmin::text as stamp, counts, ${dots} as dots, affected from pictures where hour_ms = any($1::bigint[])`,
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

/** The same names come again and again in an hour's attempts: each is kept once, and rows are mostly numbers. */
interface Packed {
  readonly names: readonly string[]
  readonly ids: readonly string[]
  readonly rows: readonly number[]
}
const ROW_LENGTH = 13

function packed(affected: readonly Affected[]): Packed {
  const numbers = new Map<string, number>()
  const numberOf = (name: string) => {
    let number = numbers.get(name)
    if (number === undefined) numbers.set(name, (number = numbers.size))
    return number
  }
  const rows = affected.flatMap(({ person, atMs, lostMs, outcome, cause, places: p }) => [
    atMs,
    lostMs,
    ...[person, outcome, cause, p['host'], p['share'], p['zone'], p['pool'], p['image'], p['network'], p['holderHost'], p['part']].map((name) =>
      numberOf(name ?? ''),
    ),
  ])
  return { names: [...numbers.keys()], ids: affected.map(({ id }) => id), rows }
}

function unpacked({ counts, dots, affected }: { counts: string; dots: string; affected: string }): Picture {
  const { names, ids, rows } = JSON.parse(affected) as Packed
  const name = (at: number) => names[rows[at] ?? -1] ?? ''
  return {
    counts: JSON.parse(counts) as Picture['counts'],
    dots: JSON.parse(dots) as Picture['dots'],
    affected: ids.map((id, i) => {
      const at = i * ROW_LENGTH
      return {
        id,
        atMs: rows[at] ?? 0,
        lostMs: rows[at + 1] ?? 0,
        person: name(at + 2),
        outcome: name(at + 3),
        cause: name(at + 4),
        places: {
          host: name(at + 5),
          share: name(at + 6),
          zone: name(at + 7),
          pool: name(at + 8),
          image: name(at + 9),
          network: name(at + 10),
          holderHost: name(at + 11),
          part: name(at + 12),
        },
      }
    }),
  }
}

function merged(pictures: readonly Picture[]): Picture {
  const counts = new Map<string, { outcome: string; n: number; lost: number }>()
  for (const { outcome, n, lost } of pictures.flatMap((picture) => picture.counts)) {
    const sum = counts.get(outcome) ?? { outcome, n: 0, lost: 0 }
    counts.set(outcome, sum)
    sum.n += n
    sum.lost += lost
  }
  return { counts: [...counts.values()], dots: pictures.flatMap(({ dots }) => dots), affected: pictures.flatMap(({ affected }) => affected) }
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
  const { counts, dots, affected } = await drawPicture(handle, hourMs, hourMs + HOUR_MS)
  const every = Math.max(1, Math.ceil(dots.length / FEW_DOTS))
  const texts = [counts, dots, dots.filter((_, i) => i % every === 0), packed(affected)].map((part) => JSON.stringify(part))
  await handle.query(
    `insert into pictures values ($1, $2, $3, $4, $5) on conflict (hour_ms) do update set counts = excluded.counts, dots = excluded.dots, few_dots = excluded.few_dots, affected = excluded.affected`,
    [hourMs, ...texts],
  )
}

/** Takes back the pictures of hours in which something changed. */
export async function dropPictures(handle: Queryable, startedMs: readonly number[]): Promise<void> {
  await handle.query('delete from pictures where hour_ms = any($1::bigint[])', [[...new Set(startedMs.map(hourOf))]])
}
