/** How many of those inside a place, and of those outside it, had the same trouble. */
export interface Contrast {
  readonly inside: { readonly n: number; readonly hit: number }
  readonly outside: { readonly n: number; readonly hit: number }
}

/** So many tell something of everybody. */
export const TELL_OF_ALL = 8

/** Those before and after together. */
export const bothOf = (before: Contrast['inside'], after: Contrast['inside']): Contrast['inside'] => ({
  n: before.n + after.n,
  hit: before.hit + after.hit,
})

/** Those before and after together; or only the one side, where clearly more of enough had it. */
export function worseOf<T extends Contrast['inside']>(before: T, after: T): T | Contrast['inside'] {
  const both = bothOf(before, after)
  const rate = ({ n, hit }: Contrast['inside']) => (n >= TELL_OF_ALL ? hit / n : 0)
  const worse = rate(after) > rate(before) ? after : before
  return rate(worse) > rate(both) + 0.1 ? worse : both
}
