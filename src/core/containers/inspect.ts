import { textAt } from './bytes'
import type { Anatomy, ByteSource, Inspection } from './inspection'
import { FOOTER_COOKIE } from './vhd/layout'
import { anatomyOfVhd, endsLikeVhd, readVhd } from './vhd/read'
import { FILE_SIGNATURE } from './vhdx/layout'
import { anatomyOfVhdx, readVhdx } from './vhdx/read'

/** Recognises a disk file by its first bytes, or its last, and reads its structure. What it does not know comes back as `unknown` with a finding. */
export async function inspect(file: ByteSource): Promise<Inspection> {
  const format = await formatOf(file)
  if (format === 'vhdx') return (await readVhdx(file)).inspection
  if (format === 'vhd') return (await readVhd(file)).inspection
  return unknown(file)
}

/** The same with every structure and its values, and where everything lies. */
export async function anatomyOf(file: ByteSource): Promise<Anatomy> {
  const format = await formatOf(file)
  if (format === 'vhdx') return anatomyOfVhdx(file)
  if (format === 'vhd') return anatomyOfVhd(file)
  return { inspection: unknown(file), structures: [], blockOffsets: new Float64Array(0), layout: [] }
}

/** By its first bytes, or its last; a VHDX also by its headers. */
export async function formatOf(file: ByteSource): Promise<Inspection['format']> {
  const first = await file.read(0, 8)
  const text = textAt(first, 0, first.length)
  if (text === FILE_SIGNATURE) return 'vhdx'
  if (text === FOOTER_COOKIE || (await endsLikeVhd(file))) return 'vhd'
  // A VHDX whose very first sector is gone still has two headers that say what it is.
  const headers = [await file.read(64 * 1024, 4), await file.read(128 * 1024, 4)]
  return headers.some((header) => textAt(header, 0, header.length) === 'head') ? 'vhdx' : 'unknown'
}

function unknown(file: ByteSource): Inspection {
  return {
    format: 'unknown',
    kind: 'dynamic',
    virtualBytes: 0,
    fileBytes: file.sizeBytes,
    allocatedBytes: 0,
    blockBytes: 0,
    parent: null,
    state: 'unknown',
    findings: [
      {
        code: 'format.unknown',
        offset: 0,
        sentence: file.sizeBytes === 0 ? 'The file is empty.' : 'Neither the first nor the last bytes are those of a disk format that is known here.',
      },
    ],
  }
}
