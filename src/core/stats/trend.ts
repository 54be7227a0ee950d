/** A robust straight line through points: its slope, and the interval that holds the true one with the given confidence. */
export interface Trend {
  /** Change of y for each unit of x. */
  readonly slope: number
  readonly low: number
  readonly high: number
  /** y at x = 0. */
  readonly intercept: number
  /** Whether the interval leaves out zero: otherwise there is no trend to speak of. */
  readonly certain: boolean
  readonly n: number
}

/**
 * Theil and Sen's line: the median of the slopes between all pairs of points; the interval by the variance of Kendall's S.
 * Source: Sen 1968, "Estimates of the regression coefficient based on Kendall's tau" (formulas from memory). Null for fewer than 5 points,
 * or where all stand at one x.
 * @param points at most a few hundred: the work grows with the square
 */
export function theilSen(points: readonly { readonly x: number; readonly y: number }[], z = 1.96): Trend | null {
  const n = points.length
  if (n < 5) return null
  const slopes: number[] = []
  for (let i = 0; i < n; i++) {
    for (let j = i + 1; j < n; j++) {
      const [a, b] = [points[i], points[j]]
      if (a && b && a.x !== b.x) slopes.push((b.y - a.y) / (b.x - a.x))
    }
  }
  if (slopes.length === 0) return null
  slopes.sort((a, b) => a - b)
  const slope = median(slopes)
  const spread = z * Math.sqrt((n * (n - 1) * (2 * n + 5)) / 18)
  const at = (rank: number) => slopes[Math.min(slopes.length - 1, Math.max(0, Math.round(rank)))] ?? slope
  const low = at((slopes.length - spread) / 2 - 1)
  const high = at((slopes.length + spread) / 2)
  const intercept = median(points.map(({ x, y }) => y - slope * x).sort((a, b) => a - b))
  return { slope, low, high, intercept, certain: low > 0 || high < 0, n }
}

/** The median of numbers in order. */
function median(sorted: readonly number[]): number {
  const middle = sorted.length >> 1
  return sorted.length % 2 === 1 ? (sorted[middle] ?? 0) : ((sorted[middle - 1] ?? 0) + (sorted[middle] ?? 0)) / 2
}

/** When a line that rises reaches a limit, as x; the interval by the trend's own. `latest` null: it may never. */
export function whenReached(
  trend: Trend,
  fromX: number,
  fromY: number,
  limit: number,
): { at: number; earliest: number; latest: number | null } | null {
  if (!trend.certain || trend.slope <= 0) return null
  const after = (slope: number) => fromX + (limit - fromY) / slope
  return { at: after(trend.slope), earliest: after(trend.high), latest: trend.low > 0 ? after(trend.low) : null }
}

/** So many times each day of the week must have been seen. */
const WEEKS = 3
/** Days that are alike differ more than this once in a hundred times: chi-squared with 6 degrees of freedom, 0.99. */
const DIFFER = 16.81

/**
 * How far a series stands above or below its line on each day of the week, Monday first: the median of what is left of the line, day by day.
 * Null where a day was not seen three times, or where the days do not differ by Kruskal and Wallis' test (1952; formula from memory) over one
 * value for each day: what is seen several times on one day says the same each time.
 * Source: the seasonal subseries of NIST/SEMATECH, e-Handbook of Statistical Methods, 6.4.4.3 (from memory), with medians for means.
 * @param points `day`: 0 Monday to 6 Sunday; `week`: a number for the week
 */
export function weekShape(
  points: readonly { readonly x: number; readonly y: number; readonly day: number; readonly week: number }[],
  trend: Trend,
): readonly number[] | null {
  const byDate = new Map<number, { day: number; offs: number[] }>()
  for (const { x, y, day, week } of points) {
    const one = byDate.get(7 * week + day) ?? { day, offs: [] }
    byDate.set(7 * week + day, one)
    one.offs.push(y - trend.intercept - trend.slope * x)
  }
  const dates = [...byDate.values()].map(({ day, offs }) => ({ day, off: median(offs.sort((a, b) => a - b)) })).sort((a, b) => a.off - b.off)
  const days = Array.from({ length: 7 }, (_, day) => dates.filter((one) => one.day === day))
  if (days.some((own) => own.length < WEEKS)) return null
  const n = dates.length
  // Ranks from 1; equal ones share their middle.
  const rankOf = new Map<number, number>()
  for (let i = 0; i < n;) {
    const off = dates[i]?.off ?? 0
    let next = i
    while (next < n && dates[next]?.off === off) next++
    rankOf.set(off, (i + 1 + next) / 2)
    i = next
  }
  const squares = days.reduce((sum, own) => sum + own.reduce((ranks, { off }) => ranks + (rankOf.get(off) ?? 0), 0) ** 2 / own.length, 0)
  if ((12 / (n * (n + 1))) * squares - 3 * (n + 1) < DIFFER) return null
  return days.map((own) => median(own.map(({ off }) => off)))
}
