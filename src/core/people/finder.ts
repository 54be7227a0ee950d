import { readAccount } from './account'
import { hostKey, shortHost } from './host'
import { transitiveGroups, type Org, type OrgChange, type OrgHost, type OrgPerson, type OrgPool, type OrgShare } from './org'

/** Finds in an organisation what evidence names, however it is written there. */
export interface Finder {
  /** By id or any of their accounts: the key of the account (see readAccount). */
  person(key: string | null): OrgPerson | undefined
  /** By id, or by display name. */
  pool(name: string | null): OrgPool | undefined
  /** By id, with or without its domain. */
  host(name: string | null): OrgHost | undefined
  /** By id, by path, or by a path below it. */
  share(name: string | null): OrgShare | undefined
  /** The share that a person's container lies on, by its id. */
  shareOf(person: OrgPerson | undefined): string | undefined
  hostsOf(pool: OrgPool): readonly OrgHost[]
  /** The image that a host was made from at a moment: the one it has, if no change tells that this came to it later. */
  imageOf(host: OrgHost, atMs: number): string | undefined
}

const finders = new WeakMap<Org, Finder>()

/** The finder of an organisation: made once for each, as organisations are not changed but replaced. */
export function finderOf(org: Org): Finder {
  let finder = finders.get(org)
  if (!finder) finders.set(org, (finder = makeFinder(org)))
  return finder
}

/** Names by which evidence may name somebody or something. */
export interface Names {
  /** Keys of accounts. */
  readonly people: readonly string[]
  /** Without their domain, in small letters. */
  readonly hosts: readonly string[]
  /** Keys of the accounts of people of whom it is known where their container lies. */
  readonly homes: readonly string[]
}

/**
 * What an organisation knows that it did not know before: names of people, hosts, where hosts are, and where whose container lies. What has only changed
 * is not among it.
 */
export function newlyKnown(before: Org, after: Org): Names {
  const find = finderOf(before)
  return {
    people: after.people.flatMap(namesOf).filter((name) => !find.person(name)),
    hosts: after.hosts
      .filter((one) => {
        const known = find.host(one.id)
        return !known || (['pool', 'zone', 'site', 'image'] as const).some((place) => one[place] && !known[place])
      })
      .map(({ id }) => hostKey(id)),
    homes: after.people.filter((one) => find.shareOf(one) === undefined && finderOf(after).shareOf(one) !== undefined).flatMap(namesOf),
  }
}

/** The keys of somebody's accounts. */
const namesOf = ({ id, accounts = [], sid }: OrgPerson): string[] => [id, ...accounts, ...(sid ? [sid] : [])].map((name) => readAccount(name).key)

function makeFinder(org: Org): Finder {
  const people = index(org.people, namesOf)
  const pools = index(org.pools, ({ id, name }) => (name ? [id, name] : [id]))
  const hosts = index(org.hosts, ({ id }) => [id, shortHost(id)])
  const shares = index(org.shares ?? [], ({ id, path }) => [...(id ? [id] : []), plainPath(path)])
  const containers = index(org.containers ?? [], ({ person }) => [readAccount(person).key])
  const members = new Map<string, OrgHost[]>()
  for (const host of org.hosts) {
    const pool = host.pool === undefined ? undefined : pools(host.pool)
    if (pool) members.set(pool.id, [...(members.get(pool.id) ?? []), host])
  }
  return {
    person: (key) => (key === null ? undefined : people(key)),
    pool: (name) => (name === null ? undefined : pools(name)),
    host: (name) => (name === null || org.hosts.length === 0 ? undefined : (hosts(name) ?? hosts(shortHost(name)))),
    share: (name) => {
      for (let path = plainPath(name ?? ''); path !== ''; path = path.slice(0, Math.max(0, path.lastIndexOf('\\')))) {
        const found = shares(path)
        if (found) return found
      }
      return undefined
    },
    shareOf: (person) => (person === undefined ? undefined : containers(readAccount(person.id).key)?.share),
    hostsOf: (pool) => members.get(pool.id) ?? [],
    imageOf: imagesOver(org.changes ?? []),
  }
}

/** What changes tell of the images that hosts had before the one that they have. */
function imagesOver(changes: readonly OrgChange[]): Finder['imageOf'] {
  const rollOuts = changes.filter(({ kind }) => kind === 'image').sort((a, b) => a.atMs - b.atMs)
  if (rollOuts.length === 0) return ({ image }) => image
  const byHost = new Map<OrgHost, readonly { readonly atMs: number; readonly image: string | undefined }[]>()
  const comings = (host: OrgHost) => {
    const came = rollOuts.flatMap(({ atMs, scope }) => {
      const image = scope.find(({ dimension }) => dimension === 'image')?.value
      const where = scope.filter(({ dimension }) => dimension !== 'image')
      // Without an image named, it is the one that they have; without a place, all have it that do.
      const isHere =
        where.length === 0
          ? image === host.image
          : where.every(({ dimension }) => where.some((one) => one.dimension === dimension && isAt(host, one)))
      return isHere ? [{ atMs, image: image ?? host.image }] : []
    })
    byHost.set(host, came)
    return came
  }
  return (host, atMs) => {
    if (!host.image) return undefined
    const came = byHost.get(host) ?? comings(host)
    const first = came.find(({ image }) => image === host.image)
    if (!first || atMs >= first.atMs) return host.image
    return came.findLast((one) => one.atMs <= atMs)?.image ?? `older than ${host.image}`
  }
}

function isAt(host: OrgHost, { dimension, value }: { readonly dimension: string; readonly value: string }): boolean {
  if (dimension === 'host') return hostKey(value) === hostKey(host.id)
  return (dimension === 'pool' || dimension === 'zone' || dimension === 'site') && host[dimension] === value
}

/** By any of their names, in capitals or not; of two with one name, the first. */
function index<T>(all: readonly T[], namesOf: (one: T) => readonly string[]): (name: string) => T | undefined {
  const byName = new Map<string, T>()
  for (const one of all)
    for (const name of namesOf(one)) {
      const key = name.trim().toLowerCase()
      if (!byName.has(key)) byName.set(key, one)
    }
  // Asked of every attempt; without an organisation there is nothing to look for.
  return byName.size === 0 ? () => undefined : (name) => byName.get(name.trim().toLowerCase())
}

/** A path with one kind of slash and none at its end. */
const plainPath = (path: string): string => path.replaceAll('/', '\\').replace(/\\+$/, '')

/**
 * Whether a person may use a pool, at the copy of the directory and at its source. Null where nothing is known.
 * @param person the key of an account of theirs (see readAccount)
 * @param pool its id or display name
 */
export function grantOf(org: Org, person: string, pool: string): { readonly inCopy: boolean; readonly atSource: boolean } | null {
  const find = finderOf(org)
  const grants = find.pool(pool)?.grants
  const found = find.person(person)
  if (!grants || !found?.groups) return null
  const granted = (direct: readonly string[]) => {
    const all = transitiveGroups(direct, org.groups)
    return grants.some((grant) => all.has(grant))
  }
  return { inCopy: granted(found.groups), atSource: granted(found.groupsAtSource ?? found.groups) }
}
