import { createReadStream } from 'node:fs'
import { readdir, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { createGunzip } from 'node:zlib'
import type { InventoryLine } from '../../contract/files'
import { Problem } from '../../contract/errors'
import type { Context, Handlers } from '../shell/context'
import { shareRows } from './store'

/** Where agents leave what they saw in a profile at logoff: one file a person, NDJSON, deflated (docs/formats/inventory.md). */
const FOLDER = '.inventory'
const NAME = /^([^/\\]+)\.ndjson\.gz$/

interface Found extends InventoryLine {
  readonly file: string
}

async function inventories({ database }: Pick<Context, 'database'>): Promise<Found[]> {
  const names = new Map((await database.query<{ id: string; name: string }>('select id, name from people')).map(({ id, name }) => [id, name]))
  const found: Found[] = []
  for (const { path, mount } of await shareRows(database)) {
    if (mount === null) continue
    for (const entry of await readdir(join(mount, FOLDER)).catch(() => [])) {
      const person = NAME.exec(entry)?.[1]?.toLowerCase()
      if (person === undefined) continue
      const file = join(mount, FOLDER, entry)
      const stats = await stat(file).catch(() => null)
      if (stats?.isFile())
        found.push({ person, name: names.get(person) ?? null, share: path, atMs: Math.round(stats.mtimeMs), bytes: stats.size, file })
    }
  }
  // Somebody whose container has moved has one on both shares; the newer one counts.
  const newest = new Map<string, Found>()
  for (const one of found) if ((newest.get(one.person)?.atMs ?? 0) < one.atMs) newest.set(one.person, one)
  return [...newest.values()].sort((a, b) => (a.person < b.person ? -1 : 1))
}

/** All of them as one stream of lines. One that cannot be read is passed over with a line that says so. */
async function* linesOf(found: readonly Found[]): AsyncGenerator<Uint8Array> {
  for (const { file, person } of found) {
    let ended = true
    try {
      for await (const chunk of createReadStream(file).pipe(createGunzip())) {
        const bytes = chunk as Uint8Array
        ended = bytes.at(-1) === 10
        yield bytes
      }
      if (!ended) yield NEWLINE
    } catch {
      yield new TextEncoder().encode(`${ended ? '' : '\n'}{"unreadable":${JSON.stringify(person)}}\n`)
    }
  }
}
const NEWLINE = new Uint8Array([10])

export function inventoryHandlers(context: Context): Handlers<'inventories' | 'inventoryLines'> {
  return {
    inventories: async () => ({ inventories: (await inventories(context)).map(({ file: _, ...line }) => line) }),
    async inventoryLines({ input: { query }, reply }) {
      const all = await inventories(context)
      const wanted = query.person === undefined ? all : all.filter(({ person }) => person === query.person?.toLowerCase())
      if (wanted.length === 0) throw new Problem('not-found', 'No agent has left an inventory yet. One is written when somebody logs off.')
      return reply.type('application/x-ndjson').send(Readable.from(linesOf(wanted)))
    },
  }
}
