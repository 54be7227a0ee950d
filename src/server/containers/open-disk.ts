import { closeSync, fstatSync, openSync, readSync } from 'node:fs'
import type { ByteSource } from '../../core/containers'

/**
 * Opens a disk file for reading in place. Reads are made at once, not in the background: a structure is a few small reads, and handing each to
 * another thread takes longer than the read. For workers and the command line, never for the thread that answers requests.
 * @throws the operating system's error where it is no file that can be read
 */
export function openDisk(path: string): ByteSource & { readonly reads: number; close(): void } {
  const file = openSync(path, 'r')
  const stat = fstatSync(file)
  if (!stat.isFile()) {
    closeSync(file)
    throw Object.assign(new Error(`${path} is not a file`), { code: 'EISDIR' })
  }
  let reads = 0
  return {
    sizeBytes: stat.size,
    get reads() {
      return reads
    },
    read(offset, length) {
      reads++
      const bytes = new Uint8Array(Math.max(0, Math.min(length, stat.size - offset)))
      let filled = 0
      while (filled < bytes.length) {
        const n = readSync(file, bytes, filled, bytes.length - filled, offset + filled)
        if (n === 0) break
        filled += n
      }
      return filled === bytes.length ? bytes : bytes.subarray(0, filled)
    },
    close: () => {
      closeSync(file)
    },
  }
}
