import { CAUSE_BY_ID, SERIES, type CohortFigures } from '../../core/logons'
import { BUCKETS, COHORT_KINDS, type Cohort, type Pictures } from '../../contract/compare'
import { Problem } from '../../contract/errors'
import { Histogram } from '../../core/stats/histogram'
import type { Queryable } from '../db/database'
import type { Evidence } from './evidence'
import { HOUR_MS, TOOK_MS, unpackHistograms } from './model'
import { isAt } from './recall'

type Kind = (typeof COHORT_KINDS)[number]
const isKind = (kind: string): kind is Kind => (COHORT_KINDS as readonly string[]).includes(kind)

/** Whoever holds the attempts of the last month in columns. */
export type InMemory = Pick<Evidence, 'cohort' | 'phases'>

/** The logons of one cohort of a window, in figures that can be laid beside another's. */
export async function readCohort(database: Queryable, memory: InMemory, id: string, fromMs: number, toMs: number): Promise<Cohort> {
  const kind = id.slice(0, id.indexOf(':'))
  const value = id.slice(kind.length + 1)
  if (!isKind(kind)) throw new Problem('request.invalid', `${kind} is nothing that can be compared; try ${COHORT_KINDS.join(', ')}.`)
  const made = (await remembered(memory, kind, value, fromMs, toMs)) ?? (await counted(database, kind, value, fromMs, toMs))
  const [low = 0, median = 0, high = 0] = made.quantiles ?? []
  return {
    id,
    kind,
    value,
    logons: made.logons,
    failed: made.failed,
    slow: made.slow,
    lostMs: made.lostMs,
    lowMs: Math.round(low),
    medianMs: Math.round(median),
    highMs: Math.round(high),
    phases: SERIES.slice(0, -1).flatMap((phase, i) => {
      const ms = Math.round(made.phases[i] ?? 0)
      return ms > 0 ? [{ phase, medianMs: ms }] : []
    }),
    causes: made.causes.map(({ cause, n }) => ({ cause, title: CAUSE_BY_ID.get(cause)?.title ?? 'Not explained', n })),
    buckets: [...made.buckets],
  }
}

interface Made extends Omit<CohortFigures, 'totals'> {
  readonly buckets: readonly number[]
}

/** From the attempts in memory; null where not all of the window is there. */
async function remembered(memory: InMemory, kind: Kind, value: string, fromMs: number, toMs: number): Promise<Made | null> {
  const moment = Number(value) || 0
  const figures = await memory.cohort(
    kind === 'before'
      ? { fromMs, toMs: Math.min(toMs, moment) }
      : kind === 'since'
        ? { fromMs: Math.max(fromMs, moment), toMs }
        : kind === 'person'
          ? { fromMs, toMs, person: value }
          : { fromMs, toMs, places: { [kind]: [value] } },
  )
  if (!figures) return null
  const buckets = new Array<number>(BUCKETS).fill(0)
  for (const ms of figures.totals) {
    const at = Math.min(BUCKETS - 1, Math.max(0, Math.floor(Math.log(Math.max(ms, 1) / 2000) / Math.log(1.15))))
    buckets[at] = (buckets[at] ?? 0) + 1
  }
  return { ...figures, buckets }
}

/** The same from the database. */
async function counted(database: Queryable, kind: Kind, value: string, fromMs: number, toMs: number): Promise<Made> {
  const params: unknown[] = [fromMs, toMs]
  const where =
    kind === 'before'
      ? `started_ms < least($2, $${params.push(Number(value) || 0)}::bigint)`
      : kind === 'since'
        ? `started_ms >= $${params.push(Number(value) || 0)}::bigint`
        : kind === 'host' || kind === 'person'
          ? `lower(${kind}) = lower($${params.push(value)})`
          : isAt(kind, value, (one) => `$${params.push(one)}`)
  const within = `started_ms >= $1 and started_ms < $2 and ${where}`
  const got = `outcome in ('ready', 'slow', 'degraded')`
  const [row] = await database.query<{ made: Counted }>(
    `with w as materialized (select outcome, total_ms, lost_ms, cause, ${TOOK_MS} as took from attempts where ${within} and outcome <> 'open')
    select json_build_object(
      'logons', count(*), 'failed', count(*) filter (where outcome = 'failed'), 'slow', count(*) filter (where outcome = 'slow'), 'lostMs', coalesce(sum(lost_ms), 0),
      'quantiles', percentile_cont(array[0.1, 0.5, 0.9]) within group (order by total_ms) filter (where ${got}),
      'phases', json_build_array(${SERIES.map((_, i) => `percentile_cont(0.5) within group (order by took[${i + 1}]) filter (where ${got})`).join(', ')}),
      'causes', (select json_agg(c) from (select cause, count(*) as n from w where cause is not null group by cause order by count(*) desc, cause limit 6) c),
      'buckets', (select json_agg(b) from (select least(${BUCKETS - 1}, greatest(0, floor(ln(greatest(total_ms, 1) / 2000.0) / ln(1.15))))::integer as at, count(*) as n from w where ${got} group by 1) b)) as made from w`,
    params,
  )
  const made = row?.made
  const buckets = new Array<number>(BUCKETS).fill(0)
  for (const { at, n } of made?.buckets ?? []) buckets[at] = n
  return {
    logons: made?.logons ?? 0,
    failed: made?.failed ?? 0,
    slow: made?.slow ?? 0,
    lostMs: made?.lostMs ?? 0,
    quantiles: made?.quantiles ?? null,
    phases: made?.phases ?? [],
    causes: made?.causes ?? [],
    buckets,
  }
}

interface Counted {
  logons: number
  failed: number
  slow: number
  lostMs: number
  quantiles: [number, number, number] | null
  phases: (number | null)[]
  causes: { cause: string; n: number }[] | null
  buckets: { at: number; n: number }[] | null
}

/** More columns than this are joined. */
const MOST_COLUMNS = 170

/** A window as pictures: a week by hours, and phases by hour; from the roll-ups of hours. */
export async function readPictures(database: Queryable, fromMs: number, toMs: number, timeZone: string): Promise<Pictures> {
  const [hours] = await database.query<{ list: { h: number; n: number; bad: number; s: string; sums: number[] | null }[] | null }>(
    `select json_agg(json_build_object('h', hour_ms, 'n', n, 'bad', bad, 's', encode(sketch, 'base64'), 'sums', sums) order by hour_ms) as list from hours where hour_ms >= $1 and hour_ms < $2`,
    [fromMs - HOUR_MS + 1, toMs],
  )
  const week = Array.from({ length: 168 }, () => ({ n: 0, bad: 0, total: new Histogram() }))
  const stepMs = Math.max(1, Math.ceil((toMs - fromMs) / HOUR_MS / MOST_COLUMNS)) * HOUR_MS
  const columns = new Map<number, { n: number; sums: number[] }>()
  for (const { h, n, bad, s, sums } of hours?.list ?? []) {
    const cell = week[slotOf(h, timeZone)]
    const [sketch] = unpackHistograms(Buffer.from(s, 'base64'))
    if (cell) {
      cell.n += n
      cell.bad += bad
      if (sketch) cell.total.merge(sketch)
    }
    const at = Math.floor(h / stepMs) * stepMs
    const column = columns.get(at) ?? { n: 0, sums: SERIES.slice(0, -1).map(() => 0) }
    columns.set(at, column)
    column.n += n
    sums?.forEach((sum, i) => {
      if (i < column.sums.length) column.sums[i] = (column.sums[i] ?? 0) + sum
    })
  }
  return {
    fromMs,
    toMs,
    week: week.map(({ n, bad: spoiled, total }) => ({ n, bad: spoiled, medianMs: total.n > 0 ? Math.round(total.quantile(0.5)) : null })),
    phases: {
      names: SERIES.slice(0, -1),
      stepMs,
      columns: [...columns].map(([atMs, { n, sums }]) => ({ atMs, n, meanMs: sums.map((sum) => (n > 0 ? Math.round(sum / n) : 0)) })),
    },
  }
}

const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const formats = new Map<string, Intl.DateTimeFormat>()

/** The hour of the week in a time zone, Monday 0:00 first. */
function slotOf(ms: number, timeZone: string): number {
  let format = formats.get(timeZone)
  if (!format) formats.set(timeZone, (format = new Intl.DateTimeFormat('en-GB', { timeZone, weekday: 'short', hour: '2-digit', hourCycle: 'h23' })))
  const parts = format.formatToParts(ms)
  const day = WEEKDAYS.indexOf(parts.find(({ type }) => type === 'weekday')?.value ?? 'Mon')
  return day * 24 + Number(parts.find(({ type }) => type === 'hour')?.value ?? 0)
}
