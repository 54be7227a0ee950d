// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import type { ShareLine } from '../../contract/containers'
import { atNow, containerLine as container, jobOf, NOW_MS } from '../fixtures/lines'
import { clear, Problem, show, type Answers, type Page } from '../fixtures/page'
import ContainersPage from './ContainersPage.vue'

const GIB = 2 ** 30
atNow()

const quay: ShareLine = {
  id: 'quay',
  path: String.raw`\\quay-fs1\profiles`,
  zone: 'Q1',
  totalBytes: 1000 * GIB,
  freeBytes: 250 * GIB,
  latencyMs: 2.34,
  redundancy: null,
  containers: 3,
  allocatedBytes: 9 * GIB,
  held: 2,
}
const mara = container('mara', { holderHost: 'TH-Q1-04', holderAlive: true, heldSinceMs: NOW_MS - 60_000 })
const tove = container('tove', {
  holderHost: 'TH-Q2-01',
  holderAlive: false,
  heldSinceMs: NOW_MS - 60_000,
  upkeep: [{ code: 'stale-hold', weight: 'now', sentence: 'Its holder is gone.' }],
})
const left = container('left', { person: null, name: null, lastUsedMs: null, grewBytes: null, grewSinceMs: null })
const list = {
  containers: [mara, tove, left],
  shares: [quay, { ...quay, id: 'hill', path: String.raw`\\hill-fs1\profiles`, zone: null, latencyMs: null }],
  total: 3,
  scannedMs: NOW_MS - 20_000,
  findings: [{ code: 'stale-hold', title: 'Held by a dead session', weight: 'now' as const, n: 1, bytes: 3 * GIB }],
}
const job = jobOf({ kind: 'many', title: 'Move 2 containers', state: 'running', progress: { done: GIB, total: 6 * GIB } })
const answers: Answers = { containers: list, scan: { progress: null, remark: null }, job, containerJobs: job }
const shown = (more: Answers = {}, at = '/containers', role: 'viewer' | 'administrator' = 'administrator') =>
  show(ContainersPage, { answers: { ...answers, ...more }, at, role })
const rows = (page: Page) => page.rows('[aria-label=Containers]').map((row) => row.replace(/^ \| /, ''))

describe('containers', () => {
  it('are listed with whose they are, how full, who holds them, and what is to be looked at', async () => {
    const page = await shown({}, '/containers', 'viewer')
    expect(page.one('h1').textContent.trim()).toBe('3 containers on 2 shares')
    expect(rows(page)).toEqual([
      String.raw`Mara Lind | mara\profile.vhdx | 3.0 GiB | 10 % | +2.0 GiB | 1.0 GiB | 09:00 | TH-Q1-04 | `,
      String.raw`Tove Berg | tove\profile.vhdx | 3.0 GiB | 10 % | +2.0 GiB | 1.0 GiB | 09:00 | TH-Q2-01 no such session | Held by a dead session`,
      String.raw`nobody | left\profile.vhdx | 3.0 GiB | 10 % | – | 1.0 GiB |  | free | `,
    ])
    const margin = page.one('aside').textContent.replaceAll(/\s+/g, ' ')
    expect(margin).toContain('zone Q1 · 3 containers, 2 held')
    expect(margin).toContain('250 GiB free of 1000 GiB (25 %)')
    expect(margin).toContain('latency 2.3 ms')
  })

  it('are asked for as the address says, and the export with them', async () => {
    const page = await shown({}, '/containers?share=quay&held=stale&finding=stale-hold&text=to')
    expect(page.asked.find(({ name }) => name === 'containers')?.query).toEqual({ text: 'to', share: 'quay', held: 'stale', finding: 'stale-hold' })
    expect(page.one('a', 'Export CSV').getAttribute('href')).toBe('/api/containers.csv?text=to&share=quay&held=stale&finding=stale-hold')
    clear()
    const odd = await shown({}, '/containers?held=whatever')
    expect(odd.asked.find(({ name }) => name === 'containers')?.query).toEqual({ held: 'all' })
    await odd.click('aside a', 'Held by a dead session')
    await odd.until(() => expect(odd.router.currentRoute.value.query['finding']).toBe('stale-hold'))
  })

  it('say when they were last looked at, how far a reading is, and are looked at again when asked', async () => {
    const page = await shown({ scanNow: { ok: true } })
    expect(page.text()).toContain('Read from the files themselves: their headers and block tables, last looked at 09:59.')
    await page.click('button', 'Look now')
    expect(page.asked.map(({ name }) => name)).toContain('scanNow')
    clear()
    const reading = await shown({ scan: { progress: { share: 'quay', read: 1200, of: 5000 }, remark: 'hill does not answer.' } })
    expect(reading.text()).toContain('Reading quay: 1,200 of 5,000 changed files.')
    expect(reading.text()).toContain('hill does not answer.')
  })

  it('say what to do where there is none, or none that fits', async () => {
    const none = await shown({ containers: { ...list, containers: [], total: 0, findings: [] } })
    expect(none.text()).toContain('No container has been found on a share yet.')
    clear()
    const page = await shown({ containers: { ...list, containers: [] } })
    expect(page.text()).toContain('No container matches. Take away a filter.')
  })
})

describe('many containers at once', () => {
  const choose = async (page: Page, ...ids: string[]) => {
    for (const id of ids) await page.click(`[aria-label="Choose ${id}"]`)
  }
  const many = (page: Page) => page.one('[aria-label="Chosen containers"]').textContent.replaceAll(/\s+/g, ' ').trim()

  it('say of whom they are, what is in them, and which are in use', async () => {
    const page = await shown()
    await choose(page, 'mara', 'left')
    expect(many(page)).toContain('2 containers of 1 person, 6.0 GiB inside; 1 of them in use, which will be left as they are.')
    await page.click('button', 'choose none')
    expect(page.all('[aria-label="Chosen containers"]')).toEqual([])
  })

  it('are moved to a share that is chosen, as a job that says how far it is', async () => {
    const page = await shown()
    await choose(page, 'mara', 'tove')
    await page.click('[aria-label="Chosen containers"] button', 'Move…')
    const field = page.one<HTMLSelectElement>('[aria-label="To which share"]')
    field.value = 'hill'
    field.dispatchEvent(new Event('change', { bubbles: true }))
    await page.click('[aria-label="Chosen containers"] button', 'Move 2')
    await page.until(() => expect(page.text()).toContain('1.0 GiB of 6.0 GiB read'))
    expect(page.asked.find(({ name }) => name === 'containerJobs')?.body).toEqual({ kind: 'move', toShare: 'hill', ids: ['mara', 'tove'] })
  })

  it('are set aside only when it was said that people begin with an empty profile', async () => {
    const page = await shown({ containerJobs: () => new Problem(409, 'Something is done to mara already.') })
    await choose(page, 'mara', 'tove')
    await page.click('[aria-label="Chosen containers"] button', 'Set aside…')
    const button = page.one<HTMLButtonElement>('[aria-label="Chosen containers"] button', 'Set aside 2')
    expect([button.disabled, many(page)]).toEqual([true, expect.stringContaining('I know that 2 people begin with an empty profile.')])
    await page.click('[aria-label="Chosen containers"] input[type=checkbox]')
    await page.click('[aria-label="Chosen containers"] button', 'Set aside 2')
    await page.until(() => expect(page.one('[role=alert]').textContent).toContain('Something is done to mara already.'))
    // Another kind of work asks anew.
    await page.click('[aria-label="Chosen containers"] button', 'Archive…')
    expect(page.one<HTMLButtonElement>('[aria-label="Chosen containers"] button', 'Archive 2').disabled).toBe(true)
  })

  it('cannot be chosen by whoever may only look', async () => {
    const page = await shown({}, '/containers', 'viewer')
    expect(page.all('input[type=checkbox]')).toEqual([])
  })
})
