import type { Incident, Scattered, Suspect, Watched } from '../../core/logons'
import { ANY_FACTOR, isHost, namesOf, watchHelp } from '../../core/logons'
import { Problem } from '../../contract/errors'
import type { IncidentLine, IncidentPage, Watch } from '../../contract/logons'
import { listChanges } from '../journal/changes'
import type { Context } from '../shell/context'
import { DAY_MS } from './model'
import type { FoundSince } from './incident-desk'
import { COLUMN_OF, isAt } from './recall'

const MOST_INCIDENTS = 50
/** Hours so long before an incident, and after it, are no part of its picture, however long the window is. */
const HOURS_AROUND_MS = 90 * DAY_MS

/** The incidents of a window and, after them, single cases, each by time lost. */
export function incidentLines({ incidents, scattered }: FoundSince): IncidentLine[] {
  return [...incidents.map(incidentLine), ...scattered.map(singleLine)].slice(0, MOST_INCIDENTS)
}

const changeSaid = ({ change: { scope, by, ...change } }: Pick<Suspect, 'change'>) => ({
  ...change,
  scope: [...scope],
  ...(by === undefined ? {} : { by }),
})

function incidentLine({
  id,
  cause,
  title,
  scope,
  fromMs,
  toMs,
  episodes,
  attempts,
  failed,
  people,
  lostMs,
  example,
  worse,
  change,
  suspects: [suspect],
}: Incident): IncidentLine {
  return {
    id,
    kind: 'incident',
    cause,
    title,
    scope: [...scope],
    sinceMs: fromMs,
    toMs,
    episodes,
    attempts,
    failed,
    people,
    lostMs,
    example,
    worse: worse && { sinceMs: worse.fromMs, times: worse.sinceMs / worse.beforeMs },
    change: change && suspect ? { ...changeSaid({ change }), of: suspect.of } : null,
  }
}

function singleLine({ cause, title, fromMs, toMs, attempts, failed, people, lostMs, example }: Scattered): IncidentLine {
  return {
    id: `single~${cause}`,
    kind: 'single',
    cause,
    title,
    scope: [],
    sinceMs: fromMs,
    toMs,
    episodes: 1,
    attempts,
    failed,
    people,
    lostMs,
    example,
    worse: null,
    change: null,
  }
}

type Need = Pick<Context, 'database' | 'evidence' | 'now'>

/** One incident of a window, or single cases of one cause, with the reasons. @param doneMs a moment at which something was done about it */
export async function readIncident(need: Need, id: string, fromMs: number, toMs: number, doneMs: number | undefined): Promise<IncidentPage> {
  const found = await need.evidence.incidents(fromMs, toMs)
  // As attempts come in, its beginning may move a little: what it is called by then is its cause and place.
  const place = (one: string) => one.slice(0, one.lastIndexOf('~'))
  const incident =
    found.incidents.find((one) => one.id === id) ??
    found.incidents.find((one) => place(one.id) === place(id)) ??
    found.incidents.find((one) => isOfItsHosts(one, place(id)))
  const single = incident ? undefined : found.scattered.find(({ cause }) => id === `single~${cause}`)
  const line = incident ? incidentLine(incident) : single ? singleLine(single) : null
  if (!line) throw new Problem('incident.unknown')
  const [hours, done, watch] = await Promise.all([
    need.evidence.hours(
      line.scope,
      line.cause,
      Math.max(line.sinceMs - HOURS_AROUND_MS, Math.min(line.sinceMs - DAY_MS, fromMs)),
      Math.min(toMs, line.toMs + HOURS_AROUND_MS),
    ),
    doneSince(need, line),
    doneMs === undefined ? null : watchIncident(need, line, doneMs),
  ])
  const none = { hit: 0, n: 0 }
  return {
    ...line,
    contrast: incident ? { inside: { ...incident.contrast.inside }, outside: { ...incident.contrast.outside } } : { inside: none, outside: none },
    p: incident?.p ?? 1,
    each: incident
      ? incident.each.map(({ place: where, fromMs: sinceMs, inside }) => ({ place: { ...where }, fromMs: sinceMs, inside: { ...inside } }))
      : [],
    alongside: incident ? incident.alongside.map(({ place: where, sentence }) => ({ place: { ...where }, sentence })) : [],
    suspects: incident
      ? incident.suspects.map(({ score, of, reasons, change }) => ({ change: changeSaid({ change }), of, score, reasons: [...reasons] }))
      : [],
    hours,
    done,
    watch,
  }
}

/** Whether several hosts have now what one, or some, of them had when it was called by this. */
function isOfItsHosts({ cause, scope: [at, ...more] }: Incident, place: string): boolean {
  if (!at || !isHost(at.dimension) || more.length > 0) return false
  const called = `${cause}~${at.dimension}=`
  if (!place.startsWith(called)) return false
  const names = namesOf(at)
  return namesOf({ ...at, value: place.slice(called.length) }).some((name) => names.includes(name))
}

/** What is done later than this after the last of it cannot be what ended it. */
const DONE_WITHIN_MS = 14 * DAY_MS

/** Jobs that ended and changes that were made since it began; those at its places first. What only alters how logons are told helps nobody. */
async function doneSince({ database, now }: Need, { sinceMs, toMs, scope }: IncidentLine): Promise<IncidentPage['done']> {
  const untilMs = Math.min(now(), toMs + DONE_WITHIN_MS)
  const [jobs, changes] = await Promise.all([
    database.query<{ atMs: number; sentence: string; target: string | null }>(
      `select ended_ms as "atMs", title || coalesce(' (' || target || ')', '') || ', ' || author as sentence, target from jobs where state = 'done' and kind <> 'explain-anew' and ended_ms between $1 and $2 order by ended_ms desc limit 30`,
      [sinceMs, untilMs],
    ),
    listChanges(database, sinceMs, untilMs),
  ])
  const values = scope.flatMap((one) => namesOf(one).map((name) => name.toLowerCase()))
  const atPlace = (value: string) => values.includes(value.toLowerCase())
  const done = [
    ...jobs.map(({ atMs, sentence, target }) => ({ atMs, sentence, here: target !== null && atPlace(target) })),
    ...changes
      .filter(({ id }) => !id.startsWith('job-'))
      .map(({ atMs, sentence, scope: at }) => ({ atMs, sentence, here: at.some(({ value }) => atPlace(value)) })),
  ]
  return done.sort((a, b) => Number(b.here) - Number(a.here) || b.atMs - a.atMs).slice(0, 40)
}

/** What is known of an attempt's part or package is known only of those who had it: such elements follow the people instead of the place. */
const PLACELESS = new Set(['part', 'package', 'group'])

function whoseWords({ dimension, value }: { readonly dimension: string; readonly value: string }): string {
  if (dimension === 'factor') return `with ${value === ANY_FACTOR ? 'a second factor' : `the second factor ${value}`}`
  return dimension === 'logon' ? 'who logs on for the first time' : `on ${value}`
}

/** Follows the same people or place from a moment on. */
async function watchIncident({ database }: Need, { cause, scope, sinceMs, toMs }: IncidentLine, doneMs: number): Promise<Watch> {
  const places = scope.filter(({ dimension }) => !PLACELESS.has(dimension) && dimension in { ...COLUMN_OF, person: true })
  const params: unknown[] = [cause, Math.max(sinceMs, doneMs - 14 * DAY_MS), doneMs]
  const wheres = places.map(
    ({ dimension, value }) =>
      `and a.${dimension === 'person' ? `person = $${params.push(value)}` : isAt(dimension as keyof typeof COLUMN_OF, value, (one) => `$${params.push(one)}`)}`,
  )
  // Without a place of its own: whoever had it.
  if (places.length === 0)
    wheres.push(
      `and a.person in (select person from attempts where cause = $1 and lost_ms > 0 and started_ms >= $2 and started_ms <= $${params.push(toMs)} and person is not null)`,
    )
  const rows = async (from: string) =>
    database.query<Watched & { cause: string | null }>(
      `select a.total_ms as "totalMs", a.outcome = 'failed' as failed, a.cause from attempts a where ${from} and a.outcome <> 'open' and $1::text is not null and $2::bigint is not null and $3::bigint is not null ${wheres.join(' ')} order by a.started_ms limit 2000`,
      params,
    )
  const before = await rows(`a.started_ms >= $2 and a.started_ms < $3 ${places.length === 0 ? 'and a.cause = $1 and a.lost_ms > 0' : ''}`)
  const after = await rows('a.started_ms >= $3')
  const helped = watchHelp(before, after)
  const withCause = after.filter((one) => one.cause === cause).length
  const cohort = places.length ? `everybody ${places.map(whoseWords).join(', ')}` : `the people who had it`
  return { sinceMs: doneMs, cohort, ...helped, after: { ...helped.after, withCause }, sentence: watchWords(helped) }
}

const seconds = (ms: number | null) => (ms === null ? 'none got in' : ms < 10_000 ? `${(ms / 1000).toFixed(1)} s` : `${Math.round(ms / 1000)} s`)

function watchWords({ verdict, before, after }: ReturnType<typeof watchHelp>): string {
  const logons = `${after.n} logon${after.n === 1 ? '' : 's'} so far`
  const failing = before.failed > 0 ? `; ${before.failed} of ${before.n} failed before, ${after.failed} of ${after.n} since` : ''
  const figures = `${seconds(before.medianMs)} → ${seconds(after.medianMs)}, ${logons}${failing}`
  if (verdict === 'waiting') return 'Nobody of them has logged on since.'
  if (verdict === 'helped') return `Helped: ${figures}.`
  if (verdict === 'worse') return `Worse: ${figures}.`
  if (verdict === 'no effect') return `No effect: ${figures}.`
  return `No effect that can be told yet: ${figures}.`
}
