import { gzipSync } from 'node:zlib'
import { describe, expect, it } from 'vitest'
import type { FolderPicture } from '../../core/files'
import { slabsOf } from './icicle'
import { InventoryDesk, ownerOf, streamOf } from './inventory-desk'

const LINES = ['AppData\\Local\\Cache\\a.bin', 'AppData\\Local\\Cache\\b.bin', 'Documents\\plan.docx']
  .map((path, i) => JSON.stringify({ path, bytes: 100 * (i + 1), modified: 1000 }))
  .join('\n')

describe('the desk of inventories', () => {
  it('reads plain and deflated files, adds one to another, and begins anew when told', async () => {
    const desk = new InventoryDesk()
    const told: number[] = []
    const first = await desk.read(streamOf(new Blob([LINES]), 'mara.ndjson'), 'mara', true, (bytes) => told.push(bytes))
    expect([first.rows, first.people, first.bytes, told.at(-1)]).toEqual([3, 1, 600, LINES.length])
    const both = await desk.read(streamOf(new Blob([gzipSync(LINES)]), 'jonas.ndjson.GZ'), 'jonas', false, () => undefined)
    expect([both.people, both.bytes]).toEqual([2, 1200])
    expect(desk.picture(0, 2).children.map(({ path, bytes, people }) => [path, bytes, people])).toEqual([
      ['AppData', 600, 2],
      ['Documents', 600, 2],
    ])
    expect(desk.try([{ pattern: '%localappdata%', does: 'skip' }], { perFileMs: 1, bytesPerSecond: 1 }, 0).after.bytes).toBe(600)
    expect((await desk.read(streamOf(new Blob(['nonsense']), 'x.csv'), 'x', true, () => undefined)).refused).toBe(1)
    expect(desk.picture(0, 2).bytes).toBe(0)
  })

  it('knows whose inventory a file is by its name', () => {
    expect(['Mara.Elling.ndjson.gz', 'jonas.csv', 'all'].map(ownerOf)).toEqual(['mara.elling', 'jonas', 'all'])
  })
})

describe('folders as slabs', () => {
  const folder = (name: string, bytes: number, children: FolderPicture[] = []): FolderPicture => ({
    folder: 0,
    name,
    path: name,
    bytes,
    files: 1,
    people: 1,
    children,
    restBytes: 0,
  })
  it('are as high as they are large, stand beside what they lie in, and leave out what cannot be seen', () => {
    const slabs = slabsOf(folder('', 1000, [folder('a', 700, [folder('c', 350)]), folder('b', 299), folder('tiny', 1)]), 300, 100, 2)
    expect(slabs.map(({ folder: { name }, x, y, height, named }) => [name, x, y, Math.round(height), named])).toEqual([
      ['', 0, 0, 99, true],
      ['a', 100, 0, 69, true],
      ['c', 200, 0, 34, true],
      ['b', 100, 70, 29, true],
    ])
  })
})
