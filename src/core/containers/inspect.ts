import type { ByteSource, Inspection } from './inspection'
import { textAt } from './vhdx/layout'
import { inspectVhdx } from './vhdx/read'

/** Recognises a disk file by its first bytes and reads its structure. What it does not know comes back as `unknown` with a finding. */
export async function inspect(file: ByteSource): Promise<Inspection> {
  const first = await file.read(0, 8)
  if (textAt(first, 0, first.length) === 'vhdxfile') return inspectVhdx(file)
  return {
    format: 'unknown', kind: 'dynamic', virtualBytes: 0, fileBytes: file.sizeBytes, allocatedBytes: 0, blockBytes: 0, parent: null, state: 'unknown',
    findings: [{ code: 'format.unknown', offset: 0, sentence: file.sizeBytes === 0 ? 'The file is empty.' : 'The first bytes are those of no disk format that is known here.' }],
  }
}
