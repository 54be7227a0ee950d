import { existsSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { newVhd } from '../../core/containers'
import { poolJob, readPools } from '../pools/readiness'
import { current } from '../policies/routes'
import type { Context } from '../shell/context'
import { actionsFor, containerJob, manyContainersJob } from './actions'
import { makeWorld, MIB, QUAY as PATH, SID, type World } from './fixtures/world'
import { setNaming, tryNaming } from './naming'
import { containerHandlers } from './routes'
import { scanShares } from './scan'
import { deleteOutdated, KEPT_DAYS, putBackJob, setAside } from './set-aside'
import { sweepHalfWritten } from './sweep'
import { shareHandlers } from './shares'
import { containerRow, findingCounts, listContainers, setAsideLines } from './store'

let world: World
let { context, put, id, row, run, database, disks } = {} as World
const codes = async (file: string) => (await row(file)).upkeep.map(({ code }) => code)
beforeAll(async () => {
  world = await makeWorld()
  ;({ context, put, id, row, run, database, disks } = world)
})
afterAll(() => world.close())
beforeEach(() => world.reset())

describe('the scan', () => {
  it('matches files to people, says what should be looked at, and forgets what is gone', async () => {
    put('mara/profile.vhdx', [0, 1])
    put('jonas/profile.vhdx', [0])
    put('ilse/profile.vhdx', [0], 70)
    put(
      'nobody.at.all/profile.vhdx',
      Array.from({ length: 30 }, (_, i) => i),
    )
    truncateSync(put('mara/old.vhdx', [3, 4]), 5 * MIB)
    await scanShares(context())
    expect(await codes('mara/profile.vhdx')).toEqual(['pair'])
    expect(await codes('mara/old.vhdx')).toEqual(['damaged', 'pair'])
    expect(await codes('jonas/profile.vhdx')).toEqual(['disabled'])
    expect(await codes('ilse/profile.vhdx')).toEqual(['out-of-scope', 'unused'])
    expect(await codes('nobody.at.all/profile.vhdx')).toEqual(['nearly-full', 'nobody'])
    expect((await findingCounts(database)).find(({ code }) => code === 'pair')?.n).toBe(2)
    expect((await listContainers(database, { text: '', held: 'all', finding: 'damaged' })).map(({ file }) => file)).toEqual(['mara/old.vhdx'])
    rmSync(join(world.quay.mount, 'mara/old.vhdx'))
    await scanShares(context())
    expect(await codes('mara/profile.vhdx')).toEqual([])
  })

  it('reads again only what changed', async () => {
    const path = put('mara/profile.vhdx', [0])
    put('jonas/profile.vhdx', [0])
    let read: string[] = []
    const watched = {
      ...context(),
      disks: {
        ...disks,
        inspect: (paths: readonly string[]) => {
          read = [...paths]
          return disks.inspect(paths)
        },
      },
    } as Context
    await scanShares(watched)
    expect(read).toHaveLength(2)
    read = []
    await scanShares(watched)
    expect(read).toEqual([])
    put('mara/profile.vhdx', [0, 1, 2], 0)
    await scanShares(watched)
    expect(read).toEqual([path])
  })

  it('says how far it is, keeps what it has read when it is cut off, and runs once however often it is asked', async () => {
    for (let i = 0; i < 450; i++) put(`p${i}/profile.vhdx`, [0])
    const seen: string[] = []
    let batches = 0
    const cut = {
      ...context(),
      disks: {
        ...disks,
        inspect: (paths: readonly string[]) => {
          const { share, read, of } = cut.scanning.progress ?? { share: '', read: -1, of: -1 }
          seen.push(`${share} ${read} of ${of}`)
          return ++batches === 3 ? Promise.reject(new Error('The disk thread stopped.')) : disks.inspect(paths)
        },
      },
    } as Context
    await Promise.all([scanShares(cut), scanShares(cut)].map((one) => expect(one).rejects.toThrow('The disk thread stopped.')))
    expect(seen).toEqual([`${PATH} 0 of 450`, `${PATH} 200 of 450`, `${PATH} 400 of 450`])
    expect([cut.scanning.progress, cut.scanning.remark]).toEqual([null, 'The last look ended early: The disk thread stopped.'])
    expect(await database.query('select count(*) as n from containers')).toEqual([{ n: 400 }])
    seen.length = 0
    await scanShares(cut)
    expect([seen, cut.scanning.remark]).toEqual([[`${PATH} 0 of 50`], null])
    expect(await database.query('select count(*) as n from containers')).toEqual([{ n: 450 }])
  })

  it('knows whose a container is by how the share names its folders, or by a SID; a try changes nothing', async () => {
    put(`${SID(1)}/profile.vhdx`, [0])
    put('home-ilse/profile.vhdx', [0])
    put('jonas/profile.vhdx', [0])
    await scanShares(context())
    const people = async () => (await listContainers(database, { text: '', held: 'all' })).map(({ file, person }) => `${file} ${person}`).sort()
    const usual = [`${SID(1)}/profile.vhdx mara`, 'home-ilse/profile.vhdx home-ilse', 'jonas/profile.vhdx jonas'].sort()
    expect(await people()).toEqual(usual)
    expect(await tryNaming(context(), world.quay.id, 'home-%account%')).toEqual({
      sentence: null,
      files: 3,
      bySid: 1,
      nobody: 1,
      other: 2,
      examples: [
        { file: 'home-ilse/profile.vhdx', name: 'Ilse', before: null },
        { file: 'jonas/profile.vhdx', name: null, before: 'Jonas' },
      ],
    })
    expect((await tryNaming(context(), world.quay.id, '%nick%')).sentence).toContain('%nick% is not known here')
    expect(await people()).toEqual(usual)
    await expect(setNaming(context(), world.quay.id, '%nick%', 'vaas')).rejects.toThrow('%nick% is not known here')
    await setNaming(context(), world.quay.id, 'Home-%account%', 'vaas')
    const named = [`${SID(1)}/profile.vhdx mara`, 'home-ilse/profile.vhdx ilse', 'jonas/profile.vhdx null'].sort()
    expect(await people()).toEqual(named)
    // The next look finds the same, and what should be looked at follows.
    await scanShares(context())
    expect(await people()).toEqual(named)
    expect([await codes('home-ilse/profile.vhdx'), await codes('jonas/profile.vhdx')]).toEqual([['out-of-scope'], ['nobody']])
    await setNaming(context(), world.quay.id, '%account%', 'vaas')
    expect(await people()).toEqual(usual)
    expect(await database.query(`select before, after from journal where what like 'said how a share names%' order by id`)).toEqual([
      { before: '%account%', after: 'Home-%account%; 2 containers are another’s than before, or nobody’s' },
      { before: 'Home-%account%', after: '%account%; 2 containers are another’s than before, or nobody’s' },
    ])
  })

  it('tells a hold of a session that lives from one that does not, and from one nobody knows of yet', async () => {
    for (const person of ['mara', 'jonas', 'ilse']) put(`${person}/profile.vhdx`, [0])
    const hold = (person: string, host: string, sinceMs = world.nowMs - 3_600_000) => ({
      share: PATH,
      file: `${person}/profile.vhdx`,
      host,
      session: `s-${person}`,
      sinceMs,
    })
    world.holds = [hold('mara', 'TH-1'), hold('jonas', 'TH-1'), hold('ilse', 'TH-1', world.nowMs - 1000)]
    await database.query(`update hosts set reported_ms = $1, sessions = '[{"session": "s-mara"}]' where id = 'TH-1'`, [world.nowMs])
    await scanShares(context())
    expect([
      (await row('mara/profile.vhdx')).holderAlive,
      (await row('jonas/profile.vhdx')).holderAlive,
      (await row('ilse/profile.vhdx')).holderAlive,
    ]).toEqual([true, false, null])
    expect(await codes('jonas/profile.vhdx')).toContain('held-by-nobody')
  })
})

describe('what can be done', () => {
  it('says why something cannot be done, and never touches a container in use', async () => {
    put('mara/profile.vhdx', [0, 1])
    world.holds = [{ share: PATH, file: 'mara/profile.vhdx', host: 'TH-1', session: 's', sinceMs: world.nowMs }]
    await scanShares(context())
    const mara = await row('mara/profile.vhdx')
    const { inspection } = await disks.anatomy(join(world.quay.mount, mara.file))
    expect(Object.fromEntries(actionsFor(mara, inspection).map(({ kind, whyNot }) => [kind, whyNot]))).toMatchObject({
      compact: 'TH-1 has it open.',
      'set-aside': 'TH-1 has it open.',
      release: null,
    })
    const before = readFileSync(join(world.quay.mount, mara.file))
    const job = await run(containerJob(context(), mara, { kind: 'compact' }, 'vaas'))
    expect([job.state, job.steps[0]?.note]).toEqual(['failed', 'It is in use: TH-1 has it. Nothing was changed.'])
    expect(readFileSync(join(world.quay.mount, mara.file)).equals(before)).toBe(true)
    expect(world.holds).toHaveLength(1)
  })

  it('compacts and grows, and gives the container back', async () => {
    const path = put('mara/profile.vhdx', [0, 1, 2])
    await scanShares(context())
    const before = statSync(path).size
    const compacted = await run(containerJob(context(), await row('mara/profile.vhdx'), { kind: 'compact' }, 'vaas'))
    expect([compacted.state, before - statSync(path).size, world.holds]).toEqual(['done', 6 * MIB, []])
    const grown = await run(containerJob(context(), await row('mara/profile.vhdx'), { kind: 'grow', virtualBytes: 128 * MIB }, 'vaas'))
    expect([grown.state, (await row('mara/profile.vhdx')).virtualBytes]).toEqual(['done', 128 * MIB])
    expect(() => containerJob(context(), { ...mara, virtualBytes: 128 * MIB } as never, { kind: 'grow', virtualBytes: 64 * MIB }, 'vaas')).toThrow(
      /more than 128 MiB/,
    )
  })
  const mara = { mount: '/nowhere', file: 'mara/profile.vhdx', id: 'x', person: 'mara', virtualBytes: 1, shareAddedBy: null }

  it('repairs only what needs it, and says what it cannot write anew', async () => {
    const path = put('mara/profile.vhdx', [0])
    await scanShares(context())
    const before = readFileSync(path)
    const job = await run(containerJob(context(), await row('mara/profile.vhdx'), { kind: 'repair' }, 'vaas'))
    expect([job.state, job.steps[1]?.note, readFileSync(path).equals(before), world.holds]).toEqual([
      'failed',
      'There is nothing to repair.',
      true,
      [],
    ])
    const old = newVhd({ kind: 'fixed', virtualBytes: 2 * MIB, blockBytes: 2 * MIB, present: [], diskId: '41111111-2222-4333-A444-555555555555' })
    const bytes = Buffer.alloc(old.fileBytes)
    for (const piece of old.pieces) bytes.set(piece.bytes, piece.offset)
    writeFileSync(join(world.quay.mount, 'mara/old.vhd'), bytes)
    await scanShares(context())
    const other = await run(containerJob(context(), await row('mara/old.vhd'), { kind: 'compact' }, 'vaas'))
    expect([other.state, other.steps[1]?.note]).toEqual(['failed', 'A VHD of full size has no blocks to leave out, and no table that could grow.'])
  })

  it('says nothing is kept that could not be moved', async () => {
    const path = put('mara/profile.vhdx', [0])
    await scanShares(context())
    const mine = await row('mara/profile.vhdx')
    rmSync(path)
    await expect(setAside(context(), mine, world.quay.mount, 'job-9', 'vaas', KEPT_DAYS)).rejects.toThrow()
    expect(await setAsideLines(database)).toEqual([])
  })

  it('gives it back when the work fails', async () => {
    put('mara/profile.vhdx', [0])
    await scanShares(context())
    const job = await run(
      containerJob(
        { ...context(), disks: { ...disks, rewrite: () => Promise.reject(new Error('the share went away')) } },
        await row('mara/profile.vhdx'),
        { kind: 'compact' },
        'vaas',
      ),
    )
    expect([job.state, job.steps[1]?.note, world.holds]).toEqual(['failed', 'the share went away', []])
  })

  it('sets aside, puts back, and deletes only after the time', async () => {
    const path = put('mara/profile.vhdx', [0])
    await scanShares(context())
    await setAside(context(), await row('mara/profile.vhdx'), world.quay.mount, 'job-1', 'vaas', KEPT_DAYS)
    expect([existsSync(path), await containerRow(database, id('mara/profile.vhdx'))]).toEqual([false, null])
    await scanShares(context())
    expect(await containerRow(database, id('mara/profile.vhdx'))).toBeNull()
    await run(await putBackJob(context(), 'job-1', 'vaas'))
    expect([existsSync(path), (await setAsideLines(database))[0]?.state]).toEqual([true, 'put-back'])
    await expect(putBackJob(context(), 'job-1', 'vaas')).rejects.toThrow(/not kept any more/)

    await scanShares(context())
    await setAside(context(), await row('mara/profile.vhdx'), world.quay.mount, 'job-2', 'vaas', KEPT_DAYS)
    put('mara/profile.vhdx', [5])
    expect((await run(await putBackJob(context(), 'job-2', 'vaas'))).steps[1]).toMatchObject({
      state: 'failed',
      note: expect.stringContaining('exists again') as string,
    })
    expect(world.holds).toEqual([])
    await deleteOutdated(context())
    expect((await setAsideLines(database)).find(({ id: one }) => one === 'job-2')?.state).toBe('kept')
    world.nowMs += (KEPT_DAYS + 1) * 86_400_000
    await deleteOutdated(context())
    expect((await setAsideLines(database)).find(({ id: one }) => one === 'job-2')?.state).toBe('deleted')
    expect(existsSync(join(world.quay.mount, '.set-aside/job-2/mara/profile.vhdx'))).toBe(false)
  })

  it('clears what a stop in the middle left: half-written files and its own holds', async () => {
    const path = put('mara/profile.vhdx', [0])
    writeFileSync(`${path}.rewriting`, 'half')
    world.holds = [
      { share: PATH, file: 'mara/profile.vhdx', host: 'ikebana', session: 'gone', sinceMs: 0 },
      { share: PATH, file: 'jonas/profile.vhdx', host: 'TH-1', session: 's', sinceMs: 0 },
    ]
    await sweepHalfWritten(context(), Date.now() + 1000)
    expect([existsSync(`${path}.rewriting`), existsSync(path), world.holds.map(({ host }) => host)]).toEqual([false, true, ['TH-1']])
  })

  it('does many in one job, each for itself', async () => {
    put('mara/profile.vhdx', [0, 1])
    put('ilse/profile.vhdx', [0])
    world.holds = [{ share: PATH, file: 'ilse/profile.vhdx', host: 'TH-1', session: 's', sinceMs: world.nowMs }]
    await scanShares(context())
    const rows = [await row('ilse/profile.vhdx'), await row('mara/profile.vhdx')]
    const job = await run(manyContainersJob(context(), rows, { kind: 'compact', ids: rows.map((one) => one.id) }, 'vaas'))
    expect([job.state, ...job.steps.map(({ note }) => note?.slice(0, 16))]).toEqual([
      'done',
      'Left as it is: I',
      expect.stringContaining('MiB') as string,
    ])
    const [line] = await database.query<{ after: string }>('select after from journal order by id desc limit 1')
    expect(line?.after).toBe('done with 1, refused by 1')
  })

  it('looks inside, and answers for a file that went away', async () => {
    const path = put('mara/profile.vhdx', [0, 1, 9])
    await scanShares(context())
    const look = () => containerHandlers(context()).container({ input: { params: { id: id('mara/profile.vhdx') } } } as never)
    expect(await look()).toMatchObject({
      unreadable: null,
      blocks: [
        { present: true, count: 2 },
        { present: false, count: 7 },
        { present: true, count: 1 },
        { present: false, count: 22 },
      ],
    })
    rmSync(path)
    expect(await look()).toMatchObject({ unreadable: expect.stringContaining('cannot be read') as string, actions: [] })
  })
})

describe('a share', () => {
  beforeEach(() => scanShares(context()))
  const share = () => shareHandlers(context())
  const page = async () => share().share({ input: { params: { id: 'quay' } } } as never)

  it('grows, will be full, and says what is wrong with its permissions', async () => {
    await scanShares(context())
    const { growth, full, group, findings, layers } = await page()
    expect(growth).toMatchObject({ certain: true })
    expect(Math.round((growth?.bytesADay ?? 0) / 1e8)).toBe(10)
    expect(Math.round(((full?.atMs ?? 0) - world.nowMs) / 86_400_000)).toBe(400)
    // Jonas is switched off; most are in the crew.
    expect(group).toMatchObject({ id: 'crew', members: 1, chosen: false })
    expect(findings.map(({ code }) => code)).toEqual(['one-layer', 'cannot-create', 'owner-locks-out'])
    expect(layers.map(({ layer, asWanted }) => [layer, asWanted])).toEqual([
      ['share', false],
      ['root', false],
    ])
  })

  it('is set right by a job, and the old permissions stand in the journal', async () => {
    const old = world.permissions.root
    const { layers } = await page()
    for (const { layer, wanted } of layers) {
      const { jobs } = context()
      await shareHandlers({ ...context(), jobs }).sharePermissions({
        input: { params: { id: 'quay' }, body: { layer, sddl: wanted ?? '' } },
        caller: { name: 'vaas' },
      } as never)
      await jobs.settle()
    }
    expect((await page()).findings).toEqual([])
    const lines = await database.query<{ before: string | null }>('select before from journal order by id desc limit 1')
    expect(lines[0]?.before).toBe(old)
    await expect(
      share().sharePermissions({
        input: { params: { id: 'quay' }, body: { layer: 'root', sddl: 'D:(A;;QQ;;;BA)' } },
        caller: { name: 'vaas' },
      } as never),
    ).rejects.toThrow(/cannot be read at character/)
  })

  it('is said to be for a group, and that stands in the journal', async () => {
    const page = await share().shareGroup({ input: { params: { id: 'quay' }, body: { group: 'bridge' } }, caller: { name: 'vaas' } } as never)
    expect(page.group).toMatchObject({ id: 'bridge', chosen: true })
    expect(
      (await database.query<{ what: string; before: string; after: string }>('select what, before, after from journal order by id desc limit 1'))[0],
    ).toEqual({ what: 'said for which group a share is', before: 'not said', after: 'bridge' })
    await database.query('update shares set for_group = null')
  })

  it('says what one person may do, and by which entry', async () => {
    const access = await share().shareAccess({ input: { params: { id: 'quay' }, query: { person: 'MARA' } } } as never)
    expect(access.places.map(({ words }) => words)).toEqual([
      'create folders, traverse, read attributes, read permissions, synchronise',
      'read, write and delete',
      'nothing',
    ])
    expect(access.places[0]?.folder.reasons[0]).toMatchObject({ ace: 3, who: 'crew' })
  })

  it('answers when its descriptor cannot be read', async () => {
    const kept = world.permissions
    world.permissions = { ...world.permissions, root: 'nonsense' }
    expect(await page()).toMatchObject({ findings: [], layers: [], unread: expect.stringContaining('cannot be read') as string })
    world.permissions = kept
  })
})

describe('making hosts ready', () => {
  it('says which are not, and removes local profiles one by one', async () => {
    await database.query(`update hosts set report = $1::jsonb, reported_ms = $2, leftovers = $3::jsonb`, [
      JSON.stringify({ version: 1, inForce: (await current(database)).settings, pending: [] }),
      world.nowMs,
      JSON.stringify([
        { person: 'mara', bytes: 1e9, lastUsedMs: null },
        { person: 'aino', bytes: 1e9, lastUsedMs: null },
      ]),
    ])
    const pool = (await readPools(context())).pools.find((one) => one.id === 'ticket-hall')
    expect(pool).toMatchObject({ ready: 0, verdict: '0 of 2 hosts are ready; 2 with local profiles in the way.' })
    const job = await run(await poolJob(context(), 'ticket-hall', { kind: 'leftovers' }, 'vaas'))
    expect([job.state, world.asked.filter((one) => one.startsWith('remove'))]).toEqual([
      'done',
      ['remove mara from TH-1', 'remove aino from TH-1', 'remove mara from TH-2', 'remove aino from TH-2'],
    ])
    // Whoever is signed in there keeps theirs, and the others go all the same.
    expect([job.steps[1]?.note, (await database.query<{ after: string }>('select after from journal order by id desc limit 1'))[0]?.after]).toEqual([
      'TH-1 kept it: aino is signed in there',
      '2 removed, 2 kept',
    ])
    const fetched = await run(await poolJob(context(), 'ticket-hall', { kind: 'fetch', host: 'TH-2' }, 'vaas'))
    expect(fetched.steps[0]?.note).toBe('It fetched and reported.')
    await expect(poolJob(context(), 'ticket-hall', { kind: 'restart' }, 'vaas')).rejects.toThrow(/No host of this pool waits/)
    await expect(poolJob(context(), 'nowhere', { kind: 'fetch' }, 'vaas')).rejects.toThrow(/no hosts/)
  })
})
