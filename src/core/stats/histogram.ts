/**
 * Counts in log-spaced buckets, 5 % wide: quantiles of durations with a known relative error (at most 2.5 %) in constant memory.
 * The form is that of DDSketch (Masson, Rim, Lee 2019), with a fixed range and a bucket of its own for zero.
 */
const GAMMA_LOG = Math.log(1.05)
/** Bucket 0 holds zero; the last one holds everything from about 30 hours. */
export const BUCKETS = 384

/** The buckets of the usual durations, looked up instead of computed. */
const NEAR = Uint16Array.from({ length: 1 << 16 }, (_, ms) => (ms < 1 ? 0 : byLogarithm(ms)))

/** The bucket of a duration in milliseconds. */
export function bucketOf(ms: number): number {
  if (!(ms >= 1)) return 0
  if (ms < NEAR.length && ms === Math.floor(ms)) return NEAR[ms] ?? 0
  return byLogarithm(ms)
}

function byLogarithm(ms: number): number {
  return Math.min(BUCKETS - 1, 1 + Math.round(Math.log(ms) / GAMMA_LOG))
}

/** The middle (geometric) of a bucket in milliseconds. */
export function bucketMiddle(bucket: number): number {
  return bucket === 0 ? 0 : Math.exp((bucket - 1) * GAMMA_LOG)
}

export class Histogram {
  readonly counts: Int32Array
  n = 0

  constructor(counts = new Int32Array(BUCKETS)) {
    this.counts = counts
    for (const count of counts) this.n += count
  }

  /** Adds a duration; `times` may be negative to take one back. */
  add(ms: number, times = 1): void {
    this.addTo(bucketOf(ms), times)
  }

  /** The same where the bucket is known already. */
  addTo(bucket: number, times: number): void {
    this.counts[bucket] = (this.counts[bucket] ?? 0) + times
    this.n += times
  }

  merge(other: Histogram): void {
    for (let i = 0; i < BUCKETS; i++) this.counts[i] = (this.counts[i] ?? 0) + (other.counts[i] ?? 0)
    this.n += other.n
  }

  /** The value below which the share `q` of all values lies, in milliseconds; 0 for an empty histogram. */
  quantile(q: number): number {
    return this.quantiles([q])[0] ?? 0
  }

  /** Several quantiles in one pass; `qs` in rising order. */
  quantiles(qs: readonly number[]): number[] {
    return quantilesIn(this.counts, this.n, qs)
  }
}

/**
 * Quantiles of `n` values that are counted by bucket; `qs` in rising order.
 * @param zeros where zeros are not among the counts: so many there are, and no other value is in a bucket before `from`
 */
export function quantilesIn(
  counts: Int32Array,
  n: number,
  qs: readonly number[],
  zeros?: { readonly before: number; readonly from: number },
): number[] {
  const result: number[] = []
  let seen = zeros?.before ?? 0
  let bucket = (zeros?.from ?? 0) - 1
  for (const q of qs) {
    const rank = Math.max(1, Math.ceil(q * n))
    while (seen < rank && bucket < BUCKETS - 1) seen += counts[++bucket] ?? 0
    result.push(n > 0 && rank > (zeros?.before ?? 0) ? bucketMiddle(Math.max(0, bucket)) : 0)
  }
  return result
}

/** Packs several histograms into bytes: for each the number of filled buckets, then (gap, count) pairs, all as LEB128 numbers. */
export function packHistograms(histograms: readonly Histogram[]): Uint8Array {
  const bytes: number[] = []
  for (const histogram of histograms) {
    const filled: [number, number][] = []
    histogram.counts.forEach((count, bucket) => {
      if (count !== 0) filled.push([bucket, count])
    })
    pushNumber(bytes, filled.length)
    let before = 0
    for (const [bucket, count] of filled) {
      pushNumber(bytes, bucket - before)
      pushNumber(bytes, zigzag(count))
      before = bucket
    }
  }
  return Uint8Array.from(bytes)
}

/** Tells each filled bucket of packed histograms, in order. Throws a RangeError on bytes that packHistograms did not write. @returns how many there are */
export function readPacked(bytes: Uint8Array, visit: (histogram: number, bucket: number, count: number) => void): number {
  let at = 0
  const next = () => {
    let value = 0
    for (let shift = 0; ; shift += 7) {
      const byte = bytes[at++]
      if (byte === undefined || shift > 28) throw new RangeError('broken packed histogram')
      value |= (byte & 0x7f) << shift
      if (byte < 0x80) return value >>> 0
    }
  }
  let histogram = 0
  for (; at < bytes.length; histogram++) {
    let bucket = 0
    for (let left = next(); left > 0; left--) {
      bucket += next()
      if (bucket >= BUCKETS) throw new RangeError('broken packed histogram')
      visit(histogram, bucket, unzigzag(next()))
    }
  }
  return histogram
}

/** The reverse of packHistograms. Throws a RangeError on bytes that it did not write. */
export function unpackHistograms(bytes: Uint8Array): Histogram[] {
  const counts: Int32Array<ArrayBuffer>[] = []
  const n = readPacked(bytes, (histogram, bucket, count) => {
    const own = (counts[histogram] ??= new Int32Array(BUCKETS))
    own[bucket] = count
  })
  return Array.from({ length: n }, (_, i) => new Histogram(counts[i]))
}

function pushNumber(bytes: number[], value: number): void {
  let rest = value >>> 0
  while (rest >= 0x80) {
    bytes.push((rest & 0x7f) | 0x80)
    rest >>>= 7
  }
  bytes.push(rest)
}
const zigzag = (n: number) => (n << 1) ^ (n >> 31)
const unzigzag = (n: number) => (n >>> 1) ^ -(n & 1)
