import { hostKey } from '../../core/people'
import { Problem } from '../../contract/errors'
import type { Rollout } from '../../contract/policies'
import type { PolicySet } from '../../core/policies'
import type { Queryable } from '../db/database'
import { keepChanges, type NewChange } from '../journal/changes'
import { writeJournal } from '../journal/store'
import type { Context } from '../shell/context'
import type { LookDesk } from './look-desk'
import { currentSet, keepVersion, setOf } from './sets'

type Need = Pick<Context, 'database' | 'evidence' | 'live' | 'now'>
type Wave = Rollout['waves'][number]
const COLUMNS =
  'version, previous, author, state, waves, reached, pause_ms as "pauseMs", next_ms as "nextMs", started_ms as "startedMs", ended_ms as "endedMs"'

type Row = Omit<Rollout, 'logons'>

/** The version that is on its way, if any. */
async function openRollout(database: Queryable): Promise<Row | null> {
  const [row] = await database.query<Row>(`select ${COLUMNS} from rollouts where state in ('going', 'paused') order by version desc limit 1`)
  return row ?? null
}

export async function refuseWhileRolling(database: Queryable): Promise<void> {
  const rollout = await openRollout(database)
  if (rollout) throw new Problem('policy.rolling', `Version ${rollout.version} has reached ${rollout.reached} of ${rollout.waves.length} waves.`)
}

/** Refuses a set that breaks a promise which nobody waived. */
export async function refuseBroken(desk: LookDesk, set: PolicySet): Promise<void> {
  const broken = await desk.broken(set)
  if (broken.length) throw new Problem('promise.broken', `${broken.join(', ')}: broken, and not waived.`)
}

/** The waves of a publication: hosts by zone, or a few of each pool first; and people of one group before anybody. */
export async function wavesOf(database: Queryable, how: 'at once' | 'zones' | 'few first', firstGroup: string | null): Promise<Wave[]> {
  const hosts = await database.query<{ id: string; pool: string | null; zone: string | null }>('select id, pool, zone from hosts order by id')
  const first: Wave[] = firstGroup === null ? [] : [{ title: `people of ${firstGroup}`, hosts: [], groups: [firstGroup] }]
  if (how === 'zones') {
    const zones = [...new Set(hosts.map(({ zone }) => zone ?? 'no zone'))].sort()
    return [
      ...first,
      ...zones.map((zone) => ({
        title: `zone ${zone}`,
        hosts: hosts.filter((host) => (host.zone ?? 'no zone') === zone).map(({ id }) => id),
        groups: [],
      })),
    ]
  }
  if (how === 'few first') {
    const seen = new Map<string, number>()
    const order = hosts.map((host) => {
      const n = seen.get(host.pool ?? '') ?? 0
      seen.set(host.pool ?? '', n + 1)
      return { id: host.id, n, of: host.pool ?? '' }
    })
    const wave = (title: string, from: (size: number) => number, until: (size: number) => number): Wave => ({
      title,
      hosts: order.filter(({ n, of }) => n >= from(seen.get(of) ?? 0) && n < until(seen.get(of) ?? 0)).map(({ id }) => id),
      groups: [],
    })
    const third = (size: number) => Math.max(1, Math.ceil(size / 3))
    return [
      ...first,
      wave(
        'one host of each pool',
        () => 0,
        () => 1,
      ),
      wave('a third of each pool', () => 1, third),
      wave('all others', third, (size) => size),
    ].filter(({ hosts: names, groups }) => names.length + groups.length > 0)
  }
  return first.length ? [...first, { title: 'all hosts', hosts: hosts.map(({ id }) => id), groups: [] }] : []
}

/** What a version that reaches a wave alters, for whoever looks why something began. @param wave null where it reaches everybody */
export function waveChange(version: number, wave: Wave | null, who: string, atMs: number, what: string): NewChange {
  const zone = wave?.title.startsWith('zone ') ? wave.title.slice('zone '.length) : null
  const scope =
    zone !== null ? [{ dimension: 'zone', value: zone }] : wave?.groups[0] !== undefined ? [{ dimension: 'group', value: wave.groups[0] }] : []
  return {
    atMs,
    kind: 'policy',
    scope,
    sentence: `Version ${version} of the policies reached ${wave?.title ?? 'everybody'}${what ? `: ${what}` : ''}.`,
    who,
  }
}

/** Begins to bring a version to its first wave. */
export async function beginRollout(
  need: Need,
  version: number,
  previous: number,
  author: string,
  waves: readonly Wave[],
  pauseMs: number,
): Promise<void> {
  const nowMs = need.now()
  await need.database.query(`insert into rollouts values ($1, $2, $3, 'going', $4::jsonb, 1, $5, $6, $7, null)`, [
    version,
    previous,
    author,
    JSON.stringify(waves),
    pauseMs,
    nowMs + pauseMs,
    nowMs,
  ])
}

/** The next wave, a pause, on with it, or back: the version before is published again, so that nobody keeps the new one. */
export async function stepRollout(need: Need, what: 'next' | 'pause' | 'go on' | 'back', author: string): Promise<void> {
  const { database, live, evidence, now } = need
  const rollout = await openRollout(database)
  if (!rollout) throw new Problem('remedy.none', 'No version is on its way.')
  const { version, reached, waves } = rollout
  const journal = (text: string, after: string) =>
    writeJournal(database, {
      atMs: now(),
      who: author,
      what: text,
      target: 'policies',
      before: `${reached} of ${waves.length} waves had version ${version}`,
      after,
    })
  if (what === 'next') {
    const done = reached + 1 >= waves.length
    await database.query(`update rollouts set reached = reached + 1, state = $2, next_ms = $3, ended_ms = $4 where version = $1 and reached = $5`, [
      version,
      done ? 'done' : 'going',
      done ? null : now() + rollout.pauseMs,
      done ? now() : null,
      reached,
    ])
    await keepChanges(database, [waveChange(version, waves[reached] ?? null, author, now(), '')], now())
    await journal(
      `brought version ${version} of the policies to ${waves[reached]?.title ?? 'all'}`,
      done ? 'everybody has it' : `${reached + 1} of ${waves.length} waves have it`,
    )
  } else if (what === 'back') {
    const [before, newest] = await Promise.all([setOf(database, rollout.previous), currentSet(database)])
    if (!before) throw new Problem('policy.outdated')
    await database.query(`update rollouts set state = 'back', next_ms = null, ended_ms = $2 where version = $1`, [version, now()])
    await keepVersion(database, newest.version + 1, before.set, author, now(), `back to version ${rollout.previous}`)
    await keepChanges(
      database,
      [
        {
          atMs: now(),
          kind: 'policy',
          scope: [],
          sentence: `Version ${version} of the policies was taken back; ${rollout.previous} holds again.`,
          who: author,
        },
      ],
      now(),
    )
    await evidence.refresh()
    await journal(`took version ${version} of the policies back`, `version ${newest.version + 1} is the same as ${rollout.previous}`)
  } else {
    const going = what === 'go on'
    await database.query('update rollouts set state = $2, next_ms = $3 where version = $1', [
      version,
      going ? 'going' : 'paused',
      going ? now() + rollout.pauseMs : null,
    ])
    await journal(`${going ? 'went on with' : 'paused'} version ${version} of the policies`, going ? 'going' : 'paused')
  }
  live.tell('policy')
}

/** Brings the version on its way to its next wave when its pause is over. */
export async function stepDueRollouts(need: Need): Promise<void> {
  const rollout = await openRollout(need.database)
  if (rollout?.state === 'going' && rollout.nextMs !== null && rollout.nextMs <= need.now()) await stepRollout(need, 'next', 'Ikebana')
}

/** The newest publication in waves, with the logons of those who have it beside those who have not. */
export async function readRollout(database: Queryable): Promise<Rollout | null> {
  const [row] = await database.query<Row>(`select ${COLUMNS} from rollouts order by version desc limit 1`)
  if (!row) return null
  const reached = row.waves.slice(0, row.reached)
  const groups = reached.flatMap((wave) => wave.groups)
  const counts = await database.query<{ has: boolean; count: number; failed: number; slow: number; medianMs: number | null }>(
    `with recursive inside(id) as (select unnest($3::text[]) union select g.id from groups g join inside i on g.member_of ? i.id)
    select (host_key(a.host) = any($2) or coalesce(p.groups ?| (select array_agg(id) from inside), false)) as has, count(*) as count, count(*) filter (where a.outcome = 'failed') as failed,
      count(*) filter (where a.outcome = 'slow') as slow, percentile_cont(0.5) within group (order by a.total_ms) filter (where a.outcome in ('ready', 'slow')) as "medianMs"
    from attempts a left join people p on p.id = a.person where a.started_ms >= $1 and a.started_ms < $4 and a.outcome <> 'open' group by 1`,
    [row.startedMs, reached.flatMap(({ hosts }) => hosts.map(hostKey)), groups, row.endedMs ?? Number.MAX_SAFE_INTEGER],
  )
  const count = (has: boolean) => {
    const found = counts.find((one) => one.has === has)
    return { count: found?.count ?? 0, failed: found?.failed ?? 0, slow: found?.slow ?? 0, medianMs: found?.medianMs ?? null }
  }
  return { ...row, logons: { with: count(true), without: count(false) } }
}
