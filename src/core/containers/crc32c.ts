/** CRC-32C (Castagnoli), reflected polynomial 0x82F63B78. Source: RFC 3720 appendix B.4; also what [MS-VHDX] uses for its checksums. */
const POLYNOMIAL = 0x82f63b78
const TABLE = Uint32Array.from({ length: 256 }, (_, n) => {
  let crc = n
  for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >>> 1) ^ POLYNOMIAL : crc >>> 1
  return crc >>> 0
})

/**
 * The checksum of all bytes, as an unsigned 32-bit number. Zeros at the end are not walked through but leapt over: the tables that this is for
 * are mostly empty.
 * @param zeroAt four bytes that count as zero: where the checksum itself stands
 */
export function crc32c(bytes: Uint8Array, zeroAt = -1): number {
  const end = lastNonZero(bytes)
  let crc = 0xffffffff
  for (let i = 0; i < end; i++) {
    const byte = i >= zeroAt && i < zeroAt + 4 && zeroAt >= 0 ? 0 : (bytes[i] ?? 0)
    crc = (TABLE[(crc ^ byte) & 0xff] ?? 0) ^ (crc >>> 8)
  }
  return (pastZeros(crc >>> 0, bytes.length - end) ^ 0xffffffff) >>> 0
}

/** The number of bytes up to the last that is not zero. */
function lastNonZero(bytes: Uint8Array): number {
  let end = bytes.length
  while (end % 16 !== 0 && end > 0 && bytes[end - 1] === 0) end--
  if (end % 16 === 0 && bytes.byteOffset % 4 === 0) {
    const words = new Int32Array(bytes.buffer, bytes.byteOffset, end / 4)
    let at = words.length
    while (at > 0 && ((words[at - 1] ?? 0) | (words[at - 2] ?? 0) | (words[at - 3] ?? 0) | (words[at - 4] ?? 0)) === 0) at -= 4
    end = at * 4
  }
  while (end > 0 && bytes[end - 1] === 0) end--
  return end
}

/** OPERATORS[k][bit]: what a set bit of the checksum becomes after 2^k zero bytes (the method of zlib's crc32_combine, from memory). */
const OPERATORS: Uint32Array[] = [
  Uint32Array.from({ length: 32 }, (_, bit) => {
    const crc = (1 << bit) >>> 0
    return ((TABLE[crc & 0xff] ?? 0) ^ (crc >>> 8)) >>> 0
  }),
]

const ONE = Uint32Array.from({ length: 32 }, (_, bit) => (1 << bit) >>> 0)
/** Operators for whole counts: tables of one kind mostly end alike. */
const byCount = new Map<number, Uint32Array>()
const MOST_COUNTS = 64

function pastZeros(crc: number, count: number): number {
  const known = byCount.get(count)
  if (known) return applied(known, crc)
  let all: Uint32Array = ONE
  for (let k = 0, left = count; left > 0; k++, left = Math.floor(left / 2)) {
    const operator = (OPERATORS[k] ??= after(OPERATORS[k - 1] ?? ONE, OPERATORS[k - 1] ?? ONE))
    if (left % 2 === 1) all = after(operator, all)
  }
  if (byCount.size >= MOST_COUNTS) byCount.clear()
  byCount.set(count, all)
  return applied(all, crc)
}

function applied(operator: Uint32Array, crc: number): number {
  let result = 0
  for (let bit = 0, left = crc; left !== 0; bit++, left >>>= 1) if (left & 1) result ^= operator[bit] ?? 0
  return result >>> 0
}

/** First the one, then the other. */
const after = (other: Uint32Array, one: Uint32Array): Uint32Array => one.map((value) => applied(other, value))
