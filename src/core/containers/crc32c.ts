/** CRC-32C (Castagnoli), reflected polynomial 0x82F63B78. Source: RFC 3720 appendix B.4; also what [MS-VHDX] uses for its checksums. */
const TABLE = Uint32Array.from({ length: 256 }, (_, n) => {
  let crc = n
  for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >>> 1) ^ 0x82f63b78 : crc >>> 1
  return crc >>> 0
})

/** The checksum of all bytes, as an unsigned 32-bit number. */
export function crc32c(bytes: Uint8Array): number {
  let crc = 0xffffffff
  for (const byte of bytes) crc = (TABLE[(crc ^ byte) & 0xff] ?? 0) ^ (crc >>> 8)
  return (crc ^ 0xffffffff) >>> 0
}
