import { closeSync, fstatSync, openSync, readSync } from 'node:fs'
import type { ByteSource } from '../../core/containers'

/** What the reads of a structure take together: two region tables, two headers, metadata, a block table. */
const ROOM_BYTES = 256 * 1024
/** Room that files closed before have left. New pages for each file take longer than the reads themselves. */
const spare: ArrayBuffer[] = []
const MOST_SPARE = 4

/**
 * Opens a disk file for reading in place. Reads are made at once, not in the background: a structure is a few small reads, and handing each to
 * another thread takes longer than the read. For workers and the command line, never for the thread that answers requests.
 * The bytes that `read` gives are good until the file is closed: then the room they lie in goes to the next file.
 * @throws the operating system's error where it is no file that can be read
 */
export function openDisk(path: string): ByteSource & { readonly reads: number; close(): void } {
  const file = openSync(path, 'r')
  const stat = fstatSync(file)
  if (!stat.isFile()) {
    closeSync(file)
    throw Object.assign(new Error(`${path} is not a file`), { code: 'EISDIR' })
  }
  const room = spare.pop() ?? new ArrayBuffer(ROOM_BYTES)
  let used = 0
  const place = (length: number): Uint8Array => {
    const at = used
    if (at + length > ROOM_BYTES) return new Uint8Array(length)
    used += Math.ceil(length / 8) * 8
    return new Uint8Array(room, at, length)
  }
  let reads = 0
  let open = true
  return {
    sizeBytes: stat.size,
    get reads() {
      return reads
    },
    read(offset, length) {
      reads++
      const bytes = place(Math.max(0, Math.min(length, stat.size - offset)))
      let filled = 0
      while (filled < bytes.length) {
        const n = readSync(file, bytes, filled, bytes.length - filled, offset + filled)
        if (n === 0) break
        filled += n
      }
      return filled === bytes.length ? bytes : bytes.subarray(0, filled)
    },
    close: () => {
      if (!open) return
      open = false
      closeSync(file)
      if (spare.length < MOST_SPARE) spare.push(room)
    },
  }
}
