/**
 * The sequential probability ratio test of a rate. Source: Wald, "Sequential Tests of Statistical Hypotheses", Annals of Mathematical Statistics 16 (1945),
 * sections 3.2 and 5.2: add log(p1/p0) for each hit and log((1-p1)/(1-p0)) for each miss; from log((1-β)/α) on the second rate is accepted, from log(β/(1-α)) down the first.
 */
export interface SequentialTest {
  /** The evidence for the second rate against the first so far: a log likelihood ratio. */
  readonly llr: number
  /** From here on the second rate is accepted. */
  readonly upper: number
  /** From here down the first is. */
  readonly lower: number
  readonly decision: 'first' | 'second' | 'undecided'
  /** How many trials it took until it was decided; all of them where it is not. */
  readonly after: number
}

/**
 * @param trials true where the thing happened, in order
 * @param p0 the first rate, @param p1 the second; both strictly between 0 and 1
 * @param alpha how often the second may be accepted wrongly, @param beta how often the first
 */
export function sequentialTest(trials: Iterable<boolean>, p0: number, p1: number, alpha: number, beta: number): SequentialTest {
  if (!(p0 > 0 && p0 < 1 && p1 > 0 && p1 < 1 && p0 !== p1)) throw new RangeError('rates must differ and lie strictly between 0 and 1')
  const upper = Math.log((1 - beta) / alpha)
  const lower = Math.log(beta / (1 - alpha))
  const hit = Math.log(p1 / p0)
  const miss = Math.log((1 - p1) / (1 - p0))
  let llr = 0
  let after = 0
  for (const happened of trials) {
    after++
    llr += happened ? hit : miss
    if (llr >= upper) return { llr, upper, lower, decision: 'second', after }
    if (llr <= lower) return { llr, upper, lower, decision: 'first', after }
  }
  return { llr, upper, lower, decision: 'undecided', after }
}
