import { readAccount, transitiveGroups } from '../../core/people'
import { Problem } from '../../contract/errors'
import { ORG_LISTS, type OrgFile, type OrgListLook } from '../../contract/org'
import type { FoundThing, PersonLine, PersonPage } from '../../contract/other'
import { containersOf } from '../containers/store'
import { listAttempts } from '../logons/store'
import { DAY_MS } from '../logons/model'
import { writeJournal } from '../journal/store'
import type { Context, Handlers } from '../shell/context'
import { sendCsv } from '../shell/csv'
import { explainAnew } from './explain-anew'
import { replaceOrg } from './store'

const like = (text: string) => `%${text.toLowerCase().replaceAll(/[\\%_]/g, '\\$&')}%`

/** @param onNamed told when the directory names accounts that it did not name before */
export function peopleHandlers(
  context: Context,
  onNamed: () => void = () => undefined,
): Handlers<'find' | 'people' | 'peopleExport' | 'person' | 'importOrg' | 'orgFileLook' | 'orgFileGive'> {
  const { database, evidence, live, now } = context
  /** People by a part of their name or account, with how their logons of the last 7 days went. @param most null: all of them */
  const lines = (text: string, most: number | null) =>
    database.query<PersonLine>(
      `with chosen as (select id, name, enabled, groups from people where $1 = '' or find like $2 order by name limit $4)
      select c.id, c.name, c.enabled, c.groups, max(a.started_ms) as "lastMs", count(a.id) as attempts, count(a.id) filter (where a.lost_ms > 0) as bad from chosen c left join attempts a on a.person = c.id and a.started_ms > $3 group by c.id, c.name, c.enabled, c.groups order by c.name`,
      [text, like(text), now() - 7 * DAY_MS, most],
    )
  async function give(file: OrgFile, who: string) {
    refuseTwice(file)
    const { people, groups, pools, hosts } = file
    const changed = await replaceOrg(database, file, who, now())
    const names = await evidence.takeOrganisation()
    live.tell('people')
    if (changed)
      await writeJournal(database, {
        atMs: now(),
        who,
        what: 'brought the directory up to date',
        after: `${people.length} people, ${groups.length} groups, ${pools.length} pools, ${hosts.length} hosts`,
      })
    const anew = await explainAnew(context, names, who)
    if (names.people.some((name) => readAccount(name).form === 'sid')) onNamed()
    return { people: people.length, groups: groups.length, pools: pools.length, hosts: hosts.length, anew }
  }
  return {
    async find({ input: { query } }) {
      const pattern = like(query.text.trim())
      const found = await database.query<FoundThing>(
        `
        (select 'person' as kind, id, name as title, id as remark from people where find like $1 order by position($2 in find), name limit 8)
        union all (select 'host', id, id, coalesce(pool, '') || coalesce(' · zone ' || zone, '') from hosts where lower(id) like $1 order by id limit 6)
        union all (select 'share', id, path, 'share' || coalesce(' · zone ' || zone, '') from shares where lower(path) like replace($1, '\\', '\\\\') or lower(path) like $1 order by path limit 4)
        union all (select 'pool', id, name, 'pool' from pools where lower(id) like $1 or lower(name) like $1 order by id limit 4)
        union all (select 'attempt', a.id, coalesce(p.name, a.person, a.id), a.outcome || ' on ' || coalesce(a.host, '') from attempts a left join people p on p.id = a.person where a.id like $3 order by a.id limit 4)`,
        [pattern, query.text.trim().toLowerCase(), query.text.trim().replaceAll(/[\\%_]/g, '\\$&') + '%'],
      )
      return { found }
    },
    async people({ input: { query } }) {
      const people = await lines(query.text, 500)
      const [total] = await database.query<{ n: number }>('select count(*) as n from people')
      return { people, total: total?.n ?? 0 }
    },
    async peopleExport({ input: { query }, reply }) {
      const people = await lines(query.text, null)
      return sendCsv(
        reply,
        'people.csv',
        people.map(({ groups, lastMs, ...line }) => ({
          ...line,
          groups: groups.join(', '),
          lastLogon: lastMs === null ? '' : new Date(lastMs).toISOString(),
        })),
      )
    },
    person: ({ input }) => readPerson(context, input.params.id.toLowerCase()),
    importOrg: ({ input: { body }, caller }) => give(body, caller.name),
    orgFileGive: ({ input: { body }, caller }) => give(body, caller.name),
    async orgFileLook({ input: { body } }) {
      refuseTwice(body)
      return { lists: await Promise.all(ORG_LISTS.map((list) => lookAt(database, list, body))) }
    },
  }
}

/** So many of those that would be gone are named. */
const MOST_GONE = 20

async function lookAt(database: Context['database'], list: (typeof ORG_LISTS)[number], file: OrgFile): Promise<OrgListLook> {
  const ids = file[list].map(({ id }) => (list === 'people' ? readAccount(id).key : id))
  const [row] = await database.query<{ now: number; gone: number; ids: string[] | null }>(
    `select count(*) as now, count(*) filter (where not id = any($1)) as gone, (array_agg(id order by id) filter (where not id = any($1)))[1:${MOST_GONE}] as ids from ${list}`,
    [ids],
  )
  return { list, now: row?.now ?? 0, then: ids.length, gone: row?.gone ?? 0, goneIds: row?.ids ?? [] }
}

function refuseTwice(file: OrgFile): void {
  const twice = ORG_LISTS.flatMap((list) =>
    namedTwice(file[list].map(({ id }) => id)).map((id) => ({
      path: list,
      sentence: `${id} comes more than once; each may come once, in capitals or not`,
    })),
  )
  if (twice.length)
    throw new Problem(
      'request.invalid',
      `Some names come more than once: ${twice
        .slice(0, 5)
        .map(({ sentence }) => sentence.split(' comes')[0])
        .join(', ')}. Nothing was changed.`,
      twice.slice(0, 100),
    )
}

function namedTwice(ids: readonly string[]): string[] {
  const seen = new Set<string>()
  return ids.filter((id) => seen.size === seen.add(id.toLowerCase()).size)
}

async function readPerson({ database }: Context, id: string): Promise<PersonPage> {
  const [[person], groups, pools, sessions, containers, { attempts }] = await Promise.all([
    database.query<{ id: string; name: string; accounts: string[]; groups: string[]; enabled: boolean }>(
      'select id, name, accounts, groups, enabled from people where id = $1',
      [id],
    ),
    database.query<{ id: string; memberOf: string[] }>('select id, member_of as "memberOf" from groups'),
    database.query<{ id: string; name: string; grants: string[] }>('select id, name, grants from pools order by id'),
    database.query<{ host: string; session: string; sinceMs: number; state: string }>(
      `select h.id as host, s.session, s."sinceMs", s.state from hosts h cross join lateral jsonb_to_recordset(h.sessions) as s(person text, session text, "sinceMs" bigint, state text) where s.person = $1`,
      [id],
    ),
    containersOf(database, id),
    listAttempts(database, { person: id, sort: 'started', limit: 30 }),
  ])
  if (!person && attempts.length === 0) throw new Problem('person.unknown')
  const known = person ?? { id, name: attempts[0]?.name ?? id, accounts: [], groups: [], enabled: true }
  const all = transitiveGroups(known.groups, groups)
  const granted = pools.flatMap(({ id: pool, name, grants }) => {
    const through = grants.find((grant) => all.has(grant))
    return through === undefined ? [] : [{ id: pool, name, through }]
  })
  return { ...known, pools: granted, sessions, containers, attempts, verdict: verdict(known.enabled, granted.length, containers, attempts) }
}

/** Can they log on now? The first thing that stands in the way, or none that is known. */
function verdict(enabled: boolean, pools: number, containers: PersonPage['containers'], attempts: PersonPage['attempts']): PersonPage['verdict'] {
  if (!enabled) return { ok: false, sentence: 'Their account is switched off.' }
  const stale = containers.find(({ holderHost, holderAlive }) => holderHost !== null && holderAlive === false)
  if (stale) return { ok: false, sentence: `Their container is held by ${stale.holderHost}, which lists no session of theirs.` }
  if (pools === 0) return { ok: false, sentence: 'No pool is granted to any of their groups.' }
  const [last] = attempts
  if (last?.outcome === 'failed')
    return { ok: false, sentence: `Their last logon failed${last.causeTitle ? `: ${last.causeTitle.toLowerCase()}` : ''}.` }
  return { ok: true, sentence: 'Nothing that is known here stands in the way of a logon.' }
}
