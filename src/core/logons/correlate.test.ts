import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { correlate } from './correlate'
import { logon, START_MS } from './fixtures/builders'
import type { Observation } from './observation'

const NOW = START_MS + 86_400_000
const attempts = (observations: readonly Observation[], now = NOW) => correlate(observations, now).map(({ attempt }) => attempt)

describe('correlate', () => {
  it('makes one attempt of one logon', () => {
    const [attempt, ...rest] = attempts(logon({ id: 'a1' }))
    expect(rest).toEqual([])
    expect(attempt).toMatchObject({ id: 'a1', person: 'mara', host: 'TH-Q1-04', totalMs: 13_100, outcome: 'ready', startedAtMs: START_MS })
  })

  it('keeps two logons of one person on one host apart, with and without an id', () => {
    const twice = [...logon({}), ...logon({ at: START_MS + 3_600_000 })]
    expect(attempts(twice).map(({ totalMs }) => totalMs)).toEqual([13_100, 13_100])
    expect(attempts([...logon({ id: 'a' }), ...logon({ id: 'b', at: START_MS + 2000 })])).toHaveLength(2)
  })

  it('takes the account in any form for the same person', () => {
    const [begin, ...rest] = logon({ person: 'LARKMERE\\Mara' })
    const mixed = [begin as Observation, ...rest.map((o) => ({ ...o, person: 'mara@larkmere.example' }))]
    expect(attempts(mixed)).toHaveLength(1)
  })

  describe('without an id', () => {
    const HOST_PHASES = ['container', 'profile', 'policy', 'shell']
    const onHost = (o: Observation) => HOST_PHASES.includes(o.phase ?? '') || o.kind === 'end'

    it('takes what does not name the host for that of the person who is logging on', () => {
      const partly = logon({}).map((o) => (onHost(o) ? o : { ...o, host: undefined }))
      expect(attempts(partly)).toMatchObject([{ host: 'TH-Q1-04', totalMs: 13_100, observations: partly.length }])
      // The session is known only on the host.
      const sessions = logon({}).map((o) => (onHost(o) ? { ...o, session: '7' } : o))
      expect(attempts(sessions)).toMatchObject([{ session: '7', totalMs: 13_100 }])
      const short = logon({}).map((o, i) => (i % 2 ? { ...o, host: 'th-q1-04.larkmere.example' } : o))
      expect(attempts(short)).toHaveLength(1)
    })

    it('goes on on the host with what another machine began, and is of the host, whoever reports the end', () => {
      const handed = logon({}).map((o) => (HOST_PHASES.includes(o.phase ?? '') ? o : { ...o, host: 'BROKER-1' }))
      expect(attempts(handed)).toMatchObject([{ host: 'TH-Q1-04', totalMs: 13_100, outcome: 'ready' }])
      // After two minutes without anything it is another matter.
      const late = handed.map((o) => (onHost(o) ? { ...o, timeMs: o.timeMs + 200_000 } : o))
      expect(attempts(late).map(({ host }) => host)).toEqual(['BROKER-1', 'TH-Q1-04'])
    })

    it('has the broker’s phase, whichever machine tells of it, before its begin or after it', () => {
      const whole = logon({})
      for (const session of [undefined, '7']) {
        const of = (o: Observation) => ({ ...o, session, ...(o.phase === 'broker' ? { host: 'GATE' } : {}) })
        expect(attempts(whole.map(of))).toMatchObject([{ host: 'TH-Q1-04', totalMs: 13_100, observations: whole.length }])
        // The host only begins when it is told whom it gets.
        const late = whole.map(of).map((o) => (o.kind === 'begin' ? { ...o, timeMs: o.timeMs + 400 } : o))
        expect(attempts(late)).toMatchObject([{ host: 'TH-Q1-04', observations: whole.length }])
      }
      // Who was refused, or only looked long before, tried twice.
      const refused: Observation = { kind: 'phase', phase: 'broker', host: 'GATE', person: 'mara', timeMs: START_MS - 5000, durationMs: 300 }
      expect(attempts([{ ...refused, code: 'broker.refused' }, ...whole])).toHaveLength(2)
      expect(attempts([{ ...refused, timeMs: START_MS - 60_000 }, ...whole])).toHaveLength(2)
    })

    it('is one where three machines tell of it whose clocks differ, by little or by more than it took', () => {
      const gate = (o: Partial<Observation>, ms: number): Observation => ({
        kind: 'mark',
        person: 'mara@larkmere.example',
        host: 'GATE',
        phase: 'sign-on',
        timeMs: START_MS + ms,
        ...o,
      })
      const approved = [gate({ kind: 'phase', durationMs: 9000 }, -9000), gate({ code: 'factor.approved' }, 0)]
      const all = logon({ phases: { broker: 600, connect: 1000, container: 1100, profile: 1200, policy: 2400, shell: 4000 } })
      const byBroker = (o: Observation) => o.kind === 'begin' || o.phase === 'broker'
      // The broker tells of the host that it chose, or only of itself.
      for (const told of [{}, { host: undefined }])
        for (const ms of [0, -900, -2500, 2500, -14_000, 12_000]) {
          const off = all.map((o) =>
            byBroker(o) ? { ...o, ...told, ...(o.phase === 'broker' && 'host' in told ? { host: 'CB1' } : {}) } : { ...o, timeMs: o.timeMs + ms },
          )
          const found = attempts([...off, ...approved])
          expect([ms, found.map(({ observations, host, outcome }) => [observations, host, outcome])]).toEqual([
            ms,
            [[all.length + 2, 'TH-Q1-04', 'ready']],
          ])
        }
      // What a file server refused is of it, though it says so too early; where they got in, it is of another try.
      const held: Observation = {
        kind: 'mark',
        person: 'LARKMERE\\mara',
        host: 'FS1',
        phase: 'container',
        code: '0xC0000043',
        timeMs: START_MS - 4000,
      }
      expect(attempts([...logon({ outcome: 'failed', phases: { broker: 600, container: 5000 } }), held])).toHaveLength(1)
      expect(attempts([...logon({}), held])).toHaveLength(2)
    })

    it('has the marks and the end that other machines tell of while it goes on', () => {
      const whole = logon({})
      const mark = (ms: number, host: string, code: string): Observation => ({ kind: 'mark', person: 'mara', host, code, timeMs: START_MS + ms })
      expect(attempts([...whole, mark(4000, 'FS1', 'container.retry')])).toMatchObject([{ host: 'TH-Q1-04', observations: whole.length + 1 }])
      expect(attempts(whole.map((o) => (o.kind === 'end' ? { ...o, host: 'GATE' } : o)))).toMatchObject([{ host: 'TH-Q1-04', outcome: 'ready' }])
      // What profile they got may only be noted when the desktop is there; a refusal then is of another try.
      const end: Observation = { kind: 'end', person: 'mara', host: 'TH-Q1-04', timeMs: START_MS + 13_160, outcome: 'degraded' }
      const noted = [...whole.filter(({ kind }) => kind !== 'end'), mark(13_150, 'TH-Q1-04', 'leftover.found'), end]
      expect(attempts(noted)).toMatchObject([{ outcome: 'degraded', marks: [{ code: 'leftover.found' }] }])
      expect(attempts([...whole, mark(14_000, 'TH-Q1-04', '0xC000006A')])).toHaveLength(2)
    })

    it('is brought together with what another machine says before it or after it, but not with a refusal where it got in', () => {
      const told = (ms: number, code?: string): Observation => ({
        ...{ kind: 'mark', person: 'mara', host: 'TH-Q1-04', source: 'DC1', phase: 'sign-on', timeMs: START_MS + ms },
        ...(code === undefined ? { text: 'ticket' } : { code }),
      })
      expect(attempts([...logon({}), told(-400_000)])).toMatchObject([{ startedAtMs: START_MS, totalMs: 13_100 }])
      expect(attempts([...logon({}), told(60_000)])).toHaveLength(1)
      expect(attempts([...logon({}), told(1_000_000)])).toHaveLength(2)
      // What it says of another one is of that.
      expect(attempts([...logon({}), told(2000), told(60_000)])).toHaveLength(2)
      expect(attempts([...logon({}), told(60_000, 'KDC_ERR_PREAUTH_FAILED')]).map(({ outcome }) => outcome)).toEqual(['ready', 'failed'])
      const refused = logon({ outcome: 'failed', phases: { 'sign-on': 100 }, marks: [['0xC000006A', 'sign-on', 80]] })
      expect(attempts([...refused, told(60_000, 'KDC_ERR_PREAUTH_FAILED')])).toMatchObject([{ outcome: 'failed' }])
    })

    it('has the answer of a person after the gateway gave up, whoever tells of it', () => {
      const gaveUp = logon({ outcome: 'failed', phases: { broker: 600, 'sign-on': 30_000 }, marks: [['factor.timeout', 'sign-on', 30_500]] })
      const after = (ms: number, code: string): Observation => ({
        kind: 'mark',
        person: 'mara',
        phase: 'sign-on',
        code,
        timeMs: START_MS + 30_600 + ms,
      })
      expect(attempts([...gaveUp, after(4000, 'factor.approved')])).toMatchObject([{ outcome: 'failed', observations: gaveUp.length + 1 }])
      // Nothing else that comes after the end is of it.
      expect(attempts([...gaveUp, after(4000, 'STATUS_WRONG_PASSWORD')])).toHaveLength(2)
      // When they try again at once, it is of that.
      const again = logon({ at: START_MS + 33_000 })
      expect(attempts([...gaveUp, ...again, after(4000, 'factor.approved')]).map(({ observations }) => observations)).toEqual([
        gaveUp.length,
        again.length + 1,
      ])
    })

    it('is another try after each refusal, though the directory server’s clock is a little ahead and its host tells nothing else', () => {
      const refused = (at: number, told = at + 60): Observation[] => [
        { timeMs: at, kind: 'end', person: 'mara', host: 'TH-Q1-04', phase: 'sign-on', code: '0xC000006A', outcome: 'failed' },
        { timeMs: told, kind: 'mark', person: 'mara', host: 'TH-Q1-04', source: 'DC-1', phase: 'sign-on', code: 'KDC_ERR_PREAUTH_FAILED' },
      ]
      const tries = [...refused(START_MS), ...refused(START_MS + 9000), ...logon({ at: START_MS + 30_000 })]
      expect(attempts(tries).map(({ outcome, totalMs }) => [outcome, totalMs])).toEqual([
        ['failed', 0],
        ['failed', 0],
        ['ready', 13_100],
      ])
      // Nor is whoever got in refused minutes later.
      const [inside, ...after] = attempts([...logon({}).filter(({ kind }) => kind !== 'end'), ...refused(START_MS + 300_000)])
      expect([inside?.outcome, after.map(({ outcome }) => outcome)]).toEqual(['ready', ['failed']])
      // Whichever of the two is first, each try has both.
      expect(attempts([...refused(START_MS, START_MS - 60), ...refused(START_MS + 9000)]).map(({ marks }) => marks.length)).toEqual([2, 2])
    })

    it('keeps two logons of one person apart that go on at once on two hosts, in two sessions, or on two pools', () => {
      for (const other of [{ host: 'BO-H1-03' }, { session: '9' }, { host: undefined, pool: 'back-office' }]) {
        const one = logon({}).map((o) => ({ ...o, session: '7' }))
        const two = logon({ at: START_MS + 2000 }).map((o) => ({ ...o, ...('session' in other ? {} : { session: undefined }), ...other }))
        expect(attempts([...one, ...two]).map(({ totalMs, observations }) => [totalMs, observations])).toEqual([
          [13_100, one.length],
          [13_100, two.length],
        ])
      }
    })

    it('keeps two on two hosts apart where a directory server tells of the second while the first goes on', () => {
      const mark = {
        timeMs: START_MS + 11_500,
        kind: 'mark',
        person: 'mara',
        host: 'TH-Q1-05',
        source: 'DC-1',
        phase: 'sign-on',
        text: 'ticket',
      } as const
      const second = logon({ at: START_MS + 11_600, host: 'TH-Q1-05' }).filter(({ kind }) => kind !== 'begin')
      const [one, other] = attempts([...logon({}), mark, ...second])
      expect([one?.host, one?.totalMs, one?.marks.length]).toEqual(['TH-Q1-04', 13_100, 0])
      expect([other?.host, other?.marks.length, other?.observations]).toEqual(['TH-Q1-05', 1, second.length + 1])
    })

    it('gives two that begin in the same millisecond two ids', () => {
      const both = attempts([...logon({}), ...logon({ host: 'BO-H1-03' })])
      expect(both.map(({ host }) => host).sort()).toEqual(['BO-H1-03', 'TH-Q1-04'])
      expect(new Set(both.map(({ id }) => id)).size).toBe(2)
    })

    it('takes what only names the session for that of whoever is named in it', () => {
      const whole = logon({}).map((o) => ({ ...o, session: '7' }))
      const other = logon({ person: 'jonas', at: START_MS + 3_600_000 }).map((o) => ({ ...o, session: '7' }))
      const half = (list: Observation[]) => list.map((o) => (onHost(o) ? { ...o, person: undefined } : o))
      expect(attempts([...half(other), ...half(whole)])).toEqual(attempts([...whole, ...other]))
      // With an id that only the others know, in a session that nobody else had, and too late to be of theirs.
      const withId = half(whole).map((o) => (onHost(o) ? o : { ...o, attempt: 'a1' }))
      expect(attempts(withId)).toMatchObject([{ id: 'a1', person: 'mara', totalMs: 13_100, observations: whole.length }])
      // Whether a host is named with its domain makes no difference.
      const domain = half(whole).map((o) => (onHost(o) || !o.host ? o : { ...o, host: `${o.host.toLowerCase()}.larkmere.example` }))
      expect(attempts(domain)).toMatchObject([{ person: 'mara', totalMs: 13_100, observations: whole.length }])
      const elsewhere = half(whole).map((o) => (onHost(o) ? { ...o, session: '8' } : o))
      expect(attempts(elsewhere).map(({ person }) => person)).toEqual(['mara', null])
      const late = half(whole).map((o) => (onHost(o) ? { ...o, timeMs: o.timeMs + 3_000_000 } : o))
      expect(attempts(late).map(({ person }) => person)).toEqual(['mara', null])
    })

    it('keeps what nobody is named in by host and session', () => {
      const nameless = [...logon({}), ...logon({ host: 'BO-H1-03' })].map((o) => ({ ...o, person: undefined }))
      expect(attempts(nameless).map(({ person, totalMs }) => [person, totalMs])).toEqual([
        [null, 13_100],
        [null, 13_100],
      ])
    })
  })

  describe('where only some sources know the id', () => {
    const HOST_PHASES = ['container', 'profile', 'policy', 'shell']
    const onHost = (o: Observation) => HOST_PHASES.includes(o.phase ?? '') || o.kind === 'end'
    const plainly = (list: readonly Observation[]) => list.map((o) => ({ ...o, attempt: undefined }))

    it('brings what came without it to the attempt of the same person', () => {
      const whole = logon({ id: 'a1' })
      const expected = attempts(whole)
      const brokered = whole.map((o) => (onHost(o) ? { ...o, attempt: undefined } : o))
      expect(attempts(brokered)).toEqual(expected)
      // The broker names itself and knows the id; the host does not. And the other way round.
      const two = whole.map((o) => (onHost(o) ? { ...o, attempt: undefined } : { ...o, host: 'BROKER-1' }))
      expect(attempts(two)).toMatchObject([{ id: 'a1', host: 'TH-Q1-04', totalMs: 13_100, outcome: 'ready', observations: whole.length }])
      const other = whole.map((o) => (onHost(o) ? o : { ...o, host: 'BROKER-1', attempt: undefined }))
      expect(attempts(other)).toMatchObject([{ id: 'a1', host: 'TH-Q1-04', totalMs: 13_100, outcome: 'ready', observations: whole.length }])
    })

    it('whichever observations have lost it', () => {
      const whole = [
        ...logon({ id: 'a1' }),
        ...logon({ id: 'a2', at: START_MS + 900_000 }),
        ...logon({ id: 'b1', person: 'jonas', host: 'BO-H1-03' }),
      ]
      const expected = attempts(whole)
      fc.assert(
        fc.property(fc.array(fc.boolean(), { minLength: whole.length, maxLength: whole.length }), fc.integer(), (lost, seed) => {
          const ids = ['a1', 'a2', 'b1']
          // Each keeps its id somewhere.
          const some = whole.map((o, i) =>
            lost[i] && i !== whole.findIndex((one) => one.attempt === o.attempt) + (Math.abs(seed) % 5) ? { ...o, attempt: undefined } : o,
          )
          const found = attempts(some)
          expect(found.map(({ id }) => id)).toEqual(
            [...ids.slice(0, 1), 'b1', 'a2'].sort((x, y) => expected.findIndex(({ id }) => id === x) - expected.findIndex(({ id }) => id === y)),
          )
          expect(found.map(({ totalMs, observations }) => [totalMs, observations])).toEqual(
            expected.map(({ totalMs, observations }) => [totalMs, observations]),
          )
        }),
      )
    })

    it('takes two accounts of one begin for one, and of two begins for two', () => {
      const host = plainly(logon({}))
      const broker: Observation[] = logon({ id: 'a1', host: 'BROKER-1', at: START_MS - 800, phases: { broker: 700 } }).filter(
        ({ kind }) => kind !== 'end',
      )
      expect(attempts([...broker, ...host])).toMatchObject([{ id: 'a1', startedAtMs: START_MS - 800, totalMs: 13_900, host: 'TH-Q1-04' }])
      // The same machine, three seconds later: once with, once without.
      expect(attempts([...logon({ id: 'a1' }), ...plainly(logon({ at: START_MS + 3000 }))])).toHaveLength(1)
      // It failed, and they tried again.
      const again = plainly(logon({ at: START_MS + 60_000 }))
      expect(attempts([...logon({ id: 'a1', outcome: 'failed' }), ...again]).map(({ id, totalMs }) => [id.startsWith('x'), totalMs])).toEqual([
        [false, 13_100],
        [true, 13_100],
      ])
      // Another session, another pool, another host.
      const soon = plainly(logon({ at: START_MS + 2000 }))
      for (const apart of [{ session: '9' }, { pool: 'back-office' }, { host: 'BO-H1-03' }])
        expect(attempts([...logon({ id: 'a1' }).map((o) => ({ ...o, session: '7' })), ...soon.map((o) => ({ ...o, ...apart }))])).toHaveLength(2)
    })

    it('gives the same in any order', () => {
      const all = [
        ...logon({ id: 'a' }).map((o) => (onHost(o) ? { ...o, attempt: undefined } : { ...o, host: 'BROKER-1' })),
        ...plainly(logon({ at: START_MS + 100_000 })),
        ...logon({ id: 'b', at: START_MS + 200_000 }).map((o, i) => (i % 2 ? { ...o, attempt: undefined } : o)),
        ...logon({ id: 'c', person: 'jonas' }),
      ]
      const expected = attempts(all)
      expect(expected).toHaveLength(4)
      fc.assert(
        fc.property(fc.shuffledSubarray(all, { minLength: all.length }), (shuffled) => {
          expect(attempts(shuffled)).toEqual(expected)
        }),
      )
    })
  })

  it('counts of an id what is of one day, and says so of what is further away', () => {
    const day = 86_400_000
    const other = logon({ id: 'a', at: START_MS - 60 * day }).slice(1, 4)
    const [one] = correlate([...other, ...logon({ id: 'a' })], START_MS + 2 * day)
    const [plain] = correlate(logon({ id: 'a' }), START_MS + 2 * day)
    const { oddities, ...rest } = one?.attempt ?? { oddities: [] }
    expect(rest).toEqual({ ...plain?.attempt, oddities: undefined })
    expect(oddities).toEqual([{ code: 'clock.far-off', sentence: '3 of its records are more than a day away from the others, and not counted.' }])
  })

  describe('an id that its source uses again', () => {
    const day = 86_400_000
    const people = ['mara', 'jonas', 'ilse']
    // Counted anew every day; on the third, the one who came first came earlier.
    const days = [0, day, 2 * day - 600_000].map((offset, d) =>
      people.map((person, i) => logon({ id: String(i + 1), person: d === 1 ? (people[2 - i] ?? '') : person, at: START_MS + offset + i * 60_000 })),
    )

    it('names as many logons, of which the first keeps it, in whatever order they come', () => {
      const all = days.flat(2)
      const expected = attempts(all, START_MS + 4 * day)
      expect(expected).toHaveLength(9)
      expect(expected.map(({ id }) => id)).toEqual([
        '1',
        '2',
        '3',
        ...[1, 2, 3].map((n) => `${n}@2026-11-24T05:4${n - 1}:00Z`),
        ...[1, 2, 3].map((n) => `${n}@2026-11-25T05:3${n - 1}:00Z`),
      ])
      expect(expected.map(({ person }) => person)).toEqual([...people, ...people.toReversed(), ...people])
      expect(expected.map(({ oddities }) => oddities.map(({ code }) => code).join())).toEqual([
        ...Array<string>(3).fill(''),
        ...Array<string>(6).fill('id.used-again'),
      ])
      fc.assert(
        fc.property(fc.shuffledSubarray(all, { minLength: all.length }), (shuffled) => {
          expect(attempts(shuffled, START_MS + 4 * day)).toEqual(expected)
        }),
        { numRuns: 50 },
      )
    })

    it('is told apart also where another machine tells of the same logons without ids', () => {
      const told = days.flat().flatMap((one) => (one[0] ? [{ ...one[0], attempt: undefined, source: 'BROKER-1', timeMs: one[0].timeMs + 50 }] : []))
      const all = [...days.flat(2), ...told]
      const found = correlate(all, START_MS + 4 * day)
      expect(found).toHaveLength(9)
      expect(found.map(({ observations }) => observations.length)).toEqual(Array(9).fill(10))
    })

    it('is one where it is gone on with by a machine whose clock is off, or after long silence', () => {
      const broker = { attempt: '1', person: 'mara', source: 'BROKER-1', timeMs: START_MS }
      const both: Observation[] = [
        { ...broker, kind: 'begin' },
        { ...broker, kind: 'phase', phase: 'broker', durationMs: 500 },
      ]
      expect(attempts([...both, ...logon({ id: '1', at: START_MS + 2 * 3_600_000 })], START_MS + day)).toHaveLength(1)
      const later: Observation = {
        kind: 'mark',
        attempt: '1',
        person: 'mara',
        host: 'TH-Q1-04',
        code: 'session.left',
        timeMs: START_MS + 8 * 3_600_000,
      }
      expect(attempts([...logon({ id: '1' }), later], START_MS + day)).toHaveLength(1)
    })

    it('is one however many records it has', () => {
      const marks = (from: number) =>
        Array.from({ length: 150_000 }, (_, i): Observation => ({ kind: 'mark', attempt: '1', person: 'mara', code: 'x', timeMs: from + i }))
      const [one] = correlate([...logon({ id: '1' }), ...marks(START_MS + 1000), ...marks(START_MS + 8 * 3_600_000)], START_MS + day)
      expect(one?.observations).toHaveLength(300_009)
    })

    it('is another try where the same machine begins again after silence', () => {
      const two = attempts([...logon({ id: '1' }), ...logon({ id: '1', at: START_MS + 20 * 60_000 })], START_MS + day)
      expect(two.map(({ id, totalMs }) => [id, totalMs])).toEqual([
        ['1', 13_100],
        ['1@2026-11-23T06:00:00Z', 13_100],
      ])
      expect(attempts([...logon({ id: '1' }), ...logon({ id: '1', at: START_MS + 5 * 60_000 })], START_MS + day)).toHaveLength(1)
    })
  })

  it('ends an attempt after the shell phase and after 15 minutes of silence', () => {
    const noEnd = logon({}).filter(({ kind }) => kind !== 'end')
    expect(attempts(noEnd)[0]).toMatchObject({ outcome: 'ready', totalMs: 13_100 })
    const stuck = logon({ phases: { broker: 600, connect: 1000 } }).filter(({ kind }) => kind !== 'end')
    expect(attempts(stuck, START_MS + 60_000)[0]?.outcome).toBe('open')
    expect(attempts(stuck, START_MS + 20 * 60_000)[0]?.outcome).toBe('abandoned')
    const silent = logon({ phases: { broker: 600 } }).filter(({ kind }) => kind !== 'end')
    expect(attempts(silent, NOW)[0]?.outcome).toBe('failed')
  })

  it('of which nobody tells a begin or an end is over well where all is over that was recorded; not where they were seen to come, or something failed', () => {
    const outcome = (...told: Partial<Observation>[]) =>
      attempts(
        told.map((one, i): Observation => ({
          kind: 'phase',
          person: 'mara',
          host: 'TH-Q1-04',
          timeMs: START_MS + i * 2000,
          durationMs: 1500,
          ...one,
        })),
        NOW,
      ).map((one) => one.outcome)
    expect(outcome({ phase: 'policy' })).toEqual(['ready'])
    expect(outcome({ phase: 'sign-on' }, { phase: 'policy', part: 'printers' }, { phase: 'policy' })).toEqual(['ready'])
    expect(outcome({ kind: 'mark', phase: 'sign-on', text: 'signed on' })).toEqual(['ready'])
    expect(outcome({ kind: 'mark', phase: 'sign-on', code: '0xC000006A' })).toEqual(['failed'])
    expect(outcome({ phase: 'profile' }, { kind: 'phase-begin', phase: 'policy' })).toEqual(['abandoned'])
    expect(outcome({ phase: 'connect' }, { phase: 'policy' })).toEqual(['abandoned'])
    expect(outcome({ phase: 'broker' })).toEqual(['failed'])
  })

  it('takes what a phase waited for out of it: scripts before the desktop is started, a container before its profile is loaded', () => {
    const phase = (name: string, from: number, ms: number): Observation => ({
      timeMs: START_MS + from,
      kind: 'phase',
      phase: name,
      durationMs: ms,
      person: 'mara',
      host: 'TH-Q1-04',
    })
    const [one] = attempts([
      { ...phase('', 0, 0), kind: 'begin', phase: undefined },
      phase('profile', 0, 6000),
      phase('container', 1000, 4000),
      phase('shell', 6000, 30_000),
      phase('scripts', 6100, 25_000),
    ])
    expect(one?.phases.map(({ phase: name, startMs, endMs }) => [name, startMs, endMs])).toEqual([
      ['profile', 0, 1000],
      ['container', 1000, 5000],
      ['profile', 5000, 6000],
      ['shell', 6000, 6100],
      ['scripts', 6100, 31_100],
      ['shell', 31_100, 36_000],
    ])
    // What begins before, or ends after, goes on beside it.
    const beside = attempts([phase('profile', 1000, 6000), phase('container', 0, 4000), phase('shell', 7000, 3000), phase('scripts', 8000, 9000)])
    expect(beside[0]?.phases).toHaveLength(4)
  })

  it('keeps phases that contradict themselves, and says so', () => {
    const odd: Observation[] = [
      { kind: 'begin', attempt: 'o', timeMs: START_MS },
      { kind: 'phase', attempt: 'o', phase: 'profile', timeMs: START_MS, durationMs: -500 },
      { kind: 'phase-end', attempt: 'o', phase: 'policy', timeMs: START_MS + 100 },
      { kind: 'phase-begin', attempt: 'o', phase: 'shell', timeMs: START_MS + 200 },
      { kind: 'end', attempt: 'o', timeMs: START_MS + 5000, outcome: 'ready' },
    ]
    const [attempt] = attempts(odd)
    expect(attempt?.oddities.map(({ code }) => code).sort()).toEqual(['phase.ends-before-it-begins', 'phase.negative', 'phase.never-ended'])
    expect(attempt?.phases.find(({ phase }) => phase === 'shell')).toMatchObject({ ended: false, endMs: 5000 })
  })

  it('gives the same result in any order, and however often anything is given', () => {
    const all = [
      ...logon({ id: 'a' }),
      ...logon({ person: 'jonas' }),
      ...logon({
        person: 'jonas',
        at: START_MS + 1_800_000,
        outcome: 'failed',
        marks: [
          ['0xC0000043', 'container', 5000],
          ['0xC0000043', 'container', 5000.5],
        ],
      }),
      ...logon({ person: 'ilse', host: 'BO-H1-03' }).filter(({ kind }) => kind !== 'end'),
      ...logon({ person: 'rut' }).map((o, i) => (i < 3 ? { ...o, host: undefined } : { ...o, session: '3' })),
    ]
    const expected = attempts(all)
    expect(expected).toHaveLength(5)
    fc.assert(
      fc.property(fc.shuffledSubarray(all, { minLength: all.length }), fc.array(fc.constantFrom(...all), { maxLength: 20 }), (shuffled, again) => {
        expect(attempts([...again, ...shuffled])).toEqual(expected)
      }),
      { numRuns: 200 },
    )
  })
})
