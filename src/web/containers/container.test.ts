// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import type { ContainerPage as Container } from '../../contract/containers'
import { atNow, containerLine, jobOf, NOW_MS } from '../fixtures/lines'
import { clear, Problem, show, type Answers, type Page } from '../fixtures/page'
import ContainerPage from './ContainerPage.vue'

atNow()
const [MIB, GIB] = [2 ** 20, 2 ** 30]
const HILL = { id: 'hill', path: String.raw`\\hill-fs1\profiles`, freeBytes: 400 * GIB }

const action = (kind: Container['actions'][number]['kind'], title: string, whyNot: string | null = null) => ({
  kind,
  title,
  sentence: `What ${title.toLowerCase()} does.`,
  whyNot,
})
const container = (more: Partial<Container> = {}): Container => ({
  container: containerLine('mara'),
  owner: { name: 'Mara Lind', enabled: true },
  blockBytes: 32 * MIB,
  parent: null,
  modifiedMs: NOW_MS,
  structures: [],
  findings: [],
  layout: [],
  blocks: [],
  otherShares: [HILL],
  unreadable: null,
  actions: [
    action('compact', 'Compact it'),
    action('set-aside', 'Set it aside'),
    action('move', 'Move it'),
    action('grow', 'Make it larger'),
    action('release', 'Release it', 'Nobody holds it.'),
  ],
  ...more,
})
function shown(page: Container, more: Answers = {}, role: 'viewer' | 'administrator' = 'administrator') {
  clear()
  return show(ContainerPage, { answers: { container: page, job: jobOf({ state: 'running' }), ...more }, role, props: { id: 'mara' } })
}
const aside = (page: Page) => page.one('aside').textContent.replaceAll(/\s+/g, ' ')
const sent = (page: Page) => page.asked.filter(({ name }) => name === 'containerJob').map(({ body }) => body)

describe('a container', () => {
  it('says whose it is, how full, of what build, and who has it', async () => {
    const page = await shown(container({ container: containerLine('mara', { holderHost: 'TH-Q1-04', holderSession: '7', holderAlive: false }) }))
    expect(page.one<HTMLAnchorElement>('h1 a').getAttribute('href')).toBe('/people/mara')
    expect(page.text()).toContain('3.0 GiB written of 30.0 GiB (10 %), in a file of 4.0 GiB; VHDX, dynamic, blocks of 32.0 MiB.')
    expect(page.text()).toContain('+2.0 GiB since')
    expect(aside(page)).toContain('TH-Q1-04 for session 7, which does not live.')
  })

  it('of nobody, or that cannot be read just now, says so', async () => {
    const page = await shown(
      container({ container: containerLine('left', { person: null, name: null }), unreadable: 'The share does not answer.', structures: [] }),
    )
    expect(page.one('h1').textContent.trim()).toBe('A container of nobody')
    expect(page.one('section [role=alert]').textContent).toBe('The share does not answer.')
    expect(page.text()).not.toContain('written of')
    await page.click('aside button', 'Compact it…')
    expect(aside(page)).toContain('It belongs to nobody, so nobody is touched.')
  })

  it('shows what is wrong by byte, and opens the structure whose checksum does not fit', async () => {
    const value = { name: 'Signature', offset: 196_608, value: '0x69676572', meaning: 'region table' }
    const page = await shown(
      container({
        findings: [{ code: 'vhdx.region-sum', offset: 196_612, sentence: 'The checksum of the first region table does not fit.' }],
        structures: [
          { name: 'Header 1', offset: 65_536, bytes: 4096, checksum: 'fits', values: [value, value] },
          { name: 'Region table 1', offset: 196_608, bytes: 65_536, checksum: 'does not fit', values: [value] },
        ],
      }),
    )
    expect(page.rows('[aria-label="Findings in the structure"]')).toEqual([
      '196,612 | The checksum of the first region table does not fit. vhdx.region-sum',
    ])
    expect(page.all('details').map((one) => [one.querySelector('strong')?.textContent, one.hasAttribute('open')])).toEqual([
      ['Header 1', false],
      ['Region table 1', true],
    ])
    expect(page.rows('[aria-label="Region table 1"]')).toEqual(['196,608 | Signature | 0x69676572 | region table'])
  })

  it('counts what compaction would give back only when asked, or says why it cannot', async () => {
    let gone = false
    const room: Answers = { containerRoom: () => (gone ? new Problem(503, 'The share does not answer.') : { blocks: 12, bytes: 384 * MIB }) }
    const page = await shown(container(), room)
    expect(page.asked.some(({ name }) => name === 'containerRoom')).toBe(false)
    await page.click('button', 'Read the blocks and count')
    await page.until(() => expect(aside(page)).toContain('384 MiB: 12 blocks hold only zeros.'))
    gone = true
    const other = await shown(container(), room)
    await other.click('button', 'Read the blocks and count')
    await other.until(() => expect(aside(other)).toContain('The share does not answer.'))
    const fixed = await shown(container({ container: containerLine('mara', { format: 'vhd', kind: 'fixed' }) }))
    expect(aside(fixed)).toContain('A VHD of full size has no blocks to leave out.')
  })

  it('says whom a job touches before it starts, and follows it', async () => {
    const page = await shown(container(), {
      containerJob: jobOf({ id: 'c1', state: 'running' }),
      job: jobOf({ id: 'c1', title: 'Compact', state: 'running' }),
    })
    await page.click('aside button', 'Compact it…')
    expect(aside(page)).toContain('What compact it does. Mara Lind cannot log on with it while this runs; nobody else is touched.')
    await page.click('aside button', 'Compact it')
    await page.until(() => expect(sent(page)).toEqual([{ kind: 'compact' }]))
    await page.until(() => expect(page.asked.some(({ name, params }) => name === 'job' && params['id'] === 'c1')).toBe(true))
  })

  it('is set aside only by whoever knows what that means, moved to where they say, and made as large as they say', async () => {
    const page = await shown(container(), { containerJob: jobOf({ state: 'running' }) })
    await page.click('aside button', 'Set it aside…')
    expect(page.one<HTMLButtonElement>('aside button', 'Set it aside').disabled).toBe(true)
    await page.click('aside input[type=checkbox]')
    await page.click('aside button', 'Set it aside')
    await page.click('aside button', 'Move it…')
    await page.type('[aria-label="Keep the old one, days"]', '5')
    await page.click('aside button', 'Move it')
    await page.click('aside button', 'Make it larger…')
    expect(page.one<HTMLInputElement>('aside input.gib').value).toBe('40')
    await page.type('aside input.gib', '64')
    await page.click('aside button', 'Make it larger')
    await page.until(() =>
      expect(sent(page)).toEqual([{ kind: 'set-aside' }, { kind: 'move', toShare: 'hill', keepDays: 5 }, { kind: 'grow', virtualBytes: 64 * GIB }]),
    )
  })

  it('says why something cannot be done now, what the server refused, and leaves a viewer nothing to press', async () => {
    const page = await shown(container(), { containerJob: () => new Problem(409, 'Somebody has it now.') })
    expect(aside(page)).toMatch(/What cannot be done now Release it ?Nobody holds it\./)
    await page.click('aside button', 'Compact it…')
    await page.click('aside button', 'Compact it')
    await page.until(() => expect(page.one('aside [role=alert]').textContent).toBe('Somebody has it now.'))
    const viewer = await shown(container(), {}, 'viewer')
    expect(aside(viewer)).toContain('Your role does not include this.')
    expect(viewer.all('aside .go').every((button) => (button as HTMLButtonElement).disabled)).toBe(true)
  })
})
