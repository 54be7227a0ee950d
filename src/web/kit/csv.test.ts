import Papa from 'papaparse'
import { describe, expect, it } from 'vitest'
import { csvAddress } from './csv'

describe('a list as CSV', () => {
  it('comes back as it went, whatever is in its cells, but for formulas', () => {
    const rows = [
      { person: 'mara', path: 'a "quoted", path\nwith a line', bytes: '7' },
      { person: '=cmd()', path: '', bytes: '0' },
    ]
    const text = decodeURIComponent(csvAddress(rows).replace('data:text/csv;charset=utf-8,', ''))
    expect(Papa.parse(text.trimEnd(), { header: true }).data).toEqual([rows[0], { ...rows[1], person: "'=cmd()" }])
  })
})
