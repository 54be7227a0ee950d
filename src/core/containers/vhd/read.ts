import { Places, readGuid, textAt, viewOf } from '../bytes'
import type { Anatomy, ByteSource, Find, Inspection, Structure, StructureFinding } from '../inspection'
import {
  bitmapBytes,
  EPOCH_MS,
  FOOTER_BYTES,
  FOOTER_COOKIE,
  HEADER_BYTES,
  HEADER_COOKIE,
  NO_OFFSET,
  SECTOR_BYTES,
  sumOf,
  TYPE,
  UNUSED,
} from './layout'

const LARGEST_TABLE_BYTES = 32 * 2 ** 20
const LARGEST_DISK_BYTES = 2 ** 41

interface Footer {
  readonly offset: number
  readonly dataOffset: bigint
  readonly createdMs: number
  readonly virtualBytes: number
  readonly type: number
  readonly diskId: string
  readonly creator: string
  readonly bytes: Uint8Array
}
interface DynamicHeader {
  readonly tableOffset: number
  readonly entries: number
  readonly blockBytes: number
  readonly parent: string | null
  readonly parentId: string
  readonly bytes: Uint8Array
}

/** Everything that the structure of a VHD says. */
export interface Vhd {
  readonly inspection: Inspection
  readonly footer: Footer | null
  readonly footers: readonly Footer[]
  readonly header: DynamicHeader | null
  readonly headerOffset: number
  readonly blockOffsets: Float64Array
  readonly places: Places
}

/** Whether a file whose first bytes say nothing ends like a VHD: a fixed one has only a footer. */
export async function endsLikeVhd(file: ByteSource): Promise<boolean> {
  const end = await file.read(Math.max(0, file.sizeBytes - FOOTER_BYTES), FOOTER_BYTES)
  // Early writers left out the last byte.
  return textAt(end, 0, 8) === FOOTER_COOKIE || textAt(end, 1, 8) === FOOTER_COOKIE
}

/**
 * Reads the structure of a VHD: footer and its copy, dynamic header, block table, parent locators. Never the payload, and nothing is trusted.
 * Source: Virtual Hard Disk Image Format Specification.
 */
export async function readVhd(file: ByteSource): Promise<Vhd> {
  const findings: StructureFinding[] = []
  const find: Find = (code, offset, sentence) => {
    findings.push({ code, offset, sentence })
  }
  const places = new Places()
  const { best: footer, all: footers } = await readFooters(file, find, places)
  let header: DynamicHeader | null = null
  let blockOffsets = new Float64Array(0)
  let present = 0
  const headerOffset = footer ? Number(footer.dataOffset) : 0
  if (footer?.type === TYPE.fixed) {
    places.take('payload', 0, footer.virtualBytes, footer.offset)
    if (footer.virtualBytes + FOOTER_BYTES > file.sizeBytes)
      find(
        'vhd.truncated',
        footer.offset,
        `A fixed disk of ${footer.virtualBytes} bytes needs a file of ${footer.virtualBytes + FOOTER_BYTES}; it has ${file.sizeBytes}: its end is missing.`,
      )
  } else if (footer && (footer.type === TYPE.dynamic || footer.type === TYPE.differencing)) {
    header = await readHeader(file, footer, find, places)
    if (header) ({ offsets: blockOffsets, present } = await readTable(file, header, footer, find, places))
  } else if (footer)
    find('vhd.type', footer.offset + 60, `Disk type ${footer.type} does not exist; expected 2 (fixed), 3 (dynamic) or 4 (differencing).`)
  for (const { first, second, alike, offset, entry } of places.overlaps())
    find(
      alike ? 'vhd.block-twice' : 'vhd.overlap',
      entry,
      `${first.charAt(0).toUpperCase()}${first.slice(1)} and ${second} lie over each other at ${offset}.`,
    )
  return {
    footer,
    footers,
    header,
    headerOffset,
    blockOffsets,
    places,
    inspection: {
      format: 'vhd',
      kind: footer?.type === TYPE.fixed ? 'fixed' : footer?.type === TYPE.differencing ? 'differencing' : 'dynamic',
      virtualBytes: footer?.virtualBytes ?? 0,
      fileBytes: file.sizeBytes,
      allocatedBytes: footer?.type === TYPE.fixed ? footer.virtualBytes : present * (header?.blockBytes ?? 0),
      blockBytes: header?.blockBytes ?? 0,
      parent: header?.parent ?? null,
      state: findings.some(({ code }) => !code.endsWith('.copy')) ? 'damaged' : 'clean',
      findings,
    },
  }
}

async function readFooters(file: ByteSource, find: Find, places: Places): Promise<{ best: Footer | null; all: Footer[] }> {
  const end = Math.max(0, file.sizeBytes - FOOTER_BYTES)
  const [last, first] = [footerIn(await file.read(end, FOOTER_BYTES), end), footerIn(await file.read(0, FOOTER_BYTES), 0)]
  const best = 'fault' in last ? ('fault' in first ? null : first) : last
  const dynamic = best !== null && best.type !== TYPE.fixed
  if ('fault' in last)
    find(
      best ? 'vhd.footer.copy' : 'vhd.footer',
      end,
      `Footer at the end of the file: ${last.fault}.${best ? ' The copy at its beginning is good.' : ''}`,
    )
  else places.take('footer', end, FOOTER_BYTES, end)
  if (dynamic) places.take('footer', 0, FOOTER_BYTES, 0)
  if ('fault' in first && (dynamic || (best === null && first.begins)))
    find(
      best ? 'vhd.footer.copy' : 'vhd.footer',
      0,
      `Copy of the footer at the beginning of the file: ${first.fault}.${best ? ' The one at the end is good.' : ''}`,
    )
  return { best, all: [first, last].filter((one): one is Footer => !('fault' in one)) }
}

function footerIn(bytes: Uint8Array, offset: number): Footer | { fault: string; begins: boolean } {
  const begins = textAt(bytes, 0, 8) === FOOTER_COOKIE
  if (bytes.length < FOOTER_BYTES) return { fault: 'the file is too short', begins }
  if (!begins) return { fault: 'signature missing', begins }
  const view = viewOf(bytes)
  if (sumOf(bytes, 64) !== view.getUint32(64)) return { fault: 'checksum does not fit', begins }
  return {
    offset,
    dataOffset: view.getBigUint64(16),
    createdMs: EPOCH_MS + view.getUint32(24) * 1000,
    creator: textAt(bytes, 28, 4)
      .replaceAll(/[^ -~]/g, ' ')
      .trim(),
    virtualBytes: Number(view.getBigUint64(48)),
    type: view.getUint32(60),
    diskId: readGuid(view, 68),
    bytes,
  }
}

async function readHeader(file: ByteSource, footer: Footer, find: Find, places: Places): Promise<DynamicHeader | null> {
  const offset = Number(footer.dataOffset)
  if (footer.dataOffset === NO_OFFSET || offset < FOOTER_BYTES || offset + HEADER_BYTES > file.sizeBytes) {
    find('vhd.header-place', footer.offset + 16, `The dynamic header should lie at ${footer.dataOffset}, outside the file.`)
    return null
  }
  places.take('dynamic header', offset, HEADER_BYTES, footer.offset + 16)
  const bytes = await file.read(offset, HEADER_BYTES)
  const view = viewOf(bytes)
  if (textAt(bytes, 0, 8) !== HEADER_COOKIE || sumOf(bytes, 36) !== view.getUint32(36)) {
    find(
      'vhd.header',
      offset,
      `Dynamic header: ${textAt(bytes, 0, 8) === HEADER_COOKIE ? 'checksum does not fit' : 'signature missing'}. It has no copy.`,
    )
    return null
  }
  const header = {
    tableOffset: Number(view.getBigUint64(16)),
    entries: view.getUint32(28),
    blockBytes: view.getUint32(32),
    parentId: readGuid(view, 40),
    bytes,
    parent: footer.type === TYPE.differencing ? await parentOf(file, bytes, find, offset, places) : null,
  }
  if (header.blockBytes < SECTOR_BYTES || !Number.isInteger(Math.log2(header.blockBytes)))
    find('vhd.block-size', offset + 32, `Block size ${header.blockBytes}; expected a power of two.`)
  else if (footer.virtualBytes <= 0 || footer.virtualBytes > LARGEST_DISK_BYTES)
    find('vhd.disk-size', footer.offset + 48, `Disk size ${footer.virtualBytes}; expected up to 2 TiB.`)
  else return header
  return null
}

/** The parent as its locators say, else by the name in the header. */
async function parentOf(file: ByteSource, header: Uint8Array, find: Find, headerOffset: number, places: Places): Promise<string | null> {
  const view = viewOf(header)
  const found = new Map<string, string>()
  for (let i = 0; i < 8; i++) {
    const at = 576 + 24 * i
    const code = textAt(header, at, 4)
    const length = view.getUint32(at + 8)
    const offset = Number(view.getBigUint64(at + 16))
    if (code === '\0\0\0\0' || length === 0) continue
    if (length > 64 * 1024 || offset + length > file.sizeBytes) {
      find('vhd.parent-place', headerOffset + at, `A parent locator lies at ${offset}, length ${length}: outside the file.`)
      continue
    }
    places.take('parent locator', offset, Math.max(length, Math.min(view.getUint32(at + 4), SECTOR_BYTES)), headerOffset + at)
    found.set(code, new TextDecoder(code === 'MacX' ? 'utf-8' : 'utf-16le').decode(await file.read(offset, length)).replaceAll('\0', ''))
  }
  const name = new TextDecoder('utf-16be').decode(header.subarray(64, 576)).split('\0')[0] ?? ''
  return found.get('W2ru') ?? found.get('W2ku') ?? (name === '' ? null : name)
}

async function readTable(
  file: ByteSource,
  header: DynamicHeader,
  footer: Footer,
  find: Find,
  places: Places,
): Promise<{ offsets: Float64Array<ArrayBuffer>; present: number }> {
  const blocks = Math.ceil(footer.virtualBytes / header.blockBytes)
  const bytes = blocks * 4
  const none = { offsets: new Float64Array(0), present: 0 }
  if (blocks > header.entries || bytes > LARGEST_TABLE_BYTES)
    return find('vhd.table-short', Number(footer.dataOffset) + 28, `The block table has ${header.entries} entries; the disk needs ${blocks}.`) ?? none
  if (header.tableOffset < FOOTER_BYTES || header.tableOffset + bytes > file.sizeBytes)
    return find('vhd.table-place', Number(footer.dataOffset) + 16, `The block table should lie at ${header.tableOffset}, outside the file.`) ?? none
  places.take('block table', header.tableOffset, Math.ceil((header.entries * 4) / SECTOR_BYTES) * SECTOR_BYTES, Number(footer.dataOffset) + 16)
  const view = viewOf(await file.read(header.tableOffset, bytes))
  const offsets = new Float64Array(blocks).fill(-1)
  const bitmap = bitmapBytes(header.blockBytes)
  let present = 0
  for (let block = 0; block < blocks; block++) {
    const sector = view.getUint32(block * 4)
    if (sector === UNUSED) continue
    present++
    const offset = sector * SECTOR_BYTES
    // The last block of a file may be cut at the disk's end by its writer.
    const blockEnd = offset + bitmap + Math.min(header.blockBytes, footer.virtualBytes - block * header.blockBytes)
    if (offset < FOOTER_BYTES || blockEnd > file.sizeBytes)
      find('vhd.block-outside', header.tableOffset + block * 4, `Block ${block} should lie at ${offset}, outside the file.`)
    else {
      offsets[block] = offset + bitmap
      places.takeNumbered(
        'block',
        block,
        offset,
        Math.min(bitmap + header.blockBytes, file.sizeBytes - FOOTER_BYTES - offset),
        header.tableOffset + block * 4,
      )
    }
  }
  return { offsets, present }
}

/** Everything that the structure says, for whoever looks inside the file. */
export async function anatomyOfVhd(file: ByteSource): Promise<Anatomy> {
  const { inspection, footers, header, headerOffset, blockOffsets, places } = await readVhd(file)
  const structures: Structure[] = []
  const dynamic = inspection.kind !== 'fixed'
  for (const offset of [...(dynamic ? [0] : []), Math.max(0, file.sizeBytes - FOOTER_BYTES)]) {
    const one = footers.find((footer) => footer.offset === offset)
    structures.push({
      name: offset === 0 ? 'Copy of the footer' : 'Footer',
      offset,
      bytes: FOOTER_BYTES,
      checksum: one ? 'fits' : 'does not fit',
      values: !one
        ? []
        : [
            { name: 'disk size', offset: offset + 48, value: String(one.virtualBytes), meaning: 'what the host sees' },
            { name: 'type', offset: offset + 60, value: String(one.type), meaning: inspection.kind },
            { name: 'made', offset: offset + 24, value: new Date(one.createdMs).toISOString(), meaning: `by “${one.creator}”` },
            { name: 'disk id', offset: offset + 68, value: one.diskId, meaning: 'a child disk remembers it' },
            {
              name: 'header at',
              offset: offset + 16,
              value: one.dataOffset === NO_OFFSET ? 'none' : String(one.dataOffset),
              meaning: dynamic ? 'where the dynamic header lies' : 'a fixed disk has none',
            },
          ],
    })
  }
  if (header) {
    structures.push({
      name: 'Dynamic header',
      offset: headerOffset,
      bytes: HEADER_BYTES,
      checksum: 'fits',
      values: [
        { name: 'block table at', offset: headerOffset + 16, value: String(header.tableOffset), meaning: `${header.entries} entries` },
        { name: 'block size', offset: headerOffset + 32, value: String(header.blockBytes), meaning: 'bytes of one block, without its sector bitmap' },
        ...(inspection.parent === null
          ? []
          : [
              {
                name: 'parent',
                offset: headerOffset + 64,
                value: inspection.parent,
                meaning: `disk ${header.parentId} holds what this one does not`,
              },
            ]),
      ],
    })
  }
  return { inspection, structures, blockOffsets, layout: places.layout(file.sizeBytes, 'waste') }
}
