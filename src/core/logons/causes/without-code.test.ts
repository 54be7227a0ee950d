import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import type { Observation } from '../observation'

/** What no code says, and what is reported otherwise, or of others, tells all the same. */
const MINUTE_MS = 60_000
const CONTAINER = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 1200, policy: 2400, shell: 4000 }
const LOCAL = { ...CONTAINER, container: 0 }
const UP_TO_CONTAINER = { ...CONTAINER, profile: 0, policy: 0, shell: 0 }

/** A hundred plain logons on eight hosts around the one in question, which is `it`. */
function said(...observations: readonly Observation[][]) {
  const plain = Array.from({ length: 100 }, (_, i) =>
    logon({
      id: `b${i}`,
      person: `p${i}`,
      host: `w-${i % 8}`,
      at: START_MS + (i - 60) * MINUTE_MS,
      phases: { ...CONTAINER, profile: 1000 + (i % 5) * 100 },
    }),
  ).flat()
  const attempts = correlate([...plain, ...observations.flat()], START_MS + 24 * 60 * MINUTE_MS).map(({ attempt }) => attempt)
  const { cause, others } = analyseAll(attempts).find(({ attempt }) => attempt.id === 'it')?.diagnosis ?? { cause: null, others: [] }
  return { id: cause?.id ?? null, evidence: cause?.evidence.map(({ sentence }) => sentence) ?? [], others: others.map(({ id }) => id) }
}

describe('a location that the host was given', () => {
  const at = (location: string, phases: Record<string, number> = UP_TO_CONTAINER) =>
    said(logon({ id: 'it', outcome: 'failed', attrs: { location }, phases }))

  it('cannot be used if it is no path to a share: what is wrong with it is said', () => {
    expect(at('https://files.example/prof')).toMatchObject({
      id: 'location-invalid',
      evidence: ['The location that the host was given cannot be used. “https://files.example/prof” is a web address, not a share.'],
    })
    expect(at(' ')).toMatchObject({ id: 'location-invalid', evidence: ['The location that the host was given cannot be used. This entry is blank.'] })
    expect(at('\\\\fs\\p\\%NOBODY%').id).toBe('location-invalid')
  })

  it('is nothing to say of where it is a path, or a name that somebody gave it, or it was never come to', () => {
    expect(at('\\\\fs\\p\\%person%').id).toBeNull()
    expect(at('first').id).toBeNull()
    expect(at('https://files.example/prof', { broker: 600, connect: 1000 }).id).toBeNull()
  })

  it('is not one where the code says that a path is not written as one; where it only does not exist, the share is not there', () => {
    const by = (code: string) => said(logon({ id: 'it', outcome: 'failed', phases: UP_TO_CONTAINER, marks: [[code, 'container', 5000]] })).id
    expect(by('0xC000003B')).toBe('location-invalid')
    expect(by('0xC0000033')).toBe('location-invalid')
    expect(by('0xC000003A')).toBe('share-unreachable')
    // Why is shown beside the code.
    const why = said(
      logon({ id: 'it', outcome: 'failed', attrs: { location: '' }, phases: UP_TO_CONTAINER, marks: [['location.invalid', 'container', 5000]] }),
    )
    expect(why.evidence[1]).toBe('The location that the host was given cannot be used. This entry is blank.')
  })
})

describe('a container', () => {
  it('is held by whom the report of its failing names', () => {
    const held = (phases: Record<string, number>) => said(logon({ id: 'it', outcome: 'failed', attrs: { holderHost: 'w-7' }, phases }))
    expect(held(UP_TO_CONTAINER)).toMatchObject({
      id: 'container-held',
      evidence: ['It failed while the container was opened, and w-7 is reported to hold it.'],
    })
    // It went on from there.
    expect(held({ ...CONTAINER, shell: 0 }).id).toBeNull()
  })
})

describe('a profile on the host', () => {
  const local = (id: string, person: string, minute: number, host = 'w-9') =>
    logon({ id, person, host, at: START_MS + minute * MINUTE_MS, outcome: 'degraded', attrs: { profileType: 'local' }, phases: LOCAL })

  it('that is reported to be the wrong one was left there', () => {
    expect(said(local('it', 'mara', 0))).toMatchObject({
      id: 'leftover-profile',
      evidence: ['A local profile was used, and is reported not to be the one they should have.'],
    })
  })

  it('shows that the host is not set up where hardly anybody gets their own there, and all do elsewhere', () => {
    const others = [-50, -35, -20, -12, -6, 4, 9, 15, 25, 38].map((minute, i) => local(`o${i}`, `q${i}`, minute))
    const { id, evidence } = said(local('it', 'mara', 0), ...others)
    expect(id).toBe('host-not-configured')
    expect(evidence).toContainEqual(
      expect.stringMatching(/^Of the \d+ nearest logons on w-9 \d+ did not get their own profile; elsewhere 0 of \d+\.$/),
    )
    // Elsewhere it is as bad: it is no matter of this host.
    const anywhere = others.map((_, i) => local(`e${i}`, `r${i}`, 3 * i - 15, `w-${i % 8}`))
    expect(said(local('it', 'mara', 0), ...others, ...anywhere, ...anywhere.map((_, i) => local(`f${i}`, `s${i}`, 2 * i - 9, `w-${i % 8}`))).id).toBe(
      'leftover-profile',
    )
  })
})

describe('files that are copied at logon', () => {
  it('are shown as what it could be where nobody counts them, and never said', () => {
    const slow = said(logon({ id: 'it', attrs: { profileType: 'files' }, phases: { ...LOCAL, profile: 40_000 } }))
    expect(slow.id).toBeNull()
    expect(slow.others).toContain('bloated-profile')
  })
})
