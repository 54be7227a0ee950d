// @vitest-environment happy-dom
import { afterEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import type { FoundThing } from '../../contract/other'
import { clear, show } from '../fixtures/page'
import FindBox from './FindBox.vue'

afterEach(clear)

const things: FoundThing[] = [
  { kind: 'person', id: 'mara lind', title: 'Mara Lind', remark: 'mara' },
  { kind: 'host', id: 'TH-Q1-04', title: 'TH-Q1-04', remark: 'ticket-hall · zone Q1' },
  { kind: 'share', id: 'quay', title: String.raw`\\quay-fs1\profiles`, remark: 'share' },
  { kind: 'pool', id: 'ticket-hall', title: 'Ticket halls', remark: 'pool' },
  { kind: 'attempt', id: 'a/1', title: 'Mara Lind', remark: 'failed on TH-Q1-04' },
]
async function box(found = things) {
  const page = await show(FindBox, { answers: { find: { found } }, at: '/journal' })
  const field = page.one<HTMLInputElement>('[aria-label=Find]')
  const press = (key: string) => field.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
  return { page, field, press, options: () => page.all('[role=option]').map((one) => one.textContent.replaceAll(/\s+/g, ' ').trim()) }
}

describe('find', () => {
  it('asks nothing before something is written, and shows what has it in its name', async () => {
    const { page, field, options } = await box()
    field.focus()
    await page.type('[aria-label=Find]', '  ')
    await new Promise((resolve) => setTimeout(resolve, 150))
    expect([page.asked.length, options()]).toEqual([0, []])
    await page.type('[aria-label=Find]', 'mara')
    await page.until(() => expect(options()).toHaveLength(5))
    expect(options()[0]).toBe('personMara Lind mara')
    expect(page.asked.map(({ query }) => query)).toEqual([{ text: 'mara' }])
  })

  it.each([
    [0, '/people/mara%20lind'],
    [1, '/logons?host=TH-Q1-04'],
    [2, '/shares/quay'],
    [3, '/logons?pool=ticket-hall'],
    [4, '/logons/a%2F1'],
  ])('goes to number %d by keys', async (down, address) => {
    const { page, field, press, options } = await box()
    field.focus()
    await page.type('[aria-label=Find]', 'x')
    await page.until(() => expect(options()).toHaveLength(5))
    press('ArrowUp')
    for (let i = 0; i < down; i++) press('ArrowDown')
    press('Enter')
    await page.until(() => expect(page.router.currentRoute.value.fullPath).toBe(address))
    expect(field.value).toBe('')
  })

  it('stays open for whoever is back at once, and closes behind whoever leaves', async () => {
    const { page, field, options } = await box()
    field.focus()
    await page.type('[aria-label=Find]', 'mara')
    await page.until(() => expect(options()).toHaveLength(5))
    vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
    try {
      field.blur()
      field.focus()
      vi.advanceTimersByTime(1000)
      await nextTick()
      expect(options()).toHaveLength(5)
      field.blur()
      vi.advanceTimersByTime(1000)
      await nextTick()
      expect(options()).toEqual([])
    } finally {
      vi.useRealTimers()
    }
  })

  it('never goes past the last, and begins at the first when something else is written', async () => {
    const { page, field, press, options } = await box(things.slice(0, 2))
    field.focus()
    await page.type('[aria-label=Find]', 'x')
    await page.until(() => expect(options()).toHaveLength(2))
    for (let i = 0; i < 5; i++) press('ArrowDown')
    await page.until(() => expect(page.all('[aria-selected=true]').map((one) => one.textContent.includes('TH-Q1-04'))).toEqual([true]))
    press('y')
    await page.until(() => expect(page.one('[aria-selected=true]').textContent).toContain('Mara'))
  })

  it('says so where nothing has it, and closes without going anywhere', async () => {
    const { page, field, press } = await box([])
    field.focus()
    await page.type('[aria-label=Find]', 'zzz')
    await page.until(() => expect(page.text()).toContain('Nothing has “zzz” in its name.'))
    press('Enter')
    press('Escape')
    await page.until(() => expect(page.all('[role=listbox]')).toEqual([]))
    expect(page.router.currentRoute.value.path).toBe('/journal')
  })
})
