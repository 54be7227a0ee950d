import { textAt, type Write } from './bytes'
import type { ByteSource, Inspection } from './inspection'
import { FILE_SIGNATURE } from './vhdx/layout'
import { newVhdx } from './vhdx/write'
import { readVhdx, type Vhdx } from './vhdx/read'

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

/**
 * Reads what a rewrite needs. Only a VHDX whose structure is sound: what waits in its log is taken as written, a broken copy is left behind.
 * @throws CannotRewrite where anything would have to be guessed
 */
export async function readForRewrite(file: ByteSource): Promise<Vhdx> {
  const head = await file.read(0, FILE_SIGNATURE.length)
  if (textAt(head, 0, head.length) !== FILE_SIGNATURE) throw new CannotRewrite('Only VHDX files can be read block by block and written anew here.')
  const vhdx = await readVhdx(file)
  const { state, kind, findings } = vhdx.inspection
  if (state === 'damaged')
    throw new CannotRewrite(
      `The structure is damaged (${findings.find(({ code }) => !code.endsWith('.copy'))?.sentence ?? 'see its findings'}): what belongs where would have to be guessed.`,
    )
  if (kind === 'differencing') throw new CannotRewrite('The file holds only what differs from its parent; rewriting it alone would lose the rest.')
  return vhdx
}

/**
 * The same content in a new file: blocks in order, without gaps, without those that hold only zeros.
 * @param keep tells which of the present blocks hold anything but zeros
 * @param virtualBytes the size of the disk, at least as large as it is
 * @param dataWrite a fresh GUID where the disk grows, so that children notice; else the disk's own stays
 */
export function planRewrite(
  vhdx: Vhdx,
  keep: (block: number) => boolean,
  guids: { fileWrite: string; dataWrite: string | null },
  virtualBytes: number | null = null,
): Rewrite {
  const { metadata, header, inspection, blockOffsets } = vhdx
  if (!metadata || !header) throw new CannotRewrite('The file says neither how large the disk is nor how large its blocks are.')
  const size = virtualBytes ?? metadata.virtualBytes
  if (size < metadata.virtualBytes) throw new CannotRewrite('A disk cannot be made smaller here: what lies at its end would be cut off.')
  if (size > 64 * 2 ** 40 || size % metadata.sectorBytes !== 0) throw new CannotRewrite('A disk has whole sectors, and at most 64 TiB.')
  const fixed = inspection.kind === 'fixed'
  const present: number[] = []
  blockOffsets.forEach((offset, block) => {
    if (offset >= 0 && (fixed || keep(block))) present.push(block)
  })
  const { pieces, fileBytes, offsets } = newVhdx({
    virtualBytes: size,
    blockBytes: metadata.blockBytes,
    present,
    creator: 'Ikebana',
    fixed,
    sectorBytes: metadata.sectorBytes,
    guids: { fileWrite: guids.fileWrite, dataWrite: guids.dataWrite ?? header.dataWriteGuid, disk: metadata.diskId || guids.fileWrite },
  })
  const copies = present.map((block, i) => ({ block, from: blockOffsets[block] ?? 0, to: offsets[i] ?? 0, bytes: metadata.blockBytes }))
  return { pieces, fileBytes, copies, before: inspection }
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
