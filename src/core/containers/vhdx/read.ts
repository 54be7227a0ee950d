import type { ByteSource, Inspection, StructureFinding } from '../inspection'
import { crc32c } from '../crc32c'
import { batEntries, batIndex, BLOCK, chunkRatio, FILE_SIGNATURE, HEADER_BYTES, HEADER_OFFSETS, ITEM, KIB, MIB, NO_GUID, readGuid, REGION, REGION_OFFSETS, TABLE_BYTES, textAt } from './layout'

/** The block table of the largest disk (64 TiB in blocks of 1 MiB) with room to spare; more than this is not read. */
const LARGEST_BAT_BYTES = 520 * MIB
const LARGEST_LOG_READ = 4 * MIB

interface Header { readonly sequence: bigint; readonly logGuid: string; readonly logOffset: number; readonly logBytes: number; readonly version: number }
interface Region { readonly guid: string; readonly offset: number; readonly length: number }
interface Metadata { blockBytes: number; hasParent: boolean; leaveAllocated: boolean; virtualBytes: number; sectorBytes: number; parent: string | null }

/**
 * Reads the structure of a VHDX: identifier, both headers, both region tables, metadata, block table, and whether the log waits to be replayed.
 * Never the payload. Nothing in the file is trusted: each fault becomes a finding with its offset. Source: [MS-VHDX] 2.1–2.6.
 */
export async function inspectVhdx(file: ByteSource): Promise<Inspection> {
  const findings: StructureFinding[] = []
  const find = (code: string, offset: number, sentence: string) => { findings.push({ code, offset, sentence }) }
  const header = await readHeader(file, find)
  const regions = await readRegions(file, find)
  const metadata = regions.has(REGION.metadata) ? await readMetadata(file, regions.get(REGION.metadata), find) : null
  const bat = regions.get(REGION.bat)
  const blocks = metadata && bat ? await readBlocks(file, bat, metadata, find) : null
  const dirty = header !== null && header.logGuid !== NO_GUID && (await logWaits(file, header, find))
  const damaged = findings.some(({ code }) => !code.endsWith('.copy'))
  return {
    format: 'vhdx',
    kind: metadata?.hasParent ? 'differencing' : metadata?.leaveAllocated ? 'fixed' : 'dynamic',
    virtualBytes: metadata?.virtualBytes ?? 0, fileBytes: file.sizeBytes, allocatedBytes: blocks === null || !metadata ? 0 : blocks * metadata.blockBytes,
    blockBytes: metadata?.blockBytes ?? 0, parent: metadata?.parent ?? null,
    state: damaged ? 'damaged' : dirty ? 'dirty' : 'clean', findings,
  }
}

type Find = (code: string, offset: number, sentence: string) => void

async function readHeader(file: ByteSource, find: Find): Promise<Header | null> {
  const first = await file.read(0, 8)
  if (textAt(first, 0, first.length) !== FILE_SIGNATURE) find('vhdx.identifier', 0, 'The file does not begin with “vhdxfile”.')
  const headers: Header[] = []
  const faults: [number, string][] = []
  for (const offset of HEADER_OFFSETS) {
    const bytes = await file.read(offset, HEADER_BYTES)
    const fault = headerFault(bytes)
    if (fault) {
      faults.push([offset, fault])
      continue
    }
    const view = viewOf(bytes)
    headers.push({ sequence: view.getBigUint64(8, true), logGuid: readGuid(view, 48), version: view.getUint16(66, true), logBytes: view.getUint32(68, true), logOffset: Number(view.getBigUint64(72, true)) })
  }
  const usable = headers.length > 0
  for (const [offset, fault] of faults) find(usable ? 'vhdx.header.copy' : 'vhdx.header', offset, `Header at ${offset / KIB} KiB: ${fault}.${usable ? ' The other copy is good.' : ''}`)
  const best = headers.reduce<Header | null>((a, b) => (!a || b.sequence > a.sequence ? b : a), null)
  if (best && best.version !== 1) find('vhdx.version', HEADER_OFFSETS[0], `Version ${best.version} is not known; expected 1.`)
  return best
}

function headerFault(bytes: Uint8Array): string | null {
  if (bytes.length < HEADER_BYTES) return 'the file ends before it'
  if (textAt(bytes, 0, 4) !== 'head') return 'signature missing'
  return sumFits(bytes) ? null : 'checksum does not fit'
}

/** Whether the CRC-32C in bytes 4 to 7 is that of the bytes with those four as zero. */
function sumFits(bytes: Uint8Array): boolean {
  const copy = new Uint8Array(bytes)
  copy.fill(0, 4, 8)
  return crc32c(copy) === viewOf(bytes).getUint32(4, true)
}

async function readRegions(file: ByteSource, find: Find): Promise<Map<string, Region>> {
  let chosen: Map<string, Region> | null = null
  const faults: [number, string][] = []
  for (const offset of REGION_OFFSETS) {
    const bytes = await file.read(offset, TABLE_BYTES)
    const fault = bytes.length < TABLE_BYTES ? 'the file ends before it' : textAt(bytes, 0, 4) !== 'regi' ? 'signature missing' : !sumFits(bytes) ? 'checksum does not fit' : null
    if (fault) faults.push([offset, fault])
    else chosen ??= regionsIn(bytes, offset, file.sizeBytes, find)
  }
  for (const [offset, fault] of faults) find(chosen ? 'vhdx.regions.copy' : 'vhdx.regions', offset, `Region table at ${offset / KIB} KiB: ${fault}.${chosen ? ' The other copy is good.' : ''}`)
  for (const [name, guid] of Object.entries(REGION)) if (chosen && !chosen.has(guid)) find('vhdx.region-missing', REGION_OFFSETS[0], `The region table names no ${name} region.`)
  return chosen ?? new Map()
}

function regionsIn(bytes: Uint8Array, tableOffset: number, fileBytes: number, find: Find): Map<string, Region> {
  const view = viewOf(bytes)
  const result = new Map<string, Region>()
  const count = Math.min(view.getUint32(8, true), 2047)
  for (let i = 0; i < count; i++) {
    const at = 16 + 32 * i
    const region = { guid: readGuid(view, at), offset: Number(view.getBigUint64(at + 16, true)), length: view.getUint32(at + 24, true) }
    const known = region.guid === REGION.bat || region.guid === REGION.metadata
    if (region.offset % MIB !== 0 || region.offset < MIB || region.offset + region.length > fileBytes) find('vhdx.region-place', tableOffset + at, `A region lies at ${region.offset}, length ${region.length}: outside the file, or not on a whole MiB.`)
    else if (!known && view.getUint32(at + 28, true) & 1) find('vhdx.region-unknown', tableOffset + at, `Required region ${region.guid} is not known.`)
    else result.set(region.guid, region)
  }
  return result
}

async function readMetadata(file: ByteSource, region: Region | undefined, find: Find): Promise<Metadata | null> {
  if (!region) return null
  const table = await file.read(region.offset, Math.min(TABLE_BYTES, region.length))
  if (table.length < 4096 || textAt(table, 0, 8) !== 'metadata') {
    find('vhdx.metadata', region.offset, 'The metadata table has no signature.')
    return null
  }
  const view = viewOf(table)
  const result: Metadata = { blockBytes: 0, hasParent: false, leaveAllocated: false, virtualBytes: 0, sectorBytes: 0, parent: null }
  const count = Math.min(view.getUint16(10, true), Math.floor((table.length - 32) / 32), 2047)
  for (let i = 0; i < count; i++) {
    const at = 32 + 32 * i
    const offset = view.getUint32(at + 16, true)
    const length = view.getUint32(at + 20, true)
    if (length === 0 || length > MIB || offset < TABLE_BYTES || offset + length > region.length) {
      find('vhdx.metadata-item', region.offset + at, `A metadata item lies at ${offset}, length ${length}: outside its region.`)
      continue
    }
    takeItem(result, readGuid(view, at), await file.read(region.offset + offset, Math.min(length, 64 * KIB)))
  }
  const power = (n: number) => n > 0 && Number.isInteger(Math.log2(n))
  if (!power(result.blockBytes) || result.blockBytes < MIB || result.blockBytes > 256 * MIB) find('vhdx.block-size', region.offset, `Block size ${result.blockBytes}; expected a power of two from 1 to 256 MiB.`)
  else if (result.sectorBytes !== 512 && result.sectorBytes !== 4096) find('vhdx.sector-size', region.offset, `Sector size ${result.sectorBytes}; expected 512 or 4096.`)
  else if (result.virtualBytes <= 0 || result.virtualBytes > 64 * 2 ** 40) find('vhdx.disk-size', region.offset, `Disk size ${result.virtualBytes}; expected up to 64 TiB.`)
  else return result
  return null
}

function takeItem(result: Metadata, guid: string, bytes: Uint8Array): void {
  const view = viewOf(bytes)
  if (guid === ITEM.fileParameters && bytes.length >= 8) {
    result.blockBytes = view.getUint32(0, true)
    result.leaveAllocated = (view.getUint32(4, true) & 1) !== 0
    result.hasParent = (view.getUint32(4, true) & 2) !== 0
  } else if (guid === ITEM.virtualDiskSize && bytes.length >= 8) result.virtualBytes = Number(view.getBigUint64(0, true))
  else if (guid === ITEM.logicalSectorSize && bytes.length >= 4) result.sectorBytes = view.getUint32(0, true)
  else if (guid === ITEM.parentLocator) result.parent = parentPath(bytes)
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

/** Counts present blocks; checks that each lies inside the file, on a whole MiB, and overlaps no other. */
async function readBlocks(file: ByteSource, region: Region, metadata: Metadata, find: Find): Promise<number | null> {
  const ratio = chunkRatio(metadata.blockBytes, metadata.sectorBytes)
  const blocks = Math.ceil(metadata.virtualBytes / metadata.blockBytes)
  const bytes = batEntries(blocks, ratio, metadata.hasParent) * 8
  if (bytes > region.length || bytes > LARGEST_BAT_BYTES) {
    find('vhdx.table-short', region.offset, `The block table has room for ${region.length / 8} entries; the disk needs ${bytes / 8}.`)
    return null
  }
  const table = await file.read(region.offset, bytes)
  const view = viewOf(table)
  const taken = new Map<number, number>()
  let present = 0
  for (let block = 0; block < blocks; block++) {
    const at = batIndex(block, ratio) * 8
    const low = view.getUint32(at, true)
    const state = low & 7
    if (state === BLOCK.present || state === BLOCK.partial) {
      present++
      const offset = view.getUint32(at + 4, true) * 2 ** 32 + (low - (low % MIB))
      if (offset < MIB || offset + metadata.blockBytes > file.sizeBytes) find('vhdx.block-outside', region.offset + at, `Block ${block} should lie at ${offset}, outside the file.`)
      else if (taken.has(offset)) find('vhdx.block-twice', region.offset + at, `Blocks ${taken.get(offset)} and ${block} lie at the same place, ${offset}.`)
      taken.set(offset, block)
    } else if (state === 4 || state === 5 || (state === BLOCK.partial && !metadata.hasParent)) find('vhdx.block-state', region.offset + at, `Block ${block} has state ${state}, which does not exist.`)
  }
  return present
}

/** Whether the log holds at least one whole entry of the log id that the header names ([MS-VHDX] 2.3). */
async function logWaits(file: ByteSource, header: Header, find: Find): Promise<boolean> {
  if (header.logOffset < MIB || header.logOffset + header.logBytes > file.sizeBytes) {
    find('vhdx.log-place', HEADER_OFFSETS[0], 'The log should lie outside the file.')
    return false
  }
  const log = await file.read(header.logOffset, Math.min(header.logBytes, LARGEST_LOG_READ))
  const view = viewOf(log)
  for (let at = 0; at + 64 <= log.length; at += 4 * KIB) {
    if (textAt(log, at, 4) !== 'loge' || readGuid(view, at + 32) !== header.logGuid) continue
    const length = view.getUint32(at + 8, true)
    if (length >= 4 * KIB && length % (4 * KIB) === 0 && at + length <= log.length && sumFits(log.subarray(at, at + length))) return true
  }
  return false
}

const viewOf = (bytes: Uint8Array): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
