import Papa from 'papaparse'

/** A list as a CSV file (RFC 4180) to be saved, for lists that only this page has. Cells that a spreadsheet would run as a formula are made harmless. */
export const csvAddress = (rows: readonly object[]): string =>
  `data:text/csv;charset=utf-8,${encodeURIComponent(`${Papa.unparse(rows as object[], { newline: '\r\n', escapeFormulae: true })}\r\n`)}`
