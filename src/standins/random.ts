/** A small seeded generator (mulberry32): the same seed gives the same demo. */
export class Random {
  #state: number
  constructor(seed: number | string) {
    let h = 2166136261
    for (const c of String(seed)) h = Math.imul(h ^ c.charCodeAt(0), 16777619)
    this.#state = h >>> 0
  }
  /** 0 to 1. */
  next(): number {
    this.#state = (this.#state + 0x6d2b79f5) | 0
    let t = Math.imul(this.#state ^ (this.#state >>> 15), 1 | this.#state)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
  chance(p: number): boolean {
    return this.next() < p
  }
  below(n: number): number {
    return Math.floor(this.next() * n)
  }
  pick<T>(list: readonly T[]): T {
    const item = list[this.below(list.length)]
    if (item === undefined) throw new RangeError('nothing to pick from')
    return item
  }
  normal(): number {
    return Math.sqrt(-2 * Math.log(1 - this.next())) * Math.cos(2 * Math.PI * this.next())
  }
  /** A duration around a median: most within half and double. */
  around(medianMs: number, spread = 0.25): number {
    return medianMs * Math.exp(spread * this.normal())
  }
  /** So many hexadecimal digits. */
  hex(n: number): string {
    let digits = ''
    for (let i = 0; i < n; i++) digits += '0123456789abcdef'.charAt(this.below(16))
    return digits
  }
  guid(): string {
    const hex = (n: number) => this.hex(n).toUpperCase()
    return `${hex(8)}-${hex(4)}-4${hex(3)}-A${hex(3)}-${hex(12)}`
  }
}
