import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, truncateSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { Job } from '../../contract/other'
import { newVhd, newVhdx } from '../../core/containers'
import type { Database } from '../db/database'
import { openEmbedded } from '../db/embedded'
import { migrate } from '../db/migrate'
import { Jobs } from '../journal/jobs'
import { readJob } from '../journal/store'
import { replaceOrg } from '../people/store'
import { poolJob, readPools } from '../pools/readiness'
import type { Fleet, FleetHold } from '../pools/fleet'
import type { Context } from '../shell/context'
import { actionsFor, containerJob, manyContainersJob } from './actions'
import { anatomyAt, inspectAll, zeroBlocks } from './disk-work'
import type { Disks } from './disks'
import { rewriteFile } from './rewrite-file'
import { containerHandlers } from './routes'
import { scanShares } from './scan'
import { deleteOutdated, KEPT_DAYS, putBack, setAside, sweepHalfWritten } from './set-aside'
import { shareHandlers } from './shares'
import { containerRow, findingCounts, listContainers, setAsideLines } from './store'

/** The container wing of the server on real files in a temporary folder, with a fleet that lives in this file. */
const MIB = 2 ** 20
const PATH = '\\\\quay-fs1\\profiles'
const SID = (n: number) => `S-1-5-21-7-7-7-${n}`
const folder = mkdtempSync(join(tmpdir(), 'ikebana-containers-'))
const mount = join(folder, 'profiles')
const template = 'dist/server/empty-database.tar'
let database: Database
let disks: Disks
let nowMs = Date.UTC(2026, 10, 23, 12)
let holds: FleetHold[] = []
let permissions = {
  share: 'D:(A;;FA;;;WD)',
  root: 'O:BAD:(A;OICI;FA;;;BA)',
  folders: [] as { name: string; sddl: string }[],
  onDirectoryServer: false,
}
const asked: string[] = []
const live = { tell: () => undefined }

const fleet = {
  hosts: async () => [{ host: 'TH-1', pool: 'ticket-hall', power: 'on', draining: false, answers: true }],
  sessions: async () => [],
  shares: async () => [{ id: 'quay', path: PATH, zone: 'Q1', mount, totalBytes: 1e12, freeBytes: 4e11, latencyMs: 3 }],
  holds: async () => holds,
  take: async (share: string, file: string, session: string) => {
    const holder = holds.find((one) => one.file === file)
    if (holder) return { taken: false, reason: `${holder.host} has it` }
    holds.push({ share, file, host: 'ikebana', session, sinceMs: nowMs })
    return { taken: true, reason: 'free' }
  },
  giveBack: async (_: string, file: string, session: string) => {
    holds = holds.filter((one) => one.file !== file || one.session !== session)
  },
  permissions: async () => permissions,
  setPermissions: async (_: string, layer: 'share' | 'root', sddl: string) => {
    permissions = { ...permissions, [layer]: sddl }
  },
  shareHistory: async () =>
    Array.from({ length: 30 }, (_, day) => ({ atMs: nowMs - (30 - day) * 86_400_000, usedBytes: 5.7e11 + day * 1e9, latencyMs: 3 })),
  fetchNow: async (host: string) => {
    asked.push(`fetch ${host}`)
  },
  removeLeftover: async (host: string, person: string) => {
    asked.push(`remove ${person} from ${host}`)
    return { removed: person !== 'aino', reason: person === 'aino' ? 'aino is signed in there' : 'removed' }
  },
} as unknown as Fleet
const context = () => ({ database, disks, fleet, live, now: () => nowMs, jobs: new Jobs(database, live as never, () => nowMs) }) as unknown as Context

function put(file: string, blocks: number[], usedDaysAgo = 1): string {
  const path = join(mount, file)
  mkdirSync(join(path, '..'), { recursive: true })
  const { pieces, fileBytes } = newVhdx({
    virtualBytes: 64 * MIB,
    blockBytes: 2 * MIB,
    present: blocks,
    creator: 'test',
    guids: {
      fileWrite: '11111111-2222-4333-A444-555555555555',
      dataWrite: '21111111-2222-4333-A444-555555555555',
      disk: '31111111-2222-4333-A444-555555555555',
    },
  })
  const bytes = Buffer.alloc(fileBytes)
  for (const piece of pieces) bytes.set(piece.bytes, piece.offset)
  writeFileSync(path, bytes)
  const at = nowMs / 1000 - usedDaysAgo * 86_400
  utimesSync(path, at, at)
  return path
}
const id = (file: string) => `${PATH}\\${file.replaceAll('/', '\\')}`
const row = async (file: string) =>
  (await containerRow(database, id(file))) ??
  (() => {
    throw new Error(`no ${file}`)
  })()
const codes = async (file: string) => (await row(file)).upkeep.map(({ code }) => code)
async function run(wanted: Parameters<Jobs['start']>[0]): Promise<Job> {
  const { jobs } = context()
  const { id: job } = await jobs.start(wanted)
  await jobs.settle()
  return (await readJob(database, job)) as Job
}

beforeAll(async () => {
  database = await openEmbedded(undefined, existsSync(template) ? new Blob([readFileSync(template)]) : undefined)
  await migrate(database)
  // The same work as in the disk thread, in this one.
  disks = {
    inspect: inspectAll,
    anatomy: anatomyAt,
    zeros: zeroBlocks,
    rewrite: (path, _, virtualBytes) =>
      rewriteFile(path, {
        virtualBytes,
        guids: {
          fileWrite: '91111111-2222-4333-A444-555555555555',
          dataWrite: virtualBytes === null ? null : '92111111-2222-4333-A444-555555555555',
        },
      }),
    cancel: async () => undefined,
    close: async () => undefined,
  }
  await replaceOrg(database, {
    people: [
      { id: 'mara', name: 'Mara', groups: ['crew'], sid: SID(1) },
      { id: 'jonas', name: 'Jonas', groups: ['crew'], enabled: false, sid: SID(2) },
      { id: 'ilse', name: 'Ilse', groups: ['bridge'], sid: SID(3) },
    ],
    groups: [
      { id: 'crew', sid: SID(100) },
      { id: 'bridge', sid: SID(101) },
    ],
    pools: [
      { id: 'ticket-hall', name: 'Ticket halls', mode: 'container', grants: ['crew'] },
      { id: 'bridge-ops', name: 'Bridge', mode: 'local', grants: ['bridge'] },
    ],
    hosts: [
      { id: 'TH-1', pool: 'ticket-hall' },
      { id: 'TH-2', pool: 'ticket-hall' },
    ],
    shares: [],
  })
  await database.query(`insert into policy_versions values (1, $1::jsonb, 0, 'test')`, [
    JSON.stringify({
      containers: 'on',
      locations: [PATH],
      sizeLimitMib: 30 * 1024,
      diskFormat: 'vhdx-dynamic',
      onFailure: 'refuse',
      slowSeconds: 45,
      slowSecondsByPool: {},
    }),
  ])
})
afterAll(async () => {
  await database.close()
  rmSync(folder, { recursive: true, force: true })
})
beforeEach(async () => {
  rmSync(mount, { recursive: true, force: true })
  holds = []
  nowMs = Date.UTC(2026, 10, 23, 12)
  await database.exec('truncate containers, set_aside')
})

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
    rmSync(join(mount, 'mara/old.vhdx'))
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

  it('tells a hold of a session that lives from one that does not, and from one nobody knows of yet', async () => {
    for (const person of ['mara', 'jonas', 'ilse']) put(`${person}/profile.vhdx`, [0])
    const hold = (person: string, host: string, sinceMs = nowMs - 3_600_000) => ({
      share: PATH,
      file: `${person}/profile.vhdx`,
      host,
      session: `s-${person}`,
      sinceMs,
    })
    holds = [hold('mara', 'TH-1'), hold('jonas', 'TH-1'), hold('ilse', 'TH-1', nowMs - 1000)]
    await database.query(`update hosts set reported_ms = $1, sessions = '[{"session": "s-mara"}]' where id = 'TH-1'`, [nowMs])
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
    holds = [{ share: PATH, file: 'mara/profile.vhdx', host: 'TH-1', session: 's', sinceMs: nowMs }]
    await scanShares(context())
    const mara = await row('mara/profile.vhdx')
    const { inspection } = await disks.anatomy(join(mount, mara.file))
    expect(Object.fromEntries(actionsFor(mara, inspection).map(({ kind, whyNot }) => [kind, whyNot]))).toMatchObject({
      compact: 'TH-1 has it open.',
      'set-aside': 'TH-1 has it open.',
      release: null,
    })
    const before = readFileSync(join(mount, mara.file))
    const job = await run(containerJob(context(), mara, { kind: 'compact' }, 'vaas'))
    expect([job.state, job.steps[0]?.note]).toEqual(['failed', 'It is in use: TH-1 has it. Nothing was changed.'])
    expect(readFileSync(join(mount, mara.file)).equals(before)).toBe(true)
    expect(holds).toHaveLength(1)
  })

  it('compacts and grows, and gives the container back', async () => {
    const path = put('mara/profile.vhdx', [0, 1, 2])
    await scanShares(context())
    const before = statSync(path).size
    const compacted = await run(containerJob(context(), await row('mara/profile.vhdx'), { kind: 'compact' }, 'vaas'))
    expect([compacted.state, before - statSync(path).size, holds]).toEqual(['done', 6 * MIB, []])
    const grown = await run(containerJob(context(), await row('mara/profile.vhdx'), { kind: 'grow', virtualBytes: 128 * MIB }, 'vaas'))
    expect([grown.state, (await row('mara/profile.vhdx')).virtualBytes]).toEqual(['done', 128 * MIB])
    expect(() => containerJob(context(), { ...mara, virtualBytes: 128 * MIB } as never, { kind: 'grow', virtualBytes: 64 * MIB }, 'vaas')).toThrow(
      /more than 128 MiB/,
    )
  })
  const mara = { mount: '/nowhere', file: 'mara/profile.vhdx', id: 'x', person: 'mara', virtualBytes: 1 }

  it('repairs only what needs it, and says what it cannot write anew', async () => {
    const path = put('mara/profile.vhdx', [0])
    await scanShares(context())
    const before = readFileSync(path)
    const job = await run(containerJob(context(), await row('mara/profile.vhdx'), { kind: 'repair' }, 'vaas'))
    expect([job.state, job.steps[1]?.note, readFileSync(path).equals(before), holds]).toEqual(['failed', 'There is nothing to repair.', true, []])
    const old = newVhd({ kind: 'dynamic', virtualBytes: 16 * MIB, blockBytes: 2 * MIB, present: [], diskId: '41111111-2222-4333-A444-555555555555' })
    const bytes = Buffer.alloc(old.fileBytes)
    for (const piece of old.pieces) bytes.set(piece.bytes, piece.offset)
    writeFileSync(join(mount, 'mara/old.vhd'), bytes)
    await scanShares(context())
    const other = await run(containerJob(context(), await row('mara/old.vhd'), { kind: 'compact' }, 'vaas'))
    expect([other.state, other.steps[1]?.note]).toEqual(['failed', 'Only VHDX files can be read block by block and written anew here.'])
  })

  it('says nothing is kept that could not be moved', async () => {
    const path = put('mara/profile.vhdx', [0])
    await scanShares(context())
    const mine = await row('mara/profile.vhdx')
    rmSync(path)
    await expect(setAside(context(), mine, mount, 'job-9', 'vaas')).rejects.toThrow()
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
    expect([job.state, job.steps[1]?.note, holds]).toEqual(['failed', 'the share went away', []])
  })

  it('sets aside, puts back, and deletes only after the time', async () => {
    const path = put('mara/profile.vhdx', [0])
    await scanShares(context())
    await setAside(context(), await row('mara/profile.vhdx'), mount, 'job-1', 'vaas')
    expect([existsSync(path), await containerRow(database, id('mara/profile.vhdx'))]).toEqual([false, null])
    await scanShares(context())
    expect(await containerRow(database, id('mara/profile.vhdx'))).toBeNull()
    await putBack(context(), 'job-1', 'vaas')
    expect([existsSync(path), (await setAsideLines(database))[0]?.state]).toEqual([true, 'put-back'])
    await expect(putBack(context(), 'job-1', 'vaas')).rejects.toThrow(/not kept any more/)

    await scanShares(context())
    await setAside(context(), await row('mara/profile.vhdx'), mount, 'job-2', 'vaas')
    put('mara/profile.vhdx', [5])
    await expect(putBack(context(), 'job-2', 'vaas')).rejects.toThrow(/exists again/)
    await deleteOutdated(context())
    expect((await setAsideLines(database)).find(({ id: one }) => one === 'job-2')?.state).toBe('kept')
    nowMs += (KEPT_DAYS + 1) * 86_400_000
    await deleteOutdated(context())
    expect((await setAsideLines(database)).find(({ id: one }) => one === 'job-2')?.state).toBe('deleted')
    expect(existsSync(join(mount, '.set-aside/job-2/mara/profile.vhdx'))).toBe(false)
  })

  it('clears what a stop in the middle left: half-written files and its own holds', async () => {
    const path = put('mara/profile.vhdx', [0])
    writeFileSync(`${path}.rewriting`, 'half')
    holds = [
      { share: PATH, file: 'mara/profile.vhdx', host: 'ikebana', session: 'gone', sinceMs: 0 },
      { share: PATH, file: 'jonas/profile.vhdx', host: 'TH-1', session: 's', sinceMs: 0 },
    ]
    await sweepHalfWritten(context())
    expect([existsSync(`${path}.rewriting`), existsSync(path), holds.map(({ host }) => host)]).toEqual([false, true, ['TH-1']])
  })

  it('does many in one job, each for itself', async () => {
    put('mara/profile.vhdx', [0, 1])
    put('ilse/profile.vhdx', [0])
    holds = [{ share: PATH, file: 'ilse/profile.vhdx', host: 'TH-1', session: 's', sinceMs: nowMs }]
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
  const share = () => shareHandlers(context())
  const page = async () => share().share({ input: { params: { id: 'quay' } } } as never)

  it('grows, will be full, and says what is wrong with its permissions', async () => {
    await scanShares(context())
    const { growth, full, group, findings, layers } = await page()
    expect(growth).toMatchObject({ certain: true })
    expect(Math.round((growth?.bytesADay ?? 0) / 1e8)).toBe(10)
    expect(Math.round(((full?.atMs ?? 0) - nowMs) / 86_400_000)).toBe(400)
    // Jonas is switched off; most are in the crew.
    expect(group).toMatchObject({ id: 'crew', members: 1, chosen: false })
    expect(findings.map(({ code }) => code)).toEqual(['one-layer', 'cannot-create', 'owner-locks-out'])
    expect(layers.map(({ layer, asWanted }) => [layer, asWanted])).toEqual([
      ['share', false],
      ['root', false],
    ])
  })

  it('is set right by a job, and the old permissions stand in the journal', async () => {
    const old = permissions.root
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
    const kept = permissions
    permissions = { ...permissions, root: 'nonsense' }
    expect(await page()).toMatchObject({ findings: [], layers: [], unread: expect.stringContaining('cannot be read') as string })
    permissions = kept
  })
})

describe('making hosts ready', () => {
  it('says which are not, and removes local profiles one by one', async () => {
    await database.query(`update hosts set report = $1::jsonb, reported_ms = $2, leftovers = $3::jsonb`, [
      JSON.stringify({
        version: 1,
        inForce: { containers: 'on', locations: [PATH], sizeLimitMib: 30 * 1024, diskFormat: 'vhdx-dynamic', onFailure: 'refuse' },
        pending: [],
      }),
      nowMs,
      JSON.stringify([
        { person: 'mara', bytes: 1e9, lastUsedMs: null },
        { person: 'aino', bytes: 1e9, lastUsedMs: null },
      ]),
    ])
    const pool = (await readPools(context())).pools.find((one) => one.id === 'ticket-hall')
    expect(pool).toMatchObject({ ready: 0, verdict: '0 of 2 hosts are ready; 2 with local profiles in the way.' })
    const job = await run(await poolJob(context(), 'ticket-hall', { kind: 'leftovers' }, 'vaas'))
    expect([job.state, asked.filter((one) => one.startsWith('remove'))]).toEqual([
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
