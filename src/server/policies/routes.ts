import {
  differences,
  HOST_SETTINGS,
  prove,
  readLocation,
  sayValue,
  valuesOf,
  type BaseSettings,
  type HostReport,
  type SettingName,
} from '../../core/policies'
import { readPattern } from '../../core/files'
import { Problem } from '../../contract/errors'
import { Settings, type PolicyPage, type PolicyPreview } from '../../contract/other'
import type { Queryable } from '../db/database'
import { DAY_MS } from '../logons/model'
import { keepChanges } from '../journal/changes'
import { writeJournal } from '../journal/store'
import type { Context, Handlers } from '../shell/context'
import type { LookDesk } from './look-desk'
import { refuseBroken, refuseWhileRolling } from './rollouts'
import { currentSet, keepVersion, versionsOf } from './sets'
import { hostShould, hostsShould } from './should'

export const FIRST_SETTINGS: Settings = Settings.parse({
  containers: 'on',
  locations: [],
  sizeLimitMib: 30 * 1024,
  diskFormat: 'vhdx-dynamic',
  onFailure: 'refuse',
  slowSeconds: 45,
  slowSecondsByPool: {},
})

interface Version {
  version: number
  settings: Settings
  publishedMs: number
  author: string
}

const VERSION = 'select version, settings, published_ms as "publishedMs", author from policy_versions order by version desc'
/** Versions of before a setting was there have its default. */
const complete = (version: Version): Version => ({ ...version, settings: Settings.parse(version.settings) })

async function versions(database: Queryable): Promise<Version[]> {
  return (await database.query<Version>(`${VERSION} limit 50`)).map(complete)
}

export async function current(database: Queryable): Promise<Version> {
  const [row] = await database.query<Version>(`${VERSION} limit 1`)
  return row ? complete(row) : { version: 0, settings: FIRST_SETTINGS, publishedMs: 0, author: 'Ikebana' }
}

/** Locations in their plain form, or what is wrong with them. */
function checked(settings: Settings): { settings: Settings; faults: PolicyPreview['faults'] } {
  const faults: PolicyPreview['faults'] = []
  const locations = settings.locations.map((written, index) => {
    const reading = readLocation(written)
    if (reading.ok) return reading.path
    faults.push({ path: `locations.${index}`, sentence: reading.sentence })
    return written
  })
  const twice = locations.findIndex((location, index) => locations.indexOf(location) < index)
  if (twice >= 0 && faults.length === 0) faults.push({ path: `locations.${twice}`, sentence: 'This location is in the list twice.' })
  if (settings.containers === 'on' && locations.length === 0)
    faults.push({ path: 'locations', sentence: String.raw`With containers on, at least one location is needed, such as \\server\share\folder.` })
  if (settings.locationsMode === 'mirrored' && settings.locationsRequired > locations.length)
    faults.push({ path: 'locationsRequired', sentence: `Only ${locations.length} locations are in the list.` })
  settings.pathRules.forEach(({ pattern }, index) => {
    const reading = readPattern(pattern)
    if (!reading.ok) faults.push({ path: `pathRules.${index}`, sentence: reading.sentence })
  })
  const { startingProfile } = settings.fileRoaming
  const starting = startingProfile === '' ? null : readLocation(startingProfile)
  if (starting && !starting.ok) faults.push({ path: 'fileRoaming.startingProfile', sentence: starting.sentence })
  return { settings: { ...settings, locations }, faults }
}

export function policyHandlers(
  context: Context,
  desk: LookDesk,
): Handlers<'policy' | 'policyPreview' | 'policyPublish' | 'agentSettings' | 'agentReport'> {
  const { database, evidence, live, now } = context
  return {
    policy: () => readPolicy(database, now()),
    policyPreview: ({ input }) => preview(database, input.body, now()),
    async policyPublish({ input: { body }, caller }) {
      const { settings, faults } = checked(body.settings)
      if (faults.length) throw new Problem('policy.invalid', faults[0]?.sentence, faults)
      const before = await current(database)
      if (before.version !== body.basedOn) throw new Problem('policy.outdated', `Version ${before.version} was published by ${before.author}.`)
      const changes = differences(before.settings, settings)
      if (changes.length === 0) throw new Problem('remedy.none', 'Nothing differs from the version in force.')
      await refuseWhileRolling(database)
      const { set } = await currentSet(database)
      const base = { ...set.base, ...valuesOf(settings) }
      await refuseBroken(desk, { ...set, base })
      if (!(await keepVersion(database, before.version + 1, { ...set, base }, caller.name, now(), null))) throw new Problem('policy.outdated')
      await writeJournal(database, {
        atMs: now(),
        who: caller.name,
        what: `published version ${before.version + 1} of the base policy`,
        target: 'base policy',
        before: changes.map((c) => `${c.title}: ${c.before}`).join('; '),
        after: changes.map((c) => `${c.title}: ${c.after}`).join('; '),
      })
      await keepChanges(
        database,
        [
          {
            atMs: now(),
            kind: 'policy',
            scope: [],
            sentence: `Version ${before.version + 1} of the policies was published: ${changes.map((c) => c.title).join(', ')}.`,
            who: caller.name,
          },
        ],
        now(),
      )
      await evidence.refresh()
      live.tell('policy')
      return readPolicy(database, now())
    },
    async agentSettings({ input: { query } }) {
      const { version, settings } = await hostShould(database, query.host, now())
      return { version, settings: settings as Settings }
    },
    async agentReport({ input: { body } }) {
      const report: HostReport = { version: body.version, inForce: body.inForce as Partial<BaseSettings>, pending: body.pending as SettingName[] }
      await database.query(
        `insert into hosts (id, pool, zone, draining, agent_version, report, reported_ms, sessions, leftovers, assigned, admins, built_ms) values ($1, $2, $3, $4, $5, $6::jsonb, $7, $8::jsonb, $9::jsonb, $10, $11::jsonb, $12)
        on conflict (id) do update set draining = excluded.draining, agent_version = excluded.agent_version, report = excluded.report, reported_ms = excluded.reported_ms, sessions = excluded.sessions, leftovers = excluded.leftovers, assigned = excluded.assigned, admins = excluded.admins,
          build_tended = hosts.build_tended and coalesce(excluded.built_ms, hosts.built_ms) is not distinct from hosts.built_ms, built_ms = coalesce(excluded.built_ms, hosts.built_ms)`,
        [
          body.host,
          body.pool,
          body.zone ?? null,
          body.draining,
          body.agentVersion,
          JSON.stringify(report),
          now(),
          JSON.stringify(body.sessions),
          JSON.stringify(body.leftovers),
          body.assigned ?? null,
          JSON.stringify(body.admins),
          body.builtMs ?? null,
        ],
      )
      live.tell('report')
      return { ok: true, version: (await versionsOf(database)).newest.version }
    },
  }
}

async function readPolicy(database: Queryable, nowMs: number): Promise<PolicyPage> {
  const [list, hosts, [people], pools] = await Promise.all([
    versions(database),
    database.query<{
      id: string
      pool: string | null
      zone: string | null
      image: string | null
      agent_version: string | null
      report: HostReport | null
      reported_ms: number | null
    }>('select id, pool, zone, image, agent_version, report, reported_ms from hosts order by id'),
    database.query<{ n: number }>('select count(*) as n from people where enabled'),
    database.query<{ id: string }>('select id from pools order by id'),
  ])
  const should = await hostsShould(database, hosts, nowMs)
  const now = list[0] ?? { version: 0, settings: FIRST_SETTINGS, publishedMs: 0, author: 'Ikebana' }
  return {
    ...now,
    people: people?.n ?? 0,
    pools: pools.map(({ id }) => id),
    hosts: hosts.map(({ id, pool, zone, agent_version, report, reported_ms }) => {
      const proof = prove(should(id).settings, report)
      return {
        host: id,
        pool: pool ?? '',
        zone,
        state: proof.state,
        reportedMs: reported_ms,
        version: report?.version ?? null,
        agentVersion: agent_version,
        differences: [...proof.differences],
      }
    }),
    history: list.map((one, index) => ({
      version: one.version,
      publishedMs: one.publishedMs,
      author: one.author,
      changes: differences(list[index + 1]?.settings ?? {}, one.settings).map(({ setting, title, before, after }) =>
        list[index + 1] ? `${title}: ${before} → ${after}` : `${title}: ${sayValue(setting, one.settings[setting])}`,
      ),
    })),
  }
}

/** What a draft would change. The logons of the last 7 days show how many would be called slow. */
async function preview(database: Queryable, draft: Settings, nowMs: number): Promise<PolicyPreview> {
  const { version: _, settings: before } = await current(database)
  const { settings, faults } = checked(draft)
  const changes = differences(before, settings)
  const [[hosts], [people]] = await Promise.all([
    database.query<{ n: number }>('select count(*) as n from hosts'),
    database.query<{ n: number }>('select count(*) as n from people where enabled'),
  ])
  const touchesHosts = changes.some(({ setting }) => HOST_SETTINGS.includes(setting))
  const slow = async (limits: Settings) => {
    const [row] = await database.query<{ n: number }>(
      `select count(*) as n from attempts a left join jsonb_each_text($1::jsonb) l on l.key = a.pool where a.started_ms > $2 and a.outcome in ('ready', 'slow') and a.total_ms > coalesce(l.value::double precision, $3) * 1000`,
      [JSON.stringify(limits.slowSecondsByPool), nowMs - 7 * DAY_MS, limits.slowSeconds],
    )
    return row?.n ?? 0
  }
  const limitsChange = changes.some(({ setting }) => setting === 'slowSeconds' || setting === 'slowSecondsByPool')
  const slowBefore = limitsChange ? await slow(before) : 0
  return {
    ok: faults.length === 0,
    faults,
    settings,
    changes,
    hosts: touchesHosts ? (hosts?.n ?? 0) : 0,
    hostsToRestart: changes.some(({ needsRestart }) => needsRestart) ? (hosts?.n ?? 0) : 0,
    people: touchesHosts ? (people?.n ?? 0) : 0,
    slowBefore,
    slowAfter: limitsChange ? await slow(settings) : 0,
  }
}
