import { overlaid, Places, readGuid, textAt, viewOf } from '../bytes'
import { crc32c } from '../crc32c'
import type { Anatomy, ByteSource, Find, Inspection, Structure, StructureFinding } from '../inspection'
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
  MIB,
  NO_GUID,
  REGION,
  REGION_OFFSETS,
  TABLE_BYTES,
} from './layout'
import { bytesSay } from '../words'
import { waitingLog, type WaitingLog } from './log'
import { readMetadata, type Metadata } from './metadata'

/** The block table of the largest disk (64 TiB in blocks of 1 MiB) with room to spare; more than this is not read. */
const LARGEST_BAT_BYTES = 520 * MIB
const LARGEST_LOG_BYTES = 64 * MIB

export interface Header {
  readonly offset: number
  readonly sequence: bigint
  readonly fileWriteGuid: string
  readonly dataWriteGuid: string
  readonly logGuid: string
  readonly logOffset: number
  readonly logBytes: number
  readonly version: number
}
export interface Region {
  readonly guid: string
  readonly offset: number
  readonly length: number
  readonly required: boolean
}

/** Everything that the structure of a VHDX says, as it stands once its log has been replayed. */
export interface Vhdx {
  readonly inspection: Inspection
  /** The newer of the two headers that fit; null where none does. */
  readonly header: Header | null
  readonly headers: readonly Header[]
  readonly regions: ReadonlyMap<string, Region>
  readonly metadata: Metadata | null
  readonly waiting: WaitingLog | null
  /** Where each payload block lies, -1 where it is not present. */
  readonly blockOffsets: Float64Array
  /** The state of each payload block (BLOCK). */
  readonly blockStates: Uint8Array
  readonly places: Places
  /** The file with its log replayed. */
  readonly replayed: ByteSource
}

/**
 * Reads the structure of a VHDX: identifier, both headers, log, both region tables, metadata, block table. Never the payload.
 * Nothing in the file is trusted: each fault becomes a finding with its offset. Source: [MS-VHDX] 2.1–2.6.
 */
export async function readVhdx(file: ByteSource): Promise<Vhdx> {
  const findings: StructureFinding[] = []
  const find: Find = (code, offset, sentence) => {
    findings.push({ code, offset, sentence })
  }
  const places = new Places()
  places.take('identifier', 0, 64 * KIB, 0)
  places.take('reserved', 320 * KIB, MIB - 320 * KIB, 0)
  const { best: header, all: headers } = await readHeaders(file, find, places)
  const waiting = header === null ? null : await readLog(file, header, find, places)
  const replayed = waiting ? overlaid(file, waiting.writes) : file
  const regions = await readRegions(replayed, find, places)
  const metadata = regions.has(REGION.metadata) ? await readMetadata(replayed, regions.get(REGION.metadata), find) : null
  const bat = regions.get(REGION.bat)
  const blocks = metadata && bat ? await readBlocks(replayed, bat, metadata, find, places) : null
  for (const { first, second, alike, offset, entry } of places.overlaps())
    find(alike ? 'vhdx.block-twice' : 'vhdx.overlap', entry, `${capital(first)} and ${second} lie over each other at ${offset}.`)
  const damaged = findings.some(({ code }) => !code.endsWith('.copy'))
  return {
    header,
    headers,
    regions,
    metadata,
    waiting,
    places,
    replayed,
    blockOffsets: blocks?.offsets ?? new Float64Array(0),
    blockStates: blocks?.states ?? new Uint8Array(0),
    inspection: {
      format: 'vhdx',
      kind: metadata?.hasParent ? 'differencing' : metadata?.leaveAllocated ? 'fixed' : 'dynamic',
      virtualBytes: metadata?.virtualBytes ?? 0,
      fileBytes: file.sizeBytes,
      allocatedBytes: blocks === null || !metadata ? 0 : blocks.present * metadata.blockBytes,
      blockBytes: metadata?.blockBytes ?? 0,
      parent: metadata?.parent ?? null,
      state: damaged ? 'damaged' : waiting ? 'dirty' : 'clean',
      findings,
    },
  }
}

async function readHeaders(file: ByteSource, find: Find, places: Places): Promise<{ best: Header | null; all: Header[] }> {
  const first = await file.read(0, 8)
  if (textAt(first, 0, first.length) !== FILE_SIGNATURE) find('vhdx.identifier', 0, 'The file does not begin with “vhdxfile”.')
  const all: Header[] = []
  const faults: [number, string][] = []
  for (const [index, offset] of HEADER_OFFSETS.entries()) {
    places.takeNumbered('header', index + 1, offset, 64 * KIB, offset)
    const bytes = await file.read(offset, HEADER_BYTES)
    const fault = headerFault(bytes)
    if (fault) {
      faults.push([offset, fault])
      continue
    }
    const view = viewOf(bytes)
    all.push({
      offset,
      sequence: view.getBigUint64(8, true),
      fileWriteGuid: readGuid(view, 16),
      dataWriteGuid: readGuid(view, 32),
      logGuid: readGuid(view, 48),
      version: view.getUint16(66, true),
      logBytes: view.getUint32(68, true),
      logOffset: Number(view.getBigUint64(72, true)),
    })
  }
  const usable = all.length > 0
  for (const [offset, fault] of faults)
    find(usable ? 'vhdx.header.copy' : 'vhdx.header', offset, `Header at ${offset / KIB} KiB: ${fault}.${usable ? ' The other copy is good.' : ''}`)
  const best = all.reduce<Header | null>((a, b) => (!a || b.sequence > a.sequence ? b : a), null)
  if (best && best.version !== 1) find('vhdx.version', best.offset, `Version ${best.version} is not known; expected 1.`)
  return { best, all }
}

function headerFault(bytes: Uint8Array): string | null {
  if (bytes.length < HEADER_BYTES) return 'the file ends before it'
  if (textAt(bytes, 0, 4) !== 'head') return 'signature missing'
  return sumFits(bytes) ? null : 'checksum does not fit'
}

/** Whether the CRC-32C in bytes 4 to 7 is that of the bytes with those four as zero. */
const sumFits = (bytes: Uint8Array): boolean => crc32c(bytes, 4) === viewOf(bytes).getUint32(4, true)

/** What the log still has to write; null where it is empty. */
async function readLog(file: ByteSource, header: Header, find: Find, places: Places): Promise<WaitingLog | null> {
  if (header.logBytes === 0 && header.logGuid === NO_GUID) return null
  if (header.logOffset < MIB || header.logOffset % MIB !== 0 || header.logBytes % MIB !== 0 || header.logOffset + header.logBytes > file.sizeBytes) {
    find(
      'vhdx.log-place',
      header.offset + 68,
      `The log should lie at ${header.logOffset}, length ${header.logBytes}: outside the file, or not on whole MiB.`,
    )
    return null
  }
  places.take('log', header.logOffset, header.logBytes, header.offset + 68)
  if (header.logGuid === NO_GUID) return null
  const { waiting, some } = waitingLog(await file.read(header.logOffset, Math.min(header.logBytes, LARGEST_LOG_BYTES)), header.logGuid)
  if (!waiting && some)
    find('vhdx.log-broken', header.logOffset, 'The log holds entries that wait to be replayed, but no whole run of them: the last writes are lost.')
  if (waiting && waiting.flushedBytes > file.sizeBytes) {
    find(
      'vhdx.truncated',
      header.logOffset,
      `When the log was written the file had ${waiting.flushedBytes} bytes; it has ${file.sizeBytes} now: its end is missing.`,
    )
    return null
  }
  return waiting
}

async function readRegions(file: ByteSource, find: Find, places: Places): Promise<Map<string, Region>> {
  let chosen: Map<string, Region> | null = null
  const faults: [number, string][] = []
  for (const [index, offset] of REGION_OFFSETS.entries()) {
    places.takeNumbered('region table', index + 1, offset, TABLE_BYTES, offset)
    const bytes = await file.read(offset, TABLE_BYTES)
    const fault =
      bytes.length < TABLE_BYTES
        ? 'the file ends before it'
        : textAt(bytes, 0, 4) !== 'regi'
          ? 'signature missing'
          : !sumFits(bytes)
            ? 'checksum does not fit'
            : null
    if (fault) faults.push([offset, fault])
    else chosen ??= regionsIn(bytes, offset, file.sizeBytes, find, places)
  }
  for (const [offset, fault] of faults)
    find(
      chosen ? 'vhdx.regions.copy' : 'vhdx.regions',
      offset,
      `Region table at ${offset / KIB} KiB: ${fault}.${chosen ? ' The other copy is good.' : ''}`,
    )
  for (const [name, guid] of Object.entries(REGION))
    if (chosen && !chosen.has(guid)) find('vhdx.region-missing', REGION_OFFSETS[0], `The region table names no ${name} region.`)
  return chosen ?? new Map()
}

function regionsIn(bytes: Uint8Array, tableOffset: number, fileBytes: number, find: Find, places: Places): Map<string, Region> {
  const view = viewOf(bytes)
  const result = new Map<string, Region>()
  const count = Math.min(view.getUint32(8, true), 2047)
  for (let i = 0; i < count; i++) {
    const at = 16 + 32 * i
    const region = {
      guid: readGuid(view, at),
      offset: Number(view.getBigUint64(at + 16, true)),
      length: view.getUint32(at + 24, true),
      required: (view.getUint32(at + 28, true) & 1) !== 0,
    }
    const known = region.guid === REGION.bat || region.guid === REGION.metadata
    if (region.offset % MIB !== 0 || region.length % MIB !== 0 || region.offset < MIB || region.offset + region.length > fileBytes)
      find(
        'vhdx.region-place',
        tableOffset + at,
        `A region lies at ${region.offset}, length ${region.length}: outside the file, or not on whole MiB.`,
      )
    else if (!known && region.required) find('vhdx.region-unknown', tableOffset + at, `Required region ${region.guid} is not known.`)
    else {
      result.set(region.guid, region)
      places.take(
        region.guid === REGION.bat ? 'block table' : region.guid === REGION.metadata ? 'metadata' : 'another region',
        region.offset,
        region.length,
        tableOffset + at,
      )
    }
  }
  return result
}

/** Where blocks lie and whether that can be: inside the file, on a whole MiB, with a state that exists. */
async function readBlocks(
  file: ByteSource,
  region: Region,
  metadata: Metadata,
  find: Find,
  places: Places,
): Promise<{ offsets: Float64Array; states: Uint8Array; present: number } | null> {
  const ratio = chunkRatio(metadata.blockBytes, metadata.sectorBytes)
  const blocks = Math.ceil(metadata.virtualBytes / metadata.blockBytes)
  const bytes = batEntries(blocks, ratio, metadata.hasParent) * 8
  if (bytes > region.length || bytes > LARGEST_BAT_BYTES) {
    find('vhdx.table-short', region.offset, `The block table has room for ${region.length / 8} entries; the disk needs ${bytes / 8}.`)
    return null
  }
  const view = viewOf(await file.read(region.offset, bytes))
  const length = view.byteLength
  const offsets = new Float64Array(blocks).fill(-1)
  const states = new Uint8Array(blocks)
  let present = 0
  const placed = (at: number, low: number) => view.getUint32(at + 4, true) * 2 ** 32 + (low - (low % MIB))
  for (let block = 0; block < blocks; block++) {
    const at = batIndex(block, ratio) * 8
    if (at + 8 > length) break
    const low = view.getUint32(at, true)
    const state = low & 7
    states[block] = state
    if (state === BLOCK.present || state === BLOCK.partial) {
      present++
      const offset = placed(at, low)
      if (offset < MIB || offset + metadata.blockBytes > file.sizeBytes)
        find(
          'vhdx.block-outside',
          region.offset + at,
          `Block ${block} should lie at ${offset}, outside the file: ${bytesSay(metadata.blockBytes)} of the disk from ${bytesSay(block * metadata.blockBytes)} on cannot be read.`,
        )
      else {
        offsets[block] = offset
        places.takeNumbered('block', block, offset, metadata.blockBytes, region.offset + at)
      }
    }
    if (state === 4 || state === 5 || (state === BLOCK.partial && !metadata.hasParent))
      find(
        'vhdx.block-state',
        region.offset + at,
        `Block ${block} has state ${state}, which does not exist${state === BLOCK.partial ? ' in a file without a parent' : ''}.`,
      )
  }
  for (let chunk = 0; metadata.hasParent && chunk * ratio < blocks; chunk++) {
    const at = (chunk * (ratio + 1) + ratio) * 8
    const low = view.getUint32(at, true)
    const offset = placed(at, low)
    const needed = states.subarray(chunk * ratio, (chunk + 1) * ratio).includes(BLOCK.partial)
    if ((low & 7) === BLOCK.present && offset >= MIB && offset + MIB <= file.sizeBytes)
      places.takeNumbered('sector bitmap', chunk, offset, MIB, region.offset + at)
    else if (needed || (low & 7) === BLOCK.present)
      find(
        'vhdx.bitmap',
        region.offset + at,
        `Sector bitmap ${chunk} is ${(low & 7) === BLOCK.present ? 'outside the file' : 'missing'}: which sectors of its blocks are the parent's cannot be told.`,
      )
  }
  return { offsets, states, present }
}

const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1)

/** Everything that the structure says, for whoever looks inside the file. */
export async function anatomyOfVhdx(file: ByteSource): Promise<Anatomy> {
  const vhdx = await readVhdx(file)
  const { header, headers, regions, metadata, waiting, inspection } = vhdx
  const structures: Structure[] = []
  for (const [index, offset] of HEADER_OFFSETS.entries()) {
    const one = headers.find((candidate) => candidate.offset === offset)
    const newer = one !== undefined && one === header
    structures.push({
      name: `Header ${index + 1}`,
      offset,
      bytes: HEADER_BYTES,
      checksum: one ? 'fits' : 'does not fit',
      values: !one
        ? []
        : [
            {
              name: 'sequence',
              offset: offset + 8,
              value: String(one.sequence),
              meaning: newer ? 'the newer of the two: this one counts' : 'the older of the two',
            },
            { name: 'file write id', offset: offset + 16, value: one.fileWriteGuid, meaning: 'changes when the file is opened for writing' },
            {
              name: 'data write id',
              offset: offset + 32,
              value: one.dataWriteGuid,
              meaning: 'changes when what is on the disk changes; a child disk remembers it',
            },
            {
              name: 'log id',
              offset: offset + 48,
              value: one.logGuid,
              meaning:
                one.logGuid === NO_GUID
                  ? 'the log is empty'
                  : waiting && newer
                    ? `${waiting.entries} ${waiting.entries === 1 ? 'entry waits' : 'entries wait'} to be replayed: ${waiting.writes.length} writes`
                    : 'entries with this id count',
            },
            { name: 'log place', offset: offset + 68, value: `${one.logOffset}, ${one.logBytes} bytes`, meaning: 'where the log lies' },
            { name: 'version', offset: offset + 66, value: String(one.version), meaning: one.version === 1 ? 'the only one there is' : 'not known' },
          ],
    })
  }
  for (const [index, offset] of REGION_OFFSETS.entries()) {
    const broken = inspection.findings.some((finding) => finding.offset === offset && finding.code.startsWith('vhdx.regions'))
    structures.push({
      name: `Region table ${index + 1}`,
      offset,
      bytes: TABLE_BYTES,
      checksum: broken ? 'does not fit' : 'fits',
      values: broken
        ? []
        : [...regions.values()].map((region, i) => ({
            name: region.guid === REGION.bat ? 'block table' : region.guid === REGION.metadata ? 'metadata' : region.guid,
            offset: offset + 16 + 32 * i,
            value: `${region.offset}, ${region.length} bytes`,
            meaning: region.required ? 'required' : 'may be ignored',
          })),
    })
  }
  if (metadata) {
    structures.push({
      name: 'Metadata',
      offset: regions.get(REGION.metadata)?.offset ?? 0,
      bytes: TABLE_BYTES,
      checksum: 'none',
      values: metadata.items.map(({ guid, offset, value }) => ({
        name: ITEM_NAMES[guid] ?? guid,
        offset,
        value,
        meaning: ITEM_MEANINGS[guid] ?? 'not known here',
      })),
    })
  }
  const bat = regions.get(REGION.bat)
  if (bat && metadata) {
    const counts = new Map<number, number>()
    for (const state of vhdx.blockStates) counts.set(state, (counts.get(state) ?? 0) + 1)
    structures.push({
      name: 'Block table',
      offset: bat.offset,
      bytes: bat.length,
      checksum: 'none',
      values: [...counts]
        .sort(([a], [b]) => b - a)
        .map(([state, n]) => ({
          name: STATE_NAMES[state] ?? `state ${state}`,
          offset: bat.offset,
          value: `${n} of ${vhdx.blockStates.length}`,
          meaning: STATE_MEANINGS[state] ?? 'does not exist: damaged',
        })),
    })
  }
  return { inspection, structures, blockOffsets: vhdx.blockOffsets, layout: vhdx.places.layout(file.sizeBytes, 'waste') }
}

const ITEM_NAMES: Record<string, string> = {
  [ITEM.fileParameters]: 'file parameters',
  [ITEM.virtualDiskSize]: 'disk size',
  [ITEM.diskId]: 'disk id',
  [ITEM.logicalSectorSize]: 'logical sector',
  [ITEM.physicalSectorSize]: 'physical sector',
  [ITEM.parentLocator]: 'parent',
}
const ITEM_MEANINGS: Record<string, string> = {
  [ITEM.fileParameters]: 'block size, and whether the file is fixed or has a parent',
  [ITEM.virtualDiskSize]: 'what the host sees',
  [ITEM.diskId]: 'stays the same for the life of the disk',
  [ITEM.logicalSectorSize]: 'the smallest piece the host addresses',
  [ITEM.physicalSectorSize]: 'the smallest piece that is written whole',
  [ITEM.parentLocator]: 'the file that holds what this one does not',
}
const STATE_NAMES: Record<number, string> = {
  [BLOCK.notPresent]: 'not present',
  [BLOCK.undefined]: 'undefined',
  [BLOCK.zero]: 'zero',
  [BLOCK.unmapped]: 'unmapped',
  [BLOCK.present]: 'present',
  [BLOCK.partial]: 'partly present',
}
const STATE_MEANINGS: Record<number, string> = {
  [BLOCK.notPresent]: 'takes no room; reads as zeros, or from the parent',
  [BLOCK.undefined]: 'content may be anything',
  [BLOCK.zero]: 'reads as zeros',
  [BLOCK.unmapped]: 'given back by the host; reads as zeros or as before',
  [BLOCK.present]: 'lies in the file',
  [BLOCK.partial]: 'some sectors here, the others in the parent',
}
