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
