import type { SharePage } from '../../contract/shares'
import { zoneOffsetMs } from '../../core/stats/zone'
import type { Context } from '../shell/context'
import { fastestGrowing } from './store'

const DAY_MS = 86_400_000
const HOUR_MS = 3_600_000
/** Load by hour is that of so many days. */
const HOURS_DAYS = 14
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
  const [told, own, logons, grown] = await Promise.all([
    fleet.shareHistory(id).catch(() => ({ samples: [] })),
    database.query<SharePage['samples'][number]>(
      `select hour_ms as "atMs", used_bytes as "usedBytes", latency_ms as "latencyMs" from share_samples where share = $1 order by hour_ms`,
      [path],
    ),
    database.query<{ hour: number; n: number; days: number }>(
      `select floor(mod(started_ms + $3, ${DAY_MS}) / ${HOUR_MS})::integer as hour, count(*) as n, count(distinct (started_ms + $3) / ${DAY_MS}) as days from attempts where share = $1 and started_ms > $2 group by 1`,
      [path, nowMs - HOURS_DAYS * DAY_MS, offset],
    ),
    fastestGrowing(database, path, DRIVERS),
  ])
  // One sample for each six hours at most.
  const bySpan = new Map([...told.samples, ...own].map((sample) => [Math.floor(sample.atMs / (DAY_MS / 4)), sample]))
  const samples = [...bySpan.values()].sort((a, b) => a.atMs - b.atMs)
  const drivers = grown.map(({ id: container, person, name, fileBytes, grewBytes, grewSinceMs }) => ({
    id: container,
    person,
    name,
    bytes: fileBytes,
    grewBytes: grewBytes ?? 0,
    days: Math.max(1, Math.round((nowMs - (grewSinceMs ?? nowMs)) / DAY_MS)),
  }))
  return { samples, hours: hoursOf(samples, logons, offset, nowMs), drivers }
}

function hoursOf(
  samples: Growth['samples'],
  logons: readonly { hour: number; n: number; days: number }[],
  offset: number,
  nowMs: number,
): Growth['hours'] {
  const days = Math.max(1, ...logons.map(({ days: seen }) => seen))
  const hourOf = (atMs: number) => Math.floor(((atMs + offset) % DAY_MS) / HOUR_MS)
  const lately = samples.filter(({ atMs }) => atMs > nowMs - HOURS_DAYS * DAY_MS)
  return Array.from({ length: 24 }, (_, hour) => {
    const latencies = lately.flatMap(({ atMs, latencyMs }) => (latencyMs !== null && hourOf(atMs) === hour ? [latencyMs] : []))
    return {
      hour,
      logons: (logons.find((one) => one.hour === hour)?.n ?? 0) / days,
      latencyMs: latencies.length ? latencies.reduce((sum, ms) => sum + ms, 0) / latencies.length : null,
    }
  })
}
