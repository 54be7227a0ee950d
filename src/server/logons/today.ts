import { OUTCOMES, incidents, type Affected } from '../../core/logons'
import type { Today } from '../../contract/logons'
import { Histogram } from '../../core/stats/histogram'
import type { Queryable } from '../db/database'
import { DAY_MS, HOUR_MS, hourOf, unpackHistograms, USUAL_DAYS } from './model'
import { affectedRows, columnsOf } from './store'

/** At about this many the dots of the picture are thinned. */
const MOST_DOTS = 4000

/** The day (or any window) at a glance, and what needs a decision, by lost time. */
export async function readToday(database: Queryable, fromMs: number, toMs: number, nowMs: number): Promise<Today> {
  const [columns, affected, counts, band] = await Promise.all([
    columnsOf(database, fromMs, toMs, {}, MOST_DOTS),
    affectedRows(database, fromMs, toMs),
    database.query<{ outcome: string; n: number; lost: number }>('select outcome, count(*) as n, sum(lost_ms)::bigint as lost from attempts where started_ms >= $1 and started_ms < $2 group by outcome', [fromMs, toMs]),
    usualBand(database, fromMs, toMs),
  ])
  const all = new Histogram()
  columns.totalMs.forEach((ms, i) => { if (columns.outcome[i] === 'ready' || columns.outcome[i] === 'slow') all.add(ms) })
  const byHour = new Map<number, number>()
  for (const { at, lost } of affected) byHour.set(hourOf(at), (byHour.get(hourOf(at)) ?? 0) + lost)
  const worst = [...byHour].reduce<[number, number] | null>((best, one) => (!best || one[1] > best[1] ? one : best), null)
  return {
    fromMs, toMs, nowMs, logons: counts.reduce((sum, { n }) => sum + n, 0), byOutcome: Object.fromEntries(counts.map(({ outcome, n }) => [outcome, n])),
    medianMs: Math.round(all.quantile(0.5)), usualMedianMs: band.medianMs, lostMs: counts.reduce((sum, { lost }) => sum + lost, 0),
    worstFromMs: worst?.[0] ?? null, worstToMs: worst ? worst[0] + HOUR_MS : null, band: band.hours,
    dots: { atMs: columns.atMs, totalMs: columns.totalMs, outcome: columns.outcome.map((name) => OUTCOMES.findIndex((known) => known === name)), id: columns.id, shownOf: columns.of },
    incidents: incidents(affected.map((row): Affected => ({
      id: row.id, person: row.person ?? '', atMs: row.at, lostMs: row.lost, outcome: row.outcome, cause: row.cause,
      places: { host: row.host ?? '', share: row.share ?? '', zone: row.zone ?? '', pool: row.pool ?? '', image: row.image ?? '', network: row.network, holderHost: row.cause.startsWith('container-') ? (row.holder ?? '') : '', part: row.cause.endsWith('part-slow') || row.cause === 'script-slow' ? (row.part ?? '') : '' },
    }))).map(({ scope, ...one }) => ({ ...one, scope: [...scope] })).slice(0, 50),
  }
}

/** The middle 80 % for each hour of the window, from the same hour of the 14 days before it. */
async function usualBand(database: Queryable, fromMs: number, toMs: number): Promise<{ hours: Today['band']; medianMs: number | null }> {
  const firstHour = hourOf(fromMs)
  const [row] = await database.query<{ list: { h: number; s: string }[] | null }>(`select json_agg(json_build_object('h', hour_ms, 's', encode(sketch, 'base64'))) as list from hours where hour_ms >= $1 and hour_ms < $2`, [firstHour - USUAL_DAYS * DAY_MS, firstHour])
  const byHour = Array.from({ length: 24 }, () => new Histogram())
  const all = new Histogram()
  for (const { h, s } of row?.list ?? []) {
    const [sketch] = unpackHistograms(Buffer.from(s, 'base64'))
    if (!sketch) continue
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
  return { hours, medianMs: all.n > 0 ? Math.round(all.quantile(0.5)) : null }
}
