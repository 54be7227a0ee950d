import { viewOf, writeGuid, writeText, type Write } from '../bytes'
import { bitmapBytes, FOOTER_BYTES, FOOTER_COOKIE, HEADER_BYTES, HEADER_COOKIE, NO_OFFSET, SECTOR_BYTES, sumOf, TYPE, UNUSED } from './layout'

export interface NewVhd {
  readonly kind: 'fixed' | 'dynamic' | 'differencing'
  /** A whole number of sectors. */
  readonly virtualBytes: number
  /** Usually 2 MiB. */
  readonly blockBytes: number
  /** Payload blocks to mark as present, in file order; a fixed disk has all. */
  readonly present: readonly number[]
  readonly diskId: string
  /** For a differencing disk: the file that holds what this one does not. */
  readonly parent?: { readonly path: string; readonly diskId: string }
}

/** A VHD as pieces and the length that the file must have; payload is holes until somebody writes into it. Source: as layout.ts. */
export function newVhd(disk: NewVhd): { pieces: Write[]; fileBytes: number } {
  const footer = footerOf(disk)
  if (disk.kind === 'fixed') return { pieces: [{ offset: disk.virtualBytes, bytes: footer }], fileBytes: disk.virtualBytes + FOOTER_BYTES }
  const blocks = Math.ceil(disk.virtualBytes / disk.blockBytes)
  const locator = disk.parent ? utf16(disk.parent.path, true) : null
  const tableAt = FOOTER_BYTES + HEADER_BYTES + (locator ? SECTOR_BYTES : 0)
  const table = new Uint8Array(Math.ceil((blocks * 4) / SECTOR_BYTES) * SECTOR_BYTES).fill(0xff)
  const view = new DataView(table.buffer)
  const stride = bitmapBytes(disk.blockBytes) + disk.blockBytes
  const payloadAt = tableAt + table.length
  const bitmaps: Write[] = []
  disk.present.forEach((block, index) => {
    if (block < 0 || block >= blocks) throw new RangeError(`block ${block} lies outside the disk of ${blocks} blocks`)
    const offset = payloadAt + index * stride
    view.setUint32(block * 4, offset / SECTOR_BYTES)
    bitmaps.push({ offset, bytes: new Uint8Array(disk.blockBytes / SECTOR_BYTES / 8).fill(0xff) })
  })
  for (let block = blocks; block * 4 < table.length; block++) view.setUint32(block * 4, UNUSED)
  const footerAt = payloadAt + disk.present.length * stride
  return {
    pieces: [
      { offset: 0, bytes: footer },
      { offset: FOOTER_BYTES, bytes: headerOf(disk, tableAt, blocks) },
      ...(locator ? [{ offset: FOOTER_BYTES + HEADER_BYTES, bytes: locator }] : []),
      { offset: tableAt, bytes: table },
      ...bitmaps,
      { offset: footerAt, bytes: footer },
    ],
    fileBytes: footerAt + FOOTER_BYTES,
  }
}

function footerOf({ kind, virtualBytes, diskId }: NewVhd): Uint8Array {
  const bytes = new Uint8Array(FOOTER_BYTES)
  const view = new DataView(bytes.buffer)
  writeText(bytes, 0, FOOTER_COOKIE)
  view.setUint32(8, 2)
  view.setUint32(12, 0x10000)
  view.setBigUint64(16, kind === 'fixed' ? NO_OFFSET : BigInt(FOOTER_BYTES))
  writeText(bytes, 28, 'ikeb')
  view.setUint32(32, 0x10000)
  writeText(bytes, 36, 'Wi2k')
  view.setBigUint64(40, BigInt(virtualBytes))
  view.setBigUint64(48, BigInt(virtualBytes))
  setGeometry(view, virtualBytes)
  view.setUint32(60, TYPE[kind])
  writeGuid(view, 68, diskId)
  view.setUint32(64, sumOf(bytes, 64))
  return bytes
}

/**
 * The same disk in a new file: its footer and header as they were, but for the size and where things lie, so that whoever made it knows it again.
 * @param present blocks in file order
 * @returns where each of them begins, with its sector bitmap, in the order of `present`
 */
export function vhdAgain(
  old: { readonly footer: Uint8Array; readonly header: Uint8Array; readonly blockBytes: number },
  virtualBytes: number,
  present: readonly number[],
): { pieces: Write[]; fileBytes: number; offsets: number[] } {
  const blocks = Math.ceil(virtualBytes / old.blockBytes)
  const tableAt = FOOTER_BYTES + HEADER_BYTES
  const table = new Uint8Array(Math.ceil((blocks * 4) / SECTOR_BYTES) * SECTOR_BYTES).fill(0xff)
  const stride = bitmapBytes(old.blockBytes) + old.blockBytes
  const offsets = present.map((_, index) => tableAt + table.length + index * stride)
  const entries = new DataView(table.buffer)
  present.forEach((block, index) => {
    entries.setUint32(block * 4, (offsets[index] ?? 0) / SECTOR_BYTES)
  })
  const footer = Uint8Array.from(old.footer)
  const footerView = viewOf(footer)
  footerView.setBigUint64(16, BigInt(FOOTER_BYTES))
  if (Number(footerView.getBigUint64(48)) !== virtualBytes) {
    footerView.setBigUint64(48, BigInt(virtualBytes))
    setGeometry(footerView, virtualBytes)
  }
  footerView.setUint32(64, sumOf(footer, 64))
  const header = Uint8Array.from(old.header)
  const headerView = viewOf(header)
  headerView.setBigUint64(16, BigInt(tableAt))
  headerView.setUint32(28, blocks)
  headerView.setUint32(36, sumOf(header, 36))
  const footerAt = tableAt + table.length + present.length * stride
  return {
    pieces: [
      { offset: 0, bytes: footer },
      { offset: FOOTER_BYTES, bytes: header },
      { offset: tableAt, bytes: table },
      { offset: footerAt, bytes: footer },
    ],
    fileBytes: footerAt + FOOTER_BYTES,
    offsets,
  }
}

function setGeometry(view: DataView, virtualBytes: number): void {
  const [cylinders, heads, sectors] = geometryOf(virtualBytes / SECTOR_BYTES)
  view.setUint16(56, cylinders)
  view.setUint8(58, heads)
  view.setUint8(59, sectors)
}

/** The geometry that old hosts computed from the number of sectors (the specification's appendix). */
function geometryOf(total: number): [cylinders: number, heads: number, sectors: number] {
  const all = Math.min(total, 65_535 * 16 * 255)
  if (all >= 65_535 * 16 * 63) return [Math.floor(all / 255 / 16), 16, 255]
  let sectors = 17
  let perHead = Math.floor(all / sectors)
  let heads = Math.max(4, Math.floor((perHead + 1023) / 1024))
  if (perHead >= heads * 1024 || heads > 16) [sectors, heads, perHead] = [31, 16, Math.floor(all / 31)]
  if (perHead >= heads * 1024) [sectors, heads, perHead] = [63, 16, Math.floor(all / 63)]
  return [Math.floor(perHead / heads), heads, sectors]
}

function headerOf({ blockBytes, parent }: NewVhd, tableAt: number, entries: number): Uint8Array {
  const bytes = new Uint8Array(HEADER_BYTES)
  const view = new DataView(bytes.buffer)
  writeText(bytes, 0, HEADER_COOKIE)
  view.setBigUint64(8, NO_OFFSET)
  view.setBigUint64(16, BigInt(tableAt))
  view.setUint32(24, 0x10000)
  view.setUint32(28, entries)
  view.setUint32(32, blockBytes)
  if (parent) {
    writeGuid(view, 40, parent.diskId)
    bytes.set(utf16(parent.path, false).subarray(0, 510), 64)
    writeText(bytes, 576, 'W2ru')
    view.setUint32(580, SECTOR_BYTES)
    view.setUint32(584, 2 * parent.path.length)
    view.setBigUint64(592, BigInt(FOOTER_BYTES + HEADER_BYTES))
  }
  view.setUint32(36, sumOf(bytes, 36))
  return bytes
}

function utf16(text: string, littleEndian: boolean): Uint8Array {
  const bytes = new Uint8Array(2 * text.length)
  const view = new DataView(bytes.buffer)
  for (let i = 0; i < text.length; i++) view.setUint16(2 * i, text.charCodeAt(i), littleEndian)
  return bytes
}
