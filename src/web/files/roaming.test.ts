// @vitest-environment happy-dom
import { beforeEach, describe, expect, it } from 'vitest'
import { atNow } from '../fixtures/lines'
import { clear, show, type Page } from '../fixtures/page'
import { basePage } from '../fixtures/policies'
import { useDraft } from '../policies/draft'
import RoamingPage from './RoamingPage.vue'

atNow()
const policy = (more: object = {}, version = 3) => {
  const page = basePage({ version })
  return { ...page, settings: { ...page.settings, fileRoaming: { ...page.settings.fileRoaming, ...more } } }
}
let inForce = policy()
beforeEach(() => {
  clear()
  inForce = policy()
})
const shown = (role: 'viewer' | 'administrator' = 'administrator') =>
  show(RoamingPage, { role, at: '/file-roaming', answers: { policy: () => inForce, pools: { version: 3, pools: [] } } })
const writeBack = 'aside label:nth-of-type(4) select'
const choose = (page: Page, selector: string, value: string) => page.type(selector, value)
const draftButton = (page: Page) => page.one<HTMLButtonElement>('button', 'Put this into a draft of the policy')

describe('a day under file roaming', () => {
  it('tells whose words win where one file is written on two hosts', async () => {
    const page = await shown()
    expect(page.text()).toContain('1 file written by two sessions; the last to write won.')
    const [first] = page.rows('[aria-label=Conflicts]')
    await choose(page, writeBack, 'during-session')
    await page.until(() => expect(page.rows('[aria-label=Conflicts]')[0]).not.toBe(first))
  })

  it('keeps what is tried when the policy is asked again, also when somebody published another', async () => {
    const page = await shown()
    expect(draftButton(page).disabled).toBe(true)
    await choose(page, writeBack, 'during-session')
    expect(draftButton(page).disabled).toBe(false)
    inForce = policy({ afterLogoff: inForce.settings.fileRoaming.afterLogoff === 'leave' ? 'delete' : 'leave' }, 4)
    await page.again()
    expect(page.one<HTMLSelectElement>(writeBack).value).toBe('during-session')
    expect(draftButton(page).disabled).toBe(false)
  })

  it('follows the policy while nothing else is tried', async () => {
    const page = await shown()
    inForce = policy({ writeBack: 'during-session' }, 4)
    await page.again()
    await page.until(() => expect(page.one<HTMLSelectElement>(writeBack).value).toBe('during-session'))
  })

  it('can be made up, one thing after another', async () => {
    const page = await shown()
    await page.click('button', 'begin with nothing')
    expect(page.rows('[aria-label="The day"]')).toEqual([])
    for (const [time, kind] of [
      ['08:00', 'logon'],
      ['09:00', 'write'],
      ['17:00', 'logoff'],
    ]) {
      await page.type('[aria-label=At]', time ?? '')
      await page.type('[aria-label="What is done"]', kind ?? '')
      await page.click('button', 'Add')
    }
    expect(page.rows('[aria-label="On the share"]').join()).toContain(String.raw`Documents\plan.docx | as written on A at 09:00`)
    page.all('[aria-label="Take this away"]')[1]?.click()
    await page.until(() => expect(page.all('details li')).toHaveLength(2))
  })

  it('becomes a draft of the policy, for those who may', async () => {
    const page = await shown()
    await choose(page, writeBack, 'during-session')
    await page.click('button', 'Put this into a draft of the policy')
    expect(page.router.currentRoute.value.path).toBe('/policies/base')
    expect(useDraft().take()?.settings.fileRoaming?.writeBack).toBe('during-session')
    clear()
    const viewer = await shown('viewer')
    await choose(viewer, writeBack, 'during-session')
    expect(draftButton(viewer).disabled).toBe(true)
  })
})
