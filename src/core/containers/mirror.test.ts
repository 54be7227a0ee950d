import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { mirrorDay, type MirrorEvent, type MirrorSettings } from './mirror'

const MIB = 2 ** 20
const three = (required: number): MirrorSettings => ({ locations: ['a', 'b', 'c'], required, onFailure: 'refuse' })
const logon = (atMin: number): MirrorEvent => ({ atMin, kind: 'logon' })
const logoff = (atMin: number): MirrorEvent => ({ atMin, kind: 'logoff' })
const write = (atMin: number, mib = 10): MirrorEvent => ({ atMin, kind: 'write', bytes: mib * MIB })
const lost = (atMin: number, location: string): MirrorEvent => ({ atMin, kind: 'lost', location })
const back = (atMin: number, location: string): MirrorEvent => ({ atMin, kind: 'back', location })

describe('a mirrored container', () => {
  it('goes on without one location, and replays to it what it lacks', () => {
    const day = mirrorDay(three(2), [logon(0), write(1), lost(2, 'a'), write(3, 20), back(4, 'a'), logoff(5)])
    expect(day.steps.map(({ sentence }) => sentence)).toEqual([
      'Logs on with the newest profile, from 3 of 3 locations.',
      'Writes 10 MiB to all 3 locations.',
      'a is lost. 2 of 3 can be written to, which is enough; nobody notices.',
      'Writes 20 MiB: to 2 locations at once; the journal keeps them for the other.',
      'a is back; 20 MiB are replayed from the journal.',
      'Logs off.',
    ])
    expect(day.steps[3]).toMatchObject({ journalBytes: 20 * MIB, places: [{ behindBytes: 20 * MIB }, { behindBytes: 0 }, { behindBytes: 0 }] })
    expect(day.verdict).toEqual(['20 MiB were replayed to locations that came back.', 'Every logon had the newest profile, and nothing was lost.'])
  })

  it('refuses a logon with too few, and says what a session risks that is already in', () => {
    const day = mirrorDay(three(2), [logon(0), lost(1, 'a'), lost(2, 'b'), write(3), logoff(4), logon(5)])
    expect(day.steps[2]?.sentence).toContain('no new logon; what the session writes is not safe')
    expect(day.steps[3]?.sentence).toBe('Writes 10 MiB: kept at 1 of 3 locations and in the journal; 2 must be.')
    expect([day.refused, day.lostBytes]).toEqual([1, 0])
  })

  it('with one required, the loss of two in turn brings an older profile back; with two it cannot', () => {
    const events = [
      lost(0, 'a'),
      lost(0, 'b'),
      logon(1),
      write(2, 64),
      logoff(3),
      lost(4, 'c'),
      back(5, 'a'),
      logon(6),
      write(7, 1),
      logoff(8),
      back(9, 'c'),
    ]
    const loose = mirrorDay(three(1), events)
    expect([loose.olderProfiles, loose.lostBytes]).toEqual([1, 64 * MIB])
    expect(loose.verdict[0]).toBe('One logon got an older profile, without anybody noticing. With 1 of 3 required that can happen; with 2 it cannot.')
    expect(mirrorDay(three(2), events)).toMatchObject({ olderProfiles: 0, lostBytes: 0, refused: 2 })
  })

  it('loses what only the journal had, and what went into a temporary profile', () => {
    expect(mirrorDay(three(1), [logon(0), lost(1, 'a'), lost(1, 'b'), lost(1, 'c'), write(2, 5), logoff(3)]).lostBytes).toBe(5 * MIB)
    const temporary = mirrorDay({ ...three(2), onFailure: 'temporary' }, [lost(0, 'a'), lost(0, 'b'), logon(1), write(2, 5), logoff(3)])
    expect([temporary.lostBytes, temporary.steps[2]?.session, temporary.steps[3]?.session]).toEqual([
      5 * MIB,
      'temporary profile',
      'temporary profile',
    ])
  })

  const anyEvents = fc.array(
    fc.oneof(
      fc.record({
        kind: fc.constantFrom('lost' as const, 'back' as const),
        atMin: fc.integer({ min: 0, max: 600 }),
        location: fc.constantFrom('a', 'b', 'c'),
      }),
      fc.record({ kind: fc.constantFrom('logon' as const, 'logoff' as const), atMin: fc.integer({ min: 0, max: 600 }) }),
      fc.record({ kind: fc.constant('write' as const), atMin: fc.integer({ min: 0, max: 600 }), bytes: fc.integer({ min: 1, max: 1e9 }) }),
    ),
    { maxLength: 40 },
  )
  it('with more than half required nobody ever gets an older profile', () => {
    fc.assert(fc.property(anyEvents, (events) => mirrorDay(three(2), events).olderProfiles === 0))
  })

  it('has every location up to date once all were reachable during a session, and never a negative amount', () => {
    fc.assert(
      fc.property(anyEvents, (events) => {
        const end = [...['a', 'b', 'c'].map((location) => back(700, location)), logoff(701), logon(702), logoff(703)]
        const day = mirrorDay(three(2), [...events, ...end])
        expect(day.steps.at(-1)?.places.map(({ behindBytes }) => behindBytes)).toEqual([0, 0, 0])
        for (const { places, journalBytes } of day.steps)
          expect(Math.min(journalBytes, ...places.map(({ behindBytes }) => behindBytes))).toBeGreaterThanOrEqual(0)
      }),
    )
  })
})
