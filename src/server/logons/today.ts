import { HourBands, OUTCOMES } from '../../core/logons'
import type { Today } from '../../contract/logons'
import { Histogram } from '../../core/stats/histogram'
import { zoneOffsetMs } from '../../core/stats/zone'
import type { Queryable } from '../db/database'
import type { FoundSince } from './incident-desk'
import { incidentLines } from './incidents'
import { DAY_MS, HOUR_MS, hourOf, unpackHistograms } from './model'
import { readPicture, type Picture } from './pictures'
import { extentOf } from './recall'

/** The band rests on so many days: each weekday four times. */
const BAND_DAYS = 28
/** At about this many the dots of the picture are thinned. */
const MOST_DOTS = 4000

/** The day (or any window) at a glance, and what needs a decision, by lost time. */
export async function readToday(
  database: Queryable,
  incidents: (fromMs: number, toMs: number) => Promise<FoundSince>,
  fromMs: number,
  toMs: number,
  nowMs: number,
  timeZone: string,
): Promise<Today> {
  const [{ counts, dots }, band, found, extent] = await Promise.all([
    readPicture(database, fromMs, toMs),
    usualBand(database, fromMs, toMs, timeZone),
    incidents(fromMs, toMs),
    extentOf(database),
  ])
  const logons = counts.reduce((sum, { n }) => sum + n, 0)
  const every = Math.max(1, Math.ceil(dots.length / MOST_DOTS))
  const shown = dots.filter((_, i) => i % every === 0)
  return {
    fromMs,
    toMs,
    nowMs,
    logons,
    byOutcome: Object.fromEntries(counts.map(({ outcome, n }) => [outcome, n])),
    medianMs: dots.length === logons ? medianOf(dots) : band.windowMedianMs,
    usualMedianMs: band.medianMs,
    lostMs: counts.reduce((sum, { lost }) => sum + lost, 0),
    worstFromMs: found.worstHourMs,
    worstToMs: found.worstHourMs === null ? null : found.worstHourMs + HOUR_MS,
    band: band.hours,
    dots: {
      atMs: shown.map(([at]) => at),
      totalMs: shown.map(([, total]) => total),
      outcome: shown.map(([, , name]) => OUTCOMES.findIndex((known) => known === name)),
      id: shown.map(([, , , id]) => id),
      shownOf: logons,
    },
    incidents: incidentLines(found),
    incidentsFromMs: Number.isFinite(found.knownFromMs) ? found.knownFromMs : null,
    newestMs: extent?.lastMs ?? null,
  }
}

function medianOf(dots: Picture['dots']): number {
  const all = new Histogram()
  for (const [, totalMs, outcome] of dots) if (outcome === 'ready' || outcome === 'slow') all.add(totalMs)
  return Math.round(all.quantile(0.5))
}

/** The middle 80 % for each hour of the window, from the hours like it of the four weeks before (see HourBands). */
async function usualBand(
  database: Queryable,
  fromMs: number,
  toMs: number,
  timeZone: string,
): Promise<{ hours: Today['band']; medianMs: number | null; windowMedianMs: number }> {
  const firstHour = hourOf(fromMs)
  const [row] = await database.query<{ list: { h: number; s: string }[] | null }>(
    `select json_agg(json_build_object('h', hour_ms, 's', encode(sketch, 'base64'))) as list from hours where hour_ms >= $1 and hour_ms < $2`,
    [firstHour - BAND_DAYS * DAY_MS, toMs],
  )
  const bands = new HourBands(zoneOffsetMs(timeZone, toMs))
  const all = new Histogram()
  const within = new Histogram()
  for (const { h, s } of row?.list ?? []) {
    const [sketch] = unpackHistograms(Buffer.from(s, 'base64'))
    if (!sketch) continue
    if (h >= firstHour) {
      within.merge(sketch)
      continue
    }
    bands.add(h, sketch)
    all.merge(sketch)
  }
  const hours: Today['band'] = []
  const step = Math.max(HOUR_MS, Math.ceil((toMs - fromMs) / HOUR_MS / 200) * HOUR_MS)
  for (let atMs = firstHour; atMs < toMs; atMs += step) hours.push({ atMs, ...bands.of(atMs) })
  return { hours, medianMs: all.n > 0 ? Math.round(all.quantile(0.5)) : null, windowMedianMs: Math.round(within.quantile(0.5)) }
}
