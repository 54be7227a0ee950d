import {
  ANY_FACTOR,
  correlateThread,
  FIRST_LOGON,
  LastSaid,
  MOST_OF_BEGINNING,
  namesOf,
  NEWS_MS,
  NO_FACTOR,
  OrdinaryModel,
  PLACE_DIMENSIONS,
  SERIES,
  type Neighbour,
  type Outcome,
  type PlaceDimension,
  type Seen,
  type Times,
} from '../../core/logons'
import type { Queryable } from '../db/database'
import { TOOK_MS } from './model'
import { unpackEvidence } from './pack'

/** The column of each dimension of a place. */
export const COLUMN_OF: Readonly<Record<PlaceDimension, string>> = {
  host: 'host',
  pool: 'pool',
  share: 'share',
  zone: 'zone',
  site: 'site',
  image: 'image',
  network: 'network',
  transport: 'transport',
  clientKind: 'client_kind',
  clientVersion: 'client_version',
  factor: 'factor',
  logon: `case when first then '${FIRST_LOGON}' end`,
  holderHost: 'holder_host',
  part: 'part',
  package: 'package',
}

/** In SQL, whether an attempt is at a place. @param param takes a value, and gives the name of its parameter */
export function isAt(dimension: PlaceDimension, value: string, param: (value: string) => string): string {
  if (dimension === 'factor' && value === ANY_FACTOR) return `factor <> '${NO_FACTOR}'`
  const names = namesOf({ dimension, value })
  if (names.length > 1) return `${COLUMN_OF[dimension]} in (${[value, ...names].map(param).join(', ')})`
  return dimension === 'logon' ? `first = (${param(value)} = '${FIRST_LOGON}')` : `${COLUMN_OF[dimension]} = ${param(value)}`
}

const PLACES = PLACE_DIMENSIONS.map((dimension) => COLUMN_OF[dimension]).join(', ')
const placesFrom = (values: readonly (string | null)[]) =>
  Object.fromEntries(PLACE_DIMENSIONS.map((dimension, i) => [dimension, values[i] ?? ''])) as Record<PlaceDimension, string>

type SeenRow = readonly [
  id: string,
  person: string | null,
  atMs: number,
  lostMs: number,
  outcome: Outcome,
  cause: string | null,
  first: boolean,
  durations: number[],
  ...places: (string | null)[],
]

/** What incidents, and comparisons, need of the attempts of a stretch of time. */
export async function recallSeen(handle: Queryable, fromMs: number, toMs: number): Promise<{ seen: Seen; times: Times }[]> {
  const [row] = await handle.query<{ rows: SeenRow[] | null }>(
    `select json_agg(json_build_array(id, person, started_ms, lost_ms, outcome, cause, first, ${TOOK_MS}, ${PLACES})) as rows from attempts where started_ms >= $1 and started_ms < $2`,
    [fromMs, toMs],
  )
  return (row?.rows ?? []).map(([id, person, atMs, lostMs, outcome, cause, first, durations, ...places]) => ({
    seen: { id, person: person ?? '', atMs, lostMs, failed: outcome === 'failed', open: outcome === 'open', cause, places: placesFrom(places) },
    times: { outcome, first, durations },
  }))
}

/** See Neighbour.ran. */
const RAN = SERIES.map((_, i) => `((${TOOK_MS}[${i + 1}] > 0)::integer << ${i})`).join(' | ')
type NeighbourRow = readonly [id: string, atMs: number, beyond: number, ran: number, outcome: string, fault: string, ...places: (string | null)[]]

const NEIGHBOURS = `json_agg(json_build_array(id, started_ms, beyond, ${RAN}, outcome, fault, ${PLACES})) as rows`
const neighboursFrom = ([row]: readonly { readonly rows: readonly NeighbourRow[] | null }[]): Neighbour[] =>
  (row?.rows ?? []).map(([id, atMs, beyond, ran, outcome, fault, ...places]) => ({
    id,
    atMs,
    beyond,
    ran,
    failed: outcome === 'failed',
    fault,
    places: placesFrom(places),
  }))

/** The neighbours of a moment: what the analysis of a logon asks of those around it. */
export async function recallNeighbours(handle: Queryable, fromMs: number, toMs: number): Promise<Neighbour[]> {
  return neighboursFrom(
    await handle.query<{ rows: NeighbourRow[] | null }>(`select ${NEIGHBOURS} from attempts where started_ms >= $1 and started_ms < $2`, [
      fromMs,
      toMs,
    ]),
  )
}

/** So many of the newest attempts say when images came: in a very large organisation those of a few days. */
const BEGINNINGS_FROM = 100_000
/** So many days before an image came somebody must have logged on to the pool, to say how it went until then. */
const DAYS_BEFORE = 3

/** Those who logged on when the images of the last days came to their pools: see Beginnings. */
export async function recallBeginnings(handle: Queryable, atMs: number): Promise<Neighbour[]> {
  return neighboursFrom(
    await handle.query<{ rows: NeighbourRow[] | null }>(
      `with came as (
         select * from (
           select pool, image, since, lag(image) over (partition by pool order by since) is not null as is_later from (
             select pool, image, min(started_ms) as since from (
               select pool, image, started_ms from attempts where started_ms >= $1 and started_ms <= $2 order by started_ms desc limit ${BEGINNINGS_FROM}) a
             where pool is not null and image is not null group by pool, image) a) a
         where is_later)
       select ${NEIGHBOURS} from (
         select a.* from came, lateral (
           select * from attempts where pool = came.pool and image = came.image and started_ms >= since order by started_ms limit ${MOST_OF_BEGINNING}) a
         union all
         select a.* from came, lateral (
           select * from attempts where pool = came.pool and image <> came.image and started_ms < since and started_ms >= since - $3::bigint
           order by started_ms desc limit ${MOST_OF_BEGINNING}) a) b`,
      [atMs - NEWS_MS, atMs, DAYS_BEFORE * 86_400_000],
    ),
  )
}

/** So many of the newest attempts say again what sources ordinarily report. */
const ORDINARY_FROM = 1500

export async function recallOrdinary(handle: Queryable): Promise<OrdinaryModel> {
  const model = new OrdinaryModel()
  const rows = await handle.query<{ thread: string; pool: string | null; counted: boolean; body: Uint8Array }>(
    `select a.thread, a.pool, a.counted, e.body from (select id, thread, pool, counted from attempts order by started_ms desc limit $1) a join evidence e on e.attempt = a.id`,
    [ORDINARY_FROM],
  )
  for (const { thread, pool, counted, body } of rows)
    for (const { attempt: told } of correlateThread(thread, unpackEvidence(body), Infinity)) {
      const attempt = { ...told, pool: told.pool ?? pool }
      model.add(attempt)
      if (counted) model.parts.add(attempt)
    }
  return model
}

/** So many of the newest attempts say what hosts are, and which share is whose. */
const LAST_SAID_FROM = 20_000

/** What was last said of hosts and people, where evidence does not say it each time. */
export async function recallLastSaid(handle: Queryable): Promise<LastSaid> {
  const newest = `(select host, person, pool, zone, site, image, share, started_ms from attempts where outcome <> 'open' order by started_ms desc limit ${LAST_SAID_FROM}) a`
  const last = (column: string) => `(array_agg(${column} order by started_ms desc) filter (where ${column} is not null))[1]`
  type Row = Record<'host' | 'person' | 'pool' | 'zone' | 'site' | 'image' | 'share', string | null> & { readonly at_ms: number }
  const rows = await handle.query<Row>(
    `select host, null as person, null as pool, ${last('zone')} as zone, ${last('site')} as site, ${last('image')} as image, null as share, max(started_ms) as at_ms
      from ${newest} where host is not null and coalesce(zone, site, image) is not null group by host
    union all select null, person, pool, null, null, null, ${last('share')}, max(started_ms) from ${newest} where person is not null and share is not null group by person, pool`,
  )
  const said = new LastSaid()
  for (const { host, person, pool, at_ms: startedAtMs, ...places } of rows) {
    const attrs = Object.fromEntries(Object.entries(places).filter((one): one is [string, string] => one[1] !== null))
    said.know({ host, person, pool, attrs, startedAtMs })
  }
  return said
}

/** When the last attempt of a window began; null where there is none. */
export async function lastIn(handle: Queryable, fromMs: number, toMs: number): Promise<number | null> {
  const [row] = await handle.query<{ last: number | null }>(
    'select max(started_ms) as last from attempts where started_ms >= $1 and started_ms < $2',
    [fromMs, toMs],
  )
  return row?.last ?? null
}

/** When the oldest and the newest attempt began, if there are any. */
export async function extentOf(handle: Queryable): Promise<{ firstMs: number; lastMs: number } | null> {
  const [row] = await handle.query<{ first: number | null; last: number | null }>(
    'select min(started_ms) as first, max(started_ms) as last from attempts',
  )
  return row?.first == null || row.last == null ? null : { firstMs: row.first, lastMs: row.last }
}
