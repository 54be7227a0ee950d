import { deflateRawSync, inflateRawSync } from 'node:zlib'
import {
  Around,
  correlateThread,
  countsForUsual,
  DEFAULT_SLOW_MS,
  diagnose,
  durationsOf,
  endOf,
  hostsByName,
  isUnusual,
  kindOf,
  measure,
  neighbourOf,
  place,
  placesOf,
  SERIES,
  SILENCE_MS,
  threadKey,
  UsualModel,
  type Attempt,
  type Diagnosis,
  type Measured,
  type Observation,
} from '../../core/logons'
import { EMPTY_ORG, type Org } from '../../core/people'
import { Histogram } from '../../core/stats/histogram'
import type { Database, Queryable } from '../db/database'
import { dayOf, HOUR_MS, hourOf, loadOrg, loadUsual, packHistograms, unpackHistograms } from './model'
import { dropPictures, hoursWithoutPicture, keepPicture } from './pictures'
import { removeAttempts, writeAttempts, type StoredAttempt } from './store'

export interface Ingested {
  readonly attempts: number
  /** The pools that the attempts were on, for whoever follows. */
  readonly pools: readonly string[]
}

interface Known {
  readonly id: string
  readonly thread: string
  readonly started_ms: number
  readonly last_ms: number
  readonly body: Uint8Array
}

/** Whether new observations of a thread of person and host can belong to a known attempt, or join it with another. */
function canMeet({ started_ms, last_ms }: Known, fresh: readonly Observation[]): boolean {
  if (fresh.length === 0) return true
  const from = Math.min(...fresh.map((o) => o.timeMs)) - 2 * SILENCE_MS
  const to = Math.max(...fresh.map(endOf)) + 2 * SILENCE_MS
  return last_ms >= from && started_ms <= to
}

interface Worked {
  readonly attempt: Attempt
  readonly thread: string
  readonly observations: readonly Observation[]
  measured: Measured
  diagnosis: Diagnosis
}

/**
 * The single writer of attempts. Observations go in; when the promise is fulfilled they are in the database, with everything that follows
 * from them. Taking the same observations twice changes nothing; late ones join the attempt that they belong to.
 */
export class Intake {
  #org: Org = EMPTY_ORG
  #hosts = hostsByName(EMPTY_ORG)
  #slow: { default: number; byPool: Record<string, number> } = { default: DEFAULT_SLOW_MS, byPool: {} }
  #usual = new Map<number, { before: UsualModel; today: UsualModel }>()
  readonly #around = new Around()
  #newestMs = 0
  #turn: Promise<unknown> = Promise.resolve()

  constructor(private readonly database: Database) {}

  /** Reads again what the organisation looks like and what counts as slow. */
  async refresh(): Promise<void> {
    this.#org = await loadOrg(this.database)
    this.#hosts = hostsByName(this.#org)
    const [policy] = await this.database.query<{ settings: { slowSeconds: number; slowSecondsByPool: Record<string, number> } }>(
      'select settings from policy_versions order by version desc limit 1',
    )
    if (policy)
      this.#slow = {
        default: policy.settings.slowSeconds * 1000,
        byPool: Object.fromEntries(Object.entries(policy.settings.slowSecondsByPool).map(([pool, s]) => [pool, s * 1000])),
      }
  }

  /** @param upload the evidence file that they came from, if any */
  ingest(observations: readonly Observation[], nowMs: number, upload: string | null = null): Promise<Ingested> {
    const result = this.#turn.then(() => this.#ingest(observations, [], nowMs, upload))
    this.#turn = result.catch(() => undefined)
    return result
  }

  /** Looks again at recent attempts whose story may have changed: still open ones that fell silent, and unusual ones that have new neighbours. */
  reconsider(nowMs: number): Promise<Ingested> {
    const result = this.#turn.then(async () => {
      const rows = await this.database.query<{ thread: string }>(
        `select distinct thread from attempts where (outcome = 'open' and started_ms > $1) or (lost_ms > 0 and started_ms > $2)`,
        [nowMs - 6 * HOUR_MS, nowMs - 10 * 60_000],
      )
      return this.#ingest(
        [],
        rows.map(({ thread }) => thread),
        nowMs,
        null,
      )
    })
    this.#turn = result.catch(() => undefined)
    return result
  }

  /** Draws the hours that are over and have no picture, the newest first, one in each turn so that evidence never waits long. */
  async keepPictures(nowMs: number): Promise<number> {
    const hours = await hoursWithoutPicture(this.database, nowMs)
    for (const hour of hours) {
      const kept = this.#turn.then(() => keepPicture(this.database, hour))
      this.#turn = kept.catch(() => undefined)
      await kept
    }
    return hours.length
  }

  async #ingest(observations: readonly Observation[], again: readonly string[], nowMs: number, upload: string | null): Promise<Ingested> {
    const threads = new Map<string, Observation[]>(again.map((thread) => [thread, []]))
    for (const observation of observations) {
      const key = threadKey(observation)
      const list = threads.get(key)
      if (list) list.push(observation)
      else threads.set(key, [observation])
    }
    if (threads.size === 0) return { attempts: 0, pools: [] }
    const known = await this.#known(threads)
    const worked: Worked[] = []
    for (const [thread, fresh] of threads) {
      const stored = known.filter((one) => one.thread === thread).flatMap(({ body }) => unpackEvidence(body))
      for (const one of correlateThread(thread, [...stored, ...fresh], nowMs)) {
        const attempt = place(one.attempt, this.#org, this.#hosts)
        worked.push({ attempt, thread, observations: one.observations, measured: measure(attempt, null), diagnosis: { cause: null, others: [] } })
      }
    }
    worked.sort((a, b) => a.attempt.startedAtMs - b.attempt.startedAtMs || (a.attempt.id < b.attempt.id ? -1 : 1))
    await this.#analyse(worked, new Set(known.map(({ id }) => id)))
    const knownIds = new Set(known.map(({ id }) => id))
    const ids = new Set(worked.map(({ attempt }) => attempt.id))
    const gone = [...knownIds].filter((id) => !ids.has(id))
    await this.database.transaction(async (handle) => {
      const before = await this.#countedBefore(handle, [...knownIds])
      if (gone.length) await removeAttempts(handle, gone)
      // The next rows are packed here while the last ones are written there.
      let writing: Promise<void> = Promise.resolve()
      for (let at = 0; at < worked.length; at += 500) {
        const batch = worked.slice(at, at + 500).map((one) => toStored(one, upload))
        await writing
        writing = writeAttempts(
          handle,
          batch,
          batch.map(({ id }) => id).filter((id) => knownIds.has(id)),
        )
        writing.catch(() => undefined)
      }
      await writing
      await rollUp(handle, before, worked)
      await dropPictures(handle, [...known.map(({ started_ms }) => started_ms), ...worked.map(({ attempt }) => attempt.startedAtMs)])
    })
    return { attempts: worked.length, pools: [...new Set(worked.map(({ attempt }) => attempt.pool ?? ''))] }
  }

  /** Attempts that these threads already have, with their evidence, as far as they can meet the new observations in time. */
  async #known(threads: ReadonlyMap<string, readonly Observation[]>): Promise<Known[]> {
    const ids = [...threads.keys()].filter((thread) => thread.startsWith('id:')).map((thread) => thread.slice(3))
    const rest = [...threads].filter(([thread]) => !thread.startsWith('id:'))
    const [byId, byThread] = await Promise.all([
      ids.length
        ? this.database.query<Known>(
            'select a.id, a.thread, a.started_ms, a.last_ms, e.body from attempts a join evidence e on e.attempt = a.id where a.id = any($1)',
            [ids],
          )
        : [],
      rest.length
        ? this.database.query<Known>(
            `select a.id, a.thread, a.started_ms, a.last_ms, e.body from attempts a join evidence e on e.attempt = a.id where a.thread = any($1) and a.thread not like 'id:%'`,
            [rest.map(([thread]) => thread)],
          )
        : [],
    ])
    return [...byId.filter(({ thread }) => threads.has(thread)), ...byThread.filter((row) => canMeet(row, threads.get(row.thread) ?? []))]
  }

  async #analyse(worked: Worked[], known: ReadonlySet<string>): Promise<void> {
    for (const one of worked) {
      const { attempt } = one
      const models = await this.#models(dayOf(attempt.startedAtMs))
      const kind = kindOf(attempt)
      const before = models.before.usualFor(kind)
      const usual = before && before.n >= 20 ? before : (models.today.usualFor(kind) ?? before)
      one.measured = measure(attempt, usual, this.#slow.byPool[attempt.pool ?? ''] ?? this.#slow.default)
      if (!known.has(attempt.id)) {
        this.#around.add(neighbourOf(one.measured))
        if (countsForUsual(one.measured)) models.today.add(kind, durationsOf(one.measured.blame, attempt.totalMs))
      }
      this.#newestMs = Math.max(this.#newestMs, attempt.startedAtMs)
    }
    for (const one of worked) if (isUnusual(one.measured)) one.diagnosis = diagnose(one.measured, this.#around, this.#org)
    this.#around.forget(this.#newestMs - 2 * HOUR_MS)
  }

  async #models(dayMs: number): Promise<{ before: UsualModel; today: UsualModel }> {
    let models = this.#usual.get(dayMs)
    if (!models) {
      models = { before: await loadUsual(this.database, dayMs, false), today: await loadUsual(this.database, dayMs, true) }
      if (this.#usual.size > 2) this.#usual.clear()
      this.#usual.set(dayMs, models)
    }
    return models
  }

  async #countedBefore(handle: Queryable, ids: readonly string[]): Promise<Counted[]> {
    if (ids.length === 0) return []
    const rows = await handle.query<{
      pool: string | null
      first: boolean
      network: string
      started_ms: number
      blame_ms: number[]
      outcome: string
    }>(`select pool, first, network, started_ms, blame_ms, outcome from attempts where id = any($1) and outcome in ('ready', 'slow')`, [ids])
    return rows.map((row) => ({
      pool: row.pool ?? '',
      first: row.first,
      network: row.network,
      startedMs: row.started_ms,
      durations: row.blame_ms,
      times: -1,
    }))
  }
}

interface Counted {
  readonly pool: string
  readonly first: boolean
  readonly network: string
  readonly startedMs: number
  readonly durations: ArrayLike<number>
  readonly times: 1 | -1
}

/** Takes back what the attempts counted for before, adds what they count for now, cell by cell. */
async function rollUp(handle: Queryable, before: readonly Counted[], worked: readonly Worked[]): Promise<void> {
  const after = worked
    .filter(({ measured }) => countsForUsual(measured))
    .map(({ attempt, measured }): Counted => ({
      ...kindOf(attempt),
      startedMs: attempt.startedAtMs,
      durations: durationsOf(measured.blame, attempt.totalMs),
      times: 1,
    }))
  const days = new Map<string, { day: number; pool: string; first: boolean; network: string; n: number; histograms: Histogram[] }>()
  const hours = new Map<number, { hour: number; n: number; histogram: Histogram }>()
  for (const counted of [...before, ...after]) {
    const day = dayOf(counted.startedMs)
    const dayKey = `${day}|${counted.pool}|${counted.first}|${counted.network}`
    const dayCell = days.get(dayKey) ?? {
      day,
      pool: counted.pool,
      first: counted.first,
      network: counted.network,
      n: 0,
      histograms: SERIES.map(() => new Histogram()),
    }
    days.set(dayKey, dayCell)
    dayCell.n += counted.times
    dayCell.histograms.forEach((histogram, i) => {
      histogram.add(counted.durations[i] ?? 0, counted.times)
    })
    const hour = hourOf(counted.startedMs)
    const hourCell = hours.get(hour) ?? { hour, n: 0, histogram: new Histogram() }
    hours.set(hour, hourCell)
    hourCell.n += counted.times
    hourCell.histogram.add(counted.durations[SERIES.length - 1] ?? 0, counted.times)
  }
  if (days.size === 0) return
  const dayCells = [...days.values()]
  const storedDays = await handle.query<{ day_ms: number; pool: string; first: boolean; network: string; n: number; sketch: Uint8Array }>(
    'select day_ms, pool, first, network, n, sketch from usual_days where day_ms = any($1::bigint[])',
    [[...new Set(dayCells.map(({ day }) => day))]],
  )
  for (const row of storedDays) {
    const cell = days.get(`${row.day_ms}|${row.pool}|${row.first}|${row.network}`)
    if (!cell) continue
    cell.n += row.n
    unpackHistograms(row.sketch).forEach((histogram, i) => cell.histograms[i]?.merge(histogram))
  }
  await handle.query(
    `insert into usual_days select day, pool, first, network, n, decode(sketch, 'base64') from jsonb_to_recordset($1::jsonb) as r(day bigint, pool text, first boolean, network text, n integer, sketch text)
    on conflict (day_ms, pool, first, network) do update set n = excluded.n, sketch = excluded.sketch`,
    [JSON.stringify(dayCells.map(({ histograms, ...cell }) => ({ ...cell, sketch: Buffer.from(packHistograms(histograms)).toString('base64') })))],
  )
  const storedHours = await handle.query<{ hour_ms: number; n: number; sketch: Uint8Array }>(
    'select hour_ms, n, sketch from hours where hour_ms = any($1::bigint[])',
    [[...hours.keys()]],
  )
  for (const row of storedHours) {
    const cell = hours.get(row.hour_ms)
    const [stored] = unpackHistograms(row.sketch)
    if (!cell || !stored) continue
    cell.n += row.n
    cell.histogram.merge(stored)
  }
  await handle.query(
    `insert into hours select hour, n, decode(sketch, 'base64') from jsonb_to_recordset($1::jsonb) as r(hour bigint, n integer, sketch text)
    on conflict (hour_ms) do update set n = excluded.n, sketch = excluded.sketch`,
    [
      JSON.stringify(
        [...hours.values()].map(({ histogram, ...cell }) => ({ ...cell, sketch: Buffer.from(packHistograms([histogram])).toString('base64') })),
      ),
    ],
  )
}

function toStored({ attempt, thread, observations, measured, diagnosis }: Worked, upload: string | null): StoredAttempt {
  const places = placesOf(measured)
  const text = (name: string) => {
    const value = attempt.attrs[name]
    return typeof value === 'string' ? value : null
  }
  const slowest = measured.excess[0]?.phase
  const part = attempt.parts.filter(({ phase }) => phase === slowest).sort((a, b) => b.endMs - b.startMs - (a.endMs - a.startMs))[0]
  const { usual } = measured
  return {
    id: attempt.id,
    thread,
    person: attempt.person,
    account: attempt.account,
    host: attempt.host,
    pool: attempt.pool,
    session: attempt.session,
    started_ms: Math.round(attempt.startedAtMs),
    total_ms: attempt.totalMs,
    last_ms: Math.round(Math.max(attempt.startedAtMs + attempt.totalMs, ...observations.map(endOf))),
    outcome: measured.outcome,
    first: attempt.attrs['first'] === true,
    network: places.network,
    share: places.share || null,
    zone: places.zone || null,
    image: places.image || null,
    holder_host: text('holderHost'),
    part: part?.part ?? null,
    blame_ms: [...durationsOf(measured.blame, attempt.totalMs)],
    usual_ms: usual ? SERIES.map((name) => usual.series[name]?.medianMs ?? 0) : null,
    usual: isUnusual(measured) ? usual : null,
    lost_ms: isUnusual(measured) ? Math.round(measured.lostMs) : 0,
    slow_ms: Math.round(measured.slowMs),
    cause: diagnosis.cause?.id ?? (isUnusual(measured) ? 'unexplained' : null),
    confidence: diagnosis.cause?.confidence ?? null,
    upload,
    body: packEvidence(observations),
    diagnosis: diagnosis.cause || diagnosis.others.length ? diagnosis : null,
  }
}

/** A small window and little memory: each body is a few KiB, and making room for a large window costs more than packing. */
const SMALL = { level: 1, windowBits: 12, memLevel: 5 } as const

function packEvidence(observations: readonly Observation[]): string {
  return deflateRawSync(observations.map((o) => JSON.stringify(o)).join('\n'), SMALL).toString('base64')
}

export function unpackEvidence(body: Uint8Array): Observation[] {
  return inflateRawSync(body)
    .toString('utf8')
    .split('\n')
    .map((line) => JSON.parse(line) as Observation)
}
