// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import { writeText } from '../../core/policies'
import { atNow } from '../fixtures/lines'
import { clear, show, type Page } from '../fixtures/page'
import { PolicyDesk, policyOf, setOf } from '../fixtures/policies'
import PolicyPage from './PolicyPage.vue'

atNow()

const desk = (more: object = {}) =>
  new PolicyDesk(
    setOf({
      base: { lockMinutes: 15 },
      policies: [
        { ...policyOf('crew', 'Crew', 'group is crew', { printing: 'off' }), ...more },
        policyOf('home', 'At home', 'network is home', { lockMinutes: 10, printing: 'on' }),
      ],
    }),
  )
function shown(server: PolicyDesk, id = 'crew', role: 'viewer' | 'administrator' = 'administrator') {
  clear()
  return show(PolicyPage, { answers: server.answers, role, props: { id } })
}
const drafted = (server: PolicyDesk, id = 'crew') => server.draft?.set.policies.find((policy) => policy.id === id)
const settings = (page: Page) => page.all('.setting strong').map((title) => title.textContent)

describe('one policy', () => {
  it('says where it stands, whom it can reach, what it sets, and when that takes effect', async () => {
    const page = await shown(desk())
    await page.until(() => expect(page.text()).toContain('Place 1 of 2; it can apply to 2 people.'))
    expect(page.one<HTMLTextAreaElement>('textarea[aria-label="The condition as text"]').value).toBe('group is crew')
    expect(settings(page)).toEqual(['Printing'])
    expect(page.one('.setting').textContent).toMatch(/Base: .*Takes effect from the next logon on/s)
  })

  it('is changed field by field, each at once a draft', async () => {
    const server = desk()
    const page = await shown(server)
    await page.type('.who label:nth-child(1) input', 'The crew')
    await page.until(() => expect(drafted(server)?.name).toBe('The crew'))
    await page.type('.who select', 'off')
    await page.until(() => expect(drafted(server)?.state).toBe('off'))
    await page.type('.who label:nth-child(5) input', '2026-12-24T06:00')
    await page.until(() => expect(drafted(server)?.until).toBe('2026-12-24T05:00:00.000Z'))
    await page.type('.who label:nth-child(5) input', '')
    await page.until(() => expect(drafted(server)).not.toHaveProperty('until'))
    await page.type('textarea[aria-label="The condition as text"]', 'group is crew and network is home')
    await page.until(() => expect(writeText(drafted(server)?.when as never)).toBe('group is crew and network is home'))
  })

  it('keeps what is not understood for itself, and says why', async () => {
    const server = desk()
    const page = await shown(server, 'home')
    await page.type('input[aria-label="Lock after"]', '-3')
    await page.until(() => expect(page.one('section.work > [role=status]').textContent).toContain('Not kept yet:'))
    expect(server.draft).toBeNull()
    await page.type('input[aria-label="Lock after"]', '3')
    await page.until(() => expect(drafted(server, 'home')?.settings).toEqual({ lockMinutes: 3, printing: 'on' }))
    expect(page.text()).not.toContain('Not kept yet')
  })

  it('takes a setting more, with the value of the base, and one away', async () => {
    const server = desk()
    const page = await shown(server)
    await page.type('[aria-label="Add a setting"]', 'lockMinutes')
    await page.until(() => expect(drafted(server)?.settings).toEqual({ printing: 'off', lockMinutes: 15 }))
    expect(page.all('[aria-label="Add a setting"] option').map((option) => option.getAttribute('value'))).not.toContain('lockMinutes')
    await page.type('input[aria-label="Lock after"]', '5')
    await page.until(() => expect(drafted(server)?.settings['lockMinutes']).toBe(5))
    await page.click('[aria-label="Take Printing away"]')
    await page.until(() => expect(drafted(server)?.settings).toEqual({ lockMinutes: 5 }))
  })

  it('keeps a setting that is not known here, and says that it does nothing', async () => {
    const page = await shown(desk({ settings: { printing: 'off', gangwayLights: 'dim' } }))
    await page.until(() => expect(page.text()).toContain('gangwayLights Not known here: it is kept, and not applied. "dim"'))
  })

  it('is copied, switched off, and shown; and merged with the next, of which it wins', async () => {
    const server = desk()
    const page = await shown(server)
    await page.click('button', 'Copy it')
    await page.until(() => expect(server.names).toEqual(['Crew', 'Crew, copy (off)', 'At home']))
    expect(page.router.currentRoute.value.path).toBe('/policies/order/crew-copy')
    const other = desk()
    const again = await shown(other)
    await again.click('button', 'Merge it with the next, At home')
    await again.until(() => expect(other.names).toEqual(['Crew, At home']))
    expect(drafted(other)).toMatchObject({ settings: { printing: 'off', lockMinutes: 10 } })
    expect(writeText(drafted(other)?.when as never)).toBe('group is crew or network is home')
  })

  it('can be read, not changed, by a viewer; and one that is not there says so', async () => {
    const page = await shown(desk(), 'crew', 'viewer')
    expect(page.one<HTMLFieldSetElement>('fieldset.plainset').disabled).toBe(true)
    const none = await shown(desk(), 'gangway')
    await none.until(() => expect(none.text()).toContain('No policy has this id'))
  })
})
