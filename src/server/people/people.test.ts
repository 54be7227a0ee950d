import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { makeWorld, type World } from '../containers/fixtures/world'
import { scanShares } from '../containers/scan'
import type { Names } from '../../core/people'
import { Jobs } from '../journal/jobs'
import { readJob } from '../journal/store'
import type { Context } from '../shell/context'
import { explainAnewQuietly, goOnExplaining } from './explain-anew'
import { peopleHandlers } from './routes'

let world: World
beforeAll(async () => {
  world = await makeWorld()
})
afterAll(() => world.close())
beforeEach(async () => {
  await world.reset()
  await world.database.exec(`truncate attempts, evidence, changes, journal, jobs; update hosts set sessions = '[]'`)
})

const caller = { name: 'vaas' }
// Handlers take what the server hands them; here only input and caller matter.
const ask = async <T>(handler: (call: never) => T, input: object): Promise<Awaited<T>> => await handler({ input, caller } as never)
const people = () => peopleHandlers(world.context())
const find = async (text: string) => (await ask(people().find, { query: { text } })).found.map(({ kind, id }) => [kind, id])
const person = (id: string) => ask(people().person, { params: { id } })
const logons = (who: string, outcomes: string[], lost = 0) =>
  world.database.query(
    `insert into attempts (id, thread, person, host, pool, started_ms, last_ms, total_ms, outcome, first, network, blame_ms, lost_ms, slow_ms, cause)
    select $1::text || i, $1::text || i, $1, 'TH-1', 'ticket-hall', $2::bigint - i * 60000, $2::bigint, 20000, outcome, false, '', '{}', $4, 45000, case when outcome = 'failed' then 'share-full' end
    from unnest($3::text[]) with ordinality as r(outcome, i)`,
    [who, world.nowMs, outcomes, lost],
  )

describe('find', () => {
  it('knows people, hosts, shares, pools and logons by any part of a name, in capitals or not', async () => {
    world.put('mara/profile.vhdx', [0])
    await scanShares(world.context())
    await logons('mara', ['ready'])
    expect(await find('mar')).toEqual([
      ['person', 'mara'],
      ['attempt', 'mara1'],
    ])
    expect(await find('MARA')).toEqual([['person', 'mara']])
    expect(await find('th-')).toEqual([
      ['host', 'TH-1'],
      ['host', 'TH-2'],
    ])
    expect(await find('quay')).toEqual([['share', 'quay']])
    expect(await find(String.raw`\\quay-fs1\pro`)).toEqual([['share', 'quay']])
    expect(await find('halls')).toEqual([['pool', 'ticket-hall']])
    expect(await find('nobody here')).toEqual([])
  })

  it('takes what is typed as it is: signs of patterns are only signs', async () => {
    expect(await find('%')).toEqual([])
    expect(await find('_')).toEqual([])
    expect(await find(`'; drop table people; --`)).toEqual([])
    expect(await find('ilse')).toEqual([['person', 'ilse']])
  })
})

describe('people', () => {
  it('are listed with how their logons of a week went', async () => {
    await logons('mara', ['ready', 'slow', 'ready'])
    await logons('ilse', ['failed'], 20_000)
    const { people: list, total } = await ask(people().people, { query: { text: '' } })
    expect([total, list.map(({ id, attempts, bad, enabled }) => [id, attempts, bad, enabled])]).toEqual([
      3,
      [
        ['ilse', 1, 1, true],
        ['jonas', 0, 0, false],
        ['mara', 3, 0, true],
      ],
    ])
    expect((await ask(people().people, { query: { text: 'il' } })).people.map(({ id }) => id)).toEqual(['ilse'])
  })

  it('have a page that says first what stands in the way of a logon', async () => {
    expect((await person('mara')).verdict).toEqual({ ok: true, sentence: 'Nothing that is known here stands in the way of a logon.' })
    expect((await person('jonas')).verdict.sentence).toBe('Their account is switched off.')
    // Held by a host that does not list a session of theirs.
    world.put('mara/profile.vhdx', [0])
    world.holds = [{ share: world.quay.path, file: 'mara/profile.vhdx', host: 'TH-1', session: 's1', sinceMs: world.nowMs - 3_600_000 }]
    await world.database.query(`update hosts set reported_ms = $1`, [world.nowMs])
    await scanShares(world.context())
    const held = await person('MARA')
    expect(held.containers.map(({ holderHost, holderAlive }) => [holderHost, holderAlive])).toEqual([['TH-1', false]])
    expect(held.verdict).toEqual({ ok: false, sentence: 'Their container is held by TH-1, which lists no session of theirs.' })
    await logons('ilse', ['failed'], 20_000)
    expect((await person('ilse')).verdict.sentence).toMatch(/^Their last logon failed: /)
    expect(held.pools).toEqual([{ id: 'ticket-hall', name: 'Ticket halls', through: 'crew' }])
  })

  it('are told by their logons where the directory does not know them, and not at all where nobody does', async () => {
    await logons('visitor', ['ready'])
    expect(await person('visitor')).toMatchObject({
      id: 'visitor',
      pools: [],
      verdict: { ok: false, sentence: 'No pool is granted to any of their groups.' },
    })
    await expect(person('nobody')).rejects.toMatchObject({ code: 'person.unknown' })
  })
})

describe('a directory that is brought up to date', () => {
  const org = (more: object = {}) => ({
    people: [
      { id: 'LARKMERE\\Mara', name: 'Mara', groups: ['crew'] },
      { id: 'tove', name: 'Tove', groups: ['night crew'] },
    ],
    groups: [{ id: 'crew' }, { id: 'night crew', memberOf: ['crew'] }],
    pools: [{ id: 'ticket-hall', name: 'Ticket halls', mode: 'container', grants: ['crew'] }],
    hosts: [
      { id: 'TH-1', pool: 'ticket-hall', image: '2026.11' },
      { id: 'TH-2', pool: 'ticket-hall', image: '2026.11' },
    ],
    shares: [],
    ...more,
  })
  const bring = (more: object = {}) => ask(people().importOrg, { body: org(more) })
  const changes = () => world.database.query<{ sentence: string; who: string }>('select sentence, who from changes order by at_ms, id')

  it('takes the place of what was known, and is in the journal; the same again changes nothing', async () => {
    expect(await bring()).toEqual({ people: 2, groups: 2, pools: 1, hosts: 2, anew: null })
    await bring()
    expect(await world.database.query('select who, what, after from journal')).toEqual([
      { who: 'vaas', what: 'brought the directory up to date', after: '2 people, 2 groups, 1 pools, 2 hosts' },
    ])
    expect(await find('ilse')).toEqual([])
    // Groups within groups give the pool.
    expect((await person('tove')).pools).toEqual([{ id: 'ticket-hall', name: 'Ticket halls', through: 'crew' }])
  })

  it('tells what has become of hosts, together where it is the same', async () => {
    await bring()
    await world.database.exec('truncate changes')
    const image = (image: string, second = image) => [
      { id: 'TH-1', pool: 'ticket-hall', image },
      { id: 'TH-2', pool: 'ticket-hall', image: second },
    ]
    await bring({ hosts: image('2026.12') })
    world.nowMs += 60_000
    await bring({ hosts: [...image('2026.12', '2026.13'), { id: 'TH-3', pool: 'ticket-hall', image: '2026.13' }] })
    expect((await changes()).map(({ sentence, who }) => [sentence, who])).toEqual([
      ['2 hosts of ticket-hall changed from image 2026.11 to 2026.12.', 'vaas'],
      ['TH-2 of ticket-hall changed from image 2026.12 to 2026.13.', 'vaas'],
    ])
  })

  it('as a file of an administrator says beforehand whom it would no longer know, and changes nothing by that', async () => {
    await bring()
    const file = org({ people: [{ id: 'LARKMERE\\Mara', name: 'Mara Lind', groups: ['crew'] }, { id: 'aino' }], hosts: [{ id: 'TH-1' }] })
    expect(await ask(people().orgFileLook, { body: file })).toEqual({
      lists: [
        { list: 'people', now: 2, then: 2, gone: 1, goneIds: ['tove'] },
        { list: 'groups', now: 2, then: 2, gone: 0, goneIds: [] },
        { list: 'pools', now: 1, then: 1, gone: 0, goneIds: [] },
        { list: 'hosts', now: 2, then: 1, gone: 1, goneIds: ['TH-2'] },
      ],
    })
    expect(await find('tove')).toEqual([['person', 'tove']])
    expect(await ask(people().orgFileGive, { body: file })).toEqual({ people: 2, groups: 2, pools: 1, hosts: 1, anew: null })
    expect([await find('tove'), await find('aino')]).toEqual([[], [['person', 'aino']]])
    await expect(ask(people().orgFileLook, { body: { ...file, people: [{ id: 'a' }, { id: 'A' }] } })).rejects.toMatchObject({
      code: 'request.invalid',
    })
  })

  describe('with names that logons of before have', () => {
    /** Brings a directory that tells of these names first; explains with what is handed in. */
    async function bringNew(some: Partial<Names>, meanwhile: (context: Context) => Promise<void> = () => Promise.resolve()) {
      const context = world.context()
      const seen: string[][] = []
      Object.assign(context.evidence, {
        takeOrganisation: () => Promise.resolve({ people: [], hosts: [], homes: [], ...some }),
        explainAnew: async (rows: readonly { thread: string }[]) => {
          seen.push(rows.map(({ thread }) => thread))
          await meanwhile(context)
          return { attempts: rows.length, toldBefore: 0, pools: [] }
        },
      })
      const { anew } = await ask(peopleHandlers(context).importOrg, { body: org() })
      await context.jobs.settle()
      return { seen, anew, job: anew && (await readJob(world.database, anew.job)) }
    }

    it('has those explained anew, the first ones first, and the journal says so', async () => {
      await logons(
        'mara',
        Array.from({ length: 450 }, () => 'ready'),
      )
      await logons('aino', ['failed', 'failed'])
      const { seen, anew, job } = await bringNew({ people: ['mara'] })
      expect(anew?.attempts).toBe(450)
      expect(seen.map((rows) => rows.length)).toEqual([400, 50])
      expect([seen[0]?.[0], seen[1]?.at(-1)]).toEqual(['mara450', 'mara1'])
      expect([job?.state, job?.steps[0]?.note]).toEqual(['done', '450 explained anew.'])
      const entries = await world.database.query<{ what: string; who: string }>(`select what, who from journal where job = $1 order by at_ms`, [
        anew?.job,
      ])
      expect(entries.map(({ what }) => what)).toEqual([
        'began: Explain 450 logons anew that name what is known only now',
        'finished: Explain 450 logons anew that name what is known only now',
      ])
    })

    it('finds them by host, with its domain or without', async () => {
      await logons('aino', ['ready'])
      await world.database.exec(`update attempts set host = 'TH-1.larkmere.example'`)
      expect((await bringNew({ hosts: ['th-1'] })).seen).toEqual([['aino1']])
    })

    it('leaves the rest as it is when somebody stops it', async () => {
      await logons(
        'mara',
        Array.from({ length: 900 }, () => 'ready'),
      )
      const { seen, job } = await bringNew({ people: ['mara'] }, async ({ jobs, database }) => {
        for (const { id } of await database.query<{ id: string }>(`select id from jobs where state = 'running'`)) jobs.cancel(id)
      })
      expect(seen).toHaveLength(1)
      expect([job?.state, job?.steps[0]?.note]).toEqual(['cancelled', 'Stopped: 400 of 900 were explained anew, the others are as they were.'])
    })

    it('goes on at the next start with those that a stop left, and only then forgets that', async () => {
      await logons(
        'mara',
        Array.from({ length: 900 }, () => 'ready'),
      )
      const { seen, job } = await bringNew({ people: ['mara'] }, ({ jobs }) => Promise.resolve(jobs.leave()))
      expect(seen).toHaveLength(1)
      expect(job?.steps[0]?.note).toBe('Ikebana was stopped: 400 of 900 were explained anew. The next start goes on with the others.')
      const context = world.context()
      const jobs = new Jobs(world.database, context.live, context.now)
      const rest: string[] = []
      const evidence = {
        ...context.evidence,
        explainAnew: (rows: readonly { thread: string }[]) => {
          rest.push(...rows.map(({ thread }) => thread))
          return Promise.resolve({ attempts: rows.length, toldBefore: 0, pools: [] })
        },
      }
      const kept = () => world.database.query(`select name from facts where name like 'explain%'`)
      expect(await kept()).toHaveLength(1)
      await goOnExplaining({ ...context, jobs, evidence })
      await jobs.settle()
      expect([rest.length, new Set([...(seen[0] ?? []), ...rest]).size]).toEqual([500, 900])
      const [going] = await world.database.query<{ title: string; state: string }>(`select title, state from jobs where title like '%rest%'`)
      expect(going).toEqual({ title: 'Explain 500 logons anew that name what is known only now, the rest of 900', state: 'done' })
      expect(await kept()).toEqual([])
      await goOnExplaining({ ...context, jobs, evidence })
      expect(rest).toHaveLength(500)
    })

    it('explains a few at once, as where scans find by and by where whose container lies; only those that do not say it', async () => {
      await logons('mara', ['ready', 'ready'])
      await logons('tove', ['ready'])
      await world.database.exec(`update attempts set share = 'quay' where id = 'mara1'`)
      const context = world.context()
      const seen: string[] = []
      context.evidence.explainAnew = (rows) => {
        seen.push(...rows.map(({ thread }) => thread))
        return Promise.resolve({ attempts: rows.length, toldBefore: 0, pools: [] })
      }
      await explainAnewQuietly(context, { people: [], hosts: [], homes: ['mara'] })
      expect(seen).toEqual(['mara2'])
      await explainAnewQuietly(context, { people: [], hosts: [], homes: ['nobody'] })
      await explainAnewQuietly(context, { people: [], hosts: [], homes: [] })
      expect([seen.length, await world.database.query('select id from jobs')]).toEqual([1, []])
    })

    it('does nothing where no logon names them', async () => {
      await logons('aino', ['ready'])
      expect(await bringNew({ people: ['mara'], hosts: ['th-9'] })).toMatchObject({ seen: [], anew: null })
    })
  })

  it('is refused whole where somebody comes twice, in capitals or not', async () => {
    await bring()
    const twice = bring({ people: [{ id: 'Tove' }, { id: 'tove' }, { id: 'aino' }] })
    await expect(twice).rejects.toMatchObject({ code: 'request.invalid', where: [{ path: 'people' }] })
    await expect(bring({ people: [{ id: 'Tove' }, { id: 'tove' }] })).rejects.toThrow('tove. Nothing was changed.')
    expect(await find('aino')).toEqual([])
    expect(await find('tove')).toEqual([['person', 'tove']])
  })
})
