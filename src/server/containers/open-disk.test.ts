import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it } from 'vitest'
import { openDisk } from './open-disk'

const folder = mkdtempSync(join(tmpdir(), 'ikebana-open-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const KIB = 1024
const file = (name: string, byte: number, length: number) => {
  const path = join(folder, name)
  writeFileSync(path, new Uint8Array(length).fill(byte))
  return path
}
const all = (bytes: Uint8Array | Promise<Uint8Array>, byte: number) => (bytes as Uint8Array).every((one) => one === byte)

describe('openDisk', () => {
  it('keeps the bytes of files that are open at once apart, however much is read', () => {
    const disks = [1, 2, 3, 4, 5, 6].map((byte) => ({ byte, disk: openDisk(file(`${byte}`, byte, 400 * KIB)) }))
    const read = disks.flatMap(({ byte, disk }) => [0, 1, 2, 3].map((i) => ({ byte, bytes: disk.read(i * 100 * KIB, 100 * KIB) })))
    for (const { byte, bytes } of read) expect(all(bytes, byte)).toBe(true)
    for (const { disk } of disks) disk.close()
  })

  it('gives its room to the next file once only, though it is closed twice', () => {
    const first = openDisk(file('a', 7, KIB))
    first.close()
    first.close()
    const [a, b] = [openDisk(file('b', 8, KIB)), openDisk(file('c', 9, KIB))]
    const [ofA, ofB] = [a.read(0, KIB), b.read(0, KIB)]
    expect([all(ofA, 8), all(ofB, 9)]).toEqual([true, true])
    a.close()
    b.close()
  })

  it('gives fewer bytes where the file ends, none behind it, and counts its reads', () => {
    const disk = openDisk(file('short', 5, 100))
    expect(
      [disk.sizeBytes, disk.read(90, 50), disk.read(100, 8), disk.read(5000, 8)].map((one) =>
        typeof one === 'number' ? one : (one as Uint8Array).length,
      ),
    ).toEqual([100, 10, 0, 0])
    expect(disk.reads).toBe(3)
    disk.close()
  })

  it('does not open a folder, or what is not there', () => {
    expect(() => openDisk(folder)).toThrow(expect.objectContaining({ code: 'EISDIR' }) as Error)
    expect(() => openDisk(join(folder, 'none'))).toThrow(expect.objectContaining({ code: 'ENOENT' }) as Error)
  })
})
