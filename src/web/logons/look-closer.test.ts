// @vitest-environment happy-dom
import { beforeEach, describe, expect, it } from 'vitest'
import { BUCKETS, type Cohort } from '../../contract/compare'
import type { IncidentPage as Incident } from '../../contract/logons'
import { atNow, incidentLine, NOW_MS } from '../fixtures/lines'
import { clear, Problem, show, type Answers, type Page } from '../fixtures/page'
import { useBench } from '../shell/bench'
import ComparePage from './ComparePage.vue'
import IncidentPage from './IncidentPage.vue'

atNow()
beforeEach(() => {
  localStorage.clear()
  useBench().items.value = []
})

const cohort = (id: string, more: Partial<Cohort> = {}): Cohort => ({
  id,
  kind: 'host',
  value: id.slice(5),
  logons: 120,
  failed: 2,
  slow: 4,
  lostMs: 60_000,
  lowMs: 9000,
  medianMs: 12_000,
  highMs: 20_000,
  phases: [
    { phase: 'container', medianMs: 1100 },
    { phase: 'shell', medianMs: 4000 },
  ],
  causes: [],
  buckets: Array.from({ length: BUCKETS }, (_, i) => (i === 12 ? 120 : 0)),
  ...more,
})

describe('compared', () => {
  const slow = cohort('host:TH-2', {
    medianMs: 48_000,
    phases: [
      { phase: 'container', medianMs: 38_000 },
      { phase: 'shell', medianMs: 4100 },
    ],
  })
  const answers: Answers = {
    cohort: ({ params }) =>
      params['id'] === 'host:TH-1' ? cohort('host:TH-1') : params['id'] === 'host:TH-2' ? slow : new Problem(404, 'No host is called that.'),
  }
  const shown = (at: string) => show(ComparePage, { answers, path: '/logons/compare', at })
  const titles = (page: Page) => page.rows('.scroll-x table').map((row) => row.split(' | ')[0])

  it('says how to begin where nothing is on the bench', async () => {
    const page = await shown('/logons/compare')
    expect(page.text()).toContain('Nothing is on the bench.')
  })

  it('shows what differs, and when asked also what is alike', async () => {
    const page = await shown('/logons/compare?one=host:TH-1&one=host:TH-2')
    await page.until(() => expect(page.rows('.scroll-x table').join('\n')).toMatch(/container, median \| 1\.1 s \| 38 s/))
    expect(titles(page).join()).not.toContain('shell')
    await page.click('button', 'Also what is alike')
    expect(page.rows('.scroll-x table').join('\n')).toMatch(/shell, median \| 4\.0 s \| 4\.1 s/)
    await page.click('button', 'Only what differs')
    expect(titles(page).join()).not.toContain('shell')
    expect(page.asked.filter(({ name }) => name === 'cohort').map(({ query }) => query['toMs'])).toEqual([String(NOW_MS), String(NOW_MS)])
  })

  it('has things added and taken away, in the address, so that it can be sent to somebody', async () => {
    const page = await shown('/logons/compare?one=host:TH-1')
    await page.type('[aria-label=Which]', ' TH-2 ')
    page.one<HTMLFormElement>('aside form').requestSubmit()
    await page.until(() => expect(page.router.currentRoute.value.query['one']).toEqual(['host:TH-1', 'host:TH-2']))
    await page.until(() => expect(page.all('[aria-label="Take host TH-1 away"]')).toHaveLength(1))
    await page.click('[aria-label="Take host TH-1 away"]')
    await page.until(() => expect(page.router.currentRoute.value.query['one']).toEqual(['host:TH-2']))
  })

  it('takes a moment in the time of the organisation', async () => {
    const page = await shown('/logons/compare')
    const kind = page.one<HTMLSelectElement>('[aria-label="What to add"]')
    kind.value = 'since'
    kind.dispatchEvent(new Event('change', { bubbles: true }))
    await page.until(() => expect(page.one<HTMLInputElement>('[aria-label=Which]').type).toBe('datetime-local'))
    await page.type('[aria-label=Which]', '2026-11-23T06:30')
    page.one<HTMLFormElement>('aside form').requestSubmit()
    await page.until(() => expect(page.router.currentRoute.value.query['one']).toEqual([`since:${Date.UTC(2026, 10, 23, 5, 30)}`]))
  })

  it('says of which of them nothing is known, and shows the others', async () => {
    const page = await shown('/logons/compare?one=host:TH-1&one=host:gone')
    await page.until(() =>
      expect(
        page
          .all('[role=alert]')
          .map(({ textContent }) => textContent)
          .join(),
      ).toContain('host gone: No host is called that.'),
    )
    expect(page.rows('.scroll-x table').length).toBeGreaterThan(2)
  })
})

describe('an incident', () => {
  const change = {
    id: 'c1',
    atMs: NOW_MS - 8_000_000,
    kind: 'share',
    scope: [{ dimension: 'share', value: 'quay' }],
    sentence: 'quay got new firmware.',
    of: 'its beginning' as const,
  }
  const incident = (more: Partial<Incident> = {}): Incident => ({
    ...incidentLine('i1', { failed: 3, change }),
    contrast: { inside: { hit: 46, n: 60 }, outside: { hit: 2, n: 400 } },
    p: 1e-9,
    each: [],
    alongside: [{ place: { dimension: 'pool', value: 'halls' }, sentence: 'Pool halls only goes along: all of its logons are on quay.' }],
    suspects: [
      { change, of: change.of, score: 4, reasons: [{ for: true, weight: 3, sentence: 'It was 13 minutes before the first.' }] },
      {
        change: { ...change, id: 'c2', sentence: 'Image 2026.12 was rolled out.', by: 'orn' },
        of: change.of,
        score: -2,
        reasons: [{ for: false, weight: 3, sentence: 'It was elsewhere.' }],
      },
    ],
    hours: [{ atMs: NOW_MS - 3_600_000, n: 60, hit: 46 }],
    done: [{ atMs: NOW_MS - 1_800_000, sentence: 'Containers of quay were moved.', here: true }],
    watch: null,
    ...more,
  })
  const watch: NonNullable<Incident['watch']> = {
    sinceMs: NOW_MS - 1_800_000,
    cohort: 'logons with share quay',
    verdict: 'helped',
    sentence: 'helped: 94 s → 31 s, 46 logons so far',
    before: { n: 60, failed: 3, medianMs: 94_000 },
    after: { n: 46, failed: 0, medianMs: 31_000, withCause: 1 },
    test: { helped: 9.1, worse: 0.1, bound: 4.6, floor: -4.6 },
  }
  const shown = (more: Answers = {}, at = '/incidents/i1') =>
    show(IncidentPage, { answers: { incident: ({ query }) => incident(query['doneMs'] ? { watch } : {}), ...more }, path: '/incidents/:id', at })

  it('says why here, why then, what only goes along, and which change is suspected and why', async () => {
    const page = await shown()
    const text = page.text()
    for (const words of [
      'Share answers slowly: quay',
      '40 people lost 46 min in 46 logons, 3 of them failed',
      '46 of 60 (77 %) had it',
      '2 of 400 (under 1 %) had it',
      'with a probability of under one in a million',
      'Pool halls only goes along',
      'It was 13 minutes before the first.',
      'It was elsewhere.',
    ])
      expect(text).toContain(words)
    const said = page.all('summary').map((one) => one.textContent.replaceAll(/\s+/g, ' ').trim())
    expect(said[0]).toMatch(/^quay got new firmware\. .*, not known by whom · suspected$/)
    expect(said[1]).toMatch(/^Image 2026\.12 was rolled out\. .*, orn · not suspected$/)
    expect(page.all('details').map((one) => (one as HTMLDetailsElement).open)).toEqual([true, false])
  })

  it('says since when it is far worse, and which change is suspected of that; words that would cover each other stand in rows', async () => {
    const worsened = { ...change, of: 'its worsening' as const }
    const [, other] = incident().suspects
    const page = await shown({
      incident: incident({
        change: worsened,
        worse: { sinceMs: change.atMs + 600_000, times: 16.2 },
        suspects: [{ change: worsened, of: 'its worsening', score: 4, reasons: [] }, ...(other ? [other] : [])],
        hours: Array.from({ length: 72 }, (_, i) => ({ atMs: NOW_MS - (72 - i) * 3_600_000, n: 60, hit: 3 })),
      }),
    })
    expect(page.text()).toMatch(/far worse since .* \(16 times the loss per logon\)/)
    expect(page.all('summary')[0]?.textContent).toContain('suspected of the worsening')
    const heights = new Map(page.all('svg g text').map((one) => [one.textContent, Number(one.getAttribute('y'))]))
    expect([...heights.keys()]).toEqual(['change', 'far worse'])
    expect((heights.get('far worse') ?? 0) - (heights.get('change') ?? 0)).toBeGreaterThan(10)
  })

  it('says whether what was done has helped, once that is chosen; and forgets it again', async () => {
    const page = await shown()
    await page.click('aside button', 'Containers of quay were moved.')
    await page.until(() => expect(page.one('.verdict').textContent.trim()).toBe('helped: 94 s → 31 s, 46 logons so far'))
    expect(page.router.currentRoute.value.query).toEqual({ done: String(NOW_MS - 1_800_000) })
    expect(page.rows('aside table')).toEqual(['before | 60 | 3 | 1 min 34 s', 'since | 46 | 0 | 31 s'])
    await page.click('aside button', 'Another moment')
    await page.until(() => expect(page.all('.verdict')).toEqual([]))
    expect(page.router.currentRoute.value.query).toEqual({})
  })

  it('leads to all its logons in the same window', async () => {
    const page = await shown({}, '/incidents/i1?window=7d')
    expect(page.one('aside a', /46 logons with this cause/).getAttribute('href')).toBe('/logons?cause=share-slow&share=quay&window=7d')
    expect(page.one('aside a', 'The one that lost most').getAttribute('href')).toBe('/logons/f%2F1')
  })

  it('of several hosts says how many had it on each, and leads to those', async () => {
    const each = ['TH-1', 'TH-4', 'TH-7'].map((value, i) => ({
      place: { dimension: 'host', value },
      fromMs: NOW_MS - 3_600_000,
      inside: { hit: 10 + i, n: 20 },
    }))
    const scope = [{ dimension: 'host', value: 'TH-1, TH-4, TH-7' }]
    const page = await shown({ incident: incident({ scope, each }) }, '/incidents/i1?window=7d')
    expect(page.text()).toContain('TH-1, TH-4 and TH-7')
    const rows = page.rows('table').filter((row) => row.includes('since'))
    expect(rows).toHaveLength(3)
    expect(rows[1]).toMatch(/^TH-4, since .* \| 11 of 20 \(55 %\)$/)
    expect(page.one('table a', 'TH-4').getAttribute('href')).toBe('/logons?cause=share-slow&host=TH-4&window=7d')
    expect(page.one('aside a', /46 logons with this cause/).getAttribute('href')).toBe('/logons?cause=share-slow&host=TH-1,+TH-4,+TH-7&window=7d')
  })

  it('says so where no change is known, and where the incident is not of this window any more', async () => {
    const none = await shown({ incident: incident({ suspects: [], change: null, done: [], alongside: [] }) })
    expect(none.text()).toContain('No change is known of. Tell of one that was made elsewhere.')
    expect(none.text()).toContain('Nothing was done or changed here since it began.')
    clear()
    const gone = await shown({ incident: () => new Problem(404, 'No incident of this window is called that any more.') })
    expect(gone.text()).toContain('No incident of this window is called that any more.')
  })
})
