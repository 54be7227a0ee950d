// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import type { Pictures } from '../../contract/compare'
import type { EventMapPreview } from '../../contract/event-map'
import { atNow, NOW_MS } from '../fixtures/lines'
import { Problem, show, type Answers, type Page } from '../fixtures/page'
import PicturesPage from './PicturesPage.vue'
import SourcesPage from './SourcesPage.vue'

atNow()
const HOUR_MS = 3_600_000

describe('logons as pictures', () => {
  /** Half past nine: the first and the last hour lie only partly in the window. */
  const pictures = (more: Partial<Pictures['phases']> = {}): Pictures => ({
    fromMs: NOW_MS - 23.5 * HOUR_MS,
    toMs: NOW_MS + HOUR_MS / 2,
    // Monday, the hour of NOW_MS in Copenhagen is the 10th.
    week: Array.from({ length: 168 }, (_, slot) => ({
      n: slot === 5 ? 400 : slot === 9 ? 20 : 0,
      bad: slot === 5 ? 40 : slot === 9 ? 10 : 0,
      medianMs: slot === 5 ? 14_000 : slot === 9 ? 31_000 : null,
    })),
    phases: {
      names: ['broker', 'container', 'shell'],
      stepMs: HOUR_MS,
      columns: Array.from({ length: 25 }, (_, i) => ({ atMs: NOW_MS - (24 - i) * HOUR_MS, n: 10, meanMs: [1000, 2000, 9000] })),
      ...more,
    },
  })
  const shown = (answer: Pictures) => show(PicturesPage, { answers: { pictures: answer } })
  const bars = (page: Page) =>
    page
      .all('[aria-label^="Mean time"] a > rect:last-child')
      .map((rect) => [Number(rect.getAttribute('x')), Number(rect.getAttribute('width'))] as const)

  it('draws every hour within the picture, also where it reaches beyond the window', async () => {
    const page = await shown(pictures())
    await page.until(() => expect(bars(page)).toHaveLength(25))
    const names = Number(page.all('[aria-label^="Mean time"] text.name')[0]?.getAttribute('x'))
    for (const [x = 0, width = 0] of bars(page)) {
      expect(width).toBeGreaterThan(0)
      expect(x + width).toBeLessThan(names)
    }
    // The one half of an hour at either end is half as wide.
    const widths = bars(page).map(([, width]) => Math.round(width))
    expect(widths[0]).toBe(widths[24])
    expect(widths[1]).toBeGreaterThan(1.8 * (widths[0] ?? 0))
  })

  it('puts the phase that is chosen on the ground', async () => {
    const page = await shown(pictures())
    const names = () => page.all('[aria-label^="Mean time"] text.name').map(({ textContent }) => textContent.trim())
    await page.until(() => expect(names()).toEqual(['broker', 'container', 'shell']))
    page.all('text.name')[2]?.dispatchEvent(new MouseEvent('click', { bubbles: true }))
    await page.until(() => expect(names()).toEqual(['shell', 'broker', 'container']))
  })

  it('names the hour of the week that cost most for its logons, and leads from each to them', async () => {
    const page = await shown(pictures())
    await page.until(() => expect(page.one('aside').textContent).toMatch(/Monday 09:00: 10 of 20 logons cost time \(50 %\), median\s+31 s/))
    const monday9 = page.all('[aria-label^="Logons and lost time"] a')[9]?.getAttribute('href')
    // 09:00 in Copenhagen, the hour before.
    expect(monday9).toBe(`/logons?from=${NOW_MS - HOUR_MS}&to=${NOW_MS}`)
  })

  it('says so where nothing is there, and where no hour stands out', async () => {
    const empty = pictures({ columns: [] })
    const page = await shown({ ...empty, week: empty.week.map((cell) => ({ ...cell, bad: 0 })) })
    await page.until(() => expect(page.text()).toContain('No hour of this window has logons in its roll-up yet.'))
    expect(page.text()).toContain('No hour of the week stands out.')
  })
})

describe('what events mean', () => {
  const own = { name: 'attach-agent', yaml: 'rules: []', rules: 2, author: 'vaas', atMs: NOW_MS }
  const answers = (more: Answers = {}): Answers => ({
    eventMaps: { own: [own], shipped: [{ provider: 'Somebody-Profiles', id: 1, observe: 'phase-begin', phase: 'profile', says: 'begins' }] },
    clocks: {
      clocks: [
        {
          machine: 'TH-Q1-04',
          offsetMs: 412_000,
          uncertaintyMs: 900,
          n: 31,
          sinceMs: NOW_MS - HOUR_MS,
          named: true,
          beyondTickets: true,
          seenMs: NOW_MS,
        },
        { machine: 'BR-1', offsetMs: -4000, uncertaintyMs: 200, n: 8, sinceMs: NOW_MS - HOUR_MS, named: true, beyondTickets: false, seenMs: NOW_MS },
        {
          machine: 'the broker of crew',
          offsetMs: 3000,
          uncertaintyMs: 100,
          n: 9,
          sinceMs: NOW_MS - HOUR_MS,
          named: false,
          beyondTickets: false,
          seenMs: NOW_MS,
        },
      ],
    },
    ...more,
  })
  const preview = (more: Partial<EventMapPreview> = {}): EventMapPreview => ({
    complaints: [],
    observations: [
      {
        atMs: NOW_MS,
        kind: 'phase',
        person: 'mara',
        host: 'TH-1',
        phase: 'container',
        part: null,
        durationMs: null,
        code: null,
        text: null,
        attrs: { share: 'quay' },
      },
    ],
    of: 1,
    notUnderstood: ['Larkmere-Attach 9'],
    ...more,
  })

  it('says which clocks are off, by how much, and where tickets are refused for it', async () => {
    const page = await show(SourcesPage, { answers: answers() })
    await page.until(() =>
      expect(page.rows('[aria-label="Clocks that are off"]')).toEqual([
        'TH-Q1-04 | 6 min 52 s ahead ± 0.9 s tickets are refused beyond 5 min | 31 logons | 09:00',
        'BR-1 | 4.0 s behind ± 0.2 s | 8 logons | 09:00',
        'the broker of crew | 3.0 s ahead ± 0.1 s | 9 logons | 09:00',
      ]),
    )
    // Of a broker that nobody names there are no logons to go to.
    expect([...page.all('[aria-label="Clocks that are off"] td a')].map((link) => link.textContent)).toEqual(['TH-Q1-04', 'BR-1'])
    expect(page.rows('[aria-label="Shipped rules"]')).toEqual(['Somebody-Profiles | 1 | phase-begin of profile | begins'])
  })

  it('tries rules on real events, which are read here, and says what is missing and not understood', async () => {
    const page = await show(SourcesPage, { answers: answers({ eventMapPreview: preview() }) })
    const field = page.one<HTMLInputElement>('input[type=file]')
    Object.defineProperty(field, 'files', { value: [new File(['<Event>é</Event>'], 'events.xml')] })
    field.dispatchEvent(new Event('change', { bubbles: true }))
    await page.until(() => expect(page.text()).toContain('What these rules make of events.xml'))
    expect(page.rows('[aria-label=Preview]')).toEqual(['10:00:00 | phase | container | mara | TH-1 | no time | share quay'])
    expect(page.text()).toContain('Larkmere-Attach 9')
    expect(page.asked.find(({ name }) => name === 'eventMapPreview')?.body).toMatchObject({ sample: '<Event>é</Event>' })
  })

  it('says what is wrong with a rule, keeps and forgets', async () => {
    const complaints = [{ path: 'rules.0.phase', sentence: 'a rule that observes a phase needs a phase' }]
    const page = await show(SourcesPage, {
      answers: answers({
        eventMapPreview: preview({ complaints, observations: [], of: 0 }),
        eventMapKeep: ({ params }) => (params['id'] === 'good' ? { ...own, name: 'good' } : new Problem(422, 'rules.0.phase: needs a phase')),
        eventMapForget: { ok: true },
      }),
    })
    await page.click('button', 'Try')
    await page.until(() => expect(page.text()).toContain('rules.0.phase: a rule that observes a phase needs a phase'))
    const keep = page.one<HTMLButtonElement>('button', 'Keep')
    expect(keep.disabled).toBe(true)
    await page.click('button', 'Edit')
    expect(page.one<HTMLInputElement>('aside input[maxlength]').value).toBe('attach-agent')
    await page.click('button', 'Keep')
    await page.until(() => expect(page.one('aside [role=alert]').textContent).toContain('needs a phase'))
    await page.type('aside input[maxlength]', ' good ')
    await page.click('button', 'Keep')
    await page.until(() => expect(page.one('aside [role=status]').textContent).toContain('Kept.'))
    await page.click('button', 'Forget')
    expect(page.asked.find(({ name }) => name === 'eventMapForget')?.params).toEqual({ id: 'attach-agent' })
  })
})
