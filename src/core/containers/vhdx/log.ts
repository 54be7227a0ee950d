import { readGuid, textAt, viewOf, type Write, type Zeros } from '../bytes'
import { crc32c } from '../crc32c'
import { LOG_SECTOR_BYTES } from './layout'

/** A whole entry of the log, with the writes that it holds ([MS-VHDX] 2.3.1). */
interface Entry {
  readonly at: number
  readonly bytes: number
  readonly tail: number
  readonly sequence: bigint
  readonly flushedBytes: number
  readonly writes: readonly (Write | Zeros)[]
}

/** What the log still has to write, in order, and how long the file must be for it to make sense. */
export interface WaitingLog {
  readonly writes: readonly (Write | Zeros)[]
  readonly entries: number
  readonly flushedBytes: number
}

/**
 * Finds the newest whole run of entries with this log id. Null where there is none: `some` then tells whether there are pieces of one.
 * Source: [MS-VHDX] 2.3.2 and 2.3.3.
 */
export function waitingLog(log: Uint8Array, logGuid: string): { waiting: WaitingLog | null; some: boolean } {
  let best: Entry[] = []
  let some = false
  for (let at = 0; at + LOG_SECTOR_BYTES <= log.length;) {
    const run = runFrom(log, at, logGuid)
    some ||= run.length > 0 || (textAt(log, at, 4) === 'loge' && readGuid(viewOf(log), at + 32) === logGuid)
    const head = run.at(-1)
    const from = run.findIndex((entry) => entry.at === head?.tail)
    const newer = head && (best.length === 0 || head.sequence > (best.at(-1)?.sequence ?? 0n))
    if (newer && from >= 0) best = run.slice(from)
    // A run that goes round the end of the log has been seen whole.
    const next = head ? head.at + head.bytes : at + LOG_SECTOR_BYTES
    if (next <= at) break
    at = next
  }
  if (best.length === 0) return { waiting: null, some }
  return { some, waiting: { entries: best.length, writes: best.flatMap(({ writes }) => writes), flushedBytes: best.at(-1)?.flushedBytes ?? 0 } }
}

function runFrom(log: Uint8Array, start: number, logGuid: string): Entry[] {
  const run: Entry[] = []
  let walked = 0
  for (let at = start; walked < log.length;) {
    const entry = entryAt(log, at, logGuid)
    const last = run.at(-1)
    if (!entry || (last && entry.sequence !== last.sequence + 1n)) break
    run.push(entry)
    walked += entry.bytes
    at = (at + entry.bytes) % log.length
  }
  return run
}

function entryAt(log: Uint8Array, at: number, logGuid: string): Entry | null {
  const logView = viewOf(log)
  if (at + 64 > log.length || textAt(log, at, 4) !== 'loge' || readGuid(logView, at + 32) !== logGuid) return null
  const length = logView.getUint32(at + 8, true)
  if (length < LOG_SECTOR_BYTES || length % LOG_SECTOR_BYTES !== 0 || length > log.length) return null
  const bytes = unrolled(log, at, length)
  const view = viewOf(bytes)
  if (crc32c(bytes, 4) !== view.getUint32(4, true)) return null
  const tail = view.getUint32(12, true)
  const sequence = view.getBigUint64(16, true)
  const count = view.getUint32(24, true)
  const descriptorBytes = Math.ceil((64 + 32 * count) / LOG_SECTOR_BYTES) * LOG_SECTOR_BYTES
  if (sequence === 0n || tail % LOG_SECTOR_BYTES !== 0 || tail >= log.length || descriptorBytes > length) return null
  const writes: (Write | Zeros)[] = []
  let sector = descriptorBytes
  for (let i = 0; i < count; i++) {
    const descriptor = 64 + 32 * i
    if (view.getBigUint64(descriptor + 24, true) !== sequence) return null
    const kind = textAt(bytes, descriptor, 4)
    const offset = Number(view.getBigUint64(descriptor + 16, true))
    if (kind === 'zero') writes.push({ offset, zeros: Number(view.getBigUint64(descriptor + 8, true)) })
    else if (kind === 'desc' && sector + LOG_SECTOR_BYTES <= length && sectorFits(bytes, sector, sequence)) {
      writes.push({ offset, bytes: sectorOf(bytes, descriptor, sector) })
      sector += LOG_SECTOR_BYTES
    } else return null
  }
  return { at, bytes: length, tail, sequence, flushedBytes: Number(view.getBigUint64(48, true)), writes }
}

/** The log goes round: an entry may begin at its end and go on at its beginning. */
function unrolled(log: Uint8Array, at: number, length: number): Uint8Array {
  if (at + length <= log.length) return log.subarray(at, at + length)
  const bytes = new Uint8Array(length)
  bytes.set(log.subarray(at))
  bytes.set(log.subarray(0, length - (log.length - at)), log.length - at)
  return bytes
}

function sectorFits(bytes: Uint8Array, at: number, sequence: bigint): boolean {
  const view = viewOf(bytes)
  return textAt(bytes, at, 4) === 'data' && ((BigInt(view.getUint32(at + 4, true)) << 32n) | BigInt(view.getUint32(at + 4092, true))) === sequence
}

/** The sector as it belongs into the file: its first eight and last four bytes stand in the descriptor. */
function sectorOf(bytes: Uint8Array, descriptor: number, sector: number): Uint8Array {
  const result = bytes.slice(sector, sector + LOG_SECTOR_BYTES)
  result.set(bytes.subarray(descriptor + 8, descriptor + 16), 0)
  result.set(bytes.subarray(descriptor + 4, descriptor + 8), 4092)
  return result
}
