import { execFileSync, spawnSync } from 'node:child_process'
import { closeSync, existsSync, mkdtempSync, openSync, readdirSync, readFileSync, rmSync, truncateSync, writeFileSync, writeSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { afterAll, describe, expect, it } from 'vitest'
import { anatomyOf, crc32c, inspect, newVhd, newVhdx, type ByteSource, type Write } from '.'

const MIB = 2 ** 20
const folder = mkdtempSync(join(tmpdir(), 'ikebana-disks-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const qemu = spawnSync('qemu-img', ['--version']).status === 0
const guid = (n: number) => `${n}1111111-2222-4333-A444-555555555555`
const guids = { fileWrite: guid(1), dataWrite: guid(2), disk: guid(3) }
const source = (bytes: Uint8Array): ByteSource => ({
  sizeBytes: bytes.length,
  read: (offset, length) => bytes.slice(Math.min(offset, bytes.length), Math.min(offset + length, bytes.length)),
})
const bytesOf = ({ pieces, fileBytes }: { pieces: readonly Write[]; fileBytes: number }) => {
  const bytes = new Uint8Array(fileBytes)
  for (const { offset, bytes: part } of pieces) bytes.set(part, offset)
  return bytes
}
function write(name: string, { pieces, fileBytes }: { pieces: readonly Write[]; fileBytes: number }): string {
  const path = join(folder, name)
  const file = openSync(path, 'w')
  for (const { offset, bytes } of pieces) writeSync(file, bytes, 0, bytes.length, offset)
  closeSync(file)
  truncateSync(path, fileBytes)
  return path
}
const qemuInfo = (path: string, format = path.endsWith('.vhd') ? 'vpc' : 'vhdx') =>
  JSON.parse(execFileSync('qemu-img', ['info', '-f', format, '--output=json', path]).toString()) as Record<string, unknown>
const shape = { virtualBytes: 64 * MIB, blockBytes: 2 * MIB, present: [0, 7], guids, creator: 'test' }

describe('CRC-32C', () => {
  it('leaps over zeros at the end to the same sum, whatever stands before them and wherever the bytes begin', () => {
    // A plain form of RFC 3720 B.4's polynomial division, bit by bit.
    const plainly = (bytes: Uint8Array) => {
      let crc = 0xffffffff
      for (const byte of bytes) {
        crc ^= byte
        for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >>> 1) ^ 0x82f63b78 : crc >>> 1
      }
      return (crc ^ 0xffffffff) >>> 0
    }
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 40 }), fc.nat(200), fc.nat(9), (head, zeros, shift) => {
        const bytes = new Uint8Array(shift + head.length + zeros).subarray(shift)
        bytes.set(head)
        expect(crc32c(bytes)).toBe(plainly(bytes))
        const holed = bytes.slice()
        holed.fill(0, 4, 8)
        expect(crc32c(bytes, 4)).toBe(plainly(holed))
      }),
    )
  })
})

describe('VHD', () => {
  it.each(['dynamic', 'differencing', 'fixed'] as const)('what is written is read back: %s', async (kind) => {
    const result = await inspect(
      source(
        bytesOf(
          newVhd({
            kind,
            virtualBytes: 16 * MIB,
            blockBytes: 2 * MIB,
            present: [0, 5],
            diskId: guid(4),
            ...(kind === 'differencing' ? { parent: { path: '..\\golden.vhd', diskId: guid(5) } } : {}),
          }),
        ),
      ),
    )
    expect(result).toMatchObject({
      format: 'vhd',
      kind,
      virtualBytes: 16 * MIB,
      allocatedBytes: kind === 'fixed' ? 16 * MIB : 4 * MIB,
      blockBytes: kind === 'fixed' ? 0 : 2 * MIB,
      parent: kind === 'differencing' ? '..\\golden.vhd' : null,
      state: 'clean',
      findings: [],
    })
  })

  // Outside judge: qemu-img and qemu-io (qemu-utils), which call this format vpc.
  it.skipIf(!qemu)("qemu reads ours, and what it writes into ours is found; ours reads qemu's", async () => {
    const ours = write('ours.vhd', newVhd({ kind: 'dynamic', virtualBytes: 64 * MIB, blockBytes: 2 * MIB, present: [3], diskId: guid(4) }))
    expect(qemuInfo(ours)['format']).toBe('vpc')
    execFileSync('qemu-io', ['-f', 'vpc', '-c', 'write -P 7 20M 64k', '-c', 'read -P 7 20M 64k', '-c', 'read -P 0 7M 4k', ours])
    const grown = await inspect(source(readFileSync(ours)))
    expect(grown).toMatchObject({ state: 'clean', allocatedBytes: 4 * MIB, findings: [] })
    for (const kind of ['dynamic', 'fixed'] as const) {
      const theirs = join(folder, `theirs-${kind}.vhd`)
      execFileSync('qemu-img', ['create', '-q', '-f', 'vpc', '-o', `subformat=${kind}`, theirs, '32M'])
      if (kind === 'dynamic') execFileSync('qemu-io', ['-f', 'vpc', '-c', 'write -P 7 0 4k', '-c', 'write -P 8 25M 1M', theirs])
      const result = await inspect(source(readFileSync(theirs)))
      expect(result).toMatchObject({ format: 'vhd', kind, virtualBytes: qemuInfo(theirs)['virtual-size'], state: 'clean', findings: [] })
      if (kind === 'dynamic') expect(result.allocatedBytes).toBe(2 * result.blockBytes)
    }
    const fixed = write('fixed.vhd', newVhd({ kind: 'fixed', virtualBytes: 16 * MIB, blockBytes: 0, present: [], diskId: guid(4) }))
    execFileSync('qemu-io', ['-f', 'vpc', '-c', 'read -P 0 0 1M', fixed])
  })

  it.each<[string, (bytes: Uint8Array) => Uint8Array | void, string]>([
    [
      'vhd.footer.copy',
      (bytes) => {
        bytes[bytes.length - 400] = 9
      },
      'clean',
    ],
    [
      'vhd.footer.copy',
      (bytes) => {
        bytes[3] = 9
      },
      'clean',
    ],
    [
      'vhd.footer',
      (bytes) => {
        bytes[bytes.length - 400] = 9
        bytes[100] = 9
      },
      'damaged',
    ],
    [
      'vhd.header',
      (bytes) => {
        bytes[700] = 9
      },
      'damaged',
    ],
    [
      'vhd.block-outside',
      (bytes) => {
        bytes[1536] = 9
      },
      'damaged',
    ],
    [
      'vhd.block-twice',
      (bytes) => {
        bytes.copyWithin(1540, 1536, 1540)
      },
      'damaged',
    ],
    ['vhd.footer.copy', (bytes) => bytes.slice(0, bytes.length - 100), 'clean'],
    ['vhd.block-outside', (bytes) => bytes.slice(0, bytes.length - 1000), 'damaged'],
  ])('finds %s', async (code, damage, state) => {
    const bytes = bytesOf(newVhd({ kind: 'dynamic', virtualBytes: 16 * MIB, blockBytes: 2 * MIB, present: [0, 5], diskId: guid(4) }))
    const result = await inspect(source(damage(bytes) ?? bytes))
    expect([result.state, result.findings.map((finding) => finding.code)]).toEqual([state, expect.arrayContaining([code]) as unknown])
  })

  it('survives truncation anywhere, random bytes and flipped bits', async () => {
    const whole = bytesOf(
      newVhd({
        kind: 'differencing',
        virtualBytes: 16 * MIB,
        blockBytes: 2 * MIB,
        present: [0],
        diskId: guid(4),
        parent: { path: 'p.vhd', diskId: guid(5) },
      }),
    )
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 0, max: whole.length - 1 }), async (length) => {
        expect((await inspect(source(whole.subarray(0, length)))).findings.length).toBeGreaterThan(0)
      }),
      { numRuns: 60 },
    )
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 0, max: 2600 }), fc.integer({ min: 0, max: 7 }), async (at, bit) => {
        const bytes = whole.slice()
        bytes[at] = (bytes[at] ?? 0) ^ (1 << bit)
        expect(['clean', 'damaged', 'unknown']).toContain((await anatomyOf(source(bytes))).inspection.state)
      }),
      { numRuns: 150 },
    )
  })
})

describe('VHDX with a log, with a parent, fixed', () => {
  /** Block 9 gets a place at the end of the file: a write of the table's first sector, and a longer file. */
  function dirty(): { pieces: Write[]; fileBytes: number } {
    const plain = newVhdx(shape)
    const later = newVhdx({ ...shape, present: [0, 7, 9] })
    const table = later.pieces.find(({ offset }) => offset === 3 * MIB)?.bytes.subarray(0, 4096) ?? new Uint8Array(4096)
    const logged = newVhdx({ ...shape, log: { guid: guid(6), writes: [{ offset: 3 * MIB, bytes: table }] } })
    return { pieces: logged.pieces, fileBytes: plain.fileBytes + 2 * MIB }
  }

  it('reads the file as it is once the log has been replayed, and says that it is dirty', async () => {
    const anatomy = await anatomyOf(source(bytesOf(dirty())))
    expect(anatomy.inspection).toMatchObject({ state: 'dirty', allocatedBytes: 6 * MIB, findings: [] })
    expect(anatomy.blockOffsets[9]).toBe(8 * MIB)
    expect(anatomy.structures[1]?.values.find(({ name }) => name === 'log id')?.meaning).toBe('1 entry waits to be replayed: 1 writes')
  })

  it.skipIf(!qemu)('qemu-img replays the same log to the same blocks', async () => {
    const path = write('dirty.vhdx', dirty())
    execFileSync('qemu-img', ['check', '-r', 'all', path], { stdio: 'pipe' })
    const result = await anatomyOf(source(readFileSync(path)))
    expect(result.inspection).toMatchObject({ state: 'clean', allocatedBytes: 6 * MIB, findings: [] })
    expect(result.blockOffsets[9]).toBe(8 * MIB)
  })

  it('tells a broken log, and a file that lost its end, from a dirty one', async () => {
    const broken = bytesOf(dirty())
    broken[MIB + 4096 + 100] = 1
    expect((await inspect(source(broken))).findings.map(({ code }) => code)).toEqual(['vhdx.log-broken'])
    const short = bytesOf(dirty()).subarray(0, 5 * MIB)
    expect((await inspect(source(short))).state).toBe('damaged')
  })

  it("reads a child and its parent's path; a missing sector bitmap is damage", async () => {
    const child = bytesOf(newVhdx({ ...shape, present: [2], parent: { path: '.\\golden.vhdx', dataWrite: guid(7) } }))
    expect(await inspect(source(child))).toMatchObject({ kind: 'differencing', parent: '.\\golden.vhdx', state: 'clean', allocatedBytes: 2 * MIB })
    child[3 * MIB + 16] = (child[3 * MIB + 16] ?? 0) | 7
    expect((await inspect(source(child))).findings.map(({ code }) => code)).toEqual(['vhdx.bitmap'])
  })

  it.skipIf(!qemu)('qemu takes a fixed one of ours', async () => {
    const path = write('fixed.vhdx', newVhdx({ ...shape, fixed: true }))
    expect(qemuInfo(path)['virtual-size']).toBe(64 * MIB)
    expect(await inspect(source(readFileSync(path)))).toMatchObject({ kind: 'fixed', allocatedBytes: 64 * MIB, state: 'clean' })
  })

  // Wherever qemu-img check finds damage, or cannot open the file, ours must find some too.
  it.skipIf(!qemu)('finds damage at least wherever qemu-img does', async () => {
    const whole = bytesOf(newVhdx(shape))
    const places = [
      0,
      64 * 1024,
      64 * 1024 + 20,
      128 * 1024 + 3,
      192 * 1024 + 8,
      192 * 1024 + 33,
      256 * 1024 + 40,
      2 * MIB + 2,
      2 * MIB + 40,
      2 * MIB + 50,
      2 * MIB + 65_536 + 2,
      3 * MIB,
      3 * MIB + 2,
      3 * MIB + 4,
      3 * MIB + 56,
      3 * MIB + 62,
    ]
    const missed: string[] = []
    for (const at of places)
      for (const value of [0x00, 0x07, 0xff]) {
        const bytes = whole.slice()
        if (bytes[at] === value) continue
        bytes[at] = value
        const path = join(folder, 'damaged.vhdx')
        writeFileSync(path, bytes)
        const theirs = spawnSync('qemu-img', ['check', '-f', 'vhdx', path]).status
        const ours = await inspect(source(bytes))
        if (theirs !== 0 && ours.findings.length === 0) missed.push(`${value} at ${at}`)
      }
    for (const length of [100, 70_000, 300_000, MIB, 2 * MIB, 3 * MIB, 5 * MIB, 8 * MIB - 1]) {
      const path = join(folder, 'short.vhdx')
      writeFileSync(path, whole.subarray(0, length))
      const theirs = spawnSync('qemu-img', ['check', '-f', 'vhdx', path]).status
      if (theirs !== 0 && (await inspect(source(whole.subarray(0, length)))).findings.length === 0) missed.push(`cut at ${length}`)
    }
    expect(missed).toEqual([])
  })
})

// Outside judge for files with a parent, which qemu does not know: libvhdi (python3-libvhdi), a reader of both formats of its own making.
const libvhdi = '/usr/lib/python3/dist-packages'
const judged = existsSync(libvhdi) && readdirSync(libvhdi).some((name) => name.startsWith('pyvhdi'))
const SCRIPT = `
import json, pyvhdi, sys
parent_path, child_path, *places = sys.argv[1:]
parent, child = pyvhdi.file(), pyvhdi.file()
parent.open(parent_path)
child.open(child_path)
alone = {'size': child.get_media_size(), 'parent': child.get_parent_identifier(), 'named': child.get_parent_filename(), 'is': parent.get_identifier(), 'kind': child.get_disk_type()}
child.set_parent(parent)
print(json.dumps({**alone, 'bytes': [child.read_buffer_at_offset(1, int(at))[0] for at in places]}))
`

describe('files with a parent, judged by libvhdi', () => {
  const judge = (parent: string, child: string, places: readonly number[]) => {
    const { stdout, stderr, status } = spawnSync('/usr/bin/python3', ['-c', SCRIPT, parent, child, ...places.map(String)])
    if (status !== 0) throw new Error(stderr.toString())
    return JSON.parse(stdout.toString()) as Record<string, unknown>
  }
  const fill = (path: string, offset: number, value: number, length: number) => {
    const file = openSync(path, 'r+')
    writeSync(file, new Uint8Array(length).fill(value), 0, length, offset)
    closeSync(file)
  }

  it.skipIf(!judged)("VHDX: it knows the parent by its id and reads the child's blocks over the parent's", async () => {
    const golden = newVhdx({ ...shape, present: [0, 7] })
    const parent = write('golden.vhdx', golden)
    fill(parent, golden.offsets[0] ?? 0, 0x21, 2 * MIB)
    fill(parent, golden.offsets[1] ?? 0, 0x27, 2 * MIB)
    const leaf = newVhdx({
      ...shape,
      guids: { fileWrite: guid(8), dataWrite: guid(9), disk: guid(4) },
      present: [7, 20],
      parent: { path: '.\\golden.vhdx', dataWrite: guids.dataWrite },
    })
    const child = write('leaf.vhdx', leaf)
    fill(child, leaf.offsets[0] ?? 0, 0x37, 2 * MIB)
    fill(child, leaf.offsets[1] ?? 0, 0x3a, 2 * MIB)
    const ours = await inspect(source(readFileSync(child)))
    const said = judge(parent, child, [MIB, 15 * MIB, 41 * MIB, 60 * MIB])
    // It gives no name where only a relative path stands, so the name is not compared here.
    expect(said).toMatchObject({ size: ours.virtualBytes, bytes: [0x21, 0x37, 0x3a, 0] })
    expect(said['parent']).toBe(said['is'])
    expect(ours).toMatchObject({ kind: 'differencing', state: 'clean', allocatedBytes: 4 * MIB, findings: [] })
  })

  it.skipIf(!judged)('VHD: the same', async () => {
    const size = { virtualBytes: 16 * MIB, blockBytes: 2 * MIB }
    const golden = newVhd({ ...size, kind: 'dynamic', present: [0, 5], diskId: guid(5) })
    const parent = write('golden.vhd', golden)
    const leaf = newVhd({ ...size, kind: 'differencing', present: [5, 6], diskId: guid(4), parent: { path: '.\\golden.vhd', diskId: guid(5) } })
    const child = write('leaf.vhd', leaf)
    const places = async (path: string) => (await anatomyOf(source(readFileSync(path)))).blockOffsets
    fill(parent, (await places(parent))[0] ?? 0, 0x21, 2 * MIB)
    fill(parent, (await places(parent))[5] ?? 0, 0x25, 2 * MIB)
    fill(child, (await places(child))[5] ?? 0, 0x35, 2 * MIB)
    fill(child, (await places(child))[6] ?? 0, 0x36, 2 * MIB)
    const ours = await inspect(source(readFileSync(child)))
    const said = judge(parent, child, [MIB, 11 * MIB, 13 * MIB, 9 * MIB])
    expect(said).toMatchObject({ size: ours.virtualBytes, bytes: [0x21, 0x35, 0x36, 0] })
    expect(said['parent']).toBe(said['is'])
    expect(said['named']).toBe(ours.parent)
    expect(ours).toMatchObject({ kind: 'differencing', state: 'clean', findings: [] })
  })
})
