import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import { handedOver } from '../../core/logons/fixtures/clocks'
import { correlate, type Observation } from '../../core/logons'
import type { Database } from '../db/database'
import { LOGONS } from '../db/fixtures/emptied'
import { engines, onEngine } from '../db/fixtures/engines'
import { migrate } from '../db/migrate'
import { listClocks } from './clocks'
import { replaceOrg } from '../people/store'
import { Intake } from './intake'
import { unpackEvidence } from './pack'
import { columnsOf, listAttempts, storyRow } from './store'
import { readStory } from './story'
import { readToday } from './today'

const NOW = START_MS + 3_600_000

/** Logons of which some observations lost their id, and some only say the session. */
function someLost(): Observation[] {
  const lost = (list: Observation[], which: (i: number) => boolean) => list.map((o, i) => (which(i) ? { ...o, attempt: undefined } : o))
  return [
    ...lost(logon({ id: 'm1' }), (i) => i > 2).map((o, i) => (i < 3 ? { ...o, host: 'BROKER-1' } : o)),
    ...logon({ at: START_MS + 600_000 }),
    ...lost(logon({ id: 'm2', at: START_MS + 1_200_000 }), (i) => i % 2 === 0),
    ...lost(logon({ id: 'j1', person: 'jonas' }), (i) => i === 0)
      .map((o) => (o.attempt ? { ...o, person: undefined } : o))
      .map((o, i) => (i === 4 ? { ...o, person: 'jonas' } : o)),
    ...logon({ id: 'r1', person: 'rut' }),
    // The host only says which session it is; the broker names the host with its domain.
    ...logon({ person: 'ilse', host: 'BO-H1-03' })
      .map((o, i) => ({ ...o, session: '4', ...(i > 0 && i < 3 ? { host: 'bo-h1-03.larkmere.example' } : {}) }))
      .map((o, i) => (i > 3 ? { ...o, person: undefined } : o)),
  ]
}

describe.each(engines)('intake on %s', (name, open) => {
  let database: Database
  onEngine(open, (opened) => (database = opened))
  const fresh = async () => {
    await database.exec(`truncate ${LOGONS}`)
    return new Intake(database)
  }
  const state = async () => ({
    attempts: await database.query('select * from attempts order by id'),
    days: await database.query('select day_ms, pool, first, network, slot, n, sketch from usual_days where n <> 0 order by 1, 2, 3, 4, 5'),
    hours: await database.query('select * from hours where n <> 0 order by 1, 2'),
    findings: await database.query('select * from findings order by attempt'),
  })
  const some = [
    ...logon({ id: 'a', attrs: { share: 's' } }),
    ...logon({ person: 'jonas', host: 'TH-2' }),
    ...logon({ person: 'jonas', host: 'TH-2', at: START_MS + 1_800_000 }),
    ...logon({
      id: 'f',
      person: 'ilse',
      outcome: 'failed',
      phases: { broker: 500, container: 60_000 },
      marks: [['0xC0000043', 'container', 900]],
      attrs: { holderHost: 'TH-9' },
    }),
  ]

  it('migrates once', async (context) => {
    if (!database) return context.skip(`${name} is not installed here`)
    expect(await migrate(database)).toBe(0)
  })

  it('is idempotent: taking everything again, or half of it, changes nothing', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    expect((await intake.ingest(some, NOW)).attempts).toBe(4)
    const once = await state()
    await intake.ingest(some, NOW)
    await intake.ingest(some.slice(3, 9), NOW)
    expect(await state()).toEqual(once)
  })

  it('holds a logon against those of the same hours where these are quicker, also after a start', async (context) => {
    if (!database) return context.skip()
    const before = await fresh()
    const at = (day: number, hour: number, i: number) => Date.UTC(2026, 10, 16 + day, hour) + i * 60_000
    const rush = { broker: 600, connect: 1000, container: 20_000, shell: 8000 }
    const quiet = { broker: 600, connect: 1000, container: 6000, shell: 8000 }
    const some = (day: number, hour: number, n: number, phases: Record<string, number>) =>
      Array.from({ length: n }, (_, i) => logon({ id: `${day}-${hour}-${i}`, person: `p${i}`, at: at(day, hour, i), phases })).flat()
    for (const day of [0, 1, 2]) await before.ingest([...some(day, 5, 90, rush), ...some(day, 13, 40, quiet)], at(2, 23, 0))
    const intake = new Intake(database)
    await intake.ingest([...some(3, 5, 1, rush), ...some(3, 13, 1, rush)], at(3, 23, 0))
    const of = async (id: string) => {
      const story = await storyRow(database, id)
      return [story?.usual_ms?.at(-1), story?.lost_ms, story?.usual?.basis.sentence]
    }
    const near = (ms: number): unknown => expect.closeTo(ms, -3)
    expect(await of('3-5-0')).toEqual([near(29_600), 0, undefined])
    expect(await of('3-13-0')).toEqual([near(15_600), near(14_000), '120 earlier returning logons on ticket-hall at such hours'])
  })

  it('puts right what clocks timed that are off, also of logons that came before that was known, and keeps it with the story', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    const list = handedOver({ 'H-3': 330_000, 'H-6': -45_000 })
    const of = (n: number) => list.filter(({ attempt }) => attempt === `a${n}`)
    for (let n = 0; n < 120; n += 20) await intake.ingest(Array.from({ length: 20 }, (_, i) => of(n + i)).flat(), NOW + 86_400_000)
    const rows = await database.query<{ id: string; total_ms: number; host: string; clocks: { machine: string }[] | null }>(
      'select id, total_ms, host, clocks from attempts order by id',
    )
    expect(rows).toHaveLength(120)
    for (const row of rows) {
      expect(row.total_ms).toBeLessThan(9000)
      expect(row.clocks?.map(({ machine }) => machine) ?? []).toEqual(['H-3', 'H-6'].includes(row.host) ? [row.host] : [])
    }
    const story = await readStory(database, 'a3', NOW)
    expect(story.oddities.map(({ sentence }) => sentence).join(' ')).toMatch(/The clock of H-3 is 5 min \d+ s ahead \(± \d/)
    expect(Math.max(...story.phases.map(({ endMs }) => endMs))).toBeLessThan(9000)
    expect((await listClocks(database)).map(({ machine }) => machine)).toEqual(['H-3', 'H-6'])
    // Started again, it knows them from the first logon on.
    const later = new Intake(database)
    await later.ingest(
      of(3).map((o) => ({ ...o, attempt: 'next', timeMs: o.timeMs + 7_200_000 })),
      NOW + 86_400_000,
    )
    expect((await database.query('select clocks is not null as mended from attempts where id = $1', ['next']))[0]).toEqual({ mended: true })
  })

  it('joins late and out-of-order observations to their attempt', async (context) => {
    if (!database) return context.skip()
    await (await fresh()).ingest(some, NOW)
    const whole = await state()
    const intake = await fresh()
    const batches: Observation[][] = [[], [], []]
    some.forEach((o, i) => batches[(i * 7) % 3]?.push(o))
    for (const batch of batches) await intake.ingest(batch.reverse(), NOW)
    const parts = await state()
    const bare = (rows: Record<string, unknown>[]) => rows.map(({ usual: _, usual_ms: __, ...row }) => row)
    expect(bare(parts.attempts)).toEqual(bare(whole.attempts))
    expect({ days: parts.days, hours: parts.hours, findings: parts.findings }).toEqual({
      days: whole.days,
      hours: whole.hours,
      findings: whole.findings,
    })
  })

  it('explains anew what was read before the organisation knew whom and which host it names', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    await database.exec(`truncate people, groups, pools, hosts; delete from facts where name = 'org'`)
    await intake.refresh()
    const fine = Array.from({ length: 30 }, (_, i) => logon({ id: `n${i}`, person: `LARKMERE\\crew${i}`, at: START_MS - (i + 1) * 600_000 })).flat()
    const refused = logon({
      id: 'r',
      person: 'mara@larkmere.example',
      phases: { broker: 900 },
      outcome: 'failed',
      marks: [['broker.refused', 'broker', 800]],
    })
    await intake.ingest([...fine, ...refused], NOW)
    const of = async (id: string) =>
      (
        await database.query<{ person: string; zone: string | null; cause: string | null; thread: string; atMs: number }>(
          'select person, zone, cause, thread, started_ms as "atMs" from attempts where id = $1',
          [id],
        )
      )[0]
    const counted = () => database.query('select sum(n)::integer as n, (select sum(n)::integer from usual_days) as usual from hours')
    const countedBefore = await counted()
    const before = await of('r')
    expect(before).toMatchObject({ person: 'mara', zone: null })
    expect(before?.cause).not.toBe('not-granted')
    await replaceOrg(database, {
      people: [
        { id: 'p1', accounts: ['LARKMERE\\mara'], groups: [] },
        ...Array.from({ length: 30 }, (_, i) => ({ id: `crew${i}`, groups: ['halls'] })),
      ],
      groups: [{ id: 'halls' }],
      pools: [{ id: 'ticket-hall', grants: ['halls'] }],
      hosts: [{ id: 'TH-Q1-04.larkmere.example', pool: 'ticket-hall', zone: 'Q1', site: 'quay' }],
      shares: [],
    })
    const names = await intake.takeOrganisation()
    expect([names.people.length, names.people.includes('mara'), names.hosts]).toEqual([32, true, ['th-q1-04']])
    const all = await database.query<{ thread: string; atMs: number }>('select thread, started_ms as "atMs" from attempts order by started_ms')
    await intake.explainAnew(all, NOW)
    expect(await of('r')).toMatchObject({ person: 'p1', zone: 'Q1', cause: 'not-granted' })
    expect(await of('n3')).toMatchObject({ zone: 'Q1', cause: null })
    // Nobody is counted twice, and nothing is new when it is read once more.
    expect(await counted()).toEqual(countedBefore)
    expect(await intake.takeOrganisation()).toEqual({ people: [], hosts: [], homes: [] })
    // By whatever name a source knows them, it is one logon.
    const byBroker = logon({ person: 'LARKMERE\\mara', at: START_MS + 7_200_000 }).map((o) =>
      o.kind === 'begin' || o.phase === 'broker' ? { ...o, person: 'p1', host: 'CB1' } : o,
    )
    const told = await intake.ingest(byBroker, NOW)
    expect(told.attempts).toBe(1)
  })

  it('takes the share from where the container lies, where evidence does not say it', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    await database.exec(`truncate containers; delete from facts where name in ('org', 'homes')`)
    const lies = (person: string, share: string) =>
      database.query(
        `insert into containers (id, share, file, person, format, kind, state, virtual_bytes, file_bytes, allocated_bytes, disk_bytes, modified_ms, findings)
        values ($1 || $2, $1, 'f', $2, 'vhdx', 'dynamic', 'sound', 1, 1, 1, 1, 0, '[]')`,
        [share, person],
      )
    await lies('p1', 'quay')
    for (const share of ['quay', 'hill']) await lies('ole', share)
    const people = ['ole', 'rut', 'ilse'].map((id) => ({ id }))
    const containers = [{ person: 'rut', share: 'hill' }, { person: 'p1', share: 'hill' }, { person: 'ole', share: 'hill' }, { person: 'ilse' }]
    await replaceOrg(database, { people: [{ id: 'p1', accounts: ['mara'] }, ...people], groups: [], pools: [], hosts: [], shares: [], containers })
    await intake.refresh()
    const shares = () => database.query<{ id: string; share: string | null }>('select id, share from attempts order by id')
    const who = ['mara', 'ole', 'rut', 'ilse']
    await intake.ingest([...who.flatMap((person) => logon({ id: person, person })), ...logon({ id: 'says', attrs: { share: 'far' } })], NOW)
    expect(await shares()).toEqual([
      { id: 'ilse', share: null },
      { id: 'mara', share: 'quay' },
      { id: 'ole', share: null },
      { id: 'rut', share: 'hill' },
      { id: 'says', share: 'far' },
    ])
    // It is moved; half a minute later it is known here.
    await database.exec(`update containers set share = 'hill' where person = 'p1'`)
    expect((await intake.reconsider(NOW)).known).toEqual({ people: [], hosts: [], homes: [] })
    await intake.ingest(logon({ id: 'mara2', at: START_MS + 1_800_000 }), NOW)
    expect((await shares()).find(({ id }) => id === 'mara2')).toEqual({ id: 'mara2', share: 'hill' })
    // Of somebody it was not known before: their logons of before can be told.
    await database.exec(`delete from containers where person = 'ole' and share = 'hill'`)
    // As when a policy is published meanwhile.
    await intake.refresh()
    expect((await intake.reconsider(NOW)).known).toEqual({ people: [], hosts: [], homes: ['ole'] })
    expect((await intake.reconsider(NOW)).known.homes).toEqual([])
    await intake.explainAnew([{ thread: 'id:ole', atMs: START_MS }], NOW)
    expect((await shares()).find(({ id }) => id === 'ole')).toEqual({ id: 'ole', share: 'quay' })
    await database.exec(`truncate containers, people; delete from facts where name in ('org', 'homes')`)
  })

  it('merges two attempts that a late begin shows to be one, and parts what a late one shows to be two', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    const list = logon({ person: 'ole', host: 'H' })
    const [begin, ...rest] = list
    await intake.ingest(rest, NOW)
    await intake.ingest([begin as Observation], NOW)
    const rows = await database.query<{ total_ms: number }>('select total_ms from attempts')
    expect(rows).toEqual([{ total_ms: 13_100 }])
    // The end of the first and the begin of the second come late: until then they look like one.
    const again = logon({ person: 'rut', at: START_MS + 20_000 })
    const once = logon({ person: 'rut' }).slice(0, 4)
    await intake.ingest([...once, ...again.slice(1)], NOW)
    expect(await database.query(`select total_ms from attempts where person = 'rut'`)).toEqual([{ total_ms: 33_100 }])
    await intake.ingest(again.slice(0, 1), NOW)
    expect(await database.query(`select total_ms, outcome from attempts where person = 'rut' order by started_ms`)).toEqual([
      { total_ms: 4400, outcome: 'abandoned' },
      { total_ms: 13_100, outcome: 'ready' },
    ])
  })

  it('brings what came without an id to the attempt whose id others know, in whatever batches it comes, also after a start', async (context) => {
    if (!database) return context.skip()
    const list = someLost()
    const bare = (attempts: readonly { id: string; account: string | null; host: string | null; total: number; n: number; outcome: string }[]) =>
      [...attempts].sort((a, b) => (a.id < b.id ? -1 : 1))
    const expected = bare(
      correlate(list, NOW).map(({ attempt: { id, account, host, totalMs, outcome }, observations }) => ({
        id,
        account,
        host,
        total: totalMs,
        outcome,
        n: observations.length,
      })),
    )
    expect(expected).toHaveLength(6)
    await fc.assert(
      fc.asyncProperty(
        fc.shuffledSubarray(list, { minLength: list.length }),
        fc.array(fc.integer({ min: 1, max: 12 }), { minLength: 8, maxLength: 8 }),
        fc.boolean(),
        async (shuffled, sizes, startAgain) => {
          let intake = await fresh()
          for (let at = 0, i = 0; at < shuffled.length; at += sizes[i++ % sizes.length] ?? 1) {
            await intake.ingest(shuffled.slice(at, at + (sizes[i % sizes.length] ?? 1)), NOW)
            if (startAgain) intake = new Intake(database)
          }
          const rows = await database.query<{
            id: string
            account: string | null
            host: string | null
            total: number
            outcome: string
            body: Uint8Array
          }>('select a.id, a.account, a.host, a.total_ms as total, a.outcome, e.body from attempts a join evidence e on e.attempt = a.id')
          expect(bare(rows.map(({ body, ...row }) => ({ ...row, n: unpackEvidence(body).length })))).toEqual(
            expected.map((one) => ({ ...one, outcome: expect.stringMatching(/ready|slow/) as string })),
          )
        },
      ),
      { numRuns: name === 'embedded' ? 12 : 6 },
    )
  })

  it('tells apart the logons of a source that uses its ids again, in whatever batches they come, and brings what is late to each', async (context) => {
    if (!database) return context.skip()
    const DAY_MS = 86_400_000
    const days = [0, 1, 2, 40].map((day) =>
      ['mara', 'jonas'].flatMap((person, i) => logon({ id: String(i + 1), person, at: START_MS + day * DAY_MS - day * 60_000 + i * 120_000 })),
    )
    const late = days.map((_, i): Observation => {
      const day = [0, 1, 2, 40][i] ?? 0
      return { kind: 'mark', attempt: '2', person: 'jonas', host: 'TH-Q1-04', code: 'session.left', timeMs: START_MS + day * DAY_MS + 9 * 3_600_000 }
    })
    const now = START_MS + 41 * DAY_MS
    const told = () =>
      database.query<{ id: string; person: string; started_ms: number; total_ms: number }>(
        'select id, person, started_ms, total_ms from attempts order by started_ms',
      )
    const expected = days.flatMap((day) => [day[0], day[9]].map((one) => [one?.person, one?.timeMs, 13_100]))
    for (const order of [
      [0, 1, 2, 3],
      [3, 2, 1, 0],
      [2, 0, 3, 1],
    ]) {
      let intake = await fresh()
      for (const day of order) {
        await intake.ingest(days[day] ?? [], now)
        // Also by one that only knows what is kept.
        if (day === 1) intake = new Intake(database)
      }
      for (const one of late) await intake.ingest([one], now)
      const found = await told()
      expect(found.map(({ person, started_ms, total_ms }) => [person, started_ms, total_ms])).toEqual(expected)
      const once = await state()
      await intake.ingest([...days.flat(), ...late], now)
      await new Intake(database).ingest(days[1] ?? [], now)
      expect(await told()).toEqual(found)
      expect((await state()).hours).toEqual(once.hours)
      for (const { id, person } of found) {
        const story = await readStory(database, id, now)
        expect(story.marks.map(({ code }) => code)).toEqual(person === 'jonas' ? ['session.left'] : [])
        expect(story.oddities.map(({ code }) => code)).toEqual(id.includes('@') ? ['id.used-again'] : [])
      }
      expect(found.filter(({ id }) => !id.includes('@'))).toHaveLength(2)
    }
  })

  it('keeps which files told of a logon, whatever becomes of it: the one that told of it first, and those that told more', async (context) => {
    if (!database) return context.skip()
    const list = someLost().map((one, i) => ({ ...one, source: `record ${i}` }))
    const told = correlate(list, NOW).map(({ attempt: { id }, observations }) => ({ id, records: new Set(observations.map(({ source }) => source)) }))
    await fc.assert(
      fc.asyncProperty(
        fc.shuffledSubarray(list, { minLength: list.length }),
        fc.array(fc.constantFrom('file-1', 'file-2', null), { minLength: list.length, maxLength: list.length }),
        fc.integer({ min: 1, max: 12 }),
        fc.boolean(),
        async (shuffled, files, most, startAgain) => {
          let intake = await fresh()
          let lot: Observation[] = []
          for (const [i, one] of shuffled.entries()) {
            lot.push(one)
            if (lot.length < most && i + 1 < shuffled.length && files[i + 1] === files[i]) continue
            await intake.ingest(lot, NOW, files[i] ?? null)
            lot = []
            if (startAgain) intake = new Intake(database)
          }
          for (const file of ['file-1', 'file-2']) {
            const mine = shuffled.filter((_, i) => files[i] === file)
            const { attempts } = await listAttempts(database, { upload: file, sort: 'started', limit: 50 })
            // A logon of which a record was taken for a part may be among them as well: which file told of which record is not kept.
            expect(attempts.map(({ id }) => id)).toEqual(
              expect.arrayContaining(told.flatMap(({ id, records }) => (mine.some(({ source }) => records.has(source)) ? [id] : []))),
            )
          }
        },
      ),
      { numRuns: name === 'embedded' ? 12 : 6 },
    )
    const intake = await fresh()
    // What was only looked at again, because it is of the same person, is not the file's.
    await intake.ingest(logon({ person: 'una' }), NOW)
    await intake.ingest(logon({ person: 'una', at: START_MS + 1_800_000 }), NOW, 'file-0')
    expect(await database.query(`select upload from attempts where person = 'una' order by started_ms`)).toEqual([
      { upload: null },
      { upload: 'file-0' },
    ])
    const of = async (upload: string) => (await listAttempts(database, { upload, sort: 'started', limit: 50 })).attempts.map(({ id }) => id)
    const [half, rest] = [list.filter(({ person }) => person === 'rut'), list.filter(({ person }) => person !== 'mara')]
    await intake.ingest(half, NOW, 'file-1')
    await intake.ingest(rest, NOW, 'file-2')
    expect(await of('file-1')).toEqual(['r1'])
    // What another file told before is not told more of; the same file once more tells nothing at all.
    expect(await of('file-2')).not.toContain('r1')
    await intake.ingest(
      list.filter(({ kind }) => kind !== 'phase').map((one) => ({ ...one, timeMs: one.timeMs + 1 })),
      NOW,
      'file-3',
    )
    expect(await of('file-3')).toContain('r1')
    expect(await of('file-1')).toEqual(['r1'])
    await intake.ingest(list, NOW, 'file-4')
    await intake.ingest(list, NOW, 'file-5')
    expect(await of('file-5')).toEqual([])
  })

  it('joins what names the host to what does not, and leaves the other logons of the person alone', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    const earlier = [1, 2, 3].flatMap((day) => logon({ person: 'ole', at: START_MS - day * 86_400_000 }))
    await intake.ingest(earlier, NOW)
    const before = await database.query('select * from attempts order by id')
    const list = logon({ person: 'ole' })
    await intake.ingest(
      list.slice(0, 4).map((o) => ({ ...o, host: undefined })),
      NOW,
    )
    expect(await database.query('select host, outcome from attempts where started_ms = $1', [START_MS])).toEqual([
      { host: null, outcome: 'abandoned' },
    ])
    await intake.ingest(
      list.slice(4).map((o) => ({ ...o, session: '4' })),
      NOW,
    )
    expect(await database.query('select host, session, outcome, total_ms from attempts where started_ms = $1', [START_MS])).toEqual([
      { host: 'TH-Q1-04', session: '4', outcome: 'ready', total_ms: 13_100 },
    ])
    expect(await database.query('select * from attempts where started_ms < $1 order by id', [START_MS])).toEqual(before)
  })

  it('answers what the screens ask', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    await intake.ingest(some, NOW)
    const today = await readToday(database, intake.incidents.bind(intake), START_MS - 1000, NOW, NOW, 'UTC')
    expect(today).toMatchObject({ logons: 4, byOutcome: { ready: 3, failed: 1 } })
    expect(today.incidents[0]).toMatchObject({ cause: 'container-held', people: 1, lostMs: 60_500 })
    expect(today.dots.id).toHaveLength(4)
    expect(today.newestMs).toBe(START_MS + 1_800_000)
    // A window without any says of the newest all the same; a server that knows of none says so.
    expect(await readToday(database, intake.incidents.bind(intake), START_MS - 1e9, START_MS - 9e8, NOW, 'UTC')).toMatchObject({
      logons: 0,
      newestMs: START_MS + 1_800_000,
      incidents: [],
    })
    const first = await listAttempts(database, { sort: 'started', limit: 3 })
    const second = await listAttempts(database, { sort: 'started', limit: 3, before: first.next ?? '' })
    expect([...first.attempts, ...second.attempts].map(({ id }) => id).sort()).toEqual(
      (await database.query<{ id: string }>('select id from attempts order by id')).map(({ id }) => id).sort(),
    )
    expect((await listAttempts(database, { outcome: 'bad', sort: 'lost', limit: 10 })).attempts.map(({ id }) => id)).toEqual(['f'])
    const story = await readStory(database, 'f', NOW)
    expect(story.diagnosis.cause?.id).toBe('container-held')
    expect(story.shares.reduce((sum, { ms }) => sum + ms, 0)).toBe(story.totalMs)
    expect((await columnsOf(database, START_MS - 1, NOW, { pool: 'nothing' })).id).toEqual([])
  })

  it('shows the same of hours whose picture is kept, and draws them again when something late arrives', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    const later = NOW + 4 * 3_600_000
    await intake.ingest(some, NOW)
    const window = [START_MS - 3_600_000, later, later, 'UTC'] as const
    const sorted = (today: Awaited<ReturnType<typeof readToday>>) => ({
      ...today,
      dots: today.dots.id.map((id, i) => [id, today.dots.atMs[i], today.dots.totalMs[i], today.dots.outcome[i]]).sort(),
    })
    const drawn = sorted(await readToday(database, intake.incidents.bind(intake), ...window))
    expect(await intake.keepPictures(NOW)).toBe(0)
    expect(await intake.keepPictures(later)).toBeGreaterThan(0)
    expect(await database.query('select hour_ms from pictures')).not.toEqual([])
    expect(sorted(await readToday(database, intake.incidents.bind(intake), ...window))).toEqual(drawn)
    await intake.ingest(logon({ id: 'late', person: 'vera', outcome: 'failed' }), later)
    expect((await readToday(database, intake.incidents.bind(intake), ...window)).byOutcome).toEqual({ ready: 3, failed: 2 })
    expect(await intake.keepPictures(later)).toBe(1)
    expect((await readToday(database, intake.incidents.bind(intake), ...window)).byOutcome).toEqual({ ready: 3, failed: 2 })
  })

  it('says since when an incident has been going on, also before the window', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    const day = 86_400_000
    const fine = (back: number) =>
      Array.from({ length: 30 }, (_, i) =>
        logon({ id: `fine${back}-${i}`, person: `p${i}`, at: START_MS - back * day - (i + 1) * 600_000, attrs: { share: 'S' } }),
      ).flat()
    const held = (back: number) =>
      logon({
        id: `held${back}`,
        person: `h${back}`,
        at: START_MS - back * day,
        outcome: 'failed',
        marks: [['0xC0000043', 'container', 3000]],
        attrs: { holderHost: 'H7', share: 'S' },
      })
    for (const back of [6, 5, 4]) await intake.ingest(fine(back), NOW)
    for (const back of [3, 2, 1, 0]) await intake.ingest([...fine(back), ...held(back)], NOW)
    const [incident] = (await readToday(database, intake.incidents.bind(intake), START_MS - 3_600_000, NOW, NOW, 'UTC')).incidents
    expect(incident).toMatchObject({ kind: 'incident', cause: 'container-held', attempts: 1, sinceMs: START_MS - 3 * day, toMs: START_MS })
    // Somebody who was started since knows the same from the database alone.
    const again = await new Intake(database).incidents(START_MS - 3_600_000, NOW)
    const desk = await intake.incidents(START_MS - 3_600_000, NOW)
    expect(again.incidents).toEqual(desk.incidents)
    expect(again.knownFromMs).toBe(-Infinity)
  })

  it('keeps nothing of a batch that cannot be written whole', async (context) => {
    if (!database) return context.skip()
    const intake = await fresh()
    await intake.ingest(some, NOW)
    const before = await state()
    const broken = { ...logon({ id: 'z' })[0], timeMs: 1e30 } as Observation
    await expect(intake.ingest([...logon({ id: 'y' }), broken], NOW)).rejects.toThrow()
    expect(await state()).toEqual(before)
    await intake.ingest(logon({ id: 'y' }), NOW)
    expect(await database.query(`select id from attempts where id = 'y'`)).toHaveLength(1)
  })
})
