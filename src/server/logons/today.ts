import { OUTCOMES, incidents, type Incident } from '../../core/logons'
import type { Today } from '../../contract/logons'
import { Histogram } from '../../core/stats/histogram'
import type { Queryable } from '../db/database'
import { DAY_MS, HOUR_MS, hourOf, unpackHistograms, USUAL_DAYS } from './model'
import { readPicture, type Picture } from './pictures'

/** At about this many the dots of the picture are thinned. */
const MOST_DOTS = 4000
const MOST_INCIDENTS = 50

/** The day (or any window) at a glance, and what needs a decision, by lost time. */
export async function readToday(database: Queryable, fromMs: number, toMs: number, nowMs: number): Promise<Today> {
  const [{ counts, dots, affected }, band] = await Promise.all([readPicture(database, fromMs, toMs), usualBand(database, fromMs, toMs)])
  const logons = counts.reduce((sum, { n }) => sum + n, 0)
  const every = Math.max(1, Math.ceil(dots.length / MOST_DOTS))
  const shown = dots.filter((_, i) => i % every === 0)
  const lostByHour = new Map<number, number>()
  for (const { atMs, lostMs } of affected) lostByHour.set(hourOf(atMs), (lostByHour.get(hourOf(atMs)) ?? 0) + lostMs)
  const worst = [...lostByHour].reduce<[number, number] | null>((best, one) => (!best || one[1] > best[1] ? one : best), null)
  const found = incidents(affected).slice(0, MOST_INCIDENTS)
  return {
    fromMs,
    toMs,
    nowMs,
    logons,
    byOutcome: Object.fromEntries(counts.map(({ outcome, n }) => [outcome, n])),
    medianMs: dots.length === logons ? medianOf(dots) : band.windowMedianMs,
    usualMedianMs: band.medianMs,
    lostMs: counts.reduce((sum, { lost }) => sum + lost, 0),
    worstFromMs: worst?.[0] ?? null,
    worstToMs: worst ? worst[0] + HOUR_MS : null,
    band: band.hours,
    dots: {
      atMs: shown.map(([at]) => at),
      totalMs: shown.map(([, total]) => total),
      outcome: shown.map(([, , name]) => OUTCOMES.findIndex((known) => known === name)),
      id: shown.map(([, , , id]) => id),
      shownOf: logons,
    },
    incidents: await sinceWhen(database, found, fromMs),
  }
}

function medianOf(dots: Picture['dots']): number {
  const all = new Histogram()
  for (const [, totalMs, outcome] of dots) if (outcome === 'ready' || outcome === 'slow') all.add(totalMs)
  return Math.round(all.quantile(0.5))
}

/** An incident began before the window when the same trouble came at least so often: office days have a weekend between them. */
const QUIET_MS = 3 * DAY_MS
/** So far back a beginning is looked for. */
const LOOK_BACK_MS = 14 * DAY_MS
/** For so many incidents, the largest. */
const LOOKED_AT = 12
const COLUMN_OF: Record<string, string> = {
  host: 'host',
  share: 'share',
  zone: 'zone',
  pool: 'pool',
  image: 'image',
  network: 'network',
  holderHost: 'holder_host',
  part: 'part',
}

/** Adds since when each incident has been going on, also before the window, as long as it came again within three days. */
async function sinceWhen(database: Queryable, found: readonly Incident[], fromMs: number): Promise<Today['incidents']> {
  return Promise.all(
    found.map(async ({ scope, ...one }, index) => {
      const line = { ...one, scope: [...scope], sinceMs: one.fromMs }
      if (index >= LOOKED_AT || one.fromMs - fromMs > QUIET_MS) return line
      const params: unknown[] = [one.cause, fromMs - LOOK_BACK_MS, one.fromMs, QUIET_MS]
      const wheres = scope.flatMap(({ dimension, value }) => (COLUMN_OF[dimension] ? [` and ${COLUMN_OF[dimension]} = $${params.push(value)}`] : []))
      // From each moment to the first of its kind within the time of quiet before it, until there is none.
      const [row] = await database.query<{ since: number }>(
        `with recursive back(at) as (
        select $3::bigint union all
        select earlier.started_ms from back, lateral (select started_ms from attempts where cause = $1 and lost_ms > 0 and started_ms >= greatest($2, back.at - $4) and started_ms < back.at${wheres.join('')} order by started_ms limit 1) earlier)
      select min(at) as since from back`,
        params,
      )
      line.sinceMs = row?.since ?? line.sinceMs
      return line
    }),
  )
}

/** The middle 80 % for each hour of the window, from the same hour of the 14 days before it. */
async function usualBand(
  database: Queryable,
  fromMs: number,
  toMs: number,
): Promise<{ hours: Today['band']; medianMs: number | null; windowMedianMs: number }> {
  const firstHour = hourOf(fromMs)
  const [row] = await database.query<{ list: { h: number; s: string }[] | null }>(
    `select json_agg(json_build_object('h', hour_ms, 's', encode(sketch, 'base64'))) as list from hours where hour_ms >= $1 and hour_ms < $2`,
    [firstHour - USUAL_DAYS * DAY_MS, toMs],
  )
  const byHour = Array.from({ length: 24 }, () => new Histogram())
  const all = new Histogram()
  const within = new Histogram()
  for (const { h, s } of row?.list ?? []) {
    const [sketch] = unpackHistograms(Buffer.from(s, 'base64'))
    if (!sketch) continue
    if (h >= firstHour) {
      within.merge(sketch)
      continue
    }
    byHour[Math.floor(h / HOUR_MS) % 24]?.merge(sketch)
    all.merge(sketch)
  }
  const hours: Today['band'] = []
  const step = Math.max(HOUR_MS, Math.ceil((toMs - fromMs) / HOUR_MS / 200) * HOUR_MS)
  for (let atMs = firstHour; atMs < toMs; atMs += step) {
    const histogram = byHour[Math.floor(atMs / HOUR_MS) % 24]
    const [lowMs = 0, highMs = 0] = histogram?.quantiles([0.1, 0.9]) ?? []
    hours.push({ atMs, lowMs: Math.round(lowMs), highMs: Math.round(highMs), n: histogram?.n ?? 0 })
  }
  return { hours, medianMs: all.n > 0 ? Math.round(all.quantile(0.5)) : null, windowMedianMs: Math.round(within.quantile(0.5)) }
}
