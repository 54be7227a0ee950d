import type { Write } from './bytes'
import { formatOf } from './inspect'
import type { ByteSource, Inspection } from './inspection'
import { bitmapBytes, SECTOR_BYTES } from './vhd/layout'
import { readVhd } from './vhd/read'
import { vhdAgain } from './vhd/write'
import { readVhdx } from './vhdx/read'
import { newVhdx } from './vhdx/write'

/** A new file for the content of an old one: what to write, which blocks to copy from where to where, and what is left out. */
export interface Rewrite {
  readonly pieces: readonly Write[]
  readonly fileBytes: number
  readonly copies: readonly { readonly block: number; readonly from: number; readonly to: number; readonly bytes: number }[]
  readonly before: Inspection
}

/** Why a file cannot be rewritten, as a sentence. */
export class CannotRewrite extends Error {}

/** What makes a file whole again without guessing: a log to replay, or one of two copies broken. */
export function repairable({ state, findings }: Pick<Inspection, 'state' | 'findings'>): boolean {
  return state === 'dirty' || (state === 'clean' && findings.length > 0)
}

/** What a rewrite needs to know of a file. */
export interface Rewritable {
  readonly inspection: Inspection
  /** Where each payload block lies, -1 where it is not present. */
  readonly blockOffsets: Float64Array
  /** The file with what waits in its log taken as written. */
  readonly content: ByteSource
  /**
   * The same content in a new file: blocks in order, without gaps, without those that hold only zeros.
   * @param keep tells which of the present blocks hold anything but zeros
   * @param virtualBytes the size of the disk, at least as large as it is; null keeps it
   * @throws CannotRewrite
   */
  plan(keep: (block: number) => boolean, guids: NewGuids, virtualBytes: number | null): Rewrite
}

export interface NewGuids {
  readonly fileWrite: string
  /** A fresh one where the disk grows, so that children notice; else the disk's own stays. */
  readonly dataWrite: string | null
}

/**
 * Reads what a rewrite needs. Only of a file whose structure is sound: what waits in its log is taken as written, a broken copy is left behind.
 * @throws CannotRewrite where anything would have to be guessed
 */
export async function readForRewrite(file: ByteSource): Promise<Rewritable> {
  const format = await formatOf(file)
  if (format === 'unknown') throw new CannotRewrite('The file is no disk of a format that is known here.')
  const rewritable = format === 'vhdx' ? await vhdxRewritable(file) : await vhdRewritable(file)
  const { state, kind, findings } = rewritable.inspection
  if (state === 'damaged')
    throw new CannotRewrite(
      `The structure is damaged (${findings.find(({ code }) => !code.endsWith('.copy'))?.sentence ?? 'see its findings'}): what belongs where would have to be guessed.`,
    )
  if (kind === 'differencing') throw new CannotRewrite('The file holds only what differs from its parent; rewriting it alone would lose the rest.')
  if (format === 'vhd' && kind === 'fixed') throw new CannotRewrite('A VHD of full size has no blocks to leave out, and no table that could grow.')
  return rewritable
}

const LARGEST = { vhdx: 64 * 2 ** 40, vhd: 2040 * 2 ** 30 }
const SAYS = { vhdx: '64 TiB', vhd: '2040 GiB' }

function sizeFor(format: 'vhdx' | 'vhd', wanted: number | null, now: number, sectorBytes: number): number {
  const size = wanted ?? now
  if (size < now) throw new CannotRewrite('A disk cannot be made smaller here: what lies at its end would be cut off.')
  if (size > LARGEST[format] || size % sectorBytes !== 0) throw new CannotRewrite(`A disk has whole sectors, and at most ${SAYS[format]}.`)
  return size
}

const presentOf = (blockOffsets: Float64Array, keep: (block: number) => boolean): number[] =>
  [...blockOffsets].flatMap((offset, block) => (offset >= 0 && keep(block) ? [block] : []))

async function vhdxRewritable(file: ByteSource): Promise<Rewritable> {
  const { inspection, blockOffsets, replayed, metadata, header } = await readVhdx(file)
  return {
    inspection,
    blockOffsets,
    content: replayed,
    plan(keep, guids, virtualBytes) {
      if (!metadata || !header) throw new CannotRewrite('The file says neither how large the disk is nor how large its blocks are.')
      const fixed = inspection.kind === 'fixed'
      const present = presentOf(blockOffsets, (block) => fixed || keep(block))
      const { pieces, fileBytes, offsets } = newVhdx({
        virtualBytes: sizeFor('vhdx', virtualBytes, metadata.virtualBytes, metadata.sectorBytes),
        blockBytes: metadata.blockBytes,
        present,
        creator: 'Ikebana',
        fixed,
        sectorBytes: metadata.sectorBytes,
        guids: { fileWrite: guids.fileWrite, dataWrite: guids.dataWrite ?? header.dataWriteGuid, disk: metadata.diskId || guids.fileWrite },
      })
      const copies = present.map((block, i) => ({ block, from: blockOffsets[block] ?? 0, to: offsets[i] ?? 0, bytes: metadata.blockBytes }))
      return { pieces, fileBytes, copies, before: inspection }
    },
  }
}

async function vhdRewritable(file: ByteSource): Promise<Rewritable> {
  const { inspection, blockOffsets, footer, header } = await readVhd(file)
  return {
    inspection,
    blockOffsets,
    content: file,
    plan(keep, _guids, virtualBytes) {
      if (!footer || !header) throw new CannotRewrite('The file says neither how large the disk is nor how large its blocks are.')
      const { blockBytes } = header
      const bitmap = bitmapBytes(blockBytes)
      const present = presentOf(blockOffsets, keep)
      const size = sizeFor('vhd', virtualBytes, footer.virtualBytes, SECTOR_BYTES)
      const { pieces, fileBytes, offsets } = vhdAgain({ footer: footer.bytes, header: header.bytes, blockBytes }, size, present)
      // Each block goes with the bitmap before it. The last one of a file may have been cut at the disk's end.
      const copies = present.map((block, i) => {
        const from = (blockOffsets[block] ?? 0) - bitmap
        const inDisk = Math.min(blockBytes, footer.virtualBytes - block * blockBytes)
        return { block, from, to: offsets[i] ?? 0, bytes: bitmap + inDisk }
      })
      return { pieces, fileBytes, copies, before: inspection }
    },
  }
}

/** Whether a stretch holds nothing but zeros. Words are joined many at a time, so that a stretch of zeros costs as little as can be. */
export function onlyZeros(bytes: Uint8Array): boolean {
  const aligned = bytes.byteOffset % 4 === 0 ? bytes.length >> 2 : 0
  const words = new Int32Array(bytes.buffer, aligned ? bytes.byteOffset : 0, aligned)
  for (let from = 0; from < aligned; from += JOINED) {
    const to = Math.min(aligned, from + JOINED)
    let joined = 0
    for (let at = from; at < to; at++) joined |= words[at] ?? 0
    if (joined !== 0) return false
  }
  for (let at = aligned << 2; at < bytes.length; at++) if (bytes[at] !== 0) return false
  return true
}
const JOINED = 1024
