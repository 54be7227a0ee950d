// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import type { SetAsideLine } from '../../contract/containers'
import type { LossPage as Loss, RoomPage as Room, ShareLoad, Wave } from '../../contract/room'
import type { SharePage as Share } from '../../contract/shares'
import { atNow, jobOf, NOW_MS } from '../fixtures/lines'
import { Problem, show, type Answers, type Page } from '../fixtures/page'
import LossPage from './LossPage.vue'
import RoomPage from './RoomPage.vue'
import SetAsidePage from './SetAsidePage.vue'
import SharePage from './SharePage.vue'

atNow()
const GIB = 2 ** 30
const DAY_MS = 86_400_000
const QUAY = String.raw`\\quay-fs1\profiles`
const HILL = String.raw`\\hill-fs1\profiles`
const BARE = String.raw`\\loft-fs1\profiles`
const load = (path: string, usedGib: number, more: Partial<ShareLoad> = {}): ShareLoad => ({
  path,
  zone: path === QUAY ? 'Q1' : path === HILL ? 'H1' : null,
  totalBytes: 1000 * GIB,
  usedBytes: usedGib * GIB,
  limitBytes: 800 * GIB,
  containers: usedGib / 2,
  peakIops: 1000,
  // 05:40
  peakSlot: 68,
  bearsIops: 16_000,
  ...more,
})
const aside = (page: Page) => page.one('aside').textContent.replaceAll(/\s+/g, ' ')
const lastAsked = (page: Page, name: string) => page.asked.filter((one) => one.name === name).at(-1)

describe('room on the shares', () => {
  const wave: Wave = {
    id: 'w1',
    title: '12 containers to the hill',
    author: 'vaas',
    fromMs: NOW_MS + 15 * 3_600_000,
    untilMs: NOW_MS + 19 * 3_600_000,
    moves: 12,
    bytes: 30 * GIB,
    keepDays: 3,
    state: 'waiting',
    job: null,
    note: null,
  }
  const room = (more: Partial<Room> = {}): Room => ({
    shares: [
      { ...load(QUAY, 860), id: 'quay', redundancy: 'two copies in one room' },
      { ...load(HILL, 300), id: 'hill', redundancy: null },
    ],
    after: [load(QUAY, 800), load(HILL, 360)],
    moves: [
      {
        id: 'quay|mara/profile.vhdx',
        file: 'mara/profile.vhdx',
        person: 'mara',
        name: 'Mara Lind',
        from: QUAY,
        to: HILL,
        bytes: 40 * GIB,
        because: 'room',
        slot: 68,
        inUse: true,
      },
      {
        id: 'quay|x/profile.vhdx',
        file: 'x/profile.vhdx',
        person: null,
        name: null,
        from: QUAY,
        to: HILL,
        bytes: 20 * GIB,
        because: 'load',
        slot: null,
        inUse: false,
      },
    ],
    bytes: 60 * GIB,
    atLeastBytes: 60 * GIB,
    notMet: [],
    known: 500,
    containers: 580,
    waves: [],
    ...more,
  })
  const shown = (more: Partial<Room> = {}, answers: Answers = {}, role: 'viewer' | 'administrator' = 'administrator') =>
    show(RoomPage, { answers: { room: room(more), ...answers }, role, at: '/room', path: '/room' })

  it('says how full each is and will be, and what should move and why', async () => {
    const page = await shown()
    expect(page.one('h1').textContent).toBe('2 shares, 1.1 TiB used of 2.0 TiB')
    expect(page.one('[aria-label=Shares]').textContent.replaceAll(/\s+/g, ' ')).toMatch(
      /zone Q1, 430 containers, two copies in one room.*86 % → 80 % of 1000 GiB/,
    )
    expect(page.text()).toContain('2 containers, 60.0 GiB. No plan could do with fewer bytes.')
    expect(page.rows('[aria-label=Moves]')).toEqual([
      `Mara Lind | mara/profile.vhdx in use now | ${QUAY}→ ${HILL} | 40.0 GiB | 05:40 | too full`,
      `nobody | x/profile.vhdx | ${QUAY}→ ${HILL} | 20.0 GiB | not known | asked for too much`,
    ])
  })

  it('asks for another plan: how full, in their zone, a share emptied', async () => {
    const page = await shown()
    await page.type('[aria-label="No share fuller than, percent"]', '70')
    await page.until(() => expect(lastAsked(page, 'room')?.query).toMatchObject({ fullTo: '0.7', zones: 'any' }))
    page.all('aside fieldset input')[1]?.click()
    await page.until(() => expect(lastAsked(page, 'room')?.query['empty']).toBe(HILL))
    expect(page.router.currentRoute.value.query).toEqual({ fullTo: '0.7', empty: HILL })
    await page.type('[aria-label="Operations a second at logon"]', '80')
    await page.until(() => expect(lastAsked(page, 'room')?.query['logonIops']).toBe('80'))
  })

  it('says what cannot be reached, and where nothing has to move', async () => {
    const page = await shown({ notMet: ['quay stays at 90 %.'], moves: [], bytes: 0 })
    expect(page.one('[aria-label="What cannot be reached"]').textContent).toBe('quay stays at 90 %.')
    expect(page.text()).toContain('Nothing has to move: no share is fuller than 80 %')
    expect(page.all('button', 'Plan the wave')).toEqual([])
  })

  it('plans a wave for the night of the organisation only when it was said whom it hits, and calls one off', async () => {
    const page = await shown({ waves: [wave] }, { waveNew: wave, waveCancel: { ...wave, state: 'cancelled' } })
    expect(aside(page)).toContain('2 people cannot log on with their container while it is their turn; nobody else is touched.')
    expect(aside(page)).toContain('1 container is in use now')
    const go = () => page.one<HTMLButtonElement>('button', 'Plan the wave')
    expect(go().disabled).toBe(true)
    page.all('aside label.small input[type=checkbox]')[0]?.click()
    await page.until(() => expect(go().disabled).toBe(false))
    go().click()
    // 01:00 to 05:00 of the next day in Copenhagen.
    await page.until(() =>
      expect(lastAsked(page, 'waveNew')?.body).toEqual({
        moves: [
          { id: 'quay|mara/profile.vhdx', to: HILL },
          { id: 'quay|x/profile.vhdx', to: HILL },
        ],
        keepDays: 3,
        fromMs: Date.UTC(2026, 10, 24, 0),
        untilMs: Date.UTC(2026, 10, 24, 4),
      }),
    )
    await page.click('button', 'Call it off')
    expect(lastAsked(page, 'waveCancel')?.params).toEqual({ id: 'w1' })
  })

  it('has nothing to press for a viewer', async () => {
    const page = await shown({ waves: [wave] }, {}, 'viewer')
    expect(aside(page)).toContain('Your role does not include this.')
    expect(page.all('button', 'Call it off')).toEqual([])
  })
})

describe('if a share is lost', () => {
  const loss = (lost: readonly string[], more: Partial<Loss> = {}): Loss => ({
    shares: [load(QUAY, 860), load(HILL, 300), load(BARE, 10)].map(({ path, zone }) => ({ path, zone })),
    locations: [
      { location: QUAY, share: QUAY },
      { location: String.raw`\\old-fs9\profiles`, share: null },
    ],
    mode: 'in-order',
    required: 1,
    onFailure: 'refuse',
    sessionsHit: lost.length ? 3 : 0,
    fates: lost.length
      ? [
          { fate: 'refused', people: 430, sentence: 'are refused.' },
          { fate: 'unaffected', people: 160, sentence: 'notice nothing.' },
        ]
      : [],
    pools: lost.length ? [{ pool: 'ticket-hall', people: 590, hit: 430 }] : [],
    left: lost.length ? [load(HILL, 300)] : [],
    tooMuch: [],
    onlyThere: { containers: lost.length ? 430 : 0, bytes: lost.length ? 860 * GIB : 0 },
    ...more,
  })
  const shown = (more: Partial<Loss> = {}) =>
    show(LossPage, { answers: { roomLoss: ({ query }) => loss((query['lost'] ?? '').split('|').filter(Boolean), more) }, at: '/loss', path: '/loss' })

  it('says whom it hits, what lies nowhere else, and what the others would have to bear', async () => {
    const page = await shown()
    expect(page.one('h1').textContent.trim()).toBe('If a share is lost')
    page.all('[aria-label="What is lost"] strong', 'zone Q1')[0]?.closest('label')?.querySelector('input')?.click()
    await page.until(() => expect(page.one('h1').textContent.trim()).toBe('430 people would not have their profile'))
    expect(page.router.currentRoute.value.query).toEqual({ lost: QUAY })
    expect(page.text()).toContain('3 sessions that are open now would lose their profile in the middle of work.')
    expect(page.text()).toContain('430 containers (860 GiB) lie nowhere else.')
    expect(page.rows('[aria-label="Shares that are left"]')).toEqual([`${HILL} | H1 | 150 | 300 GiB, 30 % | 1,000 at 05:40 | 16,000`])
    expect(page.rows('[aria-label="By pool"]')).toEqual(['ticket-hall | 430 of 590 people'])
    expect(page.all('aside li.madder')).toHaveLength(1)
  })

  it('lets a share without a zone be lost as well, and says which location is on no share', async () => {
    const page = await shown()
    const boxes = page.one('[aria-label="What is lost"]')
    expect(boxes.textContent.replaceAll(/\s+/g, ' ')).toMatch(/no zone .*loft-fs1/)
    const bare = [...boxes.querySelectorAll('label')].find(({ textContent }) => textContent.includes('loft'))
    bare?.querySelector('input')?.click()
    await page.until(() => expect(page.router.currentRoute.value.query).toEqual({ lost: BARE }))
    expect(aside(page)).toContain('on no known share')
  })

  it('tries another policy without touching it', async () => {
    const page = await shown({ mode: 'mirrored', required: 2 })
    await page.type('[aria-label="Locations that must be writable"]', '1')
    await page.until(() => expect(lastAsked(page, 'roomLoss')?.query).toMatchObject({ required: '1' }))
    page.all('aside input[type=radio]')[0]?.dispatchEvent(new Event('change'))
    await page.until(() => expect(lastAsked(page, 'roomLoss')?.query).toMatchObject({ mode: 'in-order' }))
  })
})

describe('what is set aside', () => {
  const line = (id: string, more: Partial<SetAsideLine> = {}): SetAsideLine => ({
    id,
    share: QUAY,
    file: `${id}/profile.vhdx`,
    person: id,
    bytes: 3 * GIB,
    author: 'vaas',
    atMs: NOW_MS - 2 * DAY_MS,
    keptOn: QUAY,
    untilMs: NOW_MS + 12 * DAY_MS,
    state: 'kept',
    ...more,
  })
  const containers = [line('mara'), line('ole', { untilMs: null, keptOn: HILL }), line('gone', { state: 'deleted' })]
  const shown = (role: 'viewer' | 'administrator' = 'administrator', more: Answers = {}) =>
    show(SetAsidePage, { answers: { setAside: { containers }, ...more }, role })

  it('says until when each is kept, and where an archived one is', async () => {
    const page = await shown('viewer')
    expect(page.one('h1').textContent).toBe('1 container set aside, 1 archived')
    expect(page.rows()).toEqual([
      String.raw`\\quay-fs1\profiles\mara\profile.vhdx | 3.0 GiB | Sat 21 Nov | vaas | Sat 5 Dec | Put back`,
      String.raw`\\quay-fs1\profiles\ole\profile.vhdx archived on \\hill-fs1\profiles | 3.0 GiB | Sat 21 Nov | vaas | delete in 14 days | Put back`,
    ])
    expect(page.all('tbody button').every((button) => (button as HTMLButtonElement).disabled)).toBe(true)
    await page.click('.toolbar input[type=checkbox]')
    await page.until(() => expect(page.rows()).toHaveLength(3))
    await page.type('[aria-label="Part of a name"]', 'MARA')
    await page.until(() => expect(page.rows()).toHaveLength(1))
  })

  it('puts one back as a job, and says why it could not', async () => {
    const page = await shown('administrator', {
      setAsidePutBack: ({ params }) =>
        params['id'] === 'mara' ? jobOf({ title: 'Put back mara/profile.vhdx' }) : new Problem(409, 'There is a newer one in its place.'),
      job: jobOf({ title: 'Put back mara/profile.vhdx' }),
      setAsideDelete: { ok: true },
    })
    page.all('button', 'Put back')[1]?.click()
    await page.until(() => expect(page.one('[role=alert]').textContent).toContain('There is a newer one in its place.'))
    page.all('button', 'Put back')[0]?.click()
    await page.until(() => expect(page.one('[aria-label=Job]').textContent).toContain('Put back mara/profile.vhdx'))
    await page.click('button', 'delete in 14 days')
    expect(lastAsked(page, 'setAsideDelete')?.params).toEqual({ id: 'ole' })
  })
})

describe('a share', () => {
  const share = (more: Partial<Share> = {}): Share => ({
    id: 'quay',
    path: QUAY,
    zone: 'Q1',
    totalBytes: 1000 * GIB,
    freeBytes: 140 * GIB,
    latencyMs: 4.2,
    redundancy: 'one copy',
    containers: 430,
    allocatedBytes: 700 * GIB,
    held: 12,
    samples: Array.from({ length: 12 }, (_, i) => ({ atMs: NOW_MS - (12 - i) * DAY_MS, usedBytes: (800 + 5 * i) * GIB, latencyMs: 2 })),
    growth: { bytesADay: 5 * GIB, low: 4 * GIB, high: 6 * GIB, certain: true, days: 12 },
    week: null,
    full: { atMs: NOW_MS + 28 * DAY_MS, earliestMs: NOW_MS + 23 * DAY_MS, latestMs: NOW_MS + 35 * DAY_MS },
    hours: [],
    drivers: [{ id: 'quay|mara/profile.vhdx', person: 'mara', name: 'Mara Lind', grewBytes: 9 * GIB, bytes: 12 * GIB, days: 30 }],
    bearsIops: null,
    naming: '{person}',
    addedBy: null,
    group: { id: 'containers', sid: 'S-1-5-21-1-2-3-1105', members: 420, chosen: true },
    groups: ['containers', 'crew'],
    layers: [],
    findings: [
      { code: 'others-read', weight: 'now', layer: 'root', sentence: 'Everybody can open every folder.', why: 'It is inherited.', people: 420 },
    ],
    unread: null,
    ...more,
  })
  const shown = (more: Partial<Share> = {}, answers: Answers = {}, role: 'viewer' | 'administrator' = 'administrator') =>
    show(SharePage, { answers: { share: share(more), ...answers }, role, props: { id: 'quay' } })

  it('says when it will be full, who drives that, and what is wrong with its permissions', async () => {
    const page = await shown()
    expect(page.text()).toContain('140 GiB free of 1000 GiB (14 %).')
    expect(page.text()).toContain('Full on Mon 21 Dec, between Wed 16 Dec and Mon 28 Dec, if it goes on so.')
    expect(page.text()).toContain('latency 4.2 ms, usual 2.0 ms')
    expect(page.rows('[aria-label="Who drives the growth"]')).toEqual(['Mara Lind | 9.0 GiB more in 30 days | 12.0 GiB now'])
    expect(page.one('[aria-label="Wrong with the permissions"]').textContent).toContain('Everybody can open every folder.')
  })

  it('does not promise an end where growth may as well stop', async () => {
    const page = await shown({ full: { atMs: NOW_MS + 90 * DAY_MS, earliestMs: NOW_MS + 60 * DAY_MS, latestMs: null } })
    expect(page.text()).toContain('at the earliest Fri 22 Jan 2027, perhaps never, if it goes on so.')
  })

  it('is asked about for another group, and told what it bears', async () => {
    const page = await shown({}, { shareGroup: share({ findings: [] }), shareBears: { ok: true } as never })
    await page.type('[aria-label=Group]', 'crew')
    await page.until(() => expect(page.text()).toContain('Nothing is wrong: people can make their own folder, and open nobody else’s.'))
    await page.type('[aria-label="Operations a second"]', '12000')
    page.one('form.bears').dispatchEvent(new Event('submit', { bubbles: true, cancelable: true }))
    await page.until(() => expect(lastAsked(page, 'shareBears')?.body).toEqual({ iops: 12_000 }))
  })

  it('that was added by hand says what is not done on it, and can be forgotten', async () => {
    const page = await shown({ addedBy: 'Hedda Vaas' }, { shareForget: { ok: true } as never })
    expect(aside(page)).toContain('By Hedda Vaas. No fleet tells who has its files open, so nothing is changed on it from here.')
    await page.click('button', 'Forget this share')
    expect(lastAsked(page, 'shareForget')?.params).toEqual({ id: 'quay' })
    await page.until(() => expect(page.router.currentRoute.value.path).toBe('/room'))
  })
})
