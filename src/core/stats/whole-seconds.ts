import { BUCKETS, bucketMiddle, bucketOf } from './histogram'

/** Up to here whole seconds lie in buckets of their own (see histogram.ts), with others between them. */
const UP_TO_S = 10
const SECOND_OF: ReadonlyMap<number, number> = new Map(Array.from({ length: UP_TO_S }, (_, i) => [bucketOf(1000 * (i + 1)), i + 1]))
const LAST = bucketOf(1000 * UP_TO_S)
/** Fewer do not show it. */
const ENOUGH = 20
/** Nor does one second that nearly all have: that may be how long it takes. Two next to each other have so much of all. */
const EACH = 0.1

/**
 * Whether durations were written as whole seconds, as by sources that give no parts of them: those up to ten seconds show it.
 * @param counts by bucket, without zeros
 */
export function areWholeSeconds(counts: Int32Array): boolean {
  const ofSecond = new Int32Array(UP_TO_S + 1)
  let n = 0
  for (let bucket = 1; bucket <= LAST; bucket++) {
    const count = counts[bucket] ?? 0
    if (count <= 0) continue
    const second = SECOND_OF.get(bucket)
    if (second === undefined) return false
    ofSecond[second] = count
    n += count
  }
  return n >= ENOUGH && ofSecond.some((count, second) => count >= EACH * n && (ofSecond[second + 1] ?? 0) >= EACH * n)
}

/**
 * Quantiles of durations that were rounded to whole seconds: each is taken to lie anywhere within half a second of what is written, or they would spread far less, or
 * more, than they do.
 * @param zeros how many zeros there are beside those counted
 * @param qs in rising order
 */
export function quantilesOfSeconds(counts: Int32Array, zeros: number, qs: readonly number[]): number[] {
  const spans = [{ fromMs: 0, toMs: 500, n: zeros }]
  for (let bucket = 1; bucket < BUCKETS; bucket++) {
    const n = counts[bucket] ?? 0
    if (n <= 0) continue
    const middleMs = (SECOND_OF.get(bucket) ?? bucketMiddle(bucket) / 1000) * 1000
    spans.push({ fromMs: middleMs - 500, toMs: middleMs + 500, n })
  }
  const all = spans.reduce((sum, { n }) => sum + n, 0)
  return qs.map((q) => {
    let before = 0
    for (const { fromMs, toMs, n } of spans) {
      if (n > 0 && q * all <= before + n) return fromMs + ((toMs - fromMs) * (q * all - before)) / n
      before += n
    }
    return 0
  })
}
