/** Offsets and values of the VHD form. Source: Virtual Hard Disk Image Format Specification (2006), from memory; checked against qemu-img. Numbers are big-endian. */
export const FOOTER_BYTES = 512
export const HEADER_BYTES = 1024
export const SECTOR_BYTES = 512
export const FOOTER_COOKIE = 'conectix'
export const HEADER_COOKIE = 'cxsparse'
export const TYPE = { fixed: 2, dynamic: 3, differencing: 4 } as const
/** A table entry that names no place. */
export const UNUSED = 0xffffffff
export const NO_OFFSET = 0xffffffffffffffffn
/** Seconds are counted from 1 January 2000, UTC. */
export const EPOCH_MS = Date.UTC(2000, 0, 1)

/** The ones' complement of the sum of all bytes, the checksum's own four counted as zero. */
export function sumOf(bytes: Uint8Array, checksumAt: number): number {
  let sum = 0
  for (let i = 0; i < bytes.length; i++) if (i < checksumAt || i >= checksumAt + 4) sum += bytes[i] ?? 0
  return ~sum >>> 0
}

/** The sector bitmap before each block, in whole sectors. */
export const bitmapBytes = (blockBytes: number): number => Math.ceil(blockBytes / SECTOR_BYTES / 8 / SECTOR_BYTES) * SECTOR_BYTES
