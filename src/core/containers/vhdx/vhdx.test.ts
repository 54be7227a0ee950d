import { execFileSync, spawnSync } from 'node:child_process'
import { closeSync, mkdtempSync, openSync, readFileSync, rmSync, truncateSync, writeSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { afterAll, describe, expect, it } from 'vitest'
import { crc32c } from '../crc32c'
import { inspect } from '../inspect'
import type { ByteSource } from '../inspection'
import { MIB } from './layout'
import { newVhdx } from './write'

const folder = mkdtempSync(join(tmpdir(), 'ikebana-vhdx-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const qemu = spawnSync('qemu-img', ['--version']).status === 0
const guids = {
  fileWrite: '11111111-2222-4333-A444-555555555555',
  dataWrite: '21111111-2222-4333-A444-555555555555',
  disk: '31111111-2222-4333-A444-555555555555',
}
const source = (bytes: Uint8Array): ByteSource => ({
  sizeBytes: bytes.length,
  read: async (offset, length) => bytes.subarray(Math.min(offset, bytes.length), Math.min(offset + length, bytes.length)),
})

function bytesOf(options: { virtualBytes: number; blockBytes: number; present: number[] }): Uint8Array {
  const { pieces, fileBytes } = newVhdx({ ...options, guids, creator: 'test' })
  const bytes = new Uint8Array(fileBytes)
  for (const piece of pieces) bytes.set(piece.bytes, piece.offset)
  return bytes
}

describe('CRC-32C', () => {
  // RFC 3720 appendix B.4.
  it.each<[string, Uint8Array, number]>([
    ['32 bytes of zeros', new Uint8Array(32), 0x8a9136aa],
    ['32 bytes of ones', new Uint8Array(32).fill(0xff), 0x62a8ab43],
    ['32 incrementing bytes', Uint8Array.from({ length: 32 }, (_, i) => i), 0x46dd794e],
    ['32 decrementing bytes', Uint8Array.from({ length: 32 }, (_, i) => 31 - i), 0x113fdb5c],
  ])('of %s', (_, bytes, sum) => {
    expect(crc32c(bytes)).toBe(sum)
  })
})

describe('VHDX', () => {
  const shapes = [
    { virtualBytes: 30 * 2 ** 30, blockBytes: 32 * MIB, present: [0, 5, 959] },
    { virtualBytes: 3 * 2 ** 40, blockBytes: MIB, present: [1, 4096, 4097, 8193] },
    { virtualBytes: 64 * MIB, blockBytes: 2 * MIB, present: [] },
  ]

  it.each(shapes)('what is written is read back ($virtualBytes bytes, blocks of $blockBytes)', async (shape) => {
    expect(await inspect(source(bytesOf(shape)))).toMatchObject({
      format: 'vhdx',
      kind: 'dynamic',
      state: 'clean',
      virtualBytes: shape.virtualBytes,
      blockBytes: shape.blockBytes,
      allocatedBytes: shape.present.length * shape.blockBytes,
      findings: [],
    })
  })

  // Outside judge: qemu-img (qemu-utils).
  it.skipIf(!qemu)('qemu-img accepts what is written and agrees on its size', () => {
    for (const [index, shape] of shapes.entries()) {
      const path = join(folder, `ours-${index}.vhdx`)
      const { pieces, fileBytes } = newVhdx({ ...shape, guids, creator: 'test' })
      const file = openSync(path, 'w')
      for (const { offset, bytes } of pieces) writeSync(file, bytes, 0, bytes.length, offset)
      closeSync(file)
      truncateSync(path, fileBytes)
      const info = JSON.parse(execFileSync('qemu-img', ['info', '--output=json', path]).toString()) as Record<string, unknown>
      expect(info).toMatchObject({ format: 'vhdx', 'virtual-size': shape.virtualBytes })
      expect(execFileSync('qemu-img', ['check', path]).toString()).toContain('No errors were found')
    }
  })

  it.skipIf(!qemu)('reads what qemu-img makes: dynamic and fixed, several block sizes, written at scattered offsets', async () => {
    for (const [kind, blockMib] of [
      ['dynamic', 1],
      ['dynamic', 8],
      ['dynamic', 32],
      ['fixed', 8],
    ] as const) {
      const path = join(folder, `theirs-${kind}-${blockMib}.vhdx`)
      execFileSync('qemu-img', ['create', '-q', '-f', 'vhdx', '-o', `subformat=${kind},block_size=${blockMib}M`, path, '96M'])
      if (kind === 'dynamic')
        execFileSync('qemu-io', ['-f', 'vhdx', '-c', 'write -P 7 0 4k', '-c', 'write -P 8 40M 64k', '-c', 'write -P 9 95M 1M', path])
      const result = await inspect(source(readFileSync(path)))
      expect(result).toMatchObject({ format: 'vhdx', kind, virtualBytes: 96 * MIB, blockBytes: blockMib * MIB, findings: [] })
      // A fixed file of qemu-img has a place for every block but marks each as zero until it is written.
      expect(result.allocatedBytes).toBe(kind === 'fixed' ? 0 : 3 * blockMib * MIB)
    }
  })

  it('uses the good copy of a header or region table, and says which one is broken', async () => {
    const bytes = bytesOf({ virtualBytes: 64 * MIB, blockBytes: 2 * MIB, present: [3] })
    bytes[64 * 1024 + 20] = 0xaa
    bytes[256 * 1024 + 20] = 0xaa
    const result = await inspect(source(bytes))
    expect(result.state).toBe('clean')
    expect(result.findings.map(({ code, offset }) => [code, offset])).toEqual([
      ['vhdx.header.copy', 65_536],
      ['vhdx.regions.copy', 262_144],
    ])
  })

  it.each<[string, (bytes: Uint8Array) => void]>([
    [
      'vhdx.header',
      (bytes) => {
        bytes[64 * 1024 + 9] = 1
        bytes[128 * 1024 + 9] = 1
      },
    ],
    [
      'vhdx.regions',
      (bytes) => {
        bytes[192 * 1024] = 0
        bytes[256 * 1024] = 0
      },
    ],
    [
      'vhdx.metadata',
      (bytes) => {
        bytes[2 * MIB] = 0
      },
    ],
    [
      'vhdx.block-outside',
      (bytes) => {
        bytes[3 * MIB + 6] = 9
      },
    ],
    [
      'vhdx.block-twice',
      (bytes) => {
        bytes.copyWithin(3 * MIB + 8, 3 * MIB, 3 * MIB + 8)
      },
    ],
  ])('finds %s', async (code, damage) => {
    const bytes = bytesOf({ virtualBytes: 64 * MIB, blockBytes: 2 * MIB, present: [0] })
    damage(bytes)
    const result = await inspect(source(bytes))
    expect(result.state).toBe('damaged')
    expect(result.findings.map((finding) => finding.code)).toContain(code)
  })

  it('survives truncation anywhere, random bytes and flipped bits', async () => {
    const whole = bytesOf({ virtualBytes: 64 * MIB, blockBytes: 2 * MIB, present: [0, 1] })
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 0, max: 4 * MIB }), async (length) => {
        expect((await inspect(source(whole.subarray(0, length)))).findings.length).toBeGreaterThan(0)
      }),
      { numRuns: 60 },
    )
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 4000 }), async (noise) => {
        expect((await inspect(source(noise))).state).toBe('unknown')
      }),
      { numRuns: 60 },
    )
    const places = [
      fc.integer({ min: 0, max: 600 }),
      fc.integer({ min: 65_536, max: 65_700 }),
      fc.integer({ min: 196_608, max: 196_700 }),
      fc.integer({ min: 2 * MIB, max: 2 * MIB + 300 }),
      fc.integer({ min: 2 * MIB + 65_536, max: 2 * MIB + 65_600 }),
      fc.integer({ min: 3 * MIB, max: 3 * MIB + 300 }),
    ]
    await fc.assert(
      fc.asyncProperty(fc.oneof(...places), fc.integer({ min: 0, max: 7 }), async (at, bit) => {
        const bytes = whole.slice()
        bytes[at] = (bytes[at] ?? 0) ^ (1 << bit)
        expect(['clean', 'damaged', 'dirty', 'unknown']).toContain((await inspect(source(bytes))).state)
      }),
      { numRuns: 150 },
    )
  })
})
