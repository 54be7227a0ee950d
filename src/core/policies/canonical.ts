/** A value as JSON with the keys of every object in order: equal exactly where two values say the same, however they were written. */
export function canonical(value: unknown): string {
  return (
    JSON.stringify(value, (_, inner: unknown) =>
      inner && typeof inner === 'object' && !Array.isArray(inner)
        ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : 1)))
        : inner,
    ) ?? 'null'
  )
}
