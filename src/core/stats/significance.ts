const logFactorials: number[] = [0, 0]
/** ln n!, remembered. */
export function logFactorial(n: number): number {
  if (n > 100_000) return n * Math.log(n) - n + 0.5 * Math.log(2 * Math.PI * n) + 1 / (12 * n)
  for (let i = logFactorials.length; i <= n; i++) logFactorials.push((logFactorials[i - 1] ?? 0) + Math.log(i))
  return logFactorials[n] ?? 0
}

const logChoose = (n: number, k: number) => logFactorial(n) - logFactorial(k) - logFactorial(n - k)

/** How many of some have something. */
export interface Share {
  readonly hit: number
  readonly n: number
}
export const plus = (a: Share, b: Share): Share => ({ hit: a.hit + b.hit, n: a.n + b.n })
export const minus = (a: Share, b: Share): Share => ({ hit: a.hit - b.hit, n: a.n - b.n })

/** Two groups, and how many of each have something. */
export interface Table {
  readonly inside: Share
  readonly outside: Share
}

/**
 * The exact probability, with the margins as they are, of a table at least as far out as this one.
 * `more`: only tables in which the inside has as many or more; `both`: all tables that are no more probable than this one.
 * Source: Fisher 1935, the tea tasting.
 */
export function fisherExact({ inside, outside }: Table, side: 'more' | 'both'): number {
  const hits = inside.hit + outside.hit
  const n = inside.n + outside.n
  const all = logChoose(n, hits)
  const logP = (k: number) => logChoose(inside.n, k) + logChoose(outside.n, hits - k) - all
  const lowest = Math.max(0, hits - outside.n)
  const highest = Math.min(hits, inside.n)
  const own = logP(inside.hit)
  let p = 0
  for (let k = side === 'more' ? inside.hit : lowest; k <= highest; k++) {
    const one = logP(k)
    if (side === 'more' || one <= own + 1e-7) p += Math.exp(one)
  }
  return Math.min(1, p)
}

/**
 * Which of many tests are discoveries, so that of those at most the share `rate` is false on average.
 * Source: Benjamini and Hochberg 1995.
 */
export function discoveries(pValues: readonly number[], rate = 0.05): boolean[] {
  const order = pValues.map((p, i) => ({ p, i })).sort((a, b) => a.p - b.p)
  let last = -1
  order.forEach(({ p }, rank) => {
    if (p <= ((rank + 1) / pValues.length) * rate) last = rank
  })
  const found = pValues.map(() => false)
  for (const { i } of order.slice(0, last + 1)) found[i] = true
  return found
}

/**
 * How much better two rates tell the hits than one: twice the log of the likelihood ratio; 0 where the inside has no higher rate.
 * Source: Wilks 1938; about chi-squared with one degree of freedom.
 */
export function contrastGain({ inside, outside }: Table): number {
  const term = (k: number, n: number) => (k <= 0 ? 0 : k * Math.log(k / n))
  const split = (k: number, n: number) => term(k, n) + term(n - k, n)
  if (inside.n === 0 || outside.n === 0 || inside.hit * outside.n <= outside.hit * inside.n) return 0
  return 2 * (split(inside.hit, inside.n) + split(outside.hit, outside.n) - split(inside.hit + outside.hit, inside.n + outside.n))
}
