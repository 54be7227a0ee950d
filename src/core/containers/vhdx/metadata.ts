import { readGuid, textAt, viewOf } from '../bytes'
import type { ByteSource, Find } from '../inspection'
import { ITEM, KIB, MIB, TABLE_BYTES } from './layout'
import type { Region } from './read'

/** What the metadata region says of the disk ([MS-VHDX] 2.6). */
export interface Metadata {
  blockBytes: number
  hasParent: boolean
  leaveAllocated: boolean
  virtualBytes: number
  sectorBytes: number
  parent: string | null
  diskId: string
  /** Every item, for a look. */
  readonly items: { guid: string; offset: number; value: string }[]
}

const LARGEST_DISK_BYTES = 64 * 2 ** 40
/** Items are small and stand together; a longer one is read for its beginning only. */
const NEAR_BYTES = 4 * KIB
const LARGEST_ITEM_BYTES = 64 * KIB

export async function readMetadata(file: ByteSource, region: Region | undefined, find: Find): Promise<Metadata | null> {
  if (!region) return null
  let table = await file.read(region.offset, 4 * KIB)
  if (table.length < 4 * KIB || textAt(table, 0, 8) !== 'metadata') {
    find('vhdx.metadata', region.offset, 'The metadata table has no signature.')
    return null
  }
  const count = Math.min(viewOf(table).getUint16(10, true), 2047)
  if (32 + 32 * count > table.length) table = await file.read(region.offset, TABLE_BYTES)
  const view = viewOf(table)
  const result: Metadata = {
    blockBytes: 0,
    hasParent: false,
    leaveAllocated: false,
    virtualBytes: 0,
    sectorBytes: 0,
    parent: null,
    diskId: '',
    items: [],
  }
  // Items are small and usually stand together, right behind the table.
  const near = await file.read(region.offset + TABLE_BYTES, Math.min(NEAR_BYTES, Math.max(0, region.length - TABLE_BYTES)))
  const item = (offset: number, length: number) => {
    const at = offset - TABLE_BYTES
    return at + length <= near.length ? near.slice(at, at + length) : file.read(region.offset + offset, length)
  }
  for (let i = 0; i < count && 64 + 32 * i <= table.length; i++) {
    const at = 32 + 32 * i
    const guid = readGuid(view, at)
    const offset = view.getUint32(at + 16, true)
    const length = view.getUint32(at + 20, true)
    const known = Object.values<string>(ITEM).includes(guid)
    if (length === 0 || length > MIB || offset < TABLE_BYTES || offset + length > region.length)
      find('vhdx.metadata-item', region.offset + at, `A metadata item lies at ${offset}, length ${length}: outside its region.`)
    else if (!known && view.getUint32(at + 24, true) & 4)
      find('vhdx.metadata-unknown', region.offset + at, `Required metadata item ${guid} is not known.`)
    else takeItem(result, guid, await item(offset, Math.min(length, LARGEST_ITEM_BYTES)), region.offset + offset)
  }
  const power = (n: number) => n > 0 && Number.isInteger(Math.log2(n))
  if (!power(result.blockBytes) || result.blockBytes < MIB || result.blockBytes > 256 * MIB)
    find('vhdx.block-size', region.offset, `Block size ${result.blockBytes}; expected a power of two from 1 to 256 MiB.`)
  else if (result.sectorBytes !== 512 && result.sectorBytes !== 4096)
    find('vhdx.sector-size', region.offset, `Sector size ${result.sectorBytes}; expected 512 or 4096.`)
  else if (result.virtualBytes <= 0 || result.virtualBytes > LARGEST_DISK_BYTES || result.virtualBytes % result.sectorBytes !== 0)
    find('vhdx.disk-size', region.offset, `Disk size ${result.virtualBytes}; expected whole sectors, up to 64 TiB.`)
  else {
    if (result.hasParent && result.parent === null) find('vhdx.parent', region.offset, 'The file should have a parent, but does not say where it is.')
    return result
  }
  return null
}

function takeItem(result: Metadata, guid: string, bytes: Uint8Array, offset: number): void {
  const view = viewOf(bytes)
  const say = (value: string) => {
    result.items.push({ guid, offset, value })
  }
  if (guid === ITEM.fileParameters && bytes.length >= 8) {
    result.blockBytes = view.getUint32(0, true)
    const bits = view.getUint32(4, true)
    result.leaveAllocated = (bits & 1) !== 0
    result.hasParent = (bits & 2) !== 0
    say(`blocks of ${result.blockBytes}${result.leaveAllocated ? ', fixed' : ''}${result.hasParent ? ', has a parent' : ''}`)
  } else if (guid === ITEM.virtualDiskSize && bytes.length >= 8) {
    result.virtualBytes = Number(view.getBigUint64(0, true))
    say(String(result.virtualBytes))
  } else if (guid === ITEM.logicalSectorSize && bytes.length >= 4) {
    result.sectorBytes = view.getUint32(0, true)
    say(String(result.sectorBytes))
  } else if (guid === ITEM.diskId && bytes.length >= 16) {
    result.diskId = readGuid(view, 0)
    say(result.diskId)
  } else if (guid === ITEM.physicalSectorSize && bytes.length >= 4) say(String(view.getUint32(0, true)))
  else if (guid === ITEM.parentLocator) {
    result.parent = parentPath(bytes)
    say(result.parent ?? 'no path in it')
  } else say(`${bytes.length} bytes`)
}

/** The relative or absolute path in a parent locator: key-value pairs in UTF-16 ([MS-VHDX] 2.6.2.6). */
function parentPath(bytes: Uint8Array): string | null {
  if (bytes.length < 20) return null
  const view = viewOf(bytes)
  const decoder = new TextDecoder('utf-16le')
  const found = new Map<string, string>()
  for (let i = 0; i < Math.min(view.getUint16(18, true), 64); i++) {
    const at = 20 + 12 * i
    if (at + 12 > bytes.length) break
    const piece = (offset: number, length: number) => (offset + length <= bytes.length ? decoder.decode(bytes.subarray(offset, offset + length)) : '')
    found.set(piece(view.getUint32(at, true), view.getUint16(at + 8, true)), piece(view.getUint32(at + 4, true), view.getUint16(at + 10, true)))
  }
  return found.get('relative_path') ?? found.get('absolute_win32_path') ?? found.get('volume_path') ?? null
}
