// @vitest-environment happy-dom
import { describe, expect, it } from 'vitest'
import type { PersonPage as Person } from '../../contract/other'
import { atNow, attemptLine, containerLine, NOW_MS } from '../fixtures/lines'
import { clear, Problem, show, type Answers } from '../fixtures/page'
import PersonPage from './PersonPage.vue'

atNow()

const mara = (more: Partial<Person> = {}): Person => ({
  id: 'mara',
  name: 'Mara Lind',
  accounts: ['LARKMERE\\mara', 'mara@larkmere.example'],
  groups: ['crew', 'halls'],
  enabled: true,
  pools: [{ id: 'ticket-hall', name: 'Ticket halls', through: 'halls' }],
  sessions: [{ host: 'TH-Q1-04', session: '7', sinceMs: NOW_MS - 600_000, state: 'connected' }],
  containers: [
    containerLine('mara', {
      id: String.raw`\\quay-fs1\profiles\mara\profile.vhdx`,
      lastUsedMs: NOW_MS - 600_000,
      holderHost: 'TH-Q2-01',
      heldSinceMs: NOW_MS - 3_600_000,
      holderAlive: false,
    }),
  ],
  attempts: [
    attemptLine('f/1', {
      startedMs: NOW_MS - 60_000,
      outcome: 'failed',
      totalMs: 90_000,
      usualMs: null,
      cause: 'container-held',
      causeTitle: 'Container held by another session',
    }),
    attemptLine('a1', { startedMs: NOW_MS - 86_400_000 }),
  ],
  verdict: { ok: false, sentence: 'Their last logon failed: the container is held by TH-Q2-01.' },
  ...more,
})
const shown = (person: Person | Problem, role: 'viewer' | 'help-desk' = 'viewer', more: Answers = {}) =>
  show(PersonPage, { answers: { person: () => person, sessionsOfPerson: { sessions: [] }, ...more }, role, path: '/people/:id', at: '/people/mara' })

describe('a person', () => {
  it('is told from how they are now: last logons, container and who holds it, session, pools and through what', async () => {
    const page = await shown(mara())
    const text = page.text()
    for (const words of [
      'Their last logon failed: the container is held by TH-Q2-01.',
      'LARKMERE\\mara',
      '3.0 GiB inside of at most 30.0 GiB, 1.0 GiB on disk, last used 09:50',
      'Held by TH-Q2-01 since 09:00, which lists no such session',
      'TH-Q1-04 connected since 09:50',
      'Ticket hallsthrough halls',
    ])
      expect(text).toContain(words)
    expect(page.rows('[aria-label="Last logons"]')).toEqual([
      'failed | 09:59 | 1 min 30 s | TH-Q1-04 | Container held by another session',
      'ready | Sun 22 Nov 10:00 | 13 s · usual 12 s | TH-Q1-04 | ',
    ])
    expect(page.one('[aria-label="Last logons"] a', '09:59').getAttribute('href')).toBe('/logons/f%2F1')
    expect(page.one('.container a').getAttribute('href')).toBe(`/containers/${encodeURIComponent(String.raw`\\quay-fs1\profiles\mara\profile.vhdx`)}`)
  })

  it('with nothing says so, and that no pool is theirs', async () => {
    const page = await shown(mara({ containers: [], sessions: [], pools: [], attempts: [] }))
    for (const words of ['None lies on a share.', 'None is granted to any of their groups.']) expect(page.text()).toContain(words)
  })

  it('whose policies are asked for only by whoever may help them', async () => {
    const looked = await shown(mara())
    expect(looked.asked.map(({ name }) => name)).not.toContain('sessionsOfPerson')
    clear()
    const helped = await shown(mara(), 'help-desk')
    await helped.until(() => expect(helped.asked.map(({ name }) => name)).toContain('sessionsOfPerson'))
  })

  it('that is not known is said to be so', async () => {
    const page = await shown(new Problem(404, 'No person has this name.'))
    expect(page.one('[role=alert]').textContent).toContain('No person has this name.')
  })
})
