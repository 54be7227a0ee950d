import { factsOf, resolve, settingsOf, valueResolver, type BaseSettings, type Effective, type Facts, type SessionFacts } from '../../core/policies'
import type { Queryable } from '../db/database'
import { versionsOf, type SetVersion } from './sets'

export interface HostPlace {
  readonly id: string
  readonly pool: string | null
  readonly zone: string | null
  readonly image: string | null
}
export interface Should {
  readonly version: number
  readonly settings: BaseSettings
}

/** What hosts should have in force: the base policy, and policies that only ask for pool, host, zone and image. By name of the host. */
export async function hostsShould(database: Queryable, hosts: readonly HostPlace[], nowMs: number): Promise<(host: string) => Should> {
  const versions = await versionsOf(database)
  const ready = factsOf({ people: [], groups: [], pools: [], hosts: [] })
  const found = new Map<string, Should>()
  const resolvers = new Map<SetVersion, (facts: Facts) => Readonly<Record<string, unknown>>>()
  /** Most hosts get the same values, and then share their settings. */
  const shared = new Map<Readonly<Record<string, unknown>>, BaseSettings>()
  for (const { id, pool, zone, image } of hosts) {
    const version = versions.at(id, undefined)
    let valuesFor = resolvers.get(version)
    // A condition on the person or the client says nothing of a host, not even that it does not hold.
    if (!valuesFor) resolvers.set(version, (valuesFor = valueResolver(versions.compiled(version), ({ ofPlace }) => ofPlace)))
    const values = valuesFor(ready({ host: id, pool: pool ?? undefined, zone: zone ?? undefined, image: image ?? undefined, atMs: nowMs }))
    let settings = shared.get(values)
    if (!settings) shared.set(values, (settings = settingsOf(values)))
    found.set(id, { version: version.version, settings })
  }
  const otherwise: Should = { version: versions.newest.version, settings: settingsOf(versions.newest.set.base) }
  return (host) => found.get(host) ?? otherwise
}

/** The same for one host, by its name. */
export async function hostShould(database: Queryable, host: string, nowMs: number): Promise<Should> {
  const hosts = await database.query<HostPlace>('select id, pool, zone, image from hosts where id = $1', [host])
  return (await hostsShould(database, hosts, nowMs))(host)
}

/** What a session should have, with every reason; and by which version. */
export async function sessionShould(
  database: Queryable,
  given: SessionFacts,
): Promise<{ readonly version: SetVersion; readonly effective: Effective }> {
  const [versions, facts] = await Promise.all([versionsOf(database), readyFor(database, given)])
  const version = versions.at(given.host ?? '', facts.groups)
  return { version, effective: resolve(versions.compiled(version), facts) }
}

/** The facts of a session, with the groups of its person and the place of its host as the directory has them. */
async function readyFor(database: Queryable, given: SessionFacts): Promise<ReturnType<ReturnType<typeof factsOf>>> {
  const [people, groups, hosts] = await Promise.all([
    given.person === undefined
      ? []
      : database.query<{ id: string; groups: string[] }>('select id, groups from people where id = $1', [given.person.toLowerCase()]),
    database.query<{ id: string; memberOf: string[] }>('select id, member_of as "memberOf" from groups'),
    given.host === undefined
      ? []
      : database.query<HostPlace>('select id, pool, zone, image from hosts where lower(id) = $1', [given.host.toLowerCase()]),
  ])
  return factsOf({
    people,
    groups,
    pools: [],
    hosts: hosts.map(({ id, pool, zone, image }) => ({ id, pool: pool ?? undefined, zone: zone ?? undefined, image: image ?? undefined })),
  })(given)
}
