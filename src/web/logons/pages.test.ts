// @vitest-environment happy-dom
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { OUTCOMES } from '../../core/logons/attempt'
import type { Finding, Story, Today, UploadState } from '../../contract/logons'
import { atNow, attemptLine as attempt, incidentLine as incident, jobOf, NOW_MS } from '../fixtures/lines'
import { clear, Problem, show, type Answers } from '../fixtures/page'
import LogonsPage from './LogonsPage.vue'
import StoryPage from './StoryPage.vue'
import TodayPage from './TodayPage.vue'
import UploadMargin from './UploadMargin.vue'

atNow()

const failed = attempt('f/1', {
  outcome: 'failed',
  totalMs: 90_000,
  usualMs: null,
  cause: 'container-held',
  causeTitle: 'Container held by another session',
  lostMs: 90_000,
})
const finding: Finding = {
  id: 'container-held',
  title: 'Container held by another session',
  confidence: 0.97,
  sentence: 'The container is still held by a session on TH-Q2-01 that is gone.',
  toPerson: 'Your profile is still in use elsewhere.',
  evidence: [
    { for: true, weight: 6, sentence: 'The share refused: it is in use.', detail: 'STATUS_SHARING_VIOLATION' },
    { for: false, weight: 1, sentence: 'No retry was recorded.' },
  ],
  remedy: { kind: 'release-hold', label: 'Release the container', explanation: 'After TH-Q2-01 says that the session is gone.', target: 'mara' },
  logOdds: { prior: -3, withEvidence: 4 },
}
const story = (more: Partial<Story> = {}): Story => ({
  ...failed,
  account: 'LARKMERE\\mara',
  session: '7',
  attrs: { network: 'office', share: 'quay', image: '2026.11', first: false },
  phases: [
    { phase: 'broker', startMs: 0, endMs: 600, ended: true, code: null, host: 'TH-Q1-04' },
    { phase: 'container', startMs: 600, endMs: 90_000, ended: true, code: 'STATUS_SHARING_VIOLATION', host: 'TH-Q1-04' },
  ],
  parts: [],
  marks: [{ atMs: 900, code: 'STATUS_SHARING_VIOLATION', number: '0xC0000043', says: 'The file is in use.', phase: 'container', text: null }],
  blame: [
    { phase: 'broker', fromMs: 0, toMs: 600 },
    { phase: 'container', fromMs: 600, toMs: 90_000 },
  ],
  shares: [
    { phase: 'broker', ms: 600 },
    { phase: 'container', ms: 89_400 },
  ],
  approvalMs: null,
  usual: null,
  excess: [],
  slowMs: 45_000,
  diagnosis: { cause: finding, others: [{ id: 'share-slow', title: 'Share answers slowly', confidence: 0.02 }] },
  oddities: [],
  observations: 5,
  colleagues: { fromMs: NOW_MS - 5_400_000, toMs: NOW_MS - 1_800_000, totalMs: [12_000, 14_000], outcome: [0, 0], id: ['c1', 'c2'] },
  last: [failed],
  alike: null,
  ...more,
})
const today = (more: Partial<Today> = {}): Today => ({
  fromMs: NOW_MS - 86_400_000,
  toMs: NOW_MS,
  nowMs: NOW_MS,
  logons: 1234,
  byOutcome: { ready: 1200, failed: 4, slow: 20, degraded: 2, open: 8 },
  medianMs: 14_200,
  usualMedianMs: 13_000,
  lostMs: 2_700_000,
  worstFromMs: NOW_MS - 7_200_000,
  worstToMs: NOW_MS - 3_600_000,
  band: [],
  dots: { atMs: [], totalMs: [], outcome: [], id: [], shownOf: 0 },
  incidents: [incident('i1')],
  incidentsFromMs: null,
  newestMs: NOW_MS - 60_000,
  ...more,
})

describe('logons', () => {
  const answers: Answers = { attempts: { attempts: [attempt('a1'), failed], next: null }, uploads: { uploads: [] } }

  it('are lines with what they took, beside what is usual, and the cause', async () => {
    const page = await show(LogonsPage, { answers, at: '/logons' })
    expect(page.rows('[aria-label=Logons]').map((row) => row.replace(/^[^|]*\| /, ''))).toEqual([
      'Mara Lind | 09:00:00 | 13 s | 12 s | ticket-hall TH-Q1-04 | ',
      'Mara Lind | 09:00:00 | 1 min 30 s | – | ticket-hall TH-Q1-04 | Container held by another session',
    ])
    await page.click('tbody tr', /held/)
    await page.until(() => expect(page.router.currentRoute.value.path).toBe('/logons/f%2F1'))
  })

  it('are asked for as the address says: filters, order, and either the window or a stretch', async () => {
    const page = await show(LogonsPage, { answers, at: '/logons?outcome=failed&share=quay&sort=lost' })
    expect(page.asked.find(({ name }) => name === 'attempts')?.query).toEqual({
      outcome: 'failed',
      share: 'quay',
      sort: 'lost',
      fromMs: String(NOW_MS - 86_400_000),
      toMs: String(NOW_MS),
      limit: '100',
    })
    expect(page.one('a', 'Export CSV').getAttribute('href')).toContain('outcome=failed&share=quay&sort=lost')
    await page.click('[aria-label="Any share"]')
    expect(page.router.currentRoute.value.query).toEqual({ outcome: 'failed', sort: 'lost' })
    clear()
    const part = await show(LogonsPage, { answers, at: '/logons?from=1000&to=2000' })
    expect(part.asked.find(({ name }) => name === 'attempts')?.query).toMatchObject({ fromMs: '1000', toMs: '2000', sort: 'started' })
    await part.click('[aria-label="Any time of the window"]')
    expect(part.router.currentRoute.value.query).toEqual({})
  })

  it('of an evidence file are all of it, whatever the window, and the file is called by its name', async () => {
    const page = await show(LogonsPage, { answers: { ...answers, uploads: { uploads: [upload('u1')] } }, at: '/logons?upload=u1' })
    expect(page.asked.find(({ name }) => name === 'attempts')?.query).toEqual({ upload: 'u1', sort: 'started', limit: '100' })
    await page.until(() => expect(page.one('.chip').textContent.replaceAll(/\s+/g, ' ')).toContain('evidence file november.ndjson'))
    expect(page.rows('[aria-label=Logons]')[0]).toContain('23 Nov')
  })

  it('say what to do where none matches', async () => {
    const page = await show(LogonsPage, { answers: { ...answers, attempts: { attempts: [], next: null } }, at: '/logons' })
    expect(page.text()).toContain('No logon matches. Take away a filter or choose a longer window')
  })
})

const upload = (id: string, more: Partial<UploadState> = {}): UploadState => ({
  id,
  name: 'november.ndjson',
  author: 'hedda',
  byToken: false,
  state: 'done',
  bytes: 4_000_000,
  bytesRead: 4_000_000,
  observations: 15_056,
  refused: 2,
  attempts: 947,
  joined: 0,
  startedMs: NOW_MS - 60_000,
  endedMs: NOW_MS,
  firstMs: NOW_MS - 8 * 86_400_000,
  lastMs: NOW_MS - 86_400_000,
  sentence: '15,056 records were read, 2 refused.',
  faults: [
    { line: 12, byte: 900, code: 'line.json', reason: 'not valid JSON', excerpt: '{' },
    { line: null, byte: null, code: 'record.future', reason: 'time is more than a day ahead', excerpt: '' },
  ],
  ...more,
})

describe('evidence files', () => {
  it('tell what came of each, what was refused and why, and lead to the time that they are of', async () => {
    const page = await show(UploadMargin, { answers: { uploads: { uploads: [upload('u1')] }, uploadState: upload('u1') } })
    expect(page.one('button.one').textContent.replaceAll(/\s+/g, ' ')).toContain('15,056 records, 2 refused')
    await page.click('button.one')
    await page.until(() => expect(page.text()).toContain('947 logons came of it'))
    expect(page.all('li').map((one) => one.textContent.replaceAll(/\s+/g, ' ').trim())).toEqual([
      'line 12 not valid JSON',
      'file time is more than a day ahead',
    ])
    const to = page.one('a', /needs a decision in them/).getAttribute('href')
    expect(decodeURIComponent(to ?? '')).toMatch(/^\/\?window=2026-11-15T09:00Z\/2026-11-22T09:01Z$/)
    expect(page.one('a', /Download all/).getAttribute('href')).toBe('/api/uploads/u1/refused.csv')
  })

  it('that somebody gave are not pushed aside by what a source sends, and all are shown on request', async () => {
    const sent = Array.from({ length: 9 }, (_, i) => upload(`t${i}`, { name: `day ${i}`, author: 'token fleet', byToken: true }))
    const page = await show(UploadMargin, { answers: { uploads: { uploads: [...sent, upload('u1')] }, uploadState: upload('u1') } })
    const names = (list: string) => page.all(`section[aria-label="${list}"] button.one`).map((one) => one.textContent.trim().split(/ {2,}|\n/)[0])
    expect(names('Evidence files')).toHaveLength(1)
    expect(page.one('section[aria-label="Evidence files"] button.one').textContent).toContain('november.ndjson')
    expect(page.one('section[aria-label="Evidence files"]').textContent).toContain('hedda')
    expect(names('Sent with a token')).toHaveLength(6)
    await page.click('button', 'Show the other 3')
    expect(names('Sent with a token')).toHaveLength(9)
    expect(page.text()).not.toContain('Show the other')
  })

  it('that were given together say which of them was refused', async () => {
    const fault = { byte: null, code: 'line.json', reason: 'not valid JSON', excerpt: '' }
    const faults = [
      { file: 'hosts.ndjson', line: 12, ...fault },
      { file: 'photo.bin', line: null, ...fault },
    ]
    const page = await show(UploadMargin, { answers: { uploads: { uploads: [upload('u1')] }, uploadState: upload('u1', { faults }) } })
    await page.click('button.one')
    await page.until(() =>
      expect(page.all('li').map((one) => one.textContent.trim())).toEqual(['hosts.ndjson, line 12 not valid JSON', 'photo.bin not valid JSON']),
    )
  })

  it('that are being read say how far, and are stopped', async () => {
    const reading = upload('u1', { state: 'reading', bytesRead: 1_000_000, firstMs: null, lastMs: null, endedMs: null })
    const page = await show(UploadMargin, { answers: { uploads: { uploads: [reading] }, uploadState: reading, uploadCancel: reading } })
    expect(page.one('button.one').textContent).toContain('reading, 25 %')
    await page.click('button.one')
    await page.click('button', 'Stop reading')
    expect(page.asked.filter(({ name }) => name === 'uploadCancel').map(({ params }) => params)).toEqual([{ id: 'u1' }])
  })

  it('whose records are all of logons that were known say so', async () => {
    const read = { refused: 0, faults: [], sentence: 'All 20,851 records were read.' }
    const files = [
      upload('u1', { ...read, name: 'again', attempts: 0, firstMs: null, lastMs: null }),
      upload('u2', { ...read, name: 'hosts', attempts: 0, joined: 1499 }),
      upload('u3', { ...read, name: 'both', attempts: 1, joined: 1 }),
    ]
    const page = await show(UploadMargin, {
      answers: { uploads: { uploads: files }, uploadState: ({ params }) => files.find(({ id }) => id === params['id']) ?? new Problem(404, '') },
    })
    await page.click('button.one', /^again/)
    await page.until(() => expect(page.text()).toContain('All 20,851 records were read. Nothing in it is new: other evidence had told all of it.'))
    expect(page.all('section.detail a')).toEqual([])
    await page.click('button.one', /^hosts/)
    await page.until(() => expect(page.one('section.detail a', 'It told more of 1,499 logons').getAttribute('href')).toBe('/logons?upload=u2'))
    await page.click('button.one', /^both/)
    await page.until(() => expect(page.text()).toContain('1 logon came of it, and it told more of 1 other'))
  })

  describe('that are sent', () => {
    /** What goes over the wire, as a test lets it go on. */
    class Sending {
      static all: Sending[] = []
      readonly upload: { onprogress: ((event: { loaded: number; total: number }) => void) | null } = { onprogress: null }
      onload: (() => void) | null = null
      onerror: (() => void) | null = null
      status = 0
      responseText = ''
      form: FormData | null = null
      open(): void {
        Sending.all.push(this)
      }
      setRequestHeader(): void {}
      send(form: FormData): void {
        this.form = form
      }
      answer(status: number, body: object): void {
        Object.assign(this, { status, responseText: JSON.stringify(body) })
        this.onload?.()
      }
    }
    beforeEach(() => {
      Sending.all = []
      vi.stubGlobal('XMLHttpRequest', Sending)
    })
    afterEach(() => {
      vi.unstubAllGlobals()
    })
    async function pick(...names: string[]) {
      const page = await show(UploadMargin, { answers: { uploads: { uploads: [] }, uploadState: upload('u1') } })
      const field = page.one<HTMLInputElement>('[aria-label="Evidence file"]')
      Object.defineProperty(field, 'files', { value: names.map((name) => new File(['{}'], name)), configurable: true })
      field.dispatchEvent(new Event('change', { bubbles: true }))
      await page.until(() => expect(Sending.all.length).toBeGreaterThanOrEqual(1))
      return page
    }

    it('say how much of it has been sent, then what came of it', async () => {
      const page = await pick('november.ndjson')
      Sending.all[0]?.upload.onprogress?.({ loaded: 300, total: 1200 })
      await page.until(() => expect(page.text()).toContain('sending, 25 %'))
      Sending.all[0]?.answer(200, { id: 'u1' })
      await page.until(() => expect(page.text()).toContain('947 logons came of it'))
      expect((Sending.all[0]?.form?.get('file') as File).name).toBe('november.ndjson')
      expect(page.asked.filter(({ name }) => name === 'uploadState').map(({ params }) => params)).toEqual([{ id: 'u1' }])
    })

    it('several at once, as one', async () => {
      const page = await pick('broker.ndjson', 'hosts.xml.gz', 'directory.xml')
      expect(Sending.all.map(({ form }) => form?.getAll('file').map((file) => (file as File).name))).toEqual([
        ['broker.ndjson', 'hosts.xml.gz', 'directory.xml'],
      ])
      Sending.all[0]?.upload.onprogress?.({ loaded: 1, total: 2 })
      await page.until(() => expect(page.one('.one[role=status]').textContent).toBe('broker.ndjson and 2 moresending, 50 %'))
      Sending.all[0]?.answer(415, { code: 'format.unknown', title: 'This content type is not understood here.' })
      await page.until(() => expect(page.one('[role=alert]').textContent).toBe('broker.ndjson and 2 more: This content type is not understood here.'))
      expect(page.all('.one[role=status]')).toEqual([])
    })

    it('say why one was refused, and when the connection broke', async () => {
      const page = await pick('huge.ndjson')
      Sending.all[0]?.answer(413, { code: 'body.too-large', title: 'This is larger than what is taken at once.' })
      await page.until(() => expect(page.one('[role=alert]').textContent).toBe('huge.ndjson: This is larger than what is taken at once.'))
      clear()
      const broken = await pick('november.ndjson')
      Sending.all.at(-1)?.onerror?.()
      await broken.until(() => expect(broken.one('[role=alert]').textContent).toBe('november.ndjson: The connection broke while the file was sent.'))
    })
  })

  it('are given by those who may', async () => {
    const page = await show(UploadMargin, { answers: { uploads: { uploads: [] } }, role: 'viewer' })
    expect(page.text()).toContain('Your role may look at evidence, not give any.')
    expect(page.all('input[type=file]')).toEqual([])
  })
})

describe('today', () => {
  const answers: Answers = { today: today(), story: story() }

  it('draws hours on a ruled ground, and leads to a logon whatever its id is made of', async () => {
    const dots = { atMs: [NOW_MS - 60_000], totalMs: [7_000_000], outcome: [OUTCOMES.indexOf('failed')], id: ['a/b?c#d'], shownOf: 1 }
    const page = await show(TodayPage, { answers: { ...answers, today: today({ dots }) } })
    const mark = () => page.all('svg a').map((one) => one.getAttribute('href'))
    await page.until(() => expect(mark()).toEqual(['/logons/a%2Fb%3Fc%23d']))
    expect(page.all('svg text').map((one) => one.textContent)).toEqual(expect.arrayContaining(['8 s', '15 min', '1 h']))
  })

  it('says how many were spoiled, what they cost, and what needs a decision', async () => {
    const page = await show(TodayPage, { answers })
    expect(page.one('h1').textContent.replaceAll(/\s+/g, ' ').trim()).toBe('1,234 logons in the last 24 h, 26 of them spoiled')
    expect(page.one('.sub').textContent).toBe(
      "median 14 s (usual 13 s) · 4 failed · 2 on a temporary profile · 20 slow · 8 under way · 45 min of people's time lost, most of it between 08:00 and 09:00",
    )
    expect(page.one('.incidents li').textContent.replaceAll(/\s+/g, ' ')).toContain('Share answers slowly: quay')
    await page.until(() => expect(page.one('aside').textContent).toContain('The container is still held'))
    expect(page.one('aside a', /46 logons with this cause/).getAttribute('href')).toBe('/logons?cause=share-slow&share=quay')
    expect(page.one('aside a', /Why here/).getAttribute('href')).toBe('/incidents/i1')
  })

  it('lists the smaller ones when asked, single cases by themselves', async () => {
    const incidents = [
      ...Array.from({ length: 14 }, (_, i) => incident(`i${i}`, { title: `Trouble ${i}` })),
      incident('s', { kind: 'single', title: 'Poor line', scope: [] }),
    ]
    const page = await show(TodayPage, { answers: { ...answers, today: today({ incidents }) } })
    expect([page.all('.incidents li').length, page.all('h2', 'Single cases').length]).toEqual([11, 1])
    await page.click('button', 'All, also smaller ones')
    expect(page.all('.incidents li')).toHaveLength(15)
    await page.click('.incidents button', /Poor line/)
    expect(page.all('aside a', /Why here/)).toEqual([])
  })

  it('says so where all was as usual, and where nobody logged on', async () => {
    const quiet = await show(TodayPage, { answers: { ...answers, today: today({ incidents: [], byOutcome: { ready: 1234 }, lostMs: 0 }) } })
    expect(quiet.one('h1').textContent).toContain('none of them spoiled')
    expect(quiet.text()).toContain('Nothing. All logons were as usual.')
    clear()
    const none = today({ logons: 0, byOutcome: {}, incidents: [], newestMs: NOW_MS - 40 * 86_400_000 })
    const page = await show(TodayPage, { answers: { ...answers, today: none } })
    expect(page.text()).toContain('No logon in the last 24 h')
    expect(decodeURIComponent(page.one('a', /look at the 24 h before it/).getAttribute('href') ?? '')).toMatch(/window=2026-10-13T.*\/2026-10-14T/)
    clear()
    const first = await show(TodayPage, { answers: { ...answers, today: today({ logons: 0, byOutcome: {}, incidents: [], newestMs: null }) } })
    expect(first.text()).toContain('No logon is known yet. These bring the first ones:')
  })

  it('asks for the window of the address', async () => {
    const page = await show(TodayPage, { answers, at: '/?window=2026-11-01T00:00:00.000Z/2026-11-03T00:00:00.000Z' })
    expect(page.asked.find(({ name }) => name === 'today')?.query).toEqual({
      fromMs: String(Date.UTC(2026, 10, 1)),
      toMs: String(Date.UTC(2026, 10, 3)),
    })
  })
})

describe('the story of a logon', () => {
  const shown = (one: Story, role: 'viewer' | 'help-desk' | 'administrator' = 'help-desk', more: Answers = {}) =>
    show(StoryPage, { answers: { story: one, ...more }, role, at: '/logons/f%2F1', props: { id: one.id } })

  it('says who, where, how it ended and why, with evidence for and against', async () => {
    const page = await shown(story())
    expect(page.one('a', 'policies for it').getAttribute('href')).toBe('/policies/try?attempt=f/1')
    expect(page.one('h1').textContent.replaceAll(/\s+/g, ' ').trim()).toMatch(/Mara Lind could not log on, after 1 min 30 s/)
    expect(page.one('.sub').textContent.replaceAll(/\s+/g, ' ')).toMatch(/ticket-hall.*host TH-Q1-04.*share quay.*image 2026\.11.*from office/)
    const margin = page.one('aside').textContent.replaceAll(/\s+/g, ' ')
    for (const words of [finding.sentence, 'The share refused: it is in use.', 'No retry was recorded.', 'Share answers slowly', finding.toPerson])
      expect(margin).toContain(words)
    expect(page.text()).toContain('Everything that was reported: 5 records, 4 attributes')
  })

  it('leads to who else had it, of the day before it and after it, whenever that was', async () => {
    const startedMs = Date.UTC(2026, 9, 5, 7, 30)
    const page = await shown(story({ startedMs, cause: 'container-held', alike: { people: 15, attempts: 16 } }))
    const href = decodeURIComponent(page.one('aside a', '15 other people').getAttribute('href') ?? '')
    expect(href).toBe('/logons?cause=container-held&window=2026-10-04T07:30Z/2026-10-06T07:30Z')
  })

  it.each([
    ['ready', 'logged on in 13 s'],
    ['slow', 'logged on slowly, in 13 s'],
    ['degraded', 'logged on without their profile, in 13 s'],
    ['abandoned', 'gave up after 13 s'],
    ['open', 'is logging on, 13 s so far'],
  ] as const)('of one that is %s says so', async (outcome, words) => {
    const page = await shown(story({ outcome, totalMs: 13_100, diagnosis: { cause: null, others: [] } }))
    expect(page.one('h1').textContent.replaceAll(/\s+/g, ' ')).toContain(words)
  })

  it('runs the remedy where the role includes it, and shows its steps', async () => {
    const job = jobOf({
      steps: [{ title: 'Release the hold', state: 'done', note: 'released', atMs: NOW_MS }],
      outcome: { sentence: 'Their next logon was ready after 12.8 s.', attempt: 'a2' },
    })
    const page = await shown(story(), 'help-desk', { remedy: job, job })
    await page.click('aside button', 'Release the container')
    await page.until(() => expect(page.one('aside').textContent).toContain('Their next logon was ready after 12.8 s.'))
    expect(page.asked.find(({ name }) => name === 'remedy')?.params).toEqual({ id: 'f/1' })
    clear()
    const looked = await shown(story(), 'viewer')
    expect(looked.one<HTMLButtonElement>('aside button', 'Release the container').disabled).toBe(true)
    expect(looked.one('aside').textContent).toContain('Your role does not include this.')
  })

  it('restarts a host only when it was said that sessions end, and says why it was refused', async () => {
    const restart = {
      ...finding,
      remedy: { kind: 'restart-host' as const, label: 'Restart TH-Q1-04', explanation: 'Sessions end.', target: 'TH-Q1-04' },
    }
    const page = await shown(story({ diagnosis: { cause: restart, others: [] } }), 'administrator', {
      remedy: () => new Problem(409, 'TH-Q1-04 is being restarted already.'),
    })
    const button = page.one<HTMLButtonElement>('aside button', 'Restart TH-Q1-04')
    expect(button.disabled).toBe(true)
    await page.click('aside input[type=checkbox]')
    expect(button.disabled).toBe(false)
    await page.click('aside button', 'Restart TH-Q1-04')
    await page.until(() => expect(page.one('[role=alert]').textContent).toContain('TH-Q1-04 is being restarted already.'))
  })

  it('says so where the logon is not known', async () => {
    const page = await shown(story(), 'viewer', { story: () => new Problem(404, 'No logon has this id.') })
    expect(page.text()).toContain('No logon has this id.')
  })
})
