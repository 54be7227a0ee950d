/**
 * Change points by penalised likelihood: the segmentation whose total cost plus a penalty for each change is least, found exactly.
 * Source: optimal partitioning with pruning, PELT (Killick, Fearnhead, Eckley 2012, section 3), from memory.
 */

/** What it costs to describe the values from `from` to before `to` by one level: minus twice the log likelihood, up to a constant. */
export interface Cost {
  readonly n: number
  between(from: number, to: number): number
}

/**
 * The first index of every segment after the first one; empty where nothing changed.
 * @param penalty what one more change must at least gain; 2–3 ln n is usual (BIC)
 * @param atLeast values that a segment has at least
 */
export function changePoints(cost: Cost, penalty: number, atLeast = 2): number[] {
  const { n } = cost
  const best = new Float64Array(n + 1).fill(Infinity)
  const last = new Int32Array(n + 1)
  best[0] = -penalty
  // In plain loops, and in place: this is done for millions of pairs.
  const candidates = new Int32Array(n + 1)
  const values = new Float64Array(n + 1)
  let left = 1
  for (let to = atLeast; to <= n; to++) {
    const open = to - atLeast
    if (open > 0 && open >= atLeast) candidates[left++] = open
    let least = Infinity
    for (let i = 0; i < left; i++) {
      const from = candidates[i] ?? 0
      const value = (best[from] ?? Infinity) + cost.between(from, to)
      values[i] = value
      if (value + penalty >= least) continue
      least = value + penalty
      last[to] = from
    }
    best[to] = least
    // Whoever is worse now by more than a penalty can never be the last change again.
    let kept = 0
    for (let i = 0; i < left; i++) if ((values[i] ?? Infinity) <= least) candidates[kept++] = candidates[i] ?? 0
    left = kept
  }
  const changes: number[] = []
  for (let at = last[n] ?? 0; at > 0; at = last[at] ?? 0) changes.unshift(at)
  return changes
}

/** For values around a level, all with the same variance (estimated from the differences of neighbours, which a change of level hardly moves). */
export function normalCost(values: ArrayLike<number>): Cost {
  const n = values.length
  const sum = new Float64Array(n + 1)
  const squares = new Float64Array(n + 1)
  const steps: number[] = []
  for (let i = 0; i < n; i++) {
    const value = values[i] ?? 0
    sum[i + 1] = (sum[i] ?? 0) + value
    squares[i + 1] = (squares[i] ?? 0) + value * value
    if (i > 0) steps.push(Math.abs(value - (values[i - 1] ?? 0)))
  }
  steps.sort((a, b) => a - b)
  // The median of |difference| of two normal values is 0.6745 √2 standard deviations.
  const deviation = (steps[Math.floor(steps.length / 2)] ?? 0) / (0.6745 * Math.SQRT2)
  const variance = Math.max(deviation * deviation, 1e-12)
  return {
    n,
    between(from, to) {
      const total = (sum[to] ?? 0) - (sum[from] ?? 0)
      return ((squares[to] ?? 0) - (squares[from] ?? 0) - (total * total) / (to - from)) / variance
    },
  }
}

/** For outcomes that are 1 or 0, or counts of ones among many: the rate of ones changes. */
export function rateCost(ones: ArrayLike<number>, of: ArrayLike<number> | null = null): Cost {
  const n = ones.length
  const hits = new Float64Array(n + 1)
  const tries = new Float64Array(n + 1)
  for (let i = 0; i < n; i++) {
    hits[i + 1] = (hits[i] ?? 0) + (ones[i] ?? 0)
    tries[i + 1] = (tries[i] ?? 0) + (of ? (of[i] ?? 0) : 1)
  }
  // Of k ones among m: k ln k + (m - k) ln (m - k) - m ln m. Each count has its term only once.
  const terms = termsUpTo(Math.max(tries[n] ?? 0, hits[n] ?? 0))
  return {
    n,
    between(from, to) {
      const k = (hits[to] ?? 0) - (hits[from] ?? 0)
      const m = (tries[to] ?? 0) - (tries[from] ?? 0)
      return -2 * ((terms[k] ?? 0) + (terms[m - k] ?? 0) - (terms[m] ?? 0))
    },
  }
}

let knownTerms = new Float64Array(1)
/** n ln n of 0, 1, 2, … up to a count; remembered. */
function termsUpTo(most: number): Float64Array {
  if (knownTerms.length <= most) {
    const wider = new Float64Array(Math.max(most + 1, 2 * knownTerms.length))
    wider.set(knownTerms)
    for (let n = knownTerms.length; n < wider.length; n++) wider[n] = n * Math.log(n)
    knownTerms = wider
  }
  return knownTerms
}

/** More runs than this are joined before change points are looked for. */
const MOST_RUNS = 3000

/**
 * Where the rate of ones changes: the first index of every stretch after the first one. The same as changePoints() of rateCost() finds, but in far less time where most are
 * alike: a rate changes between a run of ones and one of zeros, never within one, as the cost is concave in how much of a run is on which side.
 * @param had whether each is a one. Where they have more than MOST_RUNS runs, neighbouring runs are taken together
 */
export function rateChanges(had: readonly boolean[], penalty: number): number[] {
  const ends = had.flatMap((one, i) => (one === had[i + 1] ? [] : [i + 1]))
  const joined = Math.max(1, Math.ceil(ends.length / MOST_RUNS))
  const borders = ends.filter((_, i) => (i + 1) % joined === 0 || i + 1 === ends.length)
  const [ones, tries]: [number[], number[]] = [[], []]
  let from = 0
  for (const to of borders) {
    let n = 0
    for (let i = from; i < to; i++) if (had[i]) n++
    ones.push(n)
    tries.push(to - from)
    from = to
  }
  return changePoints(rateCost(ones, tries), penalty, 1).map((run) => borders[run - 1] ?? 0)
}
