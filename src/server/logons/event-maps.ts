import type { EventMapLine, EventMapPreview } from '../../contract/event-map'
import { EventLog, type EventRule } from '../../core/formats'
import type { Observation } from '../../core/logons'
import type { Queryable } from '../db/database'
import { readEventMap } from './event-map-file'

const MOST_SHOWN = 200

/** What a map makes of real events, before it is kept. */
export function previewEventMap(text: string, sample: string): EventMapPreview {
  const { rules, complaints } = readEventMap(text)
  const observations: Observation[] = []
  const notUnderstood: string[] = []
  if (complaints.length === 0) {
    const log = new EventLog({ observation: (one) => observations.push(one), fault: ({ reason }) => notUnderstood.push(reason) }, rules)
    const file = log.file()
    file.push(new TextEncoder().encode(sample))
    file.end()
    log.end()
  }
  return {
    complaints,
    observations: observations
      .slice(0, MOST_SHOWN)
      .map((one) => ({
        atMs: one.timeMs,
        kind: one.kind,
        person: one.person ?? null,
        host: one.host ?? null,
        phase: one.phase ?? null,
        part: one.part ?? null,
        durationMs: one.durationMs ?? null,
        code: one.code ?? null,
        text: one.text ?? null,
        attrs: { ...one.attrs },
      })),
    of: observations.length,
    notUnderstood: notUnderstood.slice(0, MOST_SHOWN),
  }
}

export async function eventMaps(handle: Queryable): Promise<EventMapLine[]> {
  return handle.query<EventMapLine>('select name, yaml, rules, author, at_ms as "atMs" from event_maps order by name')
}

export async function keepEventMap(handle: Queryable, line: EventMapLine): Promise<void> {
  await handle.query(
    'insert into event_maps values ($1, $2, $3, $4, $5) on conflict (name) do update set yaml = excluded.yaml, rules = excluded.rules, author = excluded.author, at_ms = excluded.at_ms',
    [line.name, line.yaml, line.rules, line.author, line.atMs],
  )
}

/** All rules that are kept, and accounts by SID: from the directory, and from earlier evidence. */
export async function eventLogNeeds(handle: Queryable): Promise<{ rules: EventRule[]; accounts: Map<string, string> }> {
  const [maps, people, seen] = await Promise.all([
    eventMaps(handle),
    handle.query<{ sid: string; id: string }>('select sid, id from people where sid is not null'),
    handle.query<{ sid: string; account: string }>('select sid, account from known_sids'),
  ])
  return {
    rules: maps.flatMap(({ yaml }) => readEventMap(yaml).rules),
    accounts: new Map([...seen.map(({ sid, account }) => [sid, account] as const), ...people.map(({ sid, id }) => [sid, id] as const)]),
  }
}

/** Keeps accounts by SID that evidence named, and returns how many are new: events that come later, or in another file, may have nothing but the SID. */
export async function keepSids(handle: Queryable, accounts: ReadonlyMap<string, string>, known: ReadonlyMap<string, string>): Promise<number> {
  const fresh = [...accounts].filter(([sid]) => !known.has(sid)).map(([sid, account]) => ({ sid, account }))
  if (fresh.length === 0) return 0
  await handle.query(
    'insert into known_sids select sid, account from json_to_recordset($1::json) as r(sid text, account text) on conflict (sid) do update set account = excluded.account',
    [JSON.stringify(fresh)],
  )
  return fresh.length
}
