/** FNV-1a, 64 bits, over UTF-16 code units (Fowler, Noll, Vo; from memory). A short stable name for a text; not for secrets. */
export function shortHash(text: string): string {
  let low = 0x84222325
  let high = 0xcbf29ce4
  for (let i = 0; i < text.length; i++) {
    low ^= text.charCodeAt(i)
    // multiply by 0x100000001b3 = 2^40 + 0x1b3, in two 32-bit halves
    const lowProduct = (low >>> 0) * 0x1b3
    high = (Math.imul(high, 0x1b3) + Math.floor(lowProduct / 0x100000000) + ((low << 8) >>> 0)) >>> 0
    low = lowProduct >>> 0
  }
  return high.toString(16).padStart(8, '0') + low.toString(16).padStart(8, '0')
}

/** A number below 2^53 for a text, from two multiplicative hashes of 32 bits. For tables that bear a collision; not for names that are kept. */
export function quickHash(text: string): number {
  let a = 0x9e3779b1
  let b = 0x85ebca77
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i)
    a = Math.imul(a ^ c, 0x01000193)
    b = Math.imul(b ^ c, 0x5bd1e995)
    b ^= b >>> 13
  }
  return (b >>> 0) * 0x200000 + ((a ^ (a >>> 15)) >>> 11)
}
