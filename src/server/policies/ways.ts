import { SERIES } from '../../core/logons'
import type { Queryable } from '../db/database'
import type { InMemory } from '../logons/compare'
import { DAY_MS, TOOK_MS } from '../logons/model'

const DAYS = 7

export interface Way {
  readonly network: string
  readonly transport: string
  readonly logons: number
  readonly connectMs: number | null
  readonly lost: number
}

/** Which way logons really went, by network. What evidence does not say is left out. */
export async function waysOf(handle: Queryable, memory: InMemory, nowMs: number): Promise<Way[]> {
  const filter = { fromMs: nowMs - DAYS * DAY_MS, toMs: Number.MAX_SAFE_INTEGER }
  const found = await memory.phases([{ filter, phase: 'connect', by: ['network', 'transport'] }])
  if (!found) return counted(handle, filter.fromMs)
  return found
    .flat()
    .flatMap(({ at: [network = '', transport = ''], logons, lost, medianMs }) =>
      transport === '' ? [] : [{ network, transport, logons, connectMs: medianMs, lost }],
    )
    .sort((a, b) => (a.network < b.network ? -1 : a.network > b.network ? 1 : b.logons - a.logons))
}

/** The same from the database, where not all of those days is in memory. */
function counted(handle: Queryable, fromMs: number): Promise<Way[]> {
  return handle.query(
    `select network, transport, count(*)::int as logons, count(*) filter (where lost_ms > 0)::int as lost,
      percentile_cont(0.5) within group (order by ${TOOK_MS}[${SERIES.indexOf('connect') + 1}]) filter (where outcome in ('ready', 'slow', 'degraded')) as "connectMs"
    from attempts where started_ms >= $1 and transport is not null and outcome <> 'open' group by network, transport order by network, count(*) desc`,
    [fromMs],
  )
}
