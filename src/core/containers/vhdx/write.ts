import { writeGuid, writeText, type Write } from '../bytes'
import { crc32c } from '../crc32c'
import {
  batEntries,
  batIndex,
  BLOCK,
  chunkRatio,
  FILE_SIGNATURE,
  HEADER_BYTES,
  HEADER_OFFSETS,
  ITEM,
  KIB,
  LOG_SECTOR_BYTES,
  MIB,
  REGION,
  REGION_OFFSETS,
  TABLE_BYTES,
} from './layout'

export interface NewVhdx {
  readonly virtualBytes: number
  /** A power of two from 1 MiB to 256 MiB. */
  readonly blockBytes: number
  /** Payload blocks to mark as present, in file order. */
  readonly present: readonly number[]
  /** Three fresh GUIDs: of this file's writes, of its data's writes, and of the disk. */
  readonly guids: { readonly fileWrite: string; readonly dataWrite: string; readonly disk: string }
  readonly creator: string
  /** Logical sectors of 512 (the usual) or 4096 bytes. */
  readonly sectorBytes?: number
  /** Every block has its place from the beginning. */
  readonly fixed?: boolean
  /** The file that holds what this one does not, and that file's data write id. */
  readonly parent?: { readonly path: string; readonly dataWrite: string }
  /** A log that waits to be replayed: what somebody was about to write when they were cut off. */
  readonly log?: { readonly guid: string; readonly writes: readonly Write[] }
}

/**
 * A dynamic VHDX as pieces and the length that the file must have. Present blocks are holes, that is zeros, until somebody writes into them.
 * `offsets` says where each present block lies. Layout: headers in the first MiB, log in the second, metadata in the third, then the block table, then payload. Source: [MS-VHDX] 2.1–2.6.
 */
export function newVhdx(disk: NewVhdx): { pieces: Write[]; fileBytes: number; offsets: number[] } {
  const ratio = chunkRatio(disk.blockBytes, disk.sectorBytes ?? 512)
  const blocks = Math.ceil(disk.virtualBytes / disk.blockBytes)
  const entries = batEntries(blocks, ratio, disk.parent !== undefined)
  const batBytes = Math.ceil((entries * 8) / MIB) * MIB
  const payloadAt = 3 * MIB + batBytes
  const bat = new Uint8Array(Math.ceil((entries * 8) / 4096) * 4096)
  const batView = new DataView(bat.buffer)
  const present = disk.fixed ? Array.from({ length: blocks }, (_, block) => block) : disk.present
  present.forEach((block, index) => {
    if (block < 0 || block >= blocks) throw new RangeError(`block ${block} lies outside the disk of ${blocks} blocks`)
    const at = BigInt(payloadAt + index * disk.blockBytes)
    batView.setBigUint64(batIndex(block, ratio) * 8, at | BigInt(BLOCK.present), true)
  })
  const pieces: Write[] = [
    { offset: 0, bytes: identifier(disk.creator) },
    ...HEADER_OFFSETS.map((offset, i) => ({ offset, bytes: header(i, disk) })),
    ...REGION_OFFSETS.map((offset) => ({ offset, bytes: regionTable(batBytes) })),
    ...metadata(disk),
    { offset: 3 * MIB, bytes: bat },
  ]
  const fileBytes = payloadAt + present.length * disk.blockBytes
  if (disk.log) pieces.push({ offset: MIB, bytes: logEntry(disk.log.writes, disk.log.guid, fileBytes) })
  return { pieces, fileBytes, offsets: present.map((_, index) => payloadAt + index * disk.blockBytes) }
}

function identifier(creator: string): Uint8Array {
  const bytes = new Uint8Array(520)
  writeText(bytes, 0, FILE_SIGNATURE)
  const view = new DataView(bytes.buffer)
  for (let i = 0; i < Math.min(creator.length, 255); i++) view.setUint16(8 + 2 * i, creator.charCodeAt(i), true)
  return bytes
}

function header(index: number, disk: NewVhdx): Uint8Array {
  const bytes = new Uint8Array(HEADER_BYTES)
  const view = new DataView(bytes.buffer)
  writeText(bytes, 0, 'head')
  view.setBigUint64(8, BigInt(index + 1), true)
  writeGuid(view, 16, disk.guids.fileWrite)
  writeGuid(view, 32, disk.guids.dataWrite)
  if (disk.log) writeGuid(view, 48, disk.log.guid)
  view.setUint16(66, 1, true)
  view.setUint32(68, MIB, true)
  view.setBigUint64(72, BigInt(MIB), true)
  return checksummed(bytes, bytes)
}

function regionTable(batBytes: number): Uint8Array {
  const bytes = new Uint8Array(TABLE_BYTES)
  const view = new DataView(bytes.buffer)
  writeText(bytes, 0, 'regi')
  view.setUint32(8, 2, true)
  const entry = (at: number, guid: string, offset: number, length: number) => {
    writeGuid(view, at, guid)
    view.setBigUint64(at + 16, BigInt(offset), true)
    view.setUint32(at + 24, length, true)
    view.setUint32(at + 28, 1, true)
  }
  entry(16, REGION.bat, 3 * MIB, batBytes)
  entry(48, REGION.metadata, 2 * MIB, MIB)
  return checksummed(bytes, bytes.subarray(0, 4 * KIB))
}

/** The checksum covers the whole table; only the part that is not zero needs to be written. */
function checksummed(whole: Uint8Array, written: Uint8Array): Uint8Array {
  new DataView(written.buffer).setUint32(4, crc32c(whole), true)
  return written
}

function metadata(disk: NewVhdx): Write[] {
  const locator = disk.parent ? parentLocator(disk.parent) : null
  const items: [string, number, number][] = [
    [ITEM.fileParameters, 8, 4],
    [ITEM.virtualDiskSize, 8, 6],
    [ITEM.diskId, 16, 6],
    [ITEM.logicalSectorSize, 4, 6],
    [ITEM.physicalSectorSize, 4, 6],
    ...(locator ? [[ITEM.parentLocator, locator.length, 4] satisfies [string, number, number]] : []),
  ]
  const table = new Uint8Array(4 * KIB)
  const values = new Uint8Array(4 * KIB)
  const view = new DataView(table.buffer)
  const out = new DataView(values.buffer)
  writeText(table, 0, 'metadata')
  view.setUint16(10, items.length, true)
  let at = 0
  items.forEach(([guid, length, flags], index) => {
    const entry = 32 + 32 * index
    writeGuid(view, entry, guid)
    view.setUint32(entry + 16, 64 * KIB + at, true)
    view.setUint32(entry + 20, length, true)
    view.setUint32(entry + 24, flags, true)
    if (guid === ITEM.fileParameters) {
      out.setUint32(at, disk.blockBytes, true)
      out.setUint32(at + 4, (disk.fixed ? 1 : 0) | (disk.parent ? 2 : 0), true)
    } else if (guid === ITEM.parentLocator && locator) values.set(locator, at)
    else if (guid === ITEM.virtualDiskSize) out.setBigUint64(at, BigInt(disk.virtualBytes), true)
    else if (guid === ITEM.diskId) writeGuid(out, at, disk.guids.disk)
    else out.setUint32(at, guid === ITEM.logicalSectorSize ? (disk.sectorBytes ?? 512) : 4096, true)
    at += length
  })
  return [
    { offset: 2 * MIB, bytes: table },
    { offset: 2 * MIB + 64 * KIB, bytes: values },
  ]
}

/** Key-value pairs in UTF-16 ([MS-VHDX] 2.6.2.6): where the parent is, and the data write id that it must have. */
function parentLocator({ path, dataWrite }: NonNullable<NewVhdx['parent']>): Uint8Array {
  const pairs = [
    ['parent_linkage', `{${dataWrite.toLowerCase()}}`],
    ['relative_path', path],
  ] as const
  const textsAt = 20 + 12 * pairs.length
  const bytes = new Uint8Array(textsAt + pairs.reduce((sum, [key, value]) => sum + 2 * (key.length + value.length), 0))
  const view = new DataView(bytes.buffer)
  writeGuid(view, 0, 'B04AEFB7-D19E-4A81-B789-25B8E9445913')
  view.setUint16(18, pairs.length, true)
  let at = textsAt
  const text = (value: string) => {
    for (let i = 0; i < value.length; i++) view.setUint16(at + 2 * i, value.charCodeAt(i), true)
    at += 2 * value.length
    return at - 2 * value.length
  }
  pairs.forEach(([key, value], index) => {
    const entry = 20 + 12 * index
    view.setUint32(entry, text(key), true)
    view.setUint32(entry + 4, text(value), true)
    view.setUint16(entry + 8, 2 * key.length, true)
    view.setUint16(entry + 10, 2 * value.length, true)
  })
  return bytes
}

/** One entry of the log, at its beginning. Writes are whole sectors of 4 KiB ([MS-VHDX] 2.3.1). */
function logEntry(writes: readonly Write[], guid: string, fileBytes: number): Uint8Array {
  const sequence = 1n
  const sectors = writes.flatMap(({ offset, bytes }) =>
    Array.from({ length: bytes.length / LOG_SECTOR_BYTES }, (_, i) => ({
      offset: offset + i * LOG_SECTOR_BYTES,
      bytes: bytes.subarray(i * LOG_SECTOR_BYTES, (i + 1) * LOG_SECTOR_BYTES),
    })),
  )
  const descriptorBytes = Math.ceil((64 + 32 * sectors.length) / LOG_SECTOR_BYTES) * LOG_SECTOR_BYTES
  const entry = new Uint8Array(descriptorBytes + sectors.length * LOG_SECTOR_BYTES)
  const view = new DataView(entry.buffer)
  writeText(entry, 0, 'loge')
  view.setUint32(8, entry.length, true)
  view.setBigUint64(16, sequence, true)
  view.setUint32(24, sectors.length, true)
  writeGuid(view, 32, guid)
  view.setBigUint64(48, BigInt(fileBytes), true)
  view.setBigUint64(56, BigInt(fileBytes), true)
  sectors.forEach(({ offset, bytes }, i) => {
    const descriptor = 64 + 32 * i
    const sector = descriptorBytes + i * LOG_SECTOR_BYTES
    writeText(entry, descriptor, 'desc')
    entry.set(bytes.subarray(4092), descriptor + 4)
    entry.set(bytes.subarray(0, 8), descriptor + 8)
    view.setBigUint64(descriptor + 16, BigInt(offset), true)
    view.setBigUint64(descriptor + 24, sequence, true)
    entry.set(bytes.subarray(8, 4092), sector + 8)
    writeText(entry, sector, 'data')
    view.setUint32(sector + 4, Number(sequence >> 32n), true)
    view.setUint32(sector + 4092, Number(sequence & 0xffffffffn), true)
  })
  view.setUint32(4, crc32c(entry, 4), true)
  return entry
}
