import type { Stretch, StretchLines } from '../../contract/policies'
import type { Queryable } from '../db/database'
import { DAY_MS } from '../logons/model'

/** A stretch as it is kept, in the row of its person, pool and day. */
type Kept = readonly [
  session: string,
  host: string,
  onMs: number,
  offMs: number | null,
  ended: Stretch['ended'],
  network: string | null,
  clientKind: string | null,
  clientVersion: string | null,
  address: string | null,
  rttMs: number | null,
  kbps: number | null,
]
interface Day {
  readonly person: string
  readonly pool: string
  readonly dayMs: number
  readonly stretches: string
}

/** So many days of people are written at once: whoever waits for the database does not wait long. */
const AT_ONCE = 500
/** Those that are kept of a day (c) and those that are told of it (excluded): each once, as it was told last. */
const TOGETHER = `select json_agg(one order by (one->>2)::bigint, one->>0)::text from
  (select distinct on (one->>2, one->>0) one from
    (select one, 1 as told from json_array_elements(excluded.stretches::json) one union all select one, 0 from json_array_elements(c.stretches::json) one) both_of
    order by one->>2, one->>0, told desc) each_once`

/** Keeps stretches; the same one told again, as when it has ended, takes the place of the earlier. */
export async function keepStretches(database: Queryable, list: readonly Stretch[]): Promise<void> {
  const days = byDay(list)
  for (let at = 0; at < days.length; at += AT_ONCE) {
    const some = days.slice(at, at + AT_ONCE)
    await database.query(
      `insert into connected as c select person, pool, "dayMs", stretches from json_to_recordset($1::json) as r(person text, pool text, "dayMs" bigint, stretches text)
      on conflict (person, pool, day_ms) do update set stretches = (${TOGETHER})`,
      [
        JSON.stringify(
          some.map(({ person, pool, dayMs, told }): Day => ({
            person,
            pool,
            dayMs,
            stretches: JSON.stringify([...told.values()].sort((a, b) => a[2] - b[2])),
          })),
        ),
      ],
    )
  }
}

interface Told extends Omit<Day, 'stretches'> {
  /** By when they began, and of which session they are. */
  readonly told: Map<string, Kept>
}

function byDay(list: readonly Stretch[]): Told[] {
  const days = new Map<string, Told>()
  for (const one of list) {
    const [person, onMs] = [one.person.toLowerCase(), Math.round(one.onMs)]
    const dayMs = onMs - (onMs % DAY_MS)
    const key = JSON.stringify([person, one.pool, dayMs])
    let day = days.get(key)
    if (!day) days.set(key, (day = { person, pool: one.pool, dayMs, told: new Map() }))
    const { clientKind = null, clientVersion = null, network = null, address = null, rttMs = null, kbps = null } = one
    const offMs = one.offMs === null ? null : Math.round(one.offMs)
    day.told.set(`${onMs} ${one.session}`, [one.session, one.host, onMs, offMs, one.ended, network, clientKind, clientVersion, address, rttMs, kbps])
  }
  return [...days.values()]
}

interface Connected {
  readonly person: string
  readonly pool: string
  readonly kept: Kept[]
}

const keptIn = ({ stretches }: Pick<Day, 'stretches'>) => JSON.parse(stretches) as Kept[]

const ENDED = { 'logged off': 'o', disconnected: 'd', limit: 'l' } as const

/** The sessions of the last days. */
export async function stretchLines(database: Queryable, days: number, nowMs: number): Promise<StretchLines> {
  const fromMs = Math.floor((nowMs - days * DAY_MS) / 1000) * 1000
  const [networks, clients] = [new Places(), new Places()]
  const found = await keptSince(database, fromMs)
  found.sort((a, b) => (a.person < b.person ? -1 : a.person > b.person ? 1 : a.pool < b.pool ? -1 : 1))
  const lines = found.map(({ person, pool, kept }) => ({ person, pool, ...lineOf(kept, fromMs, networks, clients) }))
  return { networks: networks.names, clients: clients.names, fromMs, untilMs: nowMs, lines }
}

/** Those of each person and pool since a moment, in order. A day is one text, as a row costs more to fetch than what is in it; and other questions need not wait for all days. */
async function keptSince(database: Queryable, fromMs: number): Promise<Connected[]> {
  const found = new Map<string, Connected>()
  const days = await database.query<{ dayMs: number }>('select distinct day_ms as "dayMs" from connected where day_ms >= $1 order by day_ms', [
    fromMs - (fromMs % DAY_MS),
  ])
  for (const { dayMs } of days) {
    const [day] = await database.query<{ all: string }>(
      `select '[' || string_agg('[' || to_json(person) || ',' || to_json(pool) || ',' || stretches || ']', ',') || ']' as all from connected where day_ms = $1`,
      [dayMs],
    )
    for (const [person, pool, told] of JSON.parse(day?.all ?? '[]') as [person: string, pool: string, told: Kept[]][]) {
      const fresh = told.filter(([, , onMs]) => onMs >= fromMs)
      if (fresh.length === 0) continue
      const key = JSON.stringify([person, pool])
      const before = found.get(key)
      if (before) before.kept.push(...fresh)
      else found.set(key, { person, pool, kept: fresh })
    }
  }
  return [...found.values()]
}

function lineOf(kept: readonly Kept[], fromMs: number, networks: Places, clients: Places): Omit<StretchLines['lines'][number], 'person' | 'pool'> {
  const text = (of: (one: Kept) => number) => kept.map(of).join(',')
  const second = (ms: number) => Math.floor((ms - fromMs) / 1000)
  return {
    on: text(([, , onMs]) => second(onMs)),
    off: text(([, , , offMs]) => (offMs === null ? -1 : second(offMs))),
    ended: kept.map(([, , , , ended]) => (ended === null ? '-' : ENDED[ended])).join(''),
    network: text(([, , , , , network]) => networks.of(network ?? '')),
    client: text(([, , , , , , kind, version]) => clients.of(`${kind ?? ''} ${version ?? ''}`)),
    rtt: text(([, , , , , , , , , rttMs]) => (rttMs === null ? -1 : Math.round(rttMs))),
    kbps: text(([, , , , , , , , , , kbps]) => (kbps === null ? -1 : Math.round(kbps))),
  }
}

/** Names by the place at which they came first. */
class Places {
  readonly names: string[] = []
  readonly #places = new Map<string, number>()

  of(name: string): number {
    let place = this.#places.get(name)
    if (place === undefined) this.#places.set(name, (place = this.names.push(name) - 1))
    return place
  }
}

/** From which networks, and on which kinds of client, people were connected lately: on the last two days that anybody was. */
export async function seenLately(database: Queryable): Promise<{ readonly networks: readonly string[]; readonly clientKinds: readonly string[] }> {
  const rows = await database.query<Day>('select stretches from connected where day_ms >= (select max(day_ms) from connected) - $1::bigint', [DAY_MS])
  const [networks, clientKinds] = [new Set<string>(), new Set<string>()]
  for (const row of rows)
    for (const [, , , , , network, kind] of keptIn(row)) {
      if (network) networks.add(network)
      if (kind) clientKinds.add(kind)
    }
  return { networks: [...networks], clientKinds: [...clientKinds] }
}
