import { readdir, readFile } from 'node:fs/promises'
import type { Database } from './database'

const FOLDER = new URL('./migrations/', import.meta.url)

/** Brings the schema up to date: every numbered file once, in order, each all or nothing. */
export async function migrate(database: Database): Promise<number> {
  await database.exec('create table if not exists migrations (name text primary key, at timestamptz not null default now())')
  const done = new Set((await database.query<{ name: string }>('select name from migrations')).map(({ name }) => name))
  const files = (await readdir(FOLDER)).filter((name) => /^\d{4}_.*\.sql$/.test(name)).sort()
  let applied = 0
  for (const name of files) {
    if (done.has(name)) continue
    const sql = await readFile(new URL(name, FOLDER), 'utf8')
    await database.exec(`begin; ${sql}; insert into migrations (name) values ('${name}'); commit`)
    applied++
  }
  return applied
}
