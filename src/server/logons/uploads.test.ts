import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Database } from '../db/database'
import { openEmbedded } from '../db/embedded'
import { migrate } from '../db/migrate'
import type { UploadProgress } from './intake-worker'
import { filesOf } from './lot'
import { Uploads } from './uploads'

const folder = mkdtempSync(join(tmpdir(), 'ikebana-uploads-'))
let database: Database
beforeAll(async () => {
  database = await openEmbedded()
  await migrate(database)
})
beforeEach(() => database.exec('truncate uploads, journal'))
afterAll(async () => {
  await database.close()
  rmSync(folder, { recursive: true, force: true })
})

/** What reading a file comes to; by its text. */
type Reading = (text: string, id: string) => Partial<UploadProgress> | Error
function uploadsThat(read: Reading) {
  const seen: string[] = []
  let go: () => void = () => undefined
  let gate = Promise.resolve()
  const uploads = new Uploads({
    config: { dataFolder: folder } as never,
    database,
    live: { tell: () => undefined } as never,
    now: () => 1_795_000_000_000,
    evidence: {
      upload: async (path: string, upload: string) => {
        const text = (await filesOf(path)).map((file) => readFileSync(file.path, 'utf8')).join('\n---\n')
        seen.push(text)
        await gate
        const result = read(text, upload)
        if (result instanceof Error) throw result
        return { upload, bytesRead: text.length, observations: 0, refused: 0, attempts: 0, faults: [], unnamed: 0, named: 0, ...result }
      },
    } as never,
  })
  return {
    uploads,
    seen,
    /** Nothing is read before `go`. */
    hold: () => {
      gate = new Promise((resolve) => (go = resolve))
    },
    go: () => {
      go()
    },
    send: (text: string, name = 'logons.ndjson') => uploads.take([{ stream: Readable.from([Buffer.from(text)]), name }], 'vaas'),
    ended: (id: string) =>
      vi.waitFor(async () => {
        const state = await uploads.state(id)
        if (!state || state.state === 'reading') throw new Error('still reading')
        return state
      }),
  }
}
const onDisk = () => readdirSync(join(folder, 'uploads'))
const fault = (line: number, reason: string) => ({ line, byte: line * 10, code: 'record.time', reason, excerpt: '{' })

describe('an evidence file', () => {
  it('is told of while it is read, says what was read and refused, and is then gone from disk', async () => {
    const desk = uploadsThat(() => ({ observations: 12, refused: 1, faults: [fault(3, 'time is missing')] }))
    desk.hold()
    const { id, state, name, bytes } = await desk.send('{"a":1}\n')
    expect([state, name, bytes]).toEqual(['reading', 'logons.ndjson', 8])
    desk.uploads.progress({ upload: id, bytesRead: 5, observations: 4, refused: 0, attempts: 0, faults: [], unnamed: 0, named: 0 })
    expect(await desk.uploads.state(id)).toMatchObject({ state: 'reading', bytesRead: 5, observations: 4 })
    expect((await desk.uploads.list()).map(({ bytesRead }) => bytesRead)).toEqual([5])
    desk.go()
    expect(await desk.ended(id)).toMatchObject({ state: 'done', bytesRead: 8, sentence: '12 records were read, 1 was refused.' })
    expect(await desk.uploads.faults(id)).toEqual([fault(3, 'time is missing')])
    await vi.waitFor(() => expect(onDisk()).toEqual([]))
    expect(await database.query('select who, what, target, after from journal')).toEqual([
      { who: 'vaas', what: 'read evidence file', target: 'logons.ndjson', after: '12 records read, 1 refused' },
    ])
  })

  it('says when the logons took place that came of it', async () => {
    const desk = uploadsThat(() => ({ observations: 1234 }))
    const { id } = await desk.send('x')
    expect(await desk.ended(id)).toMatchObject({ attempts: 0, firstMs: null, lastMs: null, sentence: 'All 1,234 records were read.' })
    const again = uploadsThat(() => ({ observations: 2 }))
    again.hold()
    const second = await again.send('y')
    for (const atMs of [3000, 5000])
      await database.query(
        `insert into attempts (id, thread, started_ms, last_ms, total_ms, outcome, upload, first, network, blame_ms, lost_ms, slow_ms)
        values ($1, $1, $2, $2, 1, 'ready', $3, false, '', '{}', 0, 45000)`,
        [`of-file-${atMs}`, atMs, second.id],
      )
    again.go()
    expect(await again.ended(second.id)).toMatchObject({ attempts: 2, firstMs: 3000, lastMs: 5000 })
    await database.exec(`delete from attempts where id like 'of-file-%'`)
  })

  it('of which nothing could be read has failed, and says why', async () => {
    const desk = uploadsThat((text) => (text === '' ? {} : { refused: 2, faults: [fault(1, 'not valid JSON'), fault(2, 'x')] }))
    expect(await desk.ended((await desk.send('no')).id)).toMatchObject({ state: 'failed', sentence: 'Nothing could be read: not valid JSON.' })
    expect(await desk.ended((await desk.send('')).id)).toMatchObject({ state: 'failed', sentence: 'Nothing could be read: the file is empty.' })
  })

  it('that is stopped, or cannot be read to its end, keeps what was read and says so', async () => {
    const desk = uploadsThat((text) => new Error(text))
    expect(await desk.ended((await desk.send('cancelled')).id)).toMatchObject({
      state: 'cancelled',
      sentence: 'Stopped on request. What had been read was kept.',
    })
    expect(await desk.ended((await desk.send('The disk is full')).id)).toMatchObject({
      state: 'failed',
      sentence: 'Reading stopped: The disk is full. What had been read was kept.',
    })
    await vi.waitFor(() => expect(onDisk()).toEqual([]))
  })

  it.each([
    ['../../etc/passwd', 'passwd'],
    ['C:\\logs\\TH-1 logons.xml', 'TH-1 logons.xml'],
    ['a<b>|"c".csv', 'a_b___c_.csv'],
    ['', 'evidence'],
    ['x'.repeat(500), 'x'.repeat(120)],
  ])('called “%s” is shown as “%s”, and lies under a number of its own', async (sent, shown) => {
    const desk = uploadsThat(() => ({ observations: 1 }))
    const { id, name } = await desk.send('{}', sent)
    expect(name).toBe(shown)
    await desk.ended(id)
  })

  it('that somebody gave is listed, however many a token has sent since', async () => {
    const desk = uploadsThat(() => ({ observations: 1 }))
    const { id } = await desk.send('{}', 'given.ndjson')
    await desk.ended(id)
    await database.query(
      `insert into uploads (id, name, author, state, bytes, bytes_read, observations, refused, attempts, started_ms, faults)
      select 't' || n, 'sent', 'token fleet', 'done', 1, 1, 1, 0, 0, $1::bigint + n, '[]' from generate_series(1, 60) n`,
      [Date.now() + 1e9],
    )
    const listed = await desk.uploads.list()
    await database.query(`delete from uploads where author = 'token fleet'`)
    expect(listed).toHaveLength(51)
    expect(listed[0]).toMatchObject({ id: 't60', author: 'token fleet' })
    expect(listed.at(-1)).toMatchObject({ id, name: 'given.ndjson' })
  })

  it('that a stop cut off is read again at the next start; the one whose file is gone says so', async () => {
    const cut = uploadsThat(() => new Error('never'))
    cut.hold()
    const [first, second, lost] = [await cut.send('one'), await cut.send('two'), await cut.send('three')]
    rmSync(join(folder, 'uploads', lost.id), { recursive: true })
    writeFileSync(join(folder, 'uploads', 'left-over'), '')
    // Another start: the first desk never hears of its reading again.
    const desk = uploadsThat((text) => ({ observations: text.length }))
    const { done } = await desk.uploads.takeUp()
    expect(onDisk().sort()).toEqual([first.id, second.id].sort())
    await done
    expect(desk.seen).toEqual(['one', 'two'])
    expect((await desk.uploads.list()).map(({ state, observations }) => `${state} ${observations}`).sort()).toEqual(['done 3', 'done 3', 'failed 0'])
    expect(await desk.uploads.state(lost.id)).toMatchObject({
      sentence: 'Ikebana was stopped while it read this file, and the file is gone. Send it again; what had been read was kept.',
    })
    expect(onDisk()).toEqual([])
  })

  it('and others that are given together are one, in their order; when one of them breaks off there is none', async () => {
    const desk = uploadsThat(() => ({ observations: 3 }))
    const sent = (name: string, text: string) => ({ stream: Readable.from([Buffer.from(text)]), name })
    const { id, name, bytes } = await desk.uploads.take([sent('../../b.xml', 'one'), sent('a.xml', 'three'), sent('', 'two')], 'vaas')
    expect([name, bytes]).toEqual(['b.xml and 2 more', 11])
    expect(await desk.ended(id)).toMatchObject({ state: 'done', sentence: 'All 3 records were read.' })
    expect([desk.seen, onDisk()]).toEqual([['one\n---\nthree\n---\ntwo'], []])
    async function* broken() {
      yield sent('a.xml', 'one')
      await Promise.resolve()
      throw new Error('the line is gone')
    }
    await expect(desk.uploads.take(broken(), 'vaas')).rejects.toThrow('the line is gone')
    await expect(desk.uploads.take([], 'vaas')).rejects.toThrow('No file was sent.')
    expect([onDisk(), await desk.uploads.list()]).toMatchObject([[], [{ id }]])
  })

  it('that breaks off while it is sent leaves nothing behind', async () => {
    const desk = uploadsThat(() => ({ observations: 1 }))
    const broken = Readable.from(
      (function* () {
        yield Buffer.from('{"a":1}\n')
        throw new Error('the line is gone')
      })(),
    )
    await expect(desk.uploads.take([{ stream: broken, name: 'half.ndjson' }], 'vaas')).rejects.toThrow('the line is gone')
    expect([onDisk(), desk.seen, await desk.uploads.list()]).toEqual([[], [], []])
  })

  it('that speaks of persons whom nobody named waits for one that names them, and is read again then', async () => {
    let named = false
    const desk = uploadsThat((text) => {
      if (text === 'names') {
        named = true
        return { observations: 1, named: 2 }
      }
      return named ? { observations: 5 } : { observations: 2, refused: 3, unnamed: 3 }
    })
    const { id } = await desk.send('speaks')
    expect(await desk.ended(id)).toMatchObject({ observations: 2, refused: 3 })
    expect(onDisk()).toEqual([id])
    await desk.ended((await desk.send('names')).id)
    await vi.waitFor(async () => expect(await desk.uploads.state(id)).toMatchObject({ state: 'done', observations: 5, refused: 0 }))
    expect(desk.seen).toEqual(['speaks', 'names', 'speaks'])
    await vi.waitFor(() => expect(onDisk()).toEqual([]))
  })

  it('that waits for a name says so, waits also over a stop, and is read again when the directory names somebody', async () => {
    const before = uploadsThat(() => ({ observations: 2, refused: 3, unnamed: 3 }))
    const { id } = await before.send('speaks')
    expect((await before.ended(id)).sentence).toBe(
      '2 records were read, 3 were refused. 3 of its events speak of somebody whom nothing names yet: the file is kept, and read again when another file or the directory does.',
    )
    const after = uploadsThat(() => ({ observations: 5 }))
    await (
      await after.uploads.takeUp()
    ).done
    expect([onDisk(), after.seen]).toEqual([[id], []])
    await after.uploads.readAgain()
    expect(await after.uploads.state(id)).toMatchObject({ state: 'done', observations: 5, refused: 0, sentence: 'All 5 records were read.' })
    expect([onDisk(), after.seen]).toEqual([[], ['speaks']])
    await after.uploads.readAgain()
    expect(after.seen).toEqual(['speaks'])
  })

  it('is read from its beginning at the next start where a stop cut off that second reading', async () => {
    const before = uploadsThat((text) => (text === 'names' ? { observations: 1, named: 1 } : { observations: 2, refused: 1, unnamed: 1 }))
    const { id } = await before.send('speaks')
    await before.ended(id)
    before.hold()
    void before.uploads.readAgain()
    await vi.waitFor(async () => expect(await before.uploads.state(id)).toMatchObject({ state: 'reading' }))
    const after = uploadsThat(() => ({ observations: 3 }))
    await (
      await after.uploads.takeUp()
    ).done
    expect(after.seen).toEqual(['speaks'])
    expect(await after.uploads.state(id)).toMatchObject({ state: 'done', observations: 3 })
  })
})
