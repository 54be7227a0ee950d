import { compile, readSet, settingsOf, valuesOf, type CompiledSet, type PolicySet } from '../../core/policies'
import { Settings } from '../../contract/other'
import type { Queryable } from '../db/database'

export interface SetVersion {
  readonly version: number
  readonly publishedMs: number
  readonly author: string
  readonly note: string | null
  readonly set: PolicySet
}
interface Row {
  version: number
  settings: unknown
  body: unknown
  publishedMs: number
  author: string
  note: string | null
}
const COLUMNS = 'version, settings, body, published_ms as "publishedMs", author, note'

/** Versions of before there were sets have only a base policy; settings that came later have their default. */
function asVersion({ settings, body, ...row }: Row): SetVersion {
  return { ...row, set: body ? readSet(body).set : { base: valuesOf(Settings.parse(settings)), policies: [], networks: [], promises: [] } }
}

export async function currentSet(database: Queryable): Promise<SetVersion> {
  const [row] = await database.query<Row>(`select ${COLUMNS} from policy_versions order by version desc limit 1`)
  return row
    ? asVersion(row)
    : { version: 0, publishedMs: 0, author: 'Ikebana', note: null, set: { base: {}, policies: [], networks: [], promises: [] } }
}

export async function setOf(database: Queryable, version: number): Promise<SetVersion | null> {
  const [row] = await database.query<Row>(`select ${COLUMNS} from policy_versions where version = $1`, [version])
  return row ? asVersion(row) : null
}

export async function allVersions(database: Queryable, most = 50): Promise<SetVersion[]> {
  return (await database.query<Row>(`select ${COLUMNS} from policy_versions order by version desc limit $1`, [most])).map(asVersion)
}

/** Keeps a set as the next version. False where somebody else was faster. */
export async function keepVersion(
  database: Queryable,
  version: number,
  set: PolicySet,
  author: string,
  nowMs: number,
  note: string | null,
): Promise<boolean> {
  const rows = await database.query(
    'insert into policy_versions (version, settings, published_ms, author, body, note) values ($1, $2::jsonb, $3, $4, $5::jsonb, $6) on conflict do nothing returning version',
    [version, JSON.stringify(settingsOf(set.base)), nowMs, author, JSON.stringify(set), note],
  )
  return rows.length > 0
}

interface Rollout {
  readonly version: number
  readonly previous: number
  readonly state: 'going' | 'paused' | 'done' | 'back'
  readonly waves: readonly { readonly title: string; readonly hosts: readonly string[]; readonly groups: readonly string[] }[]
  readonly reached: number
}

/** Which version holds where: the newest, but for hosts and groups that its waves have not reached. */
export class Versions {
  readonly #compiled = new WeakMap<PolicySet, CompiledSet>()
  #newest: SetVersion | null = null
  #previous: SetVersion | null = null
  #rollout: Rollout | null = null
  #hosts = new Set<string>()
  #groups = new Set<string>()
  #mark = ''

  constructor(private readonly database: Queryable) {}

  /** Reads again what has changed since. */
  async refresh(): Promise<void> {
    const [stamp] = await this.database.query<{ version: string; mark: string }>(
      `select (select version || ' ' || xmin::text from policy_versions order by version desc limit 1) as version, coalesce((select string_agg(version || state || reached, ',' order by version) from rollouts where state in ('going', 'paused')), '') as mark`,
    )
    const mark = `${stamp?.version ?? ''}|${stamp?.mark ?? ''}`
    if (mark === this.#mark) return
    this.#newest = await currentSet(this.database)
    const [rollout] = await this.database.query<Rollout>(
      `select version, previous, state, waves, reached from rollouts where version = $1 and state in ('going', 'paused')`,
      [this.#newest.version],
    )
    this.#rollout = rollout ?? null
    this.#previous = rollout ? await setOf(this.database, rollout.previous) : null
    const reached = rollout?.waves.slice(0, rollout.reached) ?? []
    this.#hosts = new Set(reached.flatMap(({ hosts }) => hosts))
    this.#groups = new Set(reached.flatMap(({ groups }) => groups.map((group) => group.toLowerCase())))
    this.#mark = mark
  }

  get newest(): SetVersion {
    if (!this.#newest) throw new RangeError('refresh first')
    return this.#newest
  }

  /** The version that a host, or a session of somebody in these groups, has by now. */
  at(host: string, groups: ReadonlySet<string> | undefined): SetVersion {
    const { newest } = this
    if (!this.#rollout || !this.#previous || this.#hosts.has(host)) return newest
    for (const group of this.#groups) if (groups?.has(group)) return newest
    return this.#previous
  }

  compiled({ set }: SetVersion): CompiledSet {
    let compiled = this.#compiled.get(set)
    if (!compiled) this.#compiled.set(set, (compiled = compile(set)))
    return compiled
  }
}

const known = new WeakMap<Queryable, Versions>()
/** The versions of a database, kept ready between requests. */
export async function versionsOf(database: Queryable): Promise<Versions> {
  let versions = known.get(database)
  if (!versions) known.set(database, (versions = new Versions(database)))
  await versions.refresh()
  return versions
}
