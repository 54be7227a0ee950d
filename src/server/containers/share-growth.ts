import type { SharePage } from '../../contract/shares'
import type { Context } from '../shell/context'
import { zoneOffsetMs } from '../../core/stats/zone'

const DAY_MS = 86_400_000
const HOUR_MS = 3_600_000
/** Load by hour is that of so many days. */
const HOURS_DAYS = 14
/** Growth of single containers is told over so many days. */
const DRIVER_DAYS = 30
const DRIVERS = 8

type Growth = Pick<SharePage, 'samples' | 'hours' | 'drivers'>

/** How a share was filled and used: what the file server remembers, and what was seen since. */
export async function readGrowth(
  { database, fleet, config, now }: Pick<Context, 'database' | 'fleet' | 'config' | 'now'>,
  id: string,
  path: string,
): Promise<Growth> {
  const nowMs = now()
  const offset = zoneOffsetMs(config.timeZone, nowMs)
  const [told, own, logons, containers] = await Promise.all([
    fleet.shareHistory(id).catch(() => ({ samples: [], folders: [] })),
    database.query<SharePage['samples'][number]>(
      `select hour_ms as "atMs", used_bytes as "usedBytes", latency_ms as "latencyMs" from share_samples where share = $1 order by hour_ms`,
      [path],
    ),
    database.query<{ hour: number; n: number; days: number }>(
      `select floor(mod(started_ms + $3, ${DAY_MS}) / ${HOUR_MS})::integer as hour, count(*) as n, count(distinct (started_ms + $3) / ${DAY_MS}) as days from attempts where share = $1 and started_ms > $2 group by 1`,
      [path, nowMs - HOURS_DAYS * DAY_MS, offset],
    ),
    database.query<{
      id: string
      file: string
      person: string | null
      name: string | null
      bytes: number
      thenMs: number | null
      thenBytes: number | null
    }>(
      `select c.id, c.file, c.person, p.name, c.file_bytes as bytes, d.day_ms as "thenMs", d.file_bytes as "thenBytes" from containers c left join people p on p.id = c.person
        left join lateral (select day_ms, file_bytes from container_days d where d.id = c.id and d.day_ms > $2 order by day_ms limit 1) d on true where c.share = $1`,
      [path, nowMs - DRIVER_DAYS * DAY_MS],
    ),
  ])
  // One sample for each six hours at most.
  const samples = [...new Map([...told.samples, ...own].map((sample) => [Math.floor(sample.atMs / (DAY_MS / 4)), sample])).values()].sort(
    (a, b) => a.atMs - b.atMs,
  )
  const remembered = new Map(told.folders.map((one) => [one.folder.toLowerCase(), one]))
  const drivers = containers.flatMap(({ id: container, file, person, name, bytes, thenMs, thenBytes }) => {
    const folder = remembered.get(file.split('/')[0]?.toLowerCase() ?? '')
    const then =
      folder && folder.atMs > nowMs - (DRIVER_DAYS + 1) * DAY_MS && folder.atMs < (thenMs ?? Infinity)
        ? { atMs: folder.atMs, bytes: folder.bytes }
        : thenMs === null
          ? null
          : { atMs: thenMs, bytes: thenBytes ?? 0 }
    return then === null || bytes <= then.bytes
      ? []
      : [{ id: container, person, name, bytes, grewBytes: bytes - then.bytes, days: Math.max(1, Math.round((nowMs - then.atMs) / DAY_MS)) }]
  })
  return { samples, hours: hoursOf(samples, logons, offset, nowMs), drivers: drivers.sort((a, b) => b.grewBytes - a.grewBytes).slice(0, DRIVERS) }
}

function hoursOf(
  samples: Growth['samples'],
  logons: readonly { hour: number; n: number; days: number }[],
  offset: number,
  nowMs: number,
): Growth['hours'] {
  const days = Math.max(1, ...logons.map(({ days: seen }) => seen))
  return Array.from({ length: 24 }, (_, hour) => {
    const latencies = samples.flatMap(({ atMs, latencyMs }) =>
      latencyMs !== null && atMs > nowMs - HOURS_DAYS * DAY_MS && Math.floor(((atMs + offset) % DAY_MS) / HOUR_MS) === hour ? [latencyMs] : [],
    )
    return {
      hour,
      logons: (logons.find((one) => one.hour === hour)?.n ?? 0) / days,
      latencyMs: latencies.length ? latencies.reduce((sum, ms) => sum + ms, 0) / latencies.length : null,
    }
  })
}
