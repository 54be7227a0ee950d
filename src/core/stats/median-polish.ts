/** A two-way table as an overall value, an effect for each row and column, and what they leave. `null` cells are empty. */
export interface Polished {
  readonly overall: number
  readonly rows: readonly number[]
  readonly columns: readonly number[]
  readonly residuals: readonly (readonly (number | null)[])[]
}

/**
 * Fits row and column effects by medians, which single wild cells do not move.
 * Source: median polish (Tukey 1977, Exploratory Data Analysis, chapter 11); empty cells are left out of the medians.
 */
export function medianPolish(table: readonly (readonly (number | null)[])[], rounds = 10, until = 1e-6): Polished {
  const residuals = table.map((row) => [...row])
  const rows = table.map(() => 0)
  const columns = (table[0] ?? []).map(() => 0)
  let overall = 0
  let before = Infinity
  for (let round = 0; round < rounds; round++) {
    residuals.forEach((row, i) => {
      const middle = medianOf(row)
      rows[i] = (rows[i] ?? 0) + middle
      row.forEach((value, j) => {
        if (value !== null) row[j] = value - middle
      })
    })
    const ofColumns = medianOf(columns)
    overall += ofColumns
    columns.forEach((value, j) => (columns[j] = value - ofColumns))
    columns.forEach((value, j) => {
      const middle = medianOf(residuals.map((row) => row[j] ?? null))
      columns[j] = value + middle
      for (const row of residuals) {
        const cell = row[j]
        if (cell != null) row[j] = cell - middle
      }
    })
    const ofRows = medianOf(rows)
    overall += ofRows
    rows.forEach((value, i) => (rows[i] = value - ofRows))
    const left = residuals.flat().reduce<number>((sum, value) => sum + Math.abs(value ?? 0), 0)
    if (Math.abs(before - left) <= until * Math.max(1, left)) break
    before = left
  }
  return { overall, rows, columns, residuals }
}

/** The median of what is there; 0 where nothing is. */
function medianOf(values: readonly (number | null)[]): number {
  const sorted = values.filter((value): value is number => value !== null).sort((a, b) => a - b)
  const middle = sorted.length >> 1
  const upper = sorted[middle] ?? 0
  return sorted.length % 2 === 1 ? upper : sorted.length === 0 ? 0 : ((sorted[middle - 1] ?? 0) + upper) / 2
}
