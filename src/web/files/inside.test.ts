// @vitest-environment happy-dom
import { beforeEach, describe, expect, it } from 'vitest'
import { atNow, NOW_MS } from '../fixtures/lines'
import { clear, show, workerAnswers, type Page } from '../fixtures/page'
import { basePage } from '../fixtures/policies'
import { InventoryDesk, streamOf, type DeskAsk } from './inventory-desk'
import InsidePage from './InsidePage.vue'

atNow()
const [MB, DAY_MS] = [1e6, 86_400_000]
/** Of two people: a cache, pictures, and documents that are new or old. */
const seen = (person: string, path: string, mb: number, days: number) =>
  JSON.stringify({ person, path, bytes: mb * MB, modified: NOW_MS - days * DAY_MS })
const LINES = [
  seen('mara', String.raw`AppData\Local\Cache\a.bin`, 900, 2),
  seen('mara', String.raw`Documents\plan.docx`, 40, 3),
  seen('tove', String.raw`AppData\Local\Cache\b.bin`, 300, 2),
  seen('tove', String.raw`Documents\old.docx`, 60, 700),
  'not a line',
].join('\n')

beforeEach(() => {
  const desk = new InventoryDesk()
  workerAnswers((question: DeskAsk) => {
    if (question.ask === 'read') return desk.read(streamOf(new Blob([LINES]), 'all.ndjson'), 'agents', question.again, () => undefined)
    return question.ask === 'picture' ? desk.picture(question.folder, question.depth) : desk.try(question.rules, question.cost, question.nowMs)
  })
})

function shown(role: 'viewer' | 'administrator' = 'administrator', inventories = 2) {
  clear()
  return show(InsidePage, {
    role,
    at: '/inside',
    answers: {
      inventories: {
        inventories: Array.from({ length: inventories }, (_, i) => ({ person: `p${i}`, name: `P ${i}`, share: 'quay', atMs: NOW_MS, bytes: 1 })),
      },
      policy: basePage(),
    },
  })
}
const aside = (page: Page) => page.one('aside').textContent.replaceAll(/\s+/g, ' ')
const folder = (page: Page, name: RegExp) => page.all('svg [role=button]').find((slab) => name.test(slab.getAttribute('aria-label') ?? ''))
async function read(page: Page) {
  await page.click('button', 'Read what agents saw')
  await page.until(() => expect(page.one('h1').textContent).toContain('of 2 people'))
}

describe('what is in containers', () => {
  it('is drawn by folder, and says what could not be read', async () => {
    const page = await shown()
    expect(aside(page)).toContain('Read an inventory, then choose folders that may be left out.')
    await read(page)
    expect(page.one('h1').textContent).toMatch(/GiB in 4 files of 2 people/)
    expect(page.text()).toContain('1 line could not be read; the others were')
    expect(folder(page, /Cache/)).toBeDefined()
  })

  it('tells what leaving a folder out brings, and what would be lost by it', async () => {
    const page = await shown()
    await read(page)
    folder(page, /Cache/)?.dispatchEvent(new MouseEvent('click', { bubbles: true }))
    await page.until(() => expect(page.one('[aria-label="The chosen folder"]').textContent).toContain('2 files of 2 people'))
    await page.click('button', 'leave it out')
    await page.until(() => expect(aside(page)).toContain('smaller for 2 of 2'))
    expect(aside(page)).toContain('No document that was changed in the last half year would be lost.')
    folder(page, /^Documents/)?.dispatchEvent(new MouseEvent('click', { bubbles: true }))
    await page.until(() => expect(page.one('[aria-label="The chosen folder"]').textContent).toContain('Documents'))
    await page.click('button', 'leave it out')
    await page.until(() =>
      expect(page.rows('[aria-label="What would be lost"]')).toEqual([String.raw`mara | Documents\plan.docx | 38.1 MiB | Fri 20 Nov`]),
    )
    expect(page.text()).toContain('1 file of 1 person (38.1 MiB) looks like somebody’s work')
    expect(aside(page)).not.toContain('No document')
  })

  it('becomes a draft of the policy; a viewer cannot', async () => {
    const page = await shown()
    await read(page)
    folder(page, /Cache/)?.dispatchEvent(new MouseEvent('click', { bubbles: true }))
    await page.until(() => expect(page.all('button', 'leave it out')).toHaveLength(1))
    await page.click('button', 'leave it out')
    await page.until(() => expect(page.all('button', 'Put these rules into a draft of the policy')).toHaveLength(1))
    await page.click('button', 'Put these rules into a draft of the policy')
    await page.until(() => expect(page.router.currentRoute.value.path).toBe('/policies/base'))
    const viewer = await shown('viewer')
    expect(viewer.one<HTMLButtonElement>('button', 'Read what agents saw').disabled).toBe(true)
  })

  it('says so where no agent has left anything yet', async () => {
    const page = await shown('administrator', 0)
    await page.until(() => expect(page.text()).toContain('No agent has left an inventory yet; one is written at logoff.'))
  })
})
