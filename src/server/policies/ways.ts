import { SERIES } from '../../core/logons'
import type { Queryable } from '../db/database'
import { DAY_MS } from '../logons/model'

const DAYS = 7

/** Which way logons really went, by network. What evidence does not say is left out. */
export function waysOf(
  handle: Queryable,
  nowMs: number,
): Promise<{ network: string; transport: string; logons: number; connectMs: number | null; lost: number }[]> {
  return handle.query(
    `select network, transport, count(*)::int as logons, count(*) filter (where lost_ms > 0)::int as lost,
      percentile_cont(0.5) within group (order by blame_ms[${SERIES.indexOf('connect') + 1}]) filter (where outcome in ('ready', 'slow', 'degraded')) as "connectMs"
    from attempts where started_ms > $1 and transport is not null and outcome <> 'open' group by network, transport order by network, count(*) desc`,
    [nowMs - DAYS * DAY_MS],
  )
}
