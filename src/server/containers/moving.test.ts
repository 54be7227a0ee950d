import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, truncateSync, utimesSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { buildSync } from 'esbuild'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { containerJob, manyContainersJob } from './actions'
import { copyFile } from './copy-file'
import { HILL, makeWorld, MIB, QUAY, type World } from './fixtures/world'
import { REWRITING } from './beside'
import { roomHandlers } from './room'
import { scanShares } from './scan'
import { Problem } from '../../contract/errors'
import { deleteLater, deleteOutdated, KEPT_DAYS, putBackJob } from './set-aside'
import { shareHandlers } from './shares'
import { forgetSizes, setAsideLines, shareRows } from './store'
import { readJob } from '../journal/store'
import { sweepHalfWritten } from './sweep'
import { startDueWaves, waveLines } from './waves'

let world: World
beforeAll(async () => {
  world = await makeWorld()
})
afterAll(() => world.close())
beforeEach(async () => {
  await world.reset()
  world.shares = [world.quay, world.hill]
  await world.database.exec('truncate moves, waves')
})
const at = (share: { mount: string }, file: string) => join(share.mount, file)
const act = async (file: string, wanted: Parameters<typeof containerJob>[2]) =>
  world.run(containerJob(world.context(), await world.row(file), wanted, 'vaas', await shareRows(world.database)))

describe('copying a file', () => {
  it('copies holes as holes, keeps its times, and leaves nothing lying about', async () => {
    const path = world.put('mara/profile.vhdx', [0, 3])
    truncateSync(path, 300 * MIB)
    utimesSync(path, 1_700_000_000, 1_700_000_000)
    const to = at(world.hill, 'deep/er/profile.vhdx')
    const told: number[] = []
    await copyFile(path, to, { progress: (done, total) => void told.push(done / total) })
    expect(readFileSync(to).equals(readFileSync(path))).toBe(true)
    expect(statSync(to).blocks * 512).toBeLessThan(20 * MIB)
    expect([statSync(to).mtimeMs, told.at(-1), readdirSync(join(to, '..'))]).toEqual([1_700_000_000_000, 1, ['profile.vhdx']])
  })

  it('never writes over anything, and stops when the original changes or somebody says so', async () => {
    const path = world.put('mara/profile.vhdx', [0])
    const to = at(world.hill, 'mara/profile.vhdx')
    mkdirSync(join(to, '..'), { recursive: true })
    writeFileSync(to, 'theirs')
    await expect(copyFile(path, to, {})).rejects.toThrow(/exists already/)
    expect(readFileSync(to, 'utf8')).toBe('theirs')
    rmSync(to)
    const during = (step: string, what: () => void) => ({ reached: (name: string) => name === step && what() }) as never
    await expect(
      copyFile(
        path,
        to,
        during('copied', () => utimesSync(path, 1, 1)),
      ),
    ).rejects.toThrow(/meanwhile/)
    await expect(
      copyFile(
        path,
        to,
        during('durable', () => writeFileSync(`${to}${REWRITING}`, Buffer.alloc(statSync(path).size, 7))),
      ),
    ).rejects.toThrow(/differs at byte/)
    await expect(
      copyFile(path, to, {
        progress: () => {
          throw new Error('stop')
        },
      }),
    ).rejects.toThrow('stop')
    expect([existsSync(to), readdirSync(join(to, '..'))]).toEqual([false, []])
    // A folder that was made for a copy that did not come goes again.
    const deep = at(world.hill, 'no/where/profile.vhdx')
    await expect(
      copyFile(
        path,
        deep,
        during('copied', () => utimesSync(path, 2, 2)),
      ),
    ).rejects.toThrow(/meanwhile/)
    expect(existsSync(at(world.hill, 'no'))).toBe(false)
  })

  describe('killed at any step', () => {
    beforeAll(() => {
      buildSync({
        entryPoints: ['src/server/containers/copy-file.ts'],
        bundle: true,
        platform: 'node',
        format: 'esm',
        outfile: join(world.folder, 'copy-file.mjs'),
        logLevel: 'error',
      })
      writeFileSync(
        join(world.folder, 'copy.mjs'),
        `import { copyFile } from './copy-file.mjs'\nconst [from, to, at] = process.argv.slice(2)\nawait copyFile(from, to, { reached: (step) => { if (step === at) process.kill(process.pid, 'SIGKILL') } })\n`,
      )
    })

    it.each(['made', 'copied', 'durable', 'compared', 'in place', 'done'])('leaves nothing at the place, or a whole file: %s', async (step) => {
      const path = world.put('mara/profile.vhdx', [0, 5, 9])
      const to = at(world.hill, 'mara/profile.vhdx')
      expect(spawnSync(process.execPath, [join(world.folder, 'copy.mjs'), path, to, step]).signal).toBe('SIGKILL')
      expect(existsSync(to)).toBe(step === 'in place' || step === 'done')
      if (existsSync(to)) expect(readFileSync(to).equals(readFileSync(path))).toBe(true)
      else {
        await copyFile(path, to, {})
        expect(readFileSync(to).equals(readFileSync(path))).toBe(true)
      }
    })
  })
})

describe('moving a container', () => {
  it('brings it to the other share, keeps the old one for some days, and gives both back', async () => {
    const path = world.put('mara/profile.vhdx', [0, 1, 2])
    const before = readFileSync(path)
    await scanShares(world.context())
    const job = await act('mara/profile.vhdx', { kind: 'move', toShare: 'hill', keepDays: 5 })
    expect(job).toMatchObject({ state: 'done', steps: [{}, { note: expect.stringContaining('copied and compared') as string }, {}, {}] })
    expect(readFileSync(at(world.hill, 'mara/profile.vhdx')).equals(before)).toBe(true)
    expect([existsSync(path), world.holds]).toEqual([false, []])
    const [kept] = await setAsideLines(world.database)
    expect(kept).toMatchObject({ share: QUAY, keptOn: QUAY, state: 'kept', untilMs: world.nowMs + 5 * 86_400_000 })
    // Known under its new place at once, and after the next look at the shares too.
    expect(await world.row('mara/profile.vhdx', world.hill)).toMatchObject({ person: 'mara', upkeep: [] })
    await scanShares(world.context())
    expect(await world.row('mara/profile.vhdx', world.hill)).toMatchObject({ state: 'clean', allocatedBytes: 6 * MIB })
    // The old one does not come back beside the new one.
    expect((await world.run(await putBackJob(world.context(), kept?.id ?? '', 'vaas'))).steps[1]?.note).toContain('mara has')
  })

  it('refuses what is in use here or there, what would not fit, and what knows its parent by place', async () => {
    world.put('mara/profile.vhdx', [0])
    world.put('mara/profile.vhdx', [7], 1, world.hill)
    await scanShares(world.context())
    world.holds = [{ share: HILL, file: 'mara/profile.vhdx', host: 'TH-1', session: 's', sinceMs: 0 }]
    expect((await act('mara/profile.vhdx', { kind: 'move', toShare: 'hill' })).steps[0]).toMatchObject({
      state: 'failed',
      note: expect.stringContaining('TH-1 has it') as string,
    })
    // What was taken here is given back when it cannot be had there.
    expect(world.holds).toHaveLength(1)
    world.holds = []
    expect((await act('mara/profile.vhdx', { kind: 'move', toShare: 'hill' })).steps[1]?.note).toContain('already')
    await expect(act('mara/profile.vhdx', { kind: 'move', toShare: 'quay' })).rejects.toThrow(/lies on that share already/)
    await expect(act('mara/profile.vhdx', { kind: 'move', toShare: 'nowhere' })).rejects.toThrow(/No share/)
    await world.database.query(`update shares set free_bytes = 1000 where id = 'hill'`)
    await expect(act('mara/profile.vhdx', { kind: 'move', toShare: 'hill' })).rejects.toThrow(/has only 1000 bytes left/)
    await world.database.query(`update containers set kind = 'differencing'`)
    await expect(act('mara/profile.vhdx', { kind: 'archive', toShare: 'hill' })).rejects.toThrow(/differs from its parent/)
  })

  it('brings to its end what a stop cut off after the copy was in place, and leaves alone what was not', async () => {
    const [mara, jonas] = [world.put('mara/profile.vhdx', [0, 1]), world.put('jonas/profile.vhdx', [2])]
    await scanShares(world.context())
    const stopped = containerJob(
      world.context(),
      await world.row('mara/profile.vhdx'),
      { kind: 'move', toShare: 'hill', keepDays: 3 },
      'vaas',
      await shareRows(world.database),
    )
    // Cut off between the copy and what follows it.
    for (const step of stopped.steps.slice(0, 2)) await step.run('job-a', null)
    const early = containerJob(
      { ...world.context(), disks: { ...world.disks, copy: () => new Promise(() => undefined) } },
      await world.row('jonas/profile.vhdx'),
      { kind: 'move', toShare: 'hill', keepDays: 3 },
      'vaas',
      await shareRows(world.database),
    )
    await early.steps[0]?.run('job-b', null)
    void early.steps[1]?.run('job-b', null)
    await expect.poll(async () => (await world.database.query(`select id from moves where container like '%jonas%'`)).length).toBe(1)
    writeFileSync(at(world.hill, `half${REWRITING}`), 'half')
    expect([existsSync(mara), existsSync(at(world.hill, 'mara/profile.vhdx'))]).toEqual([true, true])
    await sweepHalfWritten(world.context(), Date.now() + 1000)
    expect([
      existsSync(mara),
      existsSync(at(world.hill, 'mara/profile.vhdx')),
      existsSync(jonas),
      existsSync(at(world.hill, `half${REWRITING}`)),
      world.holds,
    ]).toEqual([false, true, true, false, []])
    expect((await world.database.query<{ state: string }>('select state from moves order by container desc')).map(({ state }) => state)).toEqual([
      'done',
      'given up',
    ])
    expect((await world.database.query<{ what: string }>('select what from journal order by id desc limit 1'))[0]?.what).toContain(
      'brought a move to its end',
    )
    await sweepHalfWritten(world.context(), Date.now() + 1000)
    expect(await setAsideLines(world.database)).toHaveLength(1)
  })
})

describe('the archive', () => {
  it('keeps a container on another share until somebody has it deleted, and gives it back', async () => {
    const path = world.put('mara/profile.vhdx', [0, 1])
    const before = readFileSync(path)
    await scanShares(world.context())
    await act('mara/profile.vhdx', { kind: 'archive', toShare: 'hill' })
    const [kept] = await setAsideLines(world.database)
    expect([existsSync(path), kept?.keptOn, kept?.untilMs]).toEqual([false, HILL, null])
    await scanShares(world.context())
    expect(await world.database.query('select id from containers')).toEqual([])
    world.nowMs += 400 * 86_400_000
    await deleteOutdated(world.context())
    const back = await world.run(await putBackJob(world.context(), kept?.id ?? '', 'vaas'))
    expect([back.state, readFileSync(path).equals(before)]).toEqual(['done', true])
    // It is still in the archive, until somebody says otherwise.
    await deleteLater(world.context(), kept?.id ?? '', 'vaas')
    await deleteOutdated(world.context())
    expect((await setAsideLines(world.database))[0]?.state).toBe('kept')
    world.nowMs += (KEPT_DAYS + 1) * 86_400_000
    await deleteOutdated(world.context())
    expect((await setAsideLines(world.database))[0]?.state).toBe('deleted')
    expect(readdirSync(at(world.hill, '.archive/mara'))).toEqual([])
  })

  it('keeps a copy while the container stays in use, and takes many at once', async () => {
    for (const person of ['mara', 'jonas']) world.put(`${person}/profile.vhdx`, [0])
    await scanShares(world.context())
    await act('mara/profile.vhdx', { kind: 'copy', toShare: 'hill' })
    expect(existsSync(at(world.quay, 'mara/profile.vhdx'))).toBe(true)
    const rows = [await world.row('mara/profile.vhdx'), await world.row('jonas/profile.vhdx')]
    world.nowMs += 1000
    const job = await world.run(
      manyContainersJob(
        world.context(),
        rows,
        { kind: 'archive', ids: rows.map(({ id }) => id), toShare: 'hill' },
        'vaas',
        await shareRows(world.database),
      ),
    )
    expect(job.state).toBe('done')
    expect((await setAsideLines(world.database)).map(({ state, keptOn }) => state + keptOn)).toEqual(Array(3).fill(`kept${HILL}`))
    expect(readdirSync(at(world.hill, '.archive')).sort()).toEqual(['jonas', 'mara'])
  })
})

describe('planning room', () => {
  const room = () => roomHandlers(world.context())
  const ask = (query: object) =>
    room().room({ input: { query: { fullTo: 0.8, zones: 'any', empty: [], logonIops: 50, steadyIops: 10, ...query } } } as never)
  const NIGHT = { fromMs: 0, untilMs: 0 }
  beforeEach(() => {
    Object.assign(NIGHT, { fromMs: world.nowMs + 3_600_000, untilMs: world.nowMs + 5 * 3_600_000 })
  })
  const plan = (ids: string[], more: object = {}) =>
    room().waveNew({
      input: { body: { moves: ids.map((id) => ({ id, to: HILL })), keepDays: 0, ...NIGHT, ...more } },
      caller: { name: 'vaas' },
    } as never)
  /** Lets due waves begin and waits until they are through. */
  async function night() {
    const context = world.context()
    await startDueWaves(context)
    await context.jobs.settle()
  }

  it('empties a share on paper, and says when people usually log on', async () => {
    for (const person of ['mara', 'ilse']) world.put(`${person}/profile.vhdx`, [0])
    await scanShares(world.context())
    await world.database.query(
      `insert into attempts (id, thread, person, started_ms, last_ms, total_ms, outcome, first, blame_ms, lost_ms, slow_ms, pool, network) select 'a' || g, 'a', 'mara', $1 - g * 86400000::bigint, $1, 9000, 'ready', false, '{}', 0, 45000, 'ticket-hall', 'office' from generate_series(1, 3) g`,
      [Date.UTC(2026, 10, 23, 5, 42)],
    )
    const page = await ask({ empty: [QUAY] })
    expect(page.moves.map(({ file, to, slot, because }) => [file, to, slot, because])).toEqual([
      ['ilse/profile.vhdx', HILL, null, 'empty'],
      ['mara/profile.vhdx', HILL, 68, 'empty'],
    ])
    expect([page.known, page.containers, page.shares.find(({ path }) => path === QUAY)?.peakIops]).toEqual([1, 2, 50])
    await room().shareBears({ input: { params: { id: 'hill' }, body: { iops: 49 } }, caller: { name: 'vaas' } } as never)
    const tight = await ask({ empty: [QUAY] })
    expect(tight.moves.map(({ file }) => file)).toEqual(['ilse/profile.vhdx'])
    expect(tight.notMet[0]).toContain('One container stays')
    await world.database.exec('delete from attempts')
  })

  it('says what happens when a share is lost, by the policy in force', async () => {
    for (const person of ['mara', 'ilse']) world.put(`${person}/profile.vhdx`, [0])
    await scanShares(world.context())
    // Only Quay is in the policy's list: without it nobody has a place.
    const loss = await room().roomLoss({ input: { query: { lost: [QUAY] } } } as never)
    expect(loss.fates).toMatchObject([{ fate: 'refused', people: 2 }])
    await expect(room().roomLoss({ input: { query: { lost: ['nowhere'] } } } as never)).rejects.toThrow(/No share/)
  })

  it('moves in the night that was planned, and what was in use the night after', async () => {
    for (const person of ['mara', 'jonas', 'ilse']) world.put(`${person}/profile.vhdx`, [0])
    await scanShares(world.context())
    const ids = ['mara', 'jonas', 'ilse'].map((person) => world.id(`${person}/profile.vhdx`))
    await expect(plan(ids, { untilMs: NIGHT.fromMs - 1 })).rejects.toThrow(/must end after/)
    const wave = await plan([...ids, 'nowhere'])
    expect(wave).toMatchObject({ state: 'waiting', moves: 3 })
    await night()
    expect((await waveLines(world.database))[0]?.state).toBe('waiting')
    world.nowMs = NIGHT.fromMs + 1000
    world.holds = [{ share: QUAY, file: 'jonas/profile.vhdx', host: 'TH-1', session: 's', sinceMs: 0 }]
    await night()
    const [after] = await waveLines(world.database)
    expect(after).toMatchObject({
      state: 'waiting',
      moves: 1,
      fromMs: NIGHT.fromMs + 86_400_000,
      note: expect.stringContaining('2 of 3 moved') as string,
    })
    expect(['mara', 'jonas', 'ilse'].map((person) => existsSync(at(world.hill, `${person}/profile.vhdx`)))).toEqual([true, false, true])
    world.holds = []
    world.nowMs = NIGHT.fromMs + 86_400_000 + 1000
    await night()
    expect((await waveLines(world.database))[0]).toMatchObject({ state: 'done', note: expect.stringContaining('1 of 1 moved') as string })
    expect(existsSync(at(world.hill, 'jonas/profile.vhdx'))).toBe(true)
  })

  it('leaves for the next night what the night has no time for, and can be called off', async () => {
    for (const person of ['mara', 'jonas']) world.put(`${person}/profile.vhdx`, [0])
    await scanShares(world.context())
    const wave = await plan(['mara', 'jonas'].map((person) => world.id(`${person}/profile.vhdx`)))
    world.nowMs = NIGHT.untilMs + 1
    await night()
    expect((await waveLines(world.database))[0]).toMatchObject({ state: 'waiting', moves: 2 })
    const off = await room().waveCancel({ input: { params: { id: wave.id } }, caller: { name: 'vaas' } } as never)
    expect(off.state).toBe('cancelled')
    world.nowMs += 2 * 86_400_000
    await night()
    expect(existsSync(at(world.quay, 'mara/profile.vhdx'))).toBe(true)
  })
})

describe('a job over many', () => {
  it('stops within its step when somebody wishes it, says so, and gives everything back', async () => {
    world.put('mara/profile.vhdx', [0])
    await scanShares(world.context())
    const context = world.context()
    const disks = {
      ...world.disks,
      copy: async (_: string, __: string, job: string) => {
        context.jobs.cancel(job)
        throw new Error('Stopped on request. The file was left as it is.')
      },
    }
    const wanted = containerJob(
      { ...context, disks },
      await world.row('mara/profile.vhdx'),
      { kind: 'move', toShare: 'hill' },
      'vaas',
      await shareRows(world.database),
    )
    const { id } = await context.jobs.start(wanted)
    await context.jobs.settle()
    const job = await readJob(world.database, id)
    expect([job?.state, job?.steps.map(({ state }) => state), world.holds]).toEqual(['cancelled', ['done', 'failed', 'skipped', 'done'], []])
  })
})

describe('growth', () => {
  it('is told from what the file server remembers, goes along with a move, and is forgotten after a month', async () => {
    world.put('mara/profile.vhdx', [0, 1, 2])
    await scanShares(world.context())
    const before = await world.row('mara/profile.vhdx')
    expect([before.grewBytes, before.grewSinceMs]).toEqual([
      before.fileBytes - 3 * MIB,
      Math.floor((world.nowMs - 20 * 86_400_000) / 86_400_000) * 86_400_000,
    ])
    await act('mara/profile.vhdx', { kind: 'move', toShare: 'hill', keepDays: 0 })
    expect((await world.row('mara/profile.vhdx', world.hill)).grewBytes).toBe(before.grewBytes)
    await forgetSizes(world.database, world.nowMs - 5 * 86_400_000)
    expect((await world.row('mara/profile.vhdx', world.hill)).grewBytes).toBe(before.grewBytes)
    await world.database.exec('delete from containers')
    await forgetSizes(world.database, world.nowMs - 5 * 86_400_000)
    expect(await world.database.query('select 1 from container_days where day_ms < $1', [world.nowMs - 5 * 86_400_000])).toEqual([])
  })
})

describe('a share that was added by hand', () => {
  it('is looked at where no fleet answers at all, and that is said', async () => {
    const mount = join(world.folder, 'alone')
    mkdirSync(mount, { recursive: true })
    const silent = () => Promise.reject(new Problem('fleet.unreachable'))
    const context = { ...world.context(), fleet: new Proxy(world.fleet, { get: () => silent }) }
    await expect(scanShares(context)).rejects.toMatchObject({ code: 'fleet.unreachable' })
    const { id } = await shareHandlers(context).shareAdd({
      input: { body: { path: '//nas-8/profiles', mount, zone: null } },
      caller: { name: 'vaas' },
    } as never)
    world.put('mara/profile.vhdx', [0, 1], 1, { ...world.quay, mount, path: '\\\\nas-8\\profiles' })
    await scanShares(context)
    expect((await shareRows(world.database)).find((one) => one.id === id)).toMatchObject({ containers: 1, held: 0 })
    expect(context.scanning.remark).toBe('The fleet does not answer: who has files open is not known.')
    await shareHandlers(context).shareForget({ input: { params: { id } }, caller: { name: 'vaas' } } as never)
  })

  const share = () => shareHandlers(world.context())
  const add = (body: object) => share().shareAdd({ input: { body: { zone: null, ...body } }, caller: { name: 'vaas' } } as never)

  it('is measured and looked at like the others, and forgotten without touching anything', async () => {
    const mount = join(world.folder, 'own')
    mkdirSync(mount, { recursive: true })
    const { id } = await add({ path: '//NAS-7/profiles', mount, zone: 'Q2' })
    world.put('mara/profile.vhdx', [0, 1], 1, { ...world.quay, mount, path: '\\\\nas-7\\profiles' })
    await scanShares(world.context())
    const line = (await shareRows(world.database)).find((one) => one.id === id)
    expect(line).toMatchObject({ path: '\\\\nas-7\\profiles', zone: 'Q2', containers: 1, addedBy: 'vaas' })
    expect((line?.totalBytes ?? 0) > (line?.freeBytes ?? 0)).toBe(true)
    // Nobody tells who has its files open, so nothing is changed on it, and no plan counts on it.
    const mine = await world.row('mara/profile.vhdx', { ...world.quay, path: '\\\\nas-7\\profiles' })
    expect(() => containerJob(world.context(), mine, { kind: 'compact' }, 'vaas')).toThrow(/added by hand/)
    await share().shareForget({ input: { params: { id } }, caller: { name: 'vaas' } } as never)
    await scanShares(world.context())
    expect((await shareRows(world.database)).map((one) => one.id).sort()).toEqual(['hill', 'quay'])
    expect(existsSync(join(mount, 'mara/profile.vhdx'))).toBe(true)
    await expect(share().shareForget({ input: { params: { id: 'quay' } }, caller: { name: 'vaas' } } as never)).rejects.toThrow(
      /The fleet tells of this share/,
    )
  })

  it.each([
    [{ path: 'https://nas/x', mount: '/tmp' }, /web address/],
    [{ path: '//nas/x', mount: 'tmp' }, /in full/],
    [{ path: '//nas/x', mount: '/nowhere/at/all' }, /no such folder/],
    [{ path: '//nas/x', mount: '/etc/hostname' }, /no folder/],
    [{ path: '//quay-fs1/profiles', mount: '/tmp' }, /known already/],
  ])('%j is refused with a sentence', async (body, says) => {
    await expect(add(body)).rejects.toThrow(says)
  })
})
