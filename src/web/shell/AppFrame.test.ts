// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { clear, show, type Page } from '../fixtures/page'
import AppFrame from './AppFrame.vue'
import { useBench } from './bench'

const NOW_MS = Date.UTC(2026, 10, 23, 9)
/** Events of the server, as a test lets them come. */
class Events {
  static last: Events | null = null
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  closed = false
  constructor(readonly address: string) {
    Events.last = this
  }
  addEventListener(): void {}
  close(): void {
    this.closed = true
  }
}
beforeEach(() => {
  vi.useFakeTimers({ now: NOW_MS, toFake: ['Date'] })
  vi.stubGlobal('EventSource', Events)
  localStorage.clear()
  useBench().items.value = []
})
afterEach(() => {
  clear()
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

const shown = (at = '/logons', role: 'viewer' | 'administrator' = 'administrator') => show(AppFrame, { at, role, answers: { signOut: { ok: true } } })
const press = (key: string, more: KeyboardEventInit = {}, target: EventTarget = document.body) =>
  target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }))
const path = (page: Page) => page.router.currentRoute.value.path

describe('the frame', () => {
  it('marks the place where somebody is, also on a page below it', async () => {
    const on = (page: Page) => page.all('nav a.on').map(({ textContent }) => textContent)
    expect(on(await shown('/logons/a1'))).toEqual(['Logons'])
    clear()
    expect(on(await shown('/'))).toEqual(['Today'])
  })

  it('goes to each place by two keys, and nowhere while somebody types', async () => {
    const page = await shown('/journal')
    for (const [key, to] of [
      ['p', '/people'],
      ['c', '/containers'],
      ['o', '/policies'],
      ['t', '/'],
    ] as const) {
      press('g')
      press(key)
      await page.until(() => expect(path(page)).toBe(to))
    }
    press('g', {}, page.one('[aria-label=Find]'))
    press('p')
    press('g')
    press('p', { ctrlKey: true })
    await new Promise((resolve) => setTimeout(resolve, 20))
    expect(path(page)).toBe('/')
  })

  it('finds by a slash, and shows the keys', async () => {
    const page = await shown()
    press('/')
    expect(document.activeElement).toBe(page.one('[aria-label=Find]'))
    page.one('[aria-label=Find]').blur()
    press('?')
    await page.until(() => expect(page.one('.modal.show').textContent).toContain('find a person, host, share, pool or attempt'))
  })

  it('puts what is in view on the bench, once, and four things at most', async () => {
    const page = await shown()
    const { inView, items, put } = useBench()
    press('b')
    expect(items.value).toEqual([])
    inView.value = { id: 'host:TH-1', title: 'TH-1' }
    press('b')
    press('b')
    await page.until(() => expect(page.one('a.bench').textContent.trim()).toBe('bench 1'))
    for (const n of [2, 3, 4, 5]) put({ id: `host:TH-${n}`, title: `TH-${n}` })
    await page.until(() => expect(page.one('a.bench').textContent.trim()).toBe('bench 4'))
    expect(page.one('a.bench').getAttribute('href')).toBe('/logons/compare?one=host:TH-2&one=host:TH-3&one=host:TH-4&one=host:TH-5')
    inView.value = null
  })

  it('says so while the line to the server is down', async () => {
    const page = await shown()
    expect([Events.last?.address, page.all('[role=status]', 'not live').length]).toEqual(['/api/events', 0])
    Events.last?.onerror?.()
    await page.until(() => expect(page.all('[role=status]', 'not live')).toHaveLength(1))
    Events.last?.onopen?.()
    await page.until(() => expect(page.all('[role=status]', 'not live')).toEqual([]))
    clear()
    expect(Events.last?.closed).toBe(true)
  })

  it('keeps the window in the address; another time is asked for, and checked', async () => {
    const page = await shown()
    const choose = (value: string) => {
      const select = page.one<HTMLSelectElement>('.window select')
      select.value = value
      select.dispatchEvent(new Event('change', { bubbles: true }))
    }
    choose('7d')
    await page.until(() => expect(page.router.currentRoute.value.query).toEqual({ window: '7d' }))
    choose('other')
    await page.until(() => expect(page.one('.modal.show').textContent).toContain('Times are those of Europe/Copenhagen.'))
    const fields = page.all('.modal.show input') as HTMLInputElement[]
    fields.forEach((field, i) => (field.id = `moment-${i}`))
    const give = async (from: string, to: string) => {
      await page.type('#moment-0', from)
      await page.type('#moment-1', to)
    }
    for (const [from, to, words] of [
      ['2026-11-03T00:00', '2026-11-01T00:00', 'The end must be after the beginning.'],
      ['2026-01-03T00:00', '2026-11-01T00:00', 'At most 92 days are looked at together.'],
    ] as const) {
      await give(from, to)
      await page.until(() => expect(page.one('.modal.show [role=status]').textContent).toBe(words))
      expect(page.one<HTMLButtonElement>('.modal.show .modal-footer button', 'Look').disabled).toBe(true)
    }
    await give('2026-11-01T00:00', '2026-11-03T12:00')
    await page.click('.modal.show .modal-footer button', 'Look')
    await page.until(() => expect(page.router.currentRoute.value.query['window']).toBe('2026-10-31T23:00Z/2026-11-03T11:00Z'))
    const select = page.one<HTMLSelectElement>('.window select')
    expect([...select.options].find(({ value }) => value === select.value)?.textContent).toBe('Sun 1 Nov 00:00 to Tue 3 Nov 12:00')
  })

  it('signs out', async () => {
    const page = await shown('/', 'viewer')
    expect([page.all('.who a', 'Accounts and tokens').length, page.all('.who a', 'Password').length]).toEqual([0, 1])
    await page.click('.who button', 'Sign out')
    await page.until(() => expect(path(page)).toBe('/sign-in'))
    expect(page.asked.map(({ name }) => name)).toContain('signOut')
  })
})
