// @vitest-environment happy-dom
import { afterEach, describe, expect, it } from 'vitest'
import type { PolicyPreview, Settings } from '../../contract/other'
import { clear, Problem, show, type Answers, type Page } from '../fixtures/page'
import { basePage as policy, SETTINGS as settings } from '../fixtures/policies'
import BasePage from './BasePage.vue'

afterEach(clear)

/** As the server would answer: what differs from what is published. */
const preview = (wanted: Settings): PolicyPreview => {
  const faults = wanted.locations.flatMap((one, i) => (one === '' ? [{ path: `locations.${i}`, sentence: 'A blank entry is no location.' }] : []))
  const limit =
    wanted.sizeLimitMib === settings.sizeLimitMib
      ? []
      : [{ setting: 'sizeLimitMib', title: 'Size limit', before: '30 GiB', after: `${wanted.sizeLimitMib} MiB`, needsRestart: true }]
  const order =
    wanted.locations.join() === settings.locations.join()
      ? []
      : [{ setting: 'locations', title: 'Locations', before: settings.locations.join(', '), after: wanted.locations.join(', '), needsRestart: false }]
  const changes = [...limit, ...order]
  return {
    ok: faults.length === 0,
    faults,
    settings: wanted,
    changes,
    hosts: 3,
    hostsToRestart: limit.length ? 3 : 0,
    people: 2400,
    slowBefore: 40,
    slowAfter: 40,
  }
}
const shown = (more: Answers = {}, role: 'help-desk' | 'administrator' = 'administrator') =>
  show(BasePage, { answers: { policy: policy(), policyPreview: ({ body }) => preview(body as Settings), ...more }, role, at: '/policies/base' })
const publish = (page: Page) => page.one<HTMLButtonElement>('button', 'Publish as version 4')

describe('the base policy', () => {
  it('is told in sentences, with how far it is in force', async () => {
    const page = await shown({}, 'help-desk')
    const text = page.text()
    for (const words of [
      'Version 3, published Mon 23 Nov 06:40 by vaas. It applies to everybody: 2,400 people on 3 hosts.',
      'Containers are on; each is a VHDX file that grows with use, of at most 30 GiB.',
      'When none can be had, refuse the logon.',
      'A logon is slow beyond 45 s, on bridge beyond 90 s.',
      'Administrators can edit it.',
    ])
      expect(text).toContain(words)
    expect(page.all('button', 'Edit')).toEqual([])
    expect(page.rows('[aria-label=Proof]')).toEqual([
      'TH-2 | ticket-hall | differs Size limit: reports 20 GiB, should be 30 GiB | 2 | Mon 23 Nov 06:40',
      'BR-1 | bridge | never reported | – | never',
      'TH-1 | ticket-hall | as it should be | 3 | Mon 23 Nov 06:40',
    ])
    await page.click('.toolbar input[type=checkbox]')
    await page.until(() => expect(page.rows('[aria-label=Proof]')).toHaveLength(2))
  })

  it('is published only when something differs, after it was said what and for how many', async () => {
    const page = await shown({ policyPublish: ({ body }) => policy({ version: 4, settings: (body as { settings: Settings }).settings }) })
    await page.click('button', 'Edit')
    await page.until(() => expect(page.one('aside').textContent).toContain('Nothing yet.'))
    expect(publish(page).disabled).toBe(true)
    await page.type('input[type=number][min="64"]', '2048')
    await page.until(() => expect(page.one('aside').textContent.replaceAll(/\s+/g, ' ')).toContain('30 GiB → 2048 MiB'))
    expect(page.one('aside').textContent.replaceAll(/\s+/g, ' ')).toContain('3 hosts must be restarted before all of it is in force.')
    publish(page).click()
    await page.until(() => expect(page.text()).toContain('Version 4, published'))
    expect(page.asked.find(({ name }) => name === 'policyPublish')?.body).toEqual({ settings: { ...settings, sizeLimitMib: 2048 }, basedOn: 3 })
  })

  it('says at each location what is wrong with it, and cannot be published so', async () => {
    const page = await shown()
    await page.click('button', 'Edit')
    for (const [written, words] of [
      ['https://files.example/profiles', /web address|\\\\server/],
      ['', /blank/],
      [String.raw`\\quay-fs1\%nobody%`, /%nobody%/],
    ] as const) {
      await page.type('[aria-label="Location 1"]', written)
      await page.until(() => expect(page.one('.fault').textContent).toMatch(words))
    }
    await page.type('[aria-label="Location 1"]', '')
    await page.until(() => expect(publish(page).disabled).toBe(true))
    await page.type('[aria-label="Location 1"]', settings.locations[0] ?? '')
    await page.until(() => expect(page.all('.fault')).toEqual([]))
  })

  it('has its locations ordered, added and taken away', async () => {
    const page = await shown()
    await page.click('button', 'Edit')
    const written = () => (page.all('.location input') as HTMLInputElement[]).map(({ value }) => value)
    await page.click('[aria-label="Move location 2 up"]')
    expect(written()).toEqual([...settings.locations].reverse())
    expect(page.one<HTMLButtonElement>('[aria-label="Move location 1 up"]').disabled).toBe(true)
    await page.click('button', 'Add a location')
    expect(written()).toHaveLength(3)
    await page.click('[aria-label="Take location 3 away"]')
    await page.until(() => expect(page.one('aside').textContent).toContain(String.raw`\\hill-fs1\profiles, \\quay-fs1\profiles`))
    await page.click('button', 'Throw the draft away')
    expect(page.all('.location')).toEqual([])
    expect(page.all('ol li').map(({ textContent }) => textContent)).toEqual(settings.locations)
  })

  it('keeps the draft where publishing is refused, and says why until something is altered', async () => {
    const page = await shown({ policyPublish: () => new Problem(409, 'Somebody has published version 4 meanwhile.') })
    await page.click('button', 'Edit')
    await page.type('input[type=number][min="64"]', '2048')
    await page.until(() => expect(publish(page).disabled).toBe(false))
    publish(page).click()
    await page.until(() => expect(page.one('aside [role=alert]').textContent).toContain('Somebody has published version 4 meanwhile.'))
    expect(page.one<HTMLInputElement>('input[type=number][min="64"]').value).toBe('2048')
    await page.type('input[type=number][min="64"]', '4096')
    await page.until(() => expect(page.all('aside [role=alert]')).toEqual([]))
  })
})
