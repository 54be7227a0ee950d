import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { MessageChannel, type MessagePort } from 'node:worker_threads'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { Database } from './database'
import { openEmbedded } from './embedded'
import { lock } from './open'
import { sweep } from './sweep'
import type { Turns } from './turns'
import { databaseOver, serveDatabase } from './wire'

let held: Database
let turns: Turns
let serve: (port: MessagePort) => void = () => undefined
const ports: MessagePort[] = []
beforeAll(async () => {
  held = await openEmbedded()
  turns = serveDatabase(held, (accept) => {
    serve = accept as (port: MessagePort) => void
  })
  await held.exec('create table things (id integer primary key, name text)')
})
beforeEach(() => held.exec('truncate things'))
afterAll(async () => {
  for (const port of ports) port.close()
  await held.close()
})

/** Another thread's access, as it would have it. */
function connect(): Database & { cut: () => void } {
  const { port1, port2 } = new MessageChannel()
  serve(port1)
  ports.push(port2)
  return { ...databaseOver(port2, () => Promise.resolve(port2.close())), cut: () => port2.close() }
}
const add = (id: number) => [`insert into things values ($1, $2)`, [id, `thing ${id}`]] as const
const ids = async (database: Pick<Database, 'query'>) =>
  (await database.query<{ id: number }>('select id from things order by id')).map(({ id }) => id)

describe('a database behind a port', () => {
  it('answers questions with their rows, and says what was wrong with its code', async () => {
    const one = connect()
    expect(await one.query('select $1::int + 1 as n, $2::text as t', [41, 'å'])).toEqual([{ n: 42, t: 'å' }])
    await one.exec(`insert into things values (1, 'a'); insert into things values (2, 'b')`)
    expect(await ids(one)).toEqual([1, 2])
    await expect(one.query(...add(1))).rejects.toMatchObject({ code: '23505' })
    await expect(one.query('select nothing')).rejects.toThrow('nothing')
    expect(await ids(one)).toEqual([1, 2])
  })

  it('keeps all of a transaction or none, and holds everybody else back meanwhile', async () => {
    const [one, two] = [connect(), connect()]
    let seen: Promise<number[]> | null = null
    await one.transaction(async (handle) => {
      await handle.query(...add(1))
      // Asked now, answered when the transaction has ended.
      seen = ids(two)
      await handle.query(...add(2))
      expect(await ids(handle)).toEqual([1, 2])
    })
    expect(await seen).toEqual([1, 2])
    const failing = one.transaction(async (handle) => {
      await handle.query(...add(3))
      await handle.query(...add(1))
    })
    await expect(failing).rejects.toMatchObject({ code: '23505' })
    await expect(
      one.transaction(async (handle) => {
        await handle.query(...add(4))
        throw new Error('changed our mind')
      }),
    ).rejects.toThrow('changed our mind')
    expect(await ids(two)).toEqual([1, 2])
  })

  it('does what is asked for at once in its order, and nothing of it where one fails', async () => {
    const [one, two] = [connect(), connect()]
    let before: Promise<number[]> | null = null
    await one.transaction(async (handle) => {
      const answers = Promise.all([handle.query(...add(1)), ids(handle), handle.query(...add(2)), ids(handle)])
      before = ids(two)
      expect((await answers).map((rows) => rows.length)).toEqual([0, 1, 0, 2])
    })
    expect(await before).toEqual([1, 2])
    const failing = one.transaction(async (handle) => {
      await Promise.all([handle.query(...add(3)), handle.query(...add(1)), handle.query(...add(4))])
    })
    await expect(failing).rejects.toMatchObject({ code: '23505' })
    expect(await ids(two)).toEqual([1, 2])
  })

  it('asks nothing within a transaction that could not begin', async () => {
    const { port1, port2 } = new MessageChannel()
    ports.push(port2)
    serveDatabase(
      { query: (sql, params) => held.query(sql, params), exec: (sql) => (sql === 'begin' ? Promise.reject(new Error('no')) : held.exec(sql)) },
      (accept) => {
        accept(port1)
      },
    )
    const one = databaseOver(port2, () => Promise.resolve())
    await expect(one.transaction((handle) => handle.query(...add(1)))).rejects.toThrow('no')
    expect(await ids(held)).toEqual([])
    await one.query(...add(2))
    expect(await ids(held)).toEqual([2])
  })

  it('is swept between transactions, never within one', async () => {
    const one = connect()
    await held.exec('create table if not exists others (id integer)')
    let swept: Promise<void> | null = null
    await one.transaction(async (handle) => {
      await handle.query(...add(1))
      swept = sweep(held, turns, ['things', 'others'])
      await handle.query(...add(2))
    })
    await swept
    expect(await ids(one)).toEqual([1, 2])
  })

  it('takes transactions of one port in turn', async () => {
    const one = connect()
    const order: string[] = []
    await Promise.all(
      [1, 2, 3].map((n) =>
        one.transaction(async (handle) => {
          order.push(`begin ${n}`)
          await handle.query(...add(n))
          order.push(`end ${n}`)
        }),
      ),
    )
    expect(order).toEqual(['begin 1', 'end 1', 'begin 2', 'end 2', 'begin 3', 'end 3'])
  })

  it('does not begin for a thread that is gone', async () => {
    const [one, two, three] = [connect(), connect(), connect()]
    await one.transaction(async (handle) => {
      void two.transaction(() => new Promise(() => undefined)).catch(() => undefined)
      await handle.query(...add(1))
      two.cut()
      await handle.query(...add(2))
    })
    expect(await ids(three)).toEqual([1, 2])
  })

  it('takes a transaction back whose thread is gone, and goes on for the others', async () => {
    const [one, two] = [connect(), connect()]
    void one
      .transaction(async (handle) => {
        await handle.query(...add(9))
        one.cut()
        await new Promise(() => undefined)
      })
      .catch(() => undefined)
    await two.query(...add(1))
    expect(await ids(two)).toEqual([1])
  })
})

describe('the lock of a data folder', () => {
  const folder = mkdtempSync(join(tmpdir(), 'ikebana-lock-'))
  const path = join(folder, 'lock')
  afterAll(() => rmSync(folder, { recursive: true, force: true }))

  it('is refused while another process lives that has it, and taken over from one that is gone', async () => {
    // The process that runs all others is always there.
    writeFileSync(path, '1')
    await expect(lock(path)).rejects.toThrow('in use by process 1')
    expect(readFileSync(path, 'utf8')).toBe('1')
    // No process has this number.
    writeFileSync(path, '4194999')
    const unlock = await lock(path)
    expect(readFileSync(path, 'utf8')).toBe(String(process.pid))
    await unlock()
    await (
      await lock(path)
    )()
    writeFileSync(path, 'no number')
    await (
      await lock(path)
    )()
    expect(() => readFileSync(path)).toThrow('ENOENT')
  })
})
