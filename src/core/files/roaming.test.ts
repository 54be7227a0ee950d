import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { FILE_ROAMING, type FileRoaming } from '../policies/settings'
import { roamingDay, type RoamingEvent, type RoamingWho } from './roaming'

const PLAN = String.raw`Documents\plan.txt`
const CACHE = String.raw`AppData\Local\Cache\c.bin`
const who: RoamingWho = { groups: ['crew'], adminOn: [], leftovers: {}, onShare: { [PLAN]: 'plan 1' }, starting: {} }
const settings = (more: Partial<FileRoaming> = {}): FileRoaming => ({ ...FILE_ROAMING, ...more })
const on = (host: string, atMin: number, kind: 'logon' | 'logoff'): RoamingEvent => ({ host, atMin, kind })
const write = (host: string, atMin: number, path: string, what: string): RoamingEvent => ({ host, atMin, kind: 'write', path, what, bytes: 1000 })
const what = (day: ReturnType<typeof roamingDay>) => Object.fromEntries(day.share.map(({ path, what: content }) => [path, content]))

describe('a day under file roaming', () => {
  it('brings what was written on one host to the next', () => {
    const day = roamingDay(settings(), [], who, [
      on('A', 0, 'logon'),
      write('A', 1, PLAN, 'plan 2'),
      on('A', 2, 'logoff'),
      on('B', 3, 'logon'),
      { host: 'B', atMin: 4, kind: 'open', path: PLAN },
      on('B', 5, 'logoff'),
    ])
    expect(what(day)).toEqual({ [PLAN]: 'plan 2' })
    expect(day.steps[4]?.sentence).toBe(`Opens ${PLAN}, fetched now: plan 2.`)
    expect([day.conflicts, day.lost, day.leftOn]).toEqual([[], [], []])
  })

  it('names the file over which two sessions quarrelled: the last to write back wins', () => {
    const both = [
      on('A', 0, 'logon'),
      on('B', 1, 'logon'),
      write('A', 2, PLAN, 'by A'),
      write('B', 3, PLAN, 'by B'),
      on('B', 4, 'logoff'),
      on('A', 5, 'logoff'),
    ]
    const late = roamingDay(settings(), [], who, both)
    expect(late.conflicts).toEqual([{ path: PLAN, kept: 'by A', keptFrom: 'A', gone: 'by B', goneFrom: 'B', atMin: 5 }])
    expect(late.steps.at(-1)).toMatchObject({
      weight: 'bad',
      sentence: expect.stringContaining(`over what another session wrote: ${PLAN}`) as string,
    })
    // Written back during the session, the other one wins; the quarrel is the same.
    const early = roamingDay(settings({ writeBack: 'during-session', fetch: 'at-logon' }), [], who, both)
    expect(early.conflicts).toMatchObject([{ kept: 'by B', gone: 'by A', atMin: 3 }])
  })

  it('does not call it a quarrel when the second saw what the first wrote', () => {
    const day = roamingDay(settings({ writeBack: 'during-session' }), [], who, [
      on('A', 0, 'logon'),
      on('B', 0, 'logon'),
      write('A', 1, PLAN, 'by A'),
      { host: 'B', atMin: 2, kind: 'open', path: PLAN },
      write('B', 3, PLAN, 'by B'),
    ])
    expect([day.conflicts, what(day)[PLAN]]).toEqual([[], 'by B'])
    // Fetched at logon, B still has the old one.
    const fetched = roamingDay(settings({ writeBack: 'during-session', fetch: 'at-logon' }), [], who, [
      on('A', 0, 'logon'),
      on('B', 0, 'logon'),
      write('A', 1, PLAN, 'by A'),
      write('B', 3, PLAN, 'by B'),
    ])
    expect(fetched.conflicts).toHaveLength(1)
  })

  it('loses what a rule leaves out, keeps removed files, and mirrors removals where told', () => {
    const events = [
      on('A', 0, 'logon'),
      write('A', 1, CACHE, 'cache'),
      { host: 'A', atMin: 2, kind: 'remove' as const, path: PLAN },
      on('A', 3, 'logoff'),
    ]
    const day = roamingDay(settings(), [{ pattern: '%localappdata%', does: 'skip' }], who, events)
    expect(day.lost).toEqual([{ path: CACHE, what: 'cache', host: 'A', why: 'a rule leaves it out, and the host is cleaned at logoff' }])
    expect(what(day)).toEqual({ [PLAN]: 'plan 1' })
    expect(what(roamingDay(settings(), [{ pattern: 'Documents', does: 'mirror' }], who, events))).toEqual({ [CACHE]: 'cache' })
  })

  it.each([
    ['take in', { [PLAN]: 'plan 1', 'Desktop\\n.txt': 'note' }, 0],
    ['remove', { [PLAN]: 'plan 1' }, 1],
    ['ignore', { [PLAN]: 'plan 1' }, 0],
  ] as const)('an existing profile: %s', (existing, expected, lost) => {
    const before = { ...who, leftovers: { A: { [PLAN]: 'old plan', 'Desktop\\n.txt': 'note' } } }
    const day = roamingDay(settings({ existing }), [], before, [on('A', 0, 'logon'), on('A', 1, 'logoff')])
    expect([what(day), day.lost.length]).toEqual([expected, lost])
    expect(day.leftOn.length).toBe(existing === 'ignore' ? 2 : 0)
  })

  it('serves only its groups, leaves local administrators out where told, and gives newcomers a starting profile', () => {
    const events = [on('A', 0, 'logon'), write('A', 1, PLAN, 'mine'), on('A', 2, 'logoff')]
    const outside = roamingDay(settings({ groups: ['bridge'] }), [], who, events)
    expect([what(outside)[PLAN], outside.leftOn[0]?.what]).toEqual(['plan 1', 'mine'])
    expect(what(roamingDay(settings(), [], { ...who, adminOn: ['A'] }, events))[PLAN]).toBe('plan 1')
    expect(what(roamingDay(settings({ localAdmins: 'served' }), [], { ...who, adminOn: ['A'] }, events))[PLAN]).toBe('mine')
    const fresh = roamingDay(
      settings({ startingProfile: String.raw`\\s\start` }),
      [],
      { ...who, onShare: {}, starting: { 'Desktop\\welcome.txt': 'hello' } },
      [on('A', 0, 'logon'), on('A', 1, 'logoff')],
    )
    expect(what(fresh)).toEqual({ 'Desktop\\welcome.txt': 'hello' })
  })

  it('with one session at a time never has a quarrel, and the last that was written is on the share', () => {
    const session = fc.record({ host: fc.constantFrom('A', 'B', 'C'), writes: fc.array(fc.constantFrom(PLAN, 'x', 'y'), { maxLength: 5 }) })
    fc.assert(
      fc.property(
        fc.array(session, { minLength: 1, maxLength: 8 }),
        fc.constantFrom('at-logoff' as const, 'during-session' as const),
        fc.constantFrom('at-logon' as const, 'on-demand' as const),
        (sessions, writeBack, fetch) => {
          const events: RoamingEvent[] = []
          const last: Record<string, string> = { [PLAN]: 'plan 1' }
          let at = 0
          for (const { host, writes } of sessions) {
            events.push(on(host, at++, 'logon'))
            for (const path of writes) {
              last[path] = `${path} ${at}`
              events.push(write(host, at, path, `${path} ${at++}`))
            }
            events.push(on(host, at++, 'logoff'))
          }
          const day = roamingDay(settings({ writeBack, fetch }), [], who, events)
          expect([day.conflicts, day.lost, what(day)]).toEqual([[], [], last])
        },
      ),
    )
  })
})
