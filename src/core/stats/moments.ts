/**
 * The latest moment for each of very many hashes (whole numbers below 2^53, see quickHash), in twelve bytes each (at half its room): a Map of numbers takes
 * several times that. Moments are kept in whole seconds, rounded up; from 1970 to 2106.
 * Open addressing with linear probing (Knuth, The Art of Computer Programming 3, 6.4).
 */
export class Moments {
  #low = new Uint32Array(1024)
  #high = new Uint32Array(1024)
  /** 0: an empty place. */
  #seconds = new Uint32Array(1024)
  #size = 0

  get size(): number {
    return this.#size
  }

  /** The moment kept for a hash, in milliseconds; undefined where there is none. */
  get(hash: number): number | undefined {
    const seconds = this.#seconds[this.#placeOf(hash >>> 0, Math.floor(hash / 2 ** 32))] ?? 0
    return seconds === 0 ? undefined : seconds * 1000
  }

  /** Keeps the later of a moment and what is kept already. */
  keep(hash: number, ms: number): void {
    this.#put(hash >>> 0, Math.floor(hash / 2 ** 32), Math.min(0xffffffff, Math.max(1, Math.ceil(ms / 1000))))
  }

  #put(low: number, high: number, seconds: number): void {
    let place = this.#placeOf(low, high)
    if (this.#seconds[place] === 0) {
      if (2 * (this.#size + 1) > this.#seconds.length) {
        this.#grow()
        place = this.#placeOf(low, high)
      }
      this.#low[place] = low
      this.#high[place] = high
      this.#size++
    }
    this.#seconds[place] = Math.max(this.#seconds[place] ?? 0, seconds)
  }

  #placeOf(low: number, high: number): number {
    const mask = this.#seconds.length - 1
    // Spread by Fibonacci hashing, its upper bits: keys may differ in some bits only.
    let place = (Math.imul(low ^ high, 0x9e3779b1) >>> 8) & mask
    while (this.#seconds[place] !== 0 && (this.#low[place] !== low || this.#high[place] !== high)) place = (place + 1) & mask
    return place
  }

  #grow(): void {
    const [low, high, seconds] = [this.#low, this.#high, this.#seconds]
    this.#low = new Uint32Array(2 * low.length)
    this.#high = new Uint32Array(2 * low.length)
    this.#seconds = new Uint32Array(2 * low.length)
    this.#size = 0
    for (let i = 0; i < seconds.length; i++) if (seconds[i] !== 0) this.#put(low[i] ?? 0, high[i] ?? 0, seconds[i] ?? 0)
  }
}
