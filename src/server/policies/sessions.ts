import { Problem } from '../../contract/errors'
import type { LimitsOf, SessionProof, SessionReport } from '../../contract/policies'
import {
  factsOf as readyOf,
  matrixOf,
  readContext,
  sayValueOf,
  settingOf,
  valueResolver,
  wayVerdict,
  type CompiledSet,
  type Effective,
  type SessionFacts,
} from '../../core/policies'
import { groupResolver, isFamily } from '../../core/people'
import type { Queryable } from '../db/database'
import { loadOrg } from '../logons/model'
import { readStory } from '../logons/story'
import { versionsOf, type SetVersion } from './sets'
import { sessionShould } from './should'

/** The facts of an attempt, as far as its evidence told them. */
export async function factsOfAttempt(database: Queryable, id: string): Promise<SessionFacts> {
  const { person, host, pool, startedMs, attrs } = await readStory(database, id, Date.now())
  const reading = readContext({
    ...attrs,
    person,
    host,
    // What is only guessed is no fact.
    pool: isFamily(pool) ? undefined : pool,
    at: startedMs,
    address: attrs['clientAddress'],
    factor: ['none', 'push', 'code', 'key'].includes(String(attrs['factor'])) ? attrs['factor'] : undefined,
  })
  if (!reading.ok) throw new Problem('request.invalid', reading.sentence)
  return reading.facts
}

interface RunningSession {
  readonly host: string
  readonly pool: string | null
  readonly reportedMs: number | null
  readonly report: SessionReport
}

async function running(database: Queryable, where: string, values: readonly unknown[]): Promise<RunningSession[]> {
  return database.query<RunningSession>(
    `select h.id as host, h.pool, h.reported_ms as "reportedMs", s as report from hosts h cross join lateral jsonb_array_elements(h.sessions) s ${where} order by h.id`,
    values,
  )
}

function factsOf({ host, pool, report }: RunningSession): SessionFacts {
  const reading = readContext({ ...report.facts, person: report.person, host, pool: pool ?? undefined, at: report.facts?.['at'] ?? report.sinceMs })
  return reading.ok ? reading.facts : { person: report.person, host, atMs: report.sinceMs }
}

/** The facts of a running session, as its host reported them. */
export async function factsOfSession(database: Queryable, session: string): Promise<SessionFacts | null> {
  const [found] = await running(database, `where s->>'session' = $1`, [session])
  return found ? factsOf(found) : null
}

type SessionReading = Omit<SessionProof, 'effective' | 'facts'>

/** What a session reports, beside the values that it should have by a version. */
function readingOf(
  { host, reportedMs, report }: RunningSession,
  should: Readonly<Record<string, unknown>>,
  version: SetVersion,
  went: Went | undefined,
): SessionReading {
  const inForce = report.policy?.values
  const differences = inForce ? differencesOf(should, inForce) : []
  const reportedVersion = report.policy?.version ?? null
  const way = went ? wayVerdict(should['transport'], went.went) : null
  return {
    way: went && way ? { ...went, ...way } : null,
    session: report.session,
    host,
    person: report.person,
    sinceMs: report.sinceMs,
    state: report.state,
    endsMs: report.endsMs ?? null,
    reportedMs,
    version: version.version,
    reportedVersion,
    verdict: verdictOf(inForce !== undefined, differences, reportedVersion, version, report.sinceMs),
    differences,
  }
}

interface Went {
  readonly attempt: string
  readonly went: string
}
const HOUR_MS = 3_600_000

/** Which way the last logon of each session went, as its evidence tells; by session. */
async function waysOfSessions(database: Queryable, sessions: readonly RunningSession[]): Promise<Map<string, Went>> {
  const rows = await database.query<Went & { session: string }>(
    `select r.session, a.id as attempt, a.transport as went from jsonb_to_recordset($1::jsonb) as r(host text, session text, since bigint)
    cross join lateral (select id, transport from attempts a where host_key(a.host) = host_key(r.host) and a.session = r.session and a.started_ms > r.since - $2::bigint and a.transport is not null order by a.started_ms desc limit 1) a`,
    [JSON.stringify(sessions.map(({ host, report }) => ({ host, session: report.session, since: Math.floor(report.sinceMs) }))), HOUR_MS],
  )
  return new Map(rows.map(({ session, ...went }) => [session, went]))
}

async function proofOf(database: Queryable, one: RunningSession, went: Went | undefined): Promise<SessionProof> {
  const facts = factsOf(one)
  const { version, effective } = await sessionShould(database, facts)
  const should = Object.fromEntries(effective.settings.map(({ setting, value }) => [setting, value]))
  return { ...readingOf(one, should, version, went), facts: { ...facts }, effective }
}

/** What the differences of a session mean: some wait for the next logon or a restart, as they should when a version came after the session began. */
function verdictOf(
  reported: boolean,
  differences: SessionProof['differences'],
  reportedVersion: number | null,
  version: { readonly version: number; readonly publishedMs: number },
  sinceMs: number,
): SessionProof['verdict'] {
  if (!reported) return 'never reported'
  if (differences.length === 0) return 'as it should be'
  if (reportedVersion !== null && reportedVersion < version.version) return 'not yet fetched'
  if (sinceMs >= version.publishedMs || differences.some(({ takesEffect }) => takesEffect === 'at once')) return 'differs'
  return differences.some(({ takesEffect }) => takesEffect === 'host restart') ? 'restart needed' : 'from the next logon on'
}

/** Where a session has something else in force than it should. Settings that only Ikebana uses do not count. */
function differencesOf(should: Readonly<Record<string, unknown>>, inForce: Readonly<Record<string, unknown>>): SessionProof['differences'] {
  return Object.entries(should).flatMap(([id, value]) => {
    const setting = settingOf(id)
    if (!setting || setting.takesEffect === 'in Ikebana' || JSON.stringify(inForce[id]) === JSON.stringify(value)) return []
    return [
      {
        setting: id,
        title: setting.title,
        should: sayValueOf(setting, value),
        reported: id in inForce ? sayValueOf(setting, inForce[id]) : 'not reported',
        takesEffect: setting.takesEffect,
      },
    ]
  })
}

/** For each running session of a person: what should be in force, and what is. */
export async function proofsOfPerson(database: Queryable, person: string): Promise<SessionProof[]> {
  const found = await running(database, `where s->>'person' = $1`, [person.toLowerCase()])
  const ways = await waysOfSessions(database, found)
  return Promise.all(found.map((one) => proofOf(database, one, ways.get(one.report.session))))
}

/** Running sessions of everybody in which something differs. */
export async function oddSessions(
  database: Queryable,
): Promise<{ sessions: number; odd: SessionReading[]; ways: { known: number; secondChoice: number; against: number } }> {
  const [found, org, versions] = await Promise.all([running(database, '', []), loadOrg(database), versionsOf(database)])
  const ways = await waysOfSessions(database, found)
  const ready = readyOf(org)
  const resolvers = new Map<SetVersion, ReturnType<typeof valueResolver>>()
  const readings = found.map((one) => {
    const facts = ready(factsOf(one))
    const version = versions.at(one.host, facts.groups)
    let valuesFor = resolvers.get(version)
    if (!valuesFor) resolvers.set(version, (valuesFor = valueResolver(versions.compiled(version))))
    return readingOf(one, valuesFor(facts), version, ways.get(one.report.session))
  })
  const went = (verdict: string) => readings.filter(({ way }) => way?.verdict === verdict).length
  return {
    sessions: found.length,
    odd: readings.filter(({ verdict, way }) => verdict !== 'as it should be' || way?.verdict === 'against the policy'),
    ways: { known: readings.filter(({ way }) => way !== null).length, secondChoice: went('second choice'), against: went('against the policy') },
  }
}

/** What a person is told of their session: few sentences, no names of policies. */
export function plainWords(effective: Effective): string {
  const value = (id: string) => effective.settings.find(({ setting }) => setting === id)
  const lines: string[] = []
  const say = (id: string, words: (said: string) => string) => {
    const one = value(id)
    if (one && one.value !== 'none' && !one.idle) lines.push(words(one.said))
  }
  say('disconnectedMinutes', (said) => `If you leave without logging off, your session is kept for ${said}.`)
  say('idleMinutes', (said) => `After ${said} without a key your session ${value('idleDoes')?.said ?? 'is disconnected'}.`)
  say('lockMinutes', (said) => `It is locked after ${said}.`)
  const off = Object.entries({ copyTextOut: 'text', copyPicturesOut: 'pictures', copyFilesOut: 'files' })
    .filter(([id]) => value(id)?.value === 'off')
    .map(([, what]) => what)
  if (off.length) lines.push(`You cannot copy ${off.join(', ')} out of it.`)
  if (value('printing')?.value === 'off') lines.push('You cannot print from it.')
  if (value('clientDrives')?.value === 'no') lines.push('Drives of your own device do not appear in it.')
  if (value('watermark')?.value === 'on') lines.push('Your name is shown faintly on the screen.')
  return lines.length ? lines.join('\n') : 'No particular rules apply to this session.'
}

/** The limits that people have on each pool: in each pool's commonest situation, an office line and a returning logon. */
export async function limitsOf(
  database: Queryable,
  compiled: CompiledSet,
  people: readonly string[],
  pools: readonly string[],
  nowMs: number,
): Promise<Omit<LimitsOf, 'version'>> {
  const org = await loadOrg(database)
  const place = new Map(people.map((person, at) => [person, at]))
  const situations = pools.map((pool) => {
    const host = org.hosts.find((one) => one.pool === pool)
    return {
      facts: { pool, host: host?.id, zone: host?.zone, image: host?.image, network: 'office', factor: 'none' as const, first: false, atMs: nowMs },
      grants: null,
    }
  })
  const settings = ['disconnectedMinutes', 'sessionMinutes'].flatMap((id) => settingOf(id) ?? [])
  const matrix = matrixOf(compiled, org, situations, { settings })
  const limit = (which: number) => {
    const found: [number, number, number | null][] = []
    for (const [pool, row] of matrix.cells.entries())
      for (const [c, { people: members }] of matrix.classes.entries()) {
        const values = matrix.results[row[c] ?? -1]?.values
        const value = values?.[which]
        for (const { id } of members) {
          const at = place.get(id.toLowerCase())
          if (at !== undefined) found.push([at, pool, typeof value === 'number' ? value : null])
        }
      }
    return found
  }
  const groupsOf = groupResolver(org.groups)
  const groups = new Map<string, number[]>()
  for (const { id, groups: direct } of org.people) {
    const at = place.get(id.toLowerCase())
    if (at === undefined) continue
    for (const group of groupsOf(direct ?? [])) {
      const list = groups.get(group)
      if (list) list.push(at)
      else groups.set(group, [at])
    }
  }
  return { disconnected: limit(0), session: limit(1), groups: [...groups].map(([group, members]) => ({ group, people: members })) }
}

/** What a host is to bring into force for a session; not what only Ikebana uses. */
export function valuesForSession(effective: Effective): Record<string, unknown> {
  return Object.fromEntries(
    effective.settings.filter(({ setting }) => settingOf(setting)?.takesEffect !== 'in Ikebana').map(({ setting, value }) => [setting, value]),
  )
}
