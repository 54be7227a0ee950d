// @vitest-environment happy-dom
import { afterEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import { clear, show } from '../fixtures/page'
import DataTable, { type Column } from './DataTable.vue'

afterEach(clear)

interface Line {
  readonly name: string
  readonly ms: number | null
}
const lines: Line[] = [
  { name: 'Tove', ms: 900 },
  { name: 'aino', ms: 12_000 },
  { name: 'Mara', ms: null },
  { name: 'Öberg', ms: 2500 },
]
const columns: Column<Line>[] = [
  { key: 'name', title: 'Person', sort: (line) => line.name },
  { key: 'ms', title: 'Took', number: true, unit: 'ms', sort: (line) => line.ms },
  { key: 'note', title: 'Note' },
]
const cells = (line: { row: Line }) => line.row.name
const table = (more: object = {}) =>
  show(
    defineComponent(
      () => () =>
        h(DataTable<Line>, { columns, rows: lines, rowKey: (line: Line) => line.name, label: 'Lines', empty: 'None.', ...more }, { name: cells }),
    ),
  )
const names = (page: Awaited<ReturnType<typeof table>>) => page.all('tbody tr').map((row) => row.textContent.trim())

describe('a list', () => {
  it('is in the order in which it came, until a column is chosen; numbers begin with the largest, words with the first', async () => {
    const page = await table()
    expect(names(page)).toEqual(['Tove', 'aino', 'Mara', 'Öberg'])
    await page.click('th button', /Took/)
    expect(names(page)).toEqual(['aino', 'Öberg', 'Tove', 'Mara'])
    expect(page.one('th', /Took/).getAttribute('aria-sort')).toBe('descending')
    // What is not known comes last, both ways.
    await page.click('th button', /Took/)
    expect(names(page)).toEqual(['Tove', 'Öberg', 'aino', 'Mara'])
    await page.click('th button', /Person/)
    expect(names(page)).toEqual(['aino', 'Mara', 'Öberg', 'Tove'])
    expect(page.all('th[aria-sort]').map((head) => head.getAttribute('aria-sort'))).toEqual(['ascending'])
    expect(page.all('th button', /Note/)).toEqual([])
  })

  it('sorts all rows where it shows only the first', async () => {
    const page = await table({ most: 2 })
    await page.click('th button', /Took/)
    expect(names(page)).toEqual(['aino', 'Öberg'])
    await page.click('button', '2 more')
    expect(names(page)).toEqual(['aino', 'Öberg', 'Tove', 'Mara'])
    expect(page.all('button', /more/)).toEqual([])
  })

  it('gives all rows as CSV, as they are sorted, with units and without what only words can say', async () => {
    const page = await table({ most: 1, csv: 'lines' })
    await page.click('th button', /Took/)
    const link = page.one<HTMLAnchorElement>('a.csv')
    link.dispatchEvent(new Event('pointerdown'))
    await page.until(() => expect(link.getAttribute('href')).toContain('csv'))
    const written = decodeURIComponent((link.getAttribute('href') ?? '').replace(/^data:[^,]*,/, '')).replace(/^\uFEFF/, '')
    expect(written.split('\r\n')).toEqual(['Person,Took (ms)', 'aino,12000', 'Öberg,2500', 'Tove,900', 'Mara,', ''])
    expect(link.download).toBe('lines.csv')
  })

  it('opens a line by click and by key', async () => {
    const go = vi.fn()
    const page = await table({ go })
    await page.click('tbody tr', 'aino')
    page.one('tbody tr', 'Mara').dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
    expect(go.mock.calls.map(([line]) => (line as Line).name)).toEqual(['aino', 'Mara'])
  })

  it('says so where there is nothing', async () => {
    const page = await table({ rows: [] })
    expect([page.text(), page.all('table')]).toEqual(['None.', []])
  })

  it('has lines ticked, one by one and all that are shown, without opening them', async () => {
    const go = vi.fn()
    const selected = ref<(string | number)[]>([])
    const page = await show(
      defineComponent(
        () => () =>
          h(
            DataTable<Line>,
            {
              columns,
              rows: lines,
              rowKey: (line: Line) => line.name,
              label: 'Lines',
              empty: '',
              selectable: true,
              most: 3,
              go,
              selected: selected.value,
              'onUpdate:selected': (keys: (string | number)[]) => {
                selected.value = keys
              },
            },
            { name: cells },
          ),
      ),
    )
    await page.click('[aria-label="Choose Mara"]')
    expect(selected.value).toEqual(['Mara'])
    await page.click('[aria-label="All that are shown"]')
    expect(selected.value).toEqual(['Tove', 'aino', 'Mara'])
    await page.click('[aria-label="Choose aino"]')
    expect(selected.value).toEqual(['Tove', 'Mara'])
    expect(page.one<HTMLInputElement>('[aria-label="All that are shown"]').checked).toBe(false)
    expect(go).not.toHaveBeenCalled()
  })
})
