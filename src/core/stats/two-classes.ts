/**
 * Where values fall into two classes: the split that leaves the least variance within them, which is that of the greatest variance between them.
 * Source: Otsu (1979), A threshold selection method from gray-level histograms, equation 18; here of the values themselves, from memory.
 * @param sorted from the smallest on
 * @returns so many are in the lower class: at least one in each, and never equal ones apart; `sorted.length` where all are equal
 */
export function twoClasses(sorted: ArrayLike<number>): number {
  const n = sorted.length
  let sum = 0
  for (let i = 0; i < n; i++) sum += sorted[i] ?? 0
  let [below, best, lower] = [0, 0, n]
  for (let i = 1; i < n; i++) {
    below += sorted[i - 1] ?? 0
    if (sorted[i - 1] === sorted[i]) continue
    const apart = below / i - (sum - below) / (n - i)
    const between = i * (n - i) * apart * apart
    if (between > best) [best, lower] = [between, i]
  }
  return lower
}
