import { crc32c } from '../crc32c'
import { batEntries, batIndex, BLOCK, chunkRatio, FILE_SIGNATURE, HEADER_BYTES, HEADER_OFFSETS, ITEM, KIB, MIB, REGION, REGION_OFFSETS, TABLE_BYTES, writeGuid, writeText } from './layout'

/** Bytes to put at a place in a file; what lies between pieces stays a hole. */
export interface Piece {
  readonly offset: number
  readonly bytes: Uint8Array
}

export interface NewVhdx {
  readonly virtualBytes: number
  /** A power of two from 1 MiB to 256 MiB. */
  readonly blockBytes: number
  /** Payload blocks to mark as present, in file order. */
  readonly present: readonly number[]
  /** Three fresh GUIDs: of this file's writes, of its data's writes, and of the disk. */
  readonly guids: { readonly fileWrite: string; readonly dataWrite: string; readonly disk: string }
  readonly creator: string
}

/**
 * A dynamic VHDX as pieces and the length that the file must have. Present blocks are holes, that is zeros, until somebody writes into them.
 * Layout: headers in the first MiB, log in the second, metadata in the third, then the block table, then payload. Source: [MS-VHDX] 2.1–2.6.
 */
export function newVhdx(disk: NewVhdx): { pieces: Piece[]; fileBytes: number } {
  const ratio = chunkRatio(disk.blockBytes, 512)
  const blocks = Math.ceil(disk.virtualBytes / disk.blockBytes)
  const entries = batEntries(blocks, ratio, false)
  const batBytes = Math.ceil((entries * 8) / MIB) * MIB
  const payloadAt = 3 * MIB + batBytes
  const bat = new Uint8Array(Math.ceil((entries * 8) / 4096) * 4096)
  const batView = new DataView(bat.buffer)
  disk.present.forEach((block, index) => {
    if (block < 0 || block >= blocks) throw new RangeError(`block ${block} lies outside the disk of ${blocks} blocks`)
    const at = BigInt(payloadAt + index * disk.blockBytes)
    batView.setBigUint64(batIndex(block, ratio) * 8, at | BigInt(BLOCK.present), true)
  })
  const pieces: Piece[] = [
    { offset: 0, bytes: identifier(disk.creator) },
    ...HEADER_OFFSETS.map((offset, i) => ({ offset, bytes: header(i, disk) })),
    ...REGION_OFFSETS.map((offset) => ({ offset, bytes: regionTable(batBytes) })),
    ...metadata(disk),
    { offset: 3 * MIB, bytes: bat },
  ]
  return { pieces, fileBytes: payloadAt + disk.present.length * disk.blockBytes }
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

function metadata(disk: NewVhdx): Piece[] {
  const items: [string, number, number][] = [
    [ITEM.fileParameters, 8, 4], [ITEM.virtualDiskSize, 8, 6], [ITEM.diskId, 16, 6], [ITEM.logicalSectorSize, 4, 6], [ITEM.physicalSectorSize, 4, 6],
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
    if (guid === ITEM.fileParameters) out.setUint32(at, disk.blockBytes, true)
    else if (guid === ITEM.virtualDiskSize) out.setBigUint64(at, BigInt(disk.virtualBytes), true)
    else if (guid === ITEM.diskId) writeGuid(out, at, disk.guids.disk)
    else out.setUint32(at, guid === ITEM.logicalSectorSize ? 512 : 4096, true)
    at += length
  })
  return [{ offset: 2 * MIB, bytes: table }, { offset: 2 * MIB + 64 * KIB, bytes: values }]
}
