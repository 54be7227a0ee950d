import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { SessionReport } from '../../contract/policies'
import { SERIES } from '../../core/logons'
import { readSet, type PolicySet } from '../../core/policies'
import { makeWorld, type World } from '../containers/fixtures/world'
import { tellEndedWaivers } from './waivers'
import type { Context } from '../shell/context'
import { answerLook } from './look'
import { lookDesk } from './look-desk'
import { policyHandlers } from './routes'
import { stepDueRollouts } from './rollouts'
import { endAdminRights, giveRightsAtBuild, sessionHandlers } from './session-routes'
import { setHandlers } from './set-routes'
import { currentSet } from './sets'
import { hostsShould } from './should'

let world: World
beforeAll(async () => {
  world = await makeWorld()
})
afterAll(() => world.close())
beforeEach(async () => {
  await world.reset()
  await world.database.exec(
    `truncate rollouts, policy_draft, connected, limit_proofs, attempts; delete from policy_versions where version > 1; update hosts set sessions = '[]', admins = '[]', assigned = null`,
  )
})

const context = () => world.context()
// The same work as in the thread that looks at sets, in this one.
const desk = lookDesk(
  { query: (sql, params) => world.database.query(sql, params) },
  () => world.nowMs,
  async (question) => answerLook(question),
)
const caller = { name: 'vaas' }
// Handlers take what the server hands them; here only input and caller matter.
const ask = async <T>(handler: (call: never) => T, input: object = {}): Promise<Awaited<T>> => await handler({ input, caller } as never)
const sets = () => setHandlers(context(), desk)

const crew = (settings: object, more: object = {}) => ({ id: 'crew', name: 'Crew', when: { group: ['crew'] }, settings, ...more })
const body = async (change: (set: PolicySet) => object) => {
  const { set, version } = await currentSet(world.database)
  return { body: { set: { ...set, ...change(set) }, basedOn: version, parts: 'all' } }
}
const draft = async (change: (set: PolicySet) => object) => ask(sets().policyDraft, await body(change))
const publish = (waves = 'at once', more: object = {}) => ask(sets().policiesPublish, { body: { note: 'why', waves, pauseMinutes: 10, ...more } })
const journal = async () => (await world.database.query<{ what: string }>('select what from journal order by id desc limit 1'))[0]?.what

describe('a draft', () => {
  it('says what it does to logons, by those of the last days', async () => {
    const signOn = SERIES.indexOf('sign-on') + 1
    await world.database.query(
      `insert into attempts (id, thread, host, pool, started_ms, last_ms, total_ms, outcome, first, network, factor, blame_ms, lost_ms, slow_ms)
      select 'e' || n, 'e' || n, 'h', 'ticket-hall', $1::bigint - n * 1000, $1::bigint, 20000 + n * 1000, 'ready', false, '', case when n % 2 = 0 then 'push' else 'none' end,
        array_fill(0, array[$2 - 1]) || array[case when n % 2 = 0 then 11000 else 2000 end] || array_fill(0, array[$3 - $2 - 1]) || array[20000 + n * 1000], 0, 45000
      from generate_series(1, 40) n`,
      [world.nowMs, signOn, SERIES.length],
    )
    const { set } = await currentSet(world.database)
    const strong = { id: 'halls', when: { pool: ['ticket-hall'] }, settings: { signOnStrength: 'second-factor' } }
    const { effects } = await ask(sets().policyEffects, { body: { set: { ...set, base: { ...set.base, slowSeconds: 30 }, policies: [strong] } } })
    expect(effects.map(({ setting, byMs }) => [setting, byMs]).sort()).toEqual([
      ['signOnStrength', 9000],
      ['slowSeconds', null],
    ])
    expect(effects.map(({ sentence }) => sentence).join(' ')).toContain(
      'Of 40 logons in 7 days 15 were called slow (beyond 45.0 s); 30 would be (beyond 30.0 s).',
    )
  })

  it('changes nothing until it is published, then holds for hosts and sessions', async () => {
    await draft(() => ({
      policies: [
        crew({ disconnectedMinutes: 30 }),
        { id: 'halls', when: { pool: ['ticket-hall'] }, settings: { sizeLimitMib: 2048 } },
        // What asks for the client says nothing of a host, not even that it holds.
        { id: 'outside', when: { none: [{ network: ['office'] }] }, settings: { onFailure: 'temporary' } },
      ],
    }))
    expect((await currentSet(world.database)).version).toBe(1)
    const look = await ask(sets().policyLook, { body: { set: (await ask(sets().policies)).draft?.set } })
    expect(look.changes.groups.map(({ title, before, after, people }) => [title, before, after, people])).toEqual([
      ['When the container cannot be had', 'refuse the logon', 'give a temporary profile', 2],
      ['Disconnected limit', 'never', '30 min', 1],
      ['Size limit of a container', '30 GiB', '2 GiB', 1],
    ])
    const page = await publish()
    expect([page.version, page.draft, await journal()]).toEqual([2, null, 'published version 2 of the policies'])
    const hosts = await world.database.query<{ id: string; pool: string; zone: null; image: null }>('select id, pool, zone, image from hosts')
    expect((await hostsShould(world.database, hosts, world.nowMs))('TH-1').settings).toMatchObject({ sizeLimitMib: 2048, onFailure: 'refuse' })
    const { values } = await ask(sessionHandlers(context()).agentSession, { body: { host: 'TH-1', facts: { person: 'mara' } } })
    expect(values).toMatchObject({ disconnectedMinutes: 30, sizeLimitMib: 2048 })
    // What every host fetches goes on being a base policy to whoever asks for that.
    expect((await ask(policyHandlers(context(), desk).policy)).settings.sizeLimitMib).toBe(30 * 1024)
  })

  it('is refused whole with every fault, or taken in part where that is wished', async () => {
    const half = { body: { set: { policies: [crew({ idleMinutes: 30 }), crew({ idleMinutes: 0 }, { id: 'bad' })] }, basedOn: 1, parts: 'all' } }
    await expect(ask(sets().policyDraft, half)).rejects.toMatchObject({
      code: 'policy.invalid',
      where: [{ path: 'policies[1].settings.idleMinutes' }],
    })
    expect((await ask(sets().policies)).draft).toBeNull()
    const page = await ask(sets().policyDraft, { body: { ...half.body, parts: 'understood' } })
    expect(page.draft?.set.policies.map(({ id }) => id)).toEqual(['crew'])
  })

  it('is not published over somebody else’s version, but brought up to date first', async () => {
    await draft(() => ({ policies: [crew({ idleMinutes: 30 })] }))
    // Somebody publishes another base policy meanwhile.
    const { settings } = await ask(policyHandlers(context(), desk).policy)
    await ask(policyHandlers(context(), desk).policyPublish, { body: { settings: { ...settings, sizeLimitMib: 1024 }, basedOn: 1 } })
    await expect(publish()).rejects.toMatchObject({ code: 'policy.outdated' })
    const { conflicts, page } = await ask(sets().policyDraftRebase)
    expect([conflicts, page.draft?.basedOn, page.draft?.set.base['sizeLimitMib']]).toEqual([[], 2, 1024])
    expect((await publish()).set.policies.map(({ id }) => id)).toEqual(['crew'])
  })

  it('that breaks a promise stops, until the promise is waived; a broken base policy too', async () => {
    const promise = { id: 'p', name: 'Nothing out', when: { group: ['crew'] }, then: [{ setting: 'copyTextOut', is: ['off'] }] }
    const waived = { reason: 'later', by: 'vaas', until: new Date(world.nowMs + 86_400_000).toISOString() }
    await draft(() => ({ promises: [promise] }))
    await expect(publish()).rejects.toMatchObject({ code: 'promise.broken', message: 'Nothing out: broken, and not waived.' })
    await draft(() => ({ promises: [{ ...promise, waived }] }))
    expect((await publish()).version).toBe(2)
    // When the waiver is over, it stops again.
    world.nowMs += 2 * 86_400_000
    const { settings } = await ask(policyHandlers(context(), desk).policy)
    await expect(
      ask(policyHandlers(context(), desk).policyPublish, { body: { settings: { ...settings, sizeLimitMib: 512 }, basedOn: 2 } }),
    ).rejects.toMatchObject({ code: 'promise.broken' })
    // That is told once, however often one looks.
    for (let i = 0; i < 3; i++) await tellEndedWaivers(context())
    expect(await world.database.query(`select who, target, before, after from journal where what = 'a waiver ended'`)).toEqual([
      { who: 'Ikebana', target: 'promise Nothing out', before: `waived by vaas until ${waived.until}: later`, after: 'it must hold again' },
    ])
    const [verdict] = (await ask(sets().policyLook, { body: { set: { ...(await ask(sets().policies)).set, promises: [{ ...promise, waived }] } } }))
      .promises
    expect(verdict).toMatchObject({ state: 'broken', waived: null, ended: waived })
  })

  it('can be thrown away, sent to review, and taken from an earlier version', async () => {
    await expect(ask(sets().policyDraftReview, { body: { asked: true } })).rejects.toMatchObject({ code: 'draft.none' })
    await draft(() => ({ policies: [crew({ idleMinutes: 30 })] }))
    expect((await ask(sets().policyDraftReview, { body: { asked: true } })).draft?.review).toBe('vaas')
    await publish()
    expect((await ask(sets().policyRestore, { params: { version: 1 } })).draft?.set.policies).toEqual([])
    await ask(sets().policyDraftEnd)
    expect([(await ask(sets().policies)).draft, await journal()]).toEqual([null, 'threw the draft of the policies away'])
    const { versions } = await ask(sets().policyVersions)
    expect(versions.map(({ version, state, differences }) => [version, state, differences.length])).toEqual([
      [2, 'in force', 2],
      [1, '', 0],
    ])
    expect((await ask(sets().policyCompare, { query: { from: 2, to: 1 } })).differences.map(({ kind }) => kind)).toEqual(['removed'])
  })
})

describe('publishing in waves', () => {
  const limit = async (host: string, person = 'mara') =>
    (await ask(sessionHandlers(context()).agentSession, { body: { host, facts: { person } } })).values['disconnectedMinutes']

  it('reaches the hosts of a wave, goes on by itself after the pause, and ends', async () => {
    await draft(() => ({ policies: [crew({ disconnectedMinutes: 30 })] }))
    const page = await publish('few first')
    expect(page.rollout).toMatchObject({ version: 2, state: 'going', reached: 1, waves: [{ hosts: ['TH-1'] }, { hosts: ['TH-2'] }] })
    expect([await limit('TH-1'), await limit('TH-2')]).toEqual([30, undefined])
    await expect(publish()).rejects.toMatchObject({ code: 'policy.rolling' })
    await stepDueRollouts(context())
    expect(await limit('TH-2')).toBeUndefined()
    world.nowMs += 11 * 60_000
    await stepDueRollouts(context())
    expect([await limit('TH-2'), (await ask(sets().policies)).rollout?.state]).toEqual([30, 'done'])
  })

  it('begins with people of a group, wherever they are; pauses; and goes back with one action', async () => {
    await draft(() => ({ policies: [{ id: 'all', when: { all: [] }, settings: { disconnectedMinutes: 30 } }] }))
    await publish('few first', { firstGroup: 'bridge' })
    expect([await limit('TH-1', 'ilse'), await limit('TH-1')]).toEqual([30, undefined])
    await ask(sets().rolloutStep, { body: { what: 'pause' } })
    world.nowMs += 60 * 60_000
    await stepDueRollouts(context())
    expect(await limit('TH-1')).toBeUndefined()
    await ask(sets().rolloutStep, { body: { what: 'next' } })
    expect(await limit('TH-1')).toBe(30)
    const back = await ask(sets().rolloutStep, { body: { what: 'back' } })
    expect([back.version, back.set.policies, await limit('TH-1'), await limit('TH-1', 'ilse')]).toEqual([3, [], undefined, undefined])
    expect((await ask(sets().policyVersions)).versions.map(({ version, state }) => [version, state])).toEqual([
      [3, 'in force'],
      [2, 'taken back'],
      [1, ''],
    ])
    await expect(ask(sets().rolloutStep, { body: { what: 'next' } })).rejects.toMatchObject({ code: 'remedy.none' })
  })

  it('counts the logons of those who have it beside the others', async () => {
    await draft(() => ({ policies: [crew({ disconnectedMinutes: 30 })] }))
    await publish('few first')
    const insert = (id: string, host: string, outcome: string, ms: number) =>
      world.database.query(
        `insert into attempts (id, thread, person, host, started_ms, last_ms, total_ms, outcome, first, network, blame_ms, lost_ms, slow_ms) values ($1, $1, 'mara', $2, $3, $3, $4, $5, false, 'office', '{}', 0, 0)`,
        [id, host, world.nowMs + 1000, ms, outcome],
      )
    await insert('a', 'TH-1', 'ready', 10_000)
    await insert('b', 'TH-1', 'failed', 1000)
    await insert('c', 'TH-2', 'ready', 20_000)
    expect((await ask(sets().policies)).rollout?.logons).toEqual({
      with: { count: 2, failed: 1, slow: 0, medianMs: 10_000 },
      without: { count: 1, failed: 0, slow: 0, medianMs: 20_000 },
    })
  })
})

describe('what is in force', () => {
  const report = (more: Partial<SessionReport>) =>
    world.database.query(`update hosts set sessions = $1::jsonb, reported_ms = $2 where id = 'TH-1'`, [
      JSON.stringify([
        { person: 'mara', session: 's1', sinceMs: world.nowMs, state: 'active', facts: { network: 'home', at: world.nowMs }, ...more },
      ]),
      world.nowMs,
    ])
  const proof = async () => (await ask(sessionHandlers(context()).sessionsOfPerson, { params: { id: 'mara' } })).sessions[0]

  it('in a session is laid beside what should be, with the reasons', async () => {
    await draft(() => ({ policies: [{ id: 'home', when: { network: ['home'] }, settings: { lockMinutes: 5 } }] }))
    await publish()
    await report({})
    expect((await proof())?.verdict).toBe('never reported')
    const { values, version } = await ask(sessionHandlers(context()).agentSession, {
      body: { host: 'TH-1', facts: { person: 'mara', network: 'home' } },
    })
    await report({ policy: { version, values } })
    expect(await proof()).toMatchObject({ verdict: 'as it should be', version: 2, differences: [] })
    await report({ policy: { version, values: { ...values, lockMinutes: 60 } } })
    expect(await proof()).toMatchObject({ verdict: 'differs', differences: [{ title: 'Lock after', should: '5 min', reported: '1 h' }] })
    await report({ policy: { version: 1, values: { ...values, lockMinutes: 60 } } })
    expect((await proof())?.verdict).toBe('not yet fetched')
    // What takes effect at the next logon may wait, in a session that began before the version was published.
    await draft(() => ({ policies: [{ id: 'sound', when: { all: [] }, settings: { sound: 'low' } }] }))
    world.nowMs += 1000
    await publish()
    await report({ sinceMs: world.nowMs - 500, policy: { version: 3, values } })
    expect((await proof())?.verdict).toBe('from the next logon on')
    await report({ policy: { version: 3, values } })
    expect((await proof())?.verdict).toBe('differs')
    await report({ sinceMs: world.nowMs - 500, policy: { version: 2, values } })
    expect(await ask(sessionHandlers(context()).sessionsProof)).toMatchObject({ sessions: 1, odd: [{ person: 'mara', verdict: 'not yet fetched' }] })
    expect((await proof())?.effective.settings.find(({ setting }) => setting === 'sound')).toMatchObject({ winner: 'sound' })
  })

  it('says which way the last logon of a session went, against what the policy says of it', async () => {
    const at = async (transport: 'relay' | 'direct-first' | 'direct-only') => {
      await draft(() => ({ policies: [crew({ transport })] }))
      const version = (await publish()).version
      const { values } = await ask(sessionHandlers(context()).agentSession, { body: { host: 'TH-1', facts: { person: 'mara' } } })
      await report({ sinceMs: world.nowMs, policy: { version, values } })
      return proof()
    }
    expect((await at('relay'))?.way).toBeNull()
    const logon = (id: string, session: string, agoMs: number, transport: string | null) =>
      world.database.query(
        `insert into attempts (id, thread, person, host, session, started_ms, last_ms, total_ms, outcome, first, network, transport, blame_ms, lost_ms, slow_ms) values ($1, $1, 'mara', 'TH-1', $2, $3, $3, 9000, 'ready', false, 'office', $4, '{}', 0, 0)`,
        [id, session, world.nowMs - agoMs, transport],
      )
    const { session = '' } = (await proof()) ?? {}
    await logon('w-old', session, 86_400_000, 'relay')
    await logon('w-other', 'another', 1000, 'relay')
    await logon('w-silent', session, 500, null)
    expect((await proof())?.way).toBeNull()
    await logon('w-this', session, 2000, 'direct')
    expect((await proof())?.way).toMatchObject({ attempt: 'w-this', went: 'direct', verdict: 'against the policy' })
    expect(await ask(sessionHandlers(context()).sessionsProof)).toMatchObject({
      odd: [{ person: 'mara', verdict: 'as it should be', way: { verdict: 'against the policy' } }],
      ways: { known: 1, secondChoice: 0, against: 1 },
    })
    expect((await at('direct-first'))?.way?.verdict).toBe('as the policy says')
    await logon('w-again', session, 100, 'relay')
    expect((await proof())?.way).toMatchObject({ attempt: 'w-again', verdict: 'second choice' })
    expect(await ask(sessionHandlers(context()).sessionsProof)).toMatchObject({ odd: [], ways: { known: 1, secondChoice: 1, against: 0 } })
    await world.database.exec(`delete from attempts where id like 'w-%'`)
  })

  it('is told to the person in a few plain sentences', async () => {
    await draft(() => ({
      policies: [crew({ disconnectedMinutes: 30, copyTextOut: 'off', copyFilesOut: 'off', printing: 'off', lockMinutes: 'none' })],
    }))
    await publish()
    await report({})
    const sent: string[] = []
    const told = sessionHandlers({
      ...context(),
      fleet: { ...world.fleet, message: async (_: string, __: string, text: string) => void sent.push(text) },
    })
    const { text } = await ask(told.sessionTell, { body: { host: 'TH-1', session: 's1' } })
    expect(text).toBe(
      'If you leave without logging off, your session is kept for 30 min.\nYou cannot copy text, files out of it.\nYou cannot print from it.',
    )
    expect([sent, await journal()]).toEqual([[text], 'told a person what applies to their session'])
    await expect(ask(told.sessionTell, { body: { host: 'TH-1', session: 'gone' } })).rejects.toMatchObject({ code: 'not-found' })
  })

  it('for administrators of desktops: named, given and taken away as a job', async () => {
    await draft(() => ({ policies: [{ id: 'own', when: { pool: ['bridge-ops'] }, settings: { localAdministrator: 'assigned' } }] }))
    await publish()
    await world.database.exec(
      `update pools set binding = 'fixed' where id = 'bridge-ops'; insert into hosts (id, pool, assigned, admins) values ('BR-1', 'bridge-ops', 'ilse', '[{"account":"bridge","kind":"group","people":3,"sinceMs":0}]') on conflict do nothing`,
    )
    const fleet = {
      ...world.fleet,
      setAdmin: async (host: string, person: string | null) => {
        await world.database.query('update hosts set admins = $2::jsonb where id = $1', [
          host,
          JSON.stringify(person ? [{ account: person, kind: 'person', sinceMs: world.nowMs }] : []),
        ])
      },
    }
    const jobs: Promise<unknown>[] = []
    const handlers = sessionHandlers({
      ...context(),
      fleet,
      jobs: { start: async (job: never) => void jobs.push(world.run(job)) },
    } as unknown as Context)
    const line = async () => (await ask(handlers.localAdmins)).lines.find(({ host }) => host === 'BR-1')
    expect(await line()).toMatchObject({ state: 'to be taken away', wide: ['Through the group bridge 3 people are administrator here.'] })
    await ask(handlers.localAdminSet, { params: { id: 'BR-1' } })
    await Promise.all(jobs)
    expect((await line())?.state).toBe('to be given')
    await ask(handlers.localAdminSet, { params: { id: 'BR-1' } })
    await Promise.all(jobs)
    expect(await line()).toMatchObject({ state: 'as it should be', now: [{ account: 'ilse' }] })
    // When the time is over, it is taken away without anybody asking.
    await endAdminRights({ ...context(), fleet })
    expect((await line())?.state).toBe('as it should be')
    world.nowMs += 9 * 3_600_000
    expect((await line())?.sentence).toContain('that time is over')
    await endAdminRights({ ...context(), fleet })
    expect([(await line())?.state, await journal()]).toEqual(['to be given', 'took the right of an administrator away, as its time was over'])
    await ask(handlers.localAdminSet, { params: { id: 'BR-1' } })
    await Promise.all(jobs)
    await expect(ask(handlers.localAdminSet, { params: { id: 'BR-1' } })).rejects.toMatchObject({ code: 'remedy.none' })
    // Built anew, nobody asks: the person it is assigned to has the right, once; assigned to nobody, it waits.
    const build = (assigned: string | null) =>
      ask(policyHandlers(context(), desk).agentReport, {
        body: {
          host: 'BR-1',
          pool: 'bridge-ops',
          agentVersion: '1',
          version: 1,
          inForce: {},
          pending: [],
          draining: false,
          sessions: [],
          leftovers: [],
          assigned,
          admins: [],
          builtMs: world.nowMs,
        },
      })
    await build(null)
    await giveRightsAtBuild({ ...context(), fleet })
    expect((await line())?.sentence).toBe('The desktop is assigned to nobody yet.')
    await build('ilse')
    await giveRightsAtBuild({ ...context(), fleet })
    expect([(await line())?.now[0]?.account, await journal()]).toEqual(['ilse', 'made somebody administrator of their own desktop, as it was built'])
    await world.database.exec(`update hosts set admins = '[]' where id = 'BR-1'`)
    await giveRightsAtBuild({ ...context(), fleet })
    expect((await line())?.state).toBe('to be given')
    await world.database.exec(`delete from hosts where id = 'BR-1'`)
  })

  const needOf = (fleet: object) =>
    ({ ...context(), fleet, now: () => world.nowMs, jobs: { tellProgress: () => undefined, wantsToStop: () => false } }) as unknown as Context

  it('proves a time limit: the fleet logs off in time, or too late, and nothing is left behind', async () => {
    await draft(() => ({ policies: [crew({ disconnectedMinutes: 1 })] }))
    await publish()
    const { limitProofJob, limitProofs } = await import('./limit-proof')
    const prove = async (afterMs: number) => {
      let left: number | null = null
      const fleet = {
        ...world.fleet,
        disconnect: async () => {
          left = world.nowMs
        },
        sessions: async () => {
          // Time passes when one looks.
          world.nowMs += 5000
          if (left !== null && world.nowMs - left >= afterMs) world.sessions = []
          return world.sessions
        },
      }
      const job = await world.run(await limitProofJob(needOf(fleet), 'ticket-hall', 'mara', 'vaas', async () => undefined))
      return [job.state, (await limitProofs(world.database))[0]?.sentence]
    }
    expect(await prove(60_000)).toEqual(['done', 'Logged off 60 s after it was disconnected; the limit is 60 s.'])
    expect((await prove(10_000))[1]).toContain('It was logged off after 10 s already')
    expect((await prove(200_000))[1]).toMatch(/It still runs \d+ s after its limit/)
    expect(world.sessions).toEqual([])
    world.refuse = 'mara may not'
    expect((await prove(1))[1]).toBe('The logon did not work: mara may not.')
    expect((await limitProofs(world.database)).map(({ ok }) => ok)).toEqual([false, false, false, true])
  }, 60_000)

  it('proves a limit of hours too, looking seldom at first and every second near the end', async () => {
    await draft(() => ({ policies: [crew({ disconnectedMinutes: 240 })] }))
    await publish()
    const { limitProofJob, limitProofs } = await import('./limit-proof')
    let left = Infinity
    let looks = 0
    const fleet = {
      ...world.fleet,
      disconnect: async () => {
        left = world.nowMs
      },
      sessions: async () => {
        looks++
        if (world.nowMs - left >= 240 * 60_000) world.sessions = []
        return world.sessions
      },
    }
    const job = await world.run(
      await limitProofJob(needOf(fleet), 'ticket-hall', 'mara', 'vaas', async (ms) => {
        world.nowMs += Math.ceil(ms)
      }),
    )
    expect([job.state, (await limitProofs(world.database))[0]?.sentence]).toEqual([
      'done',
      expect.stringMatching(/^Logged off 1440[01] s after it was disconnected; the limit is 14400 s.$/),
    ])
    expect(looks).toBeLessThan(600)
  })
})

describe('stretches of sessions', () => {
  it('are kept once, however often they are told, and come as lines for the replay', async () => {
    const handlers = sessionHandlers(context())
    const one = {
      session: 's1',
      person: 'Mara',
      pool: 'ticket-hall',
      host: 'TH-1',
      onMs: world.nowMs - 7_200_000,
      offMs: null,
      ended: null,
      network: 'home',
      clientKind: 'laptop',
      clientVersion: '2.1',
      rttMs: 31.6,
      kbps: 900,
    }
    const tell = (list: object[]) => ask(handlers.agentStretches, { body: { stretches: list } })
    await tell([one, { ...one, session: 's2', person: 'ilse', pool: 'bridge-ops', network: null, rttMs: null, onMs: world.nowMs - 3_600_000 }])
    await tell([
      { ...one, offMs: world.nowMs - 3_600_000, ended: 'disconnected' },
      { ...one, onMs: world.nowMs - 1_800_000, offMs: world.nowMs, ended: 'logged off' },
    ])
    const { lines, fromMs, networks, clients } = await ask(handlers.stretches, { query: { days: 1 } })
    const second = (ms: number) => String((ms - fromMs) / 1000)
    expect([networks, clients]).toEqual([['', 'home'], ['laptop 2.1']])
    expect(lines).toEqual([
      {
        person: 'ilse',
        pool: 'bridge-ops',
        on: second(world.nowMs - 3_600_000),
        off: '-1',
        ended: '-',
        network: '0',
        client: '0',
        rtt: '-1',
        kbps: '900',
      },
      {
        person: 'mara',
        pool: 'ticket-hall',
        on: `${second(world.nowMs - 7_200_000)},${second(world.nowMs - 1_800_000)}`,
        off: `${second(world.nowMs - 3_600_000)},${second(world.nowMs)}`,
        ended: 'do',
        network: '1,1',
        client: '0,0',
        rtt: '32,32',
        kbps: '900,900',
      },
    ])
    await draft(() => ({ policies: [crew({ disconnectedMinutes: 30 })] }))
    const limits = (isDraft: boolean) => ask(handlers.limitsOf, { body: { draft: isDraft, people: ['mara', 'ilse'], pools: ['ticket-hall'] } })
    expect((await limits(false)).disconnected.sort()).toEqual([
      [0, 0, null],
      [1, 0, null],
    ])
    const drafted = await limits(true)
    expect({ ...drafted, disconnected: drafted.disconnected.sort() }).toMatchObject({
      disconnected: [
        [0, 0, 30],
        [1, 0, null],
      ],
      groups: [
        { group: 'bridge', people: [1] },
        { group: 'crew', people: [0] },
      ],
    })
  })
})

describe('the demo’s set', () => {
  it('is read without a fault', async () => {
    const { demoSet } = await import('./demo-set')
    const { settings } = await ask(policyHandlers(context(), desk).policy)
    expect(readSet(JSON.parse(JSON.stringify(demoSet(settings, world.nowMs)))).faults).toEqual([])
  })
})
