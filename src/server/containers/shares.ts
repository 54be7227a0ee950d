import { Problem } from '../../contract/errors'
import type { ShareAccess, SharePage } from '../../contract/shares'
import {
  EVERYBODYS,
  effective,
  ownFolder,
  permissionFindings,
  permissionSentences,
  USUAL_NAMING,
  wantedPermissions,
  type Audience,
  type Member,
  type SharePermissions,
} from '../../core/containers'
import {
  accessRecord,
  explainAccess,
  groupResolver,
  hex,
  parseSddl,
  rightsSay,
  SddlFault,
  sidSays,
  writeSddl,
  type Descriptor,
} from '../../core/people'
import { theilSen, weekShape, whenReached } from '../../core/stats/trend'
import { weekdayOf, weekOf, zoneOffsetMs } from '../../core/stats/zone'
import { StepStopped, type NewJob } from '../journal/jobs'
import { writeJournal } from '../journal/store'
import type { Context, Handlers } from '../shell/context'
import { setNaming, tryNaming } from './naming'
import { readGrowth } from './share-growth'
import { addShare, forgetShare } from './share-list'
import { shareLines } from './store'

const DAY_MS = 86_400_000
/** A trend is looked for in so many days. */
const TREND_DAYS = 60

interface Directory {
  readonly people: readonly { id: string; name: string; sid: string | null; groups: string[]; enabled: boolean }[]
  readonly groups: readonly { id: string; memberOf: string[]; sid: string | null }[]
  readonly nameOf: (sid: string) => string | null
  readonly allGroups: (direct: readonly string[]) => ReadonlySet<string>
  /** The SIDs of those groups and of everybody; one object for all who have the same. */
  readonly sidsOf: (direct: readonly string[]) => ReadonlySet<string>
}

async function directoryOf({ database }: Pick<Context, 'database'>): Promise<Directory> {
  const [row] = await database.query<{ people: Directory['people'] | null; groups: Directory['groups'] | null }>(
    `select (select json_agg(json_build_object('id', id, 'name', name, 'sid', sid, 'groups', groups, 'enabled', enabled)) from people) as people, (select json_agg(json_build_object('id', id, 'memberOf', member_of, 'sid', sid)) from groups) as groups`,
  )
  const [people, groups] = [row?.people ?? [], row?.groups ?? []]
  const names = new Map<string, string>(
    [...people, ...groups.map((group) => ({ ...group, name: group.id }))].flatMap(({ sid, name }) => (sid ? [[sid, name]] : [])),
  )
  const sidOf = new Map(groups.map(({ id, sid }) => [id, sid]))
  const allGroups = groupResolver(groups)
  const sids = new Map<ReadonlySet<string>, ReadonlySet<string>>()
  const sidsOf = (direct: readonly string[]) => {
    const all = allGroups(direct)
    let known = sids.get(all)
    if (!known) sids.set(all, (known = new Set([...[...all].flatMap((id) => sidOf.get(id) ?? []), ...EVERYBODYS])))
    return known
  }
  return { people, groups, allGroups, sidsOf, nameOf: (sid) => names.get(sid) ?? null }
}

/** The group that a share is for: the chosen one, else the one that most people are in. */
function audienceOf(directory: Directory, chosen: string | null): { audience: Audience; id: string; chosen: boolean } | null {
  const counts = new Map<string, number>()
  for (const { groups } of directory.people) for (const id of directory.allGroups(groups)) counts.set(id, (counts.get(id) ?? 0) + 1)
  const largest = directory.groups.filter(({ sid }) => sid !== null).sort((a, b) => (counts.get(b.id) ?? 0) - (counts.get(a.id) ?? 0))[0]
  const group = directory.groups.find(({ id, sid }) => id === chosen && sid !== null) ?? largest
  if (!group?.sid) return null
  const people = new Set(directory.people.flatMap(({ sid }) => sid ?? []))
  const members = directory.people.flatMap((person): Member[] =>
    person.sid && person.enabled && directory.allGroups(person.groups).has(group.id)
      ? [{ id: person.id, name: person.name, sid: person.sid, groups: directory.sidsOf(person.groups) }]
      : [],
  )
  return {
    id: group.id,
    chosen: group.id === chosen,
    audience: { group: { name: group.id, sid: group.sid }, members, nameOf: directory.nameOf, isPerson: (sid) => people.has(sid) },
  }
}

interface Read {
  readonly permissions: SharePermissions
  readonly texts: { readonly share: string; readonly root: string }
}

/** Both descriptors, as the share has them; with a sentence where one cannot be read. */
async function readPermissions({ fleet }: Pick<Context, 'fleet'>, id: string): Promise<Read> {
  const told = await fleet.permissions(id)
  return {
    texts: told,
    permissions: {
      share: parseSddl(told.share),
      root: parseSddl(told.root),
      onDirectoryServer: told.onDirectoryServer,
      folders: told.folders.flatMap(({ name, sddl }) => {
        try {
          return [{ name, descriptor: parseSddl(sddl) }]
        } catch {
          return []
        }
      }),
    },
  }
}

async function shareOr404({ database }: Pick<Context, 'database'>, id: string) {
  const line = (await shareLines(database)).find((one) => one.id === id)
  const [row] = await database.query<{ group: string | null; bearsIops: number | null; addedBy: string | null; naming: string | null }>(
    'select for_group as group, bears_iops as "bearsIops", added_by as "addedBy", naming from shares where id = $1',
    [id],
  )
  if (!line) throw new Problem('share.unknown')
  return { ...line, group: row?.group ?? null, bearsIops: row?.bearsIops ?? null, addedBy: row?.addedBy ?? null, naming: row?.naming ?? USUAL_NAMING }
}

async function readSharePage(context: Context, id: string): Promise<SharePage> {
  const { updated: _, group: chosen, ...line } = await shareOr404(context, id)
  const [directory, { samples, hours, drivers }, read] = await Promise.all([
    directoryOf(context),
    readGrowth(context, id, line.path),
    readPermissions(context, id).catch((error: unknown) => error as Error),
  ])
  const nowMs = context.now()
  const points = samples.filter(({ atMs }) => atMs > nowMs - TREND_DAYS * DAY_MS)
  // A few hundred points are enough for a line, and its work grows with their square.
  const every = Math.max(1, Math.ceil(points.length / 240))
  const trend = theilSen(points.filter((__, i) => i % every === 0).map(({ atMs, usedBytes }) => ({ x: (atMs - nowMs) / DAY_MS, y: usedBytes })))
  const offsetMs = zoneOffsetMs(context.config.timeZone, nowMs)
  const week =
    trend &&
    weekShape(
      points.map(({ atMs, usedBytes }) => {
        // By the days of the organisation.
        const day = Math.floor((atMs + offsetMs) / DAY_MS)
        return { x: (atMs - nowMs) / DAY_MS, y: usedBytes, day: weekdayOf(day), week: weekOf(day) }
      }),
      trend,
    )
  const full = trend && whenReached(trend, 0, line.totalBytes - line.freeBytes, line.totalBytes)
  const at = (days: number) => nowMs + days * DAY_MS
  const found = audienceOf(directory, chosen)
  const wanted = found && wantedPermissions(found.audience.group.sid)
  const { nameOf } = directory
  const layer = (name: 'share' | 'root', descriptor: Descriptor, sddl: string): SharePage['layers'][number] => ({
    layer: name,
    sddl,
    sentences: permissionSentences(descriptor, nameOf),
    wanted: wanted ? writeSddl(wanted[name]) : null,
    wantedSentences: wanted ? permissionSentences(wanted[name], nameOf) : [],
    asWanted:
      wanted !== null &&
      writeSddl({ ...descriptor, owner: null, group: null, sacl: null }) === writeSddl({ ...wanted[name], owner: null, group: null, sacl: null }),
  })
  const good = read instanceof Error ? null : read
  return {
    ...line,
    samples,
    hours,
    drivers,
    week: week && [...week],
    growth: trend && {
      bytesADay: trend.slope,
      low: trend.low,
      high: trend.high,
      certain: trend.certain,
      days: Math.round((nowMs - (points[0]?.atMs ?? nowMs)) / DAY_MS),
    },
    full: full && { atMs: at(full.at), earliestMs: at(full.earliest), latestMs: full.latest === null ? null : at(full.latest) },
    group: found && { id: found.id, sid: found.audience.group.sid, members: found.audience.members.length, chosen: found.chosen },
    groups: directory.groups.flatMap(({ id: name, sid }) => (sid ? [name] : [])).sort(),
    layers: good ? [layer('share', good.permissions.share, good.texts.share), layer('root', good.permissions.root, good.texts.root)] : [],
    findings: good && found ? permissionFindings(good.permissions, found.audience) : [],
    unread: good
      ? null
      : read instanceof SddlFault
        ? `A descriptor of this share cannot be read: ${read.message}`
        : 'The share does not tell its permissions.',
  }
}

async function readAccess(context: Context, id: string, personId: string): Promise<ShareAccess> {
  await shareOr404(context, id)
  const directory = await directoryOf(context)
  const person = directory.people.find((one) => one.id === personId.toLowerCase())
  if (!person) throw new Problem('person.unknown')
  const {
    permissions: { share, root, folders },
  } = await readPermissions(context, id).catch(() => {
    throw new Problem('share.unread')
  })
  const token = new Set([...(person.sid ? [person.sid] : []), ...directory.sidsOf(person.groups)])
  const other = directory.people.find(({ sid, id: name }) => sid !== null && name !== person.id)
  const who = (sid: string) => directory.nameOf(sid) ?? sidSays(sid) ?? sid
  const right = (descriptor: Pick<Descriptor, 'owner' | 'dacl'>) => {
    const access = explainAccess(descriptor, token)
    const record = accessRecord(access)
    return { ...record, words: rightsSay(access.mask), reasons: record.reasons.map((reason) => ({ ...reason, who: who(reason.sid) })) }
  }
  const place = (what: string, folder: Pick<Descriptor, 'owner' | 'dacl'>): ShareAccess['places'][number] => {
    const mask = effective(share, folder, token)
    return { what, words: rightsSay(mask), mask: hex(mask), share: right({ owner: null, dacl: share.dacl }), folder: right(folder) }
  }
  return {
    person: { id: person.id, name: person.name, sid: person.sid },
    places: [
      place('the folder that is shared', root),
      ...(person.sid
        ? [
            place(
              'their own folder, once made',
              folders.find(({ descriptor }) => descriptor.owner === person.sid)?.descriptor ?? ownFolder(root, person.sid),
            ),
          ]
        : []),
      ...(other?.sid ? [place(`somebody else’s folder, such as that of ${other.name}`, ownFolder(root, other.sid))] : []),
      ...folders
        .filter(({ descriptor }) => descriptor.owner !== person.sid)
        .slice(0, 5)
        .map(({ name, descriptor }) => place(`the folder ${name}, which has permissions of its own`, descriptor)),
    ],
  }
}

/** Sets one layer's descriptor, and reads it back. The old one stands in the journal and can be set again. */
function permissionsJob(
  { fleet }: Pick<Context, 'fleet'>,
  share: { id: string; path: string },
  layer: 'share' | 'root',
  sddl: string,
  author: string,
): NewJob {
  let before = ''
  return {
    kind: 'set-permissions',
    title: `Set the permissions of ${layer === 'share' ? 'the share' : 'the folder of'} ${share.path}`,
    target: share.path,
    author,
    attempt: null,
    change: {
      get before() {
        return before
      },
      after: sddl,
    },
    alters: { kind: 'share', scope: [{ dimension: 'share', value: share.path }] },
    steps: [
      { title: 'Keep the old ones', run: async () => (before = (await fleet.permissions(share.id))[layer]) },
      {
        title: 'Set the new ones',
        run: async () => {
          await fleet.setPermissions(share.id, layer, sddl)
          return sddl
        },
      },
      {
        title: 'Read them back',
        run: async () => {
          const now = (await fleet.permissions(share.id))[layer]
          if (writeSddl(parseSddl(now)) !== writeSddl(parseSddl(sddl))) throw new StepStopped(`The share has other permissions than were set: ${now}`)
          return 'as they were set'
        },
      },
    ],
  }
}

export function shareHandlers(
  context: Context,
): Handlers<'shareAdd' | 'shareForget' | 'shareNaming' | 'shareNamingTry' | 'share' | 'shareAccess' | 'shareGroup' | 'sharePermissions'> {
  const { database, jobs, now } = context
  return {
    shareAdd: async ({ input: { body }, caller }) => ({ id: await addShare(context, body, caller.name) }),
    async shareForget({ input, caller }) {
      await forgetShare(context, input.params.id, caller.name)
      return { ok: true as const }
    },
    shareNamingTry: ({ input }) => tryNaming(context, input.params.id, input.query.naming),
    async shareNaming({ input, caller }) {
      await setNaming(context, input.params.id, input.body.naming, caller.name)
      return { ok: true as const }
    },
    share: ({ input }) => readSharePage(context, input.params.id),
    shareAccess: ({ input }) => readAccess(context, input.params.id, input.query.person),
    async shareGroup({ input: { params, body }, caller }) {
      const { path, group } = await shareOr404(context, params.id)
      await database.query('update shares set for_group = $2 where id = $1', [params.id, body.group])
      await writeJournal(database, {
        atMs: now(),
        who: caller.name,
        what: 'said for which group a share is',
        target: path,
        before: group ?? 'not said',
        after: body.group,
      })
      return readSharePage(context, params.id)
    },
    async sharePermissions({ input: { params, body }, caller }) {
      const share = await shareOr404(context, params.id)
      try {
        parseSddl(body.sddl)
      } catch (error) {
        throw new Problem(
          'request.invalid',
          error instanceof SddlFault ? `The descriptor cannot be read ${error.message}` : 'The descriptor cannot be read.',
        )
      }
      return jobs.start(permissionsJob(context, share, body.layer, body.sddl, caller.name))
    },
  }
}
