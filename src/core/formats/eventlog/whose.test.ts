import { describe, expect, it } from 'vitest'
import { document, logonEvents, PROVIDERS, type MadeEvent } from './fixtures/events'
import { attemptsIn, attemptsOf, bytes, read, START } from './fixtures/read'

const SYSTEM = 'S-1-5-18'
const computer = 'TH-Q1-03.larkmere.example'
const at = (s: number) => START + s * 1000

/** Policy is applied anew, in the background: to a machine, or to somebody who has been working for long. */
function refresh(seconds: number, person?: string, user = SYSTEM): MadeEvent[] {
  const common = { provider: PROVIDERS.policy, computer, user, activity: `{refresh-${seconds}}` }
  const whose = { PrincipalSamName: person ?? 'LARKMERE\\TH-Q1-03$' }
  return [
    { ...common, id: person ? 4007 : 4006, timeMs: at(seconds), data: whose },
    { ...common, id: 4016, timeMs: at(seconds + 1), data: { CSEExtensionName: 'Software installation' } },
    {
      ...common,
      id: 7016,
      timeMs: at(seconds + 31),
      data: { CSEExtensionName: 'Software installation', CSEElaspedTimeInMilliSeconds: 30_000, ErrorCode: 1274 },
    },
    { ...common, id: person ? 8007 : 8006, timeMs: at(seconds + 32), data: { ...whose, PolicyElaspedTimeInSeconds: 32 } },
  ]
}

/** Somebody comes back to session 7: the directory gives a ticket, a new session is begun, and given up for the old one. */
function comesBack(seconds: number, name: string, ticketMs = 0): MadeEvent[] {
  const sessions = { provider: PROVIDERS.sessions, computer, userData: true }
  const User = `LARKMERE\\${name}`
  return [
    {
      provider: PROVIDERS.security,
      computer: 'DIR-1.larkmere.example',
      id: 4768,
      timeMs: at(seconds) + ticketMs,
      data: { TargetUserName: name, TargetDomainName: 'LARKMERE', Status: '0x0' },
    },
    { ...sessions, id: 41, timeMs: at(seconds + 1), data: { User, SessionID: 12 } },
    { ...sessions, id: 42, timeMs: at(seconds + 1.1), data: { User, SessionID: 12 } },
    {
      provider: PROVIDERS.security,
      computer,
      id: 4624,
      timeMs: at(seconds + 1.2),
      data: { TargetUserName: name, TargetDomainName: 'LARKMERE', LogonType: 10 },
    },
    { ...sessions, id: 25, timeMs: at(seconds + 1.4), data: { User, SessionID: 7, Address: '10.4.2.17' } },
  ]
}

const wrongPassword = (seconds: number, name: string): MadeEvent => ({
  provider: PROVIDERS.security,
  computer,
  id: 4625,
  timeMs: at(seconds),
  data: { TargetUserName: name, TargetDomainName: 'LARKMERE', LogonType: 10, Status: '0xc000006d', SubStatus: '0xc000006a' },
})

const logOf = (events: readonly MadeEvent[], provider: string) => events.filter((one) => one.provider === provider)

describe('whose an event is', () => {
  it('is nobody’s logon where policy is applied anew, of a machine or of a person, whoever logs on there at that moment', () => {
    const logon = logonEvents(START)
    const alone = attemptsIn(logon)
    expect(alone).toHaveLength(1)
    for (const others of [refresh(5), refresh(5, 'LARKMERE\\jonas'), [...refresh(-20), ...refresh(40, 'LARKMERE\\mara.lindqvist')]]) {
      expect(attemptsIn([...logon, ...others])).toEqual(alone)
      expect(attemptsIn(others, logon)).toEqual(alone)
      // A log that begins in the midst of it.
      expect(attemptsIn(logon, others.slice(1))).toEqual(alone)
    }
    // Written under the SID of whom it is of, who is known by then.
    expect(attemptsIn(logon, refresh(3600, 'LARKMERE\\mara.lindqvist', 'S-1-5-21-1-2-3-1101'))).toEqual(alone)
  })

  it('is no logon where somebody comes back to a session that is there, by whatever clock the directory’s ticket is', () => {
    const logon = logonEvents(START)
    const alone = attemptsIn(logon)
    const back = comesBack(3600, 'mara.lindqvist')
    expect(attemptsIn([...logon, ...back])).toEqual(alone)
    expect(attemptsIn(back, logon)).toEqual(alone)
    expect(attemptsIn(back)).toEqual([])
    expect(attemptsIn([...logon, ...comesBack(3600, 'mara.lindqvist', 70_000)])).toEqual(alone)
    // Each of its logs by itself; the security log tells of it by an event of its own.
    const told: MadeEvent = {
      provider: PROVIDERS.security,
      computer,
      id: 4778,
      timeMs: at(3601.5),
      data: { AccountName: 'mara.lindqvist', AccountDomain: 'LARKMERE', ClientName: 'PC-7' },
    }
    expect(attemptsIn(logOf(back, PROVIDERS.sessions))).toEqual([])
    expect(attemptsIn([...logOf(back, PROVIDERS.security), told])).toEqual([])
    // Or beside each other, as far as the security log may be ahead of the one that tells who was there, or behind it.
    const days = Array.from({ length: 40 }, (_, i) => comesBack(3600 + i * 600, 'mara.lindqvist')).flat()
    const logs = [PROVIDERS.security, PROVIDERS.sessions].map((provider) => bytes(document(logOf(days, provider))))
    for (const files of [logs, [...logs].reverse()]) expect(read(files, { cut: 2000, beside: true }).observations).toEqual([])
    // Without a session to come back to, it was a try that led nowhere; a refusal is told whatever came after it.
    expect(attemptsIn(back.slice(0, -1))).toMatchObject([{ outcome: 'abandoned' }])
    const refused = wrongPassword(3595, 'mara.lindqvist')
    expect(attemptsIn([...back, refused])).toMatchObject([{ outcome: 'failed' }])
  })

  it('is a logon’s of which only one log is there: what it does not record is not held against it', () => {
    const logon = logonEvents(START)
    expect(attemptsIn(logOf(logon, PROVIDERS.policy))).toMatchObject([{ outcome: 'ready', phases: [{ phase: 'policy' }, { phase: 'scripts' }] }])
    expect(attemptsIn(logOf(logon, PROVIDERS.security))).toMatchObject([{ outcome: 'ready', phases: [] }])
    // Policy that never ended may be why they gave up; and whoever saw them come would have seen them arrive.
    const unended = logOf(logon, PROVIDERS.policy).filter(({ id }) => id !== 8001 && id !== 5018)
    expect(attemptsIn(unended)).toMatchObject([{ outcome: 'abandoned' }])
    expect(attemptsIn(logOf(logon, PROVIDERS.sessions).filter(({ id }) => id !== 21 && id !== 22))).toMatchObject([{ outcome: 'abandoned' }])
  })

  it('is told by the SID where nothing names it, if that is wished; events that name nobody are not lost without a word', () => {
    const profiles = [bytes(document(logOf(logonEvents(START), PROVIDERS.profiles)))]
    expect(read(profiles)).toMatchObject({ observations: [], faults: [{ code: 'event.nobody' }, { code: 'event.nobody' }] })
    const { observations, faults, namedBySid } = read(profiles, { bySid: true })
    expect([faults, [...namedBySid]]).toEqual([[], ['S-1-5-21-1-2-3-1101']])
    expect(attemptsOf(observations)).toMatchObject([{ person: 's-1-5-21-1-2-3-1101', outcome: 'ready', totalMs: 1900 }])
    expect(read([bytes(document(logOf(logonEvents(START), PROVIDERS.winlogon)))]).faults).toMatchObject([
      {
        code: 'event.nobodys',
        reason: expect.stringMatching(/^2 events name nobody, and nothing beside them does: give the log of sessions/) as unknown,
      },
    ])
  })

  it('is told by the process that wrote it where two log on at one machine within seconds', () => {
    const winlogon = (seconds: number, process: number): MadeEvent[] =>
      (
        [
          [1, 0],
          [2, 0.8],
        ] as const
      ).map(([id, s]) => ({ provider: PROVIDERS.winlogon, computer, user: SYSTEM, id, timeMs: at(seconds + s), process }))
    const signedOn = (seconds: number, name: string): MadeEvent => ({
      provider: PROVIDERS.security,
      computer,
      id: 4624,
      timeMs: at(seconds),
      data: { TargetUserName: name, TargetDomainName: 'LARKMERE', LogonType: 10 },
    })
    const connect = (seconds: number, name: string): MadeEvent[] =>
      [41, 42, 21, 22].map((id, i) => ({
        provider: PROVIDERS.sessions,
        computer,
        userData: true,
        id,
        timeMs: at(seconds + i),
        data: { User: `LARKMERE\\${name}`, SessionID: seconds },
      }))
    const logs = (first: number, second: number) => [
      ...winlogon(0, first),
      signedOn(0.7, 'mara'),
      ...connect(1, 'mara'),
      ...winlogon(3.2, second),
      signedOn(3.9, 'jonas'),
      ...connect(5, 'jonas'),
    ]
    const signOn = (first: number, second: number) =>
      attemptsIn(logs(first, second)).map(({ person, phases }) => [
        person,
        phases.filter(({ phase }) => phase === 'sign-on').map(({ startMs, endMs, ended }) => [startMs, endMs, ended]),
      ])
    expect(signOn(640, 752)).toEqual([
      ['mara', [[0, 800, true]]],
      ['jonas', [[0, 800, true]]],
    ])
  })

  it('is theirs whose own events are next to it each time, not of who was first seen when it began', () => {
    /** Somebody signs on from one moment to another, has a session at the third and a desktop at the last. */
    const logon = (name: string, SessionID: number, [begins, signedOn, session, ready]: readonly [number, number, number, number]): MadeEvent[] => [
      ...(
        [
          [1, begins],
          [2, signedOn],
          [811, session - 0.08],
          [812, session - 0.01],
        ] as const
      ).map(([id, s]) => ({
        provider: PROVIDERS.winlogon,
        computer,
        user: SYSTEM,
        id,
        timeMs: at(s),
        process: 100 * SessionID,
        ...(id > 2 ? { data: { Event: 2, SubscriberName: 'SessionEnv' } } : {}),
      })),
      ...(
        [
          [41, signedOn + 0.01],
          [42, session - 0.1],
          [21, session],
          [22, ready],
        ] as const
      ).map(([id, s]) => ({
        provider: PROVIDERS.sessions,
        computer,
        userData: true,
        id,
        timeMs: at(s),
        data: { User: `LARKMERE\\${name}`, SessionID },
      })),
    ]
    // Jonas’s sign-on begins half a second after Mara was first seen, two seconds before he was.
    const of = (person: string) =>
      attemptsIn([...logon('mara', 7, [0, 0.81, 2, 6]), ...logon('jonas', 8, [1.3, 3.43, 4.6, 9])])
        .filter((one) => one.person === person)
        .map(({ phases }) => phases.filter(({ phase }) => phase === 'sign-on').map(({ startMs, endMs }) => [startMs, endMs]))
    expect(of('mara')).toEqual([[[0, 810]]])
    expect(of('jonas')).toEqual([[[0, 2130]]])
  })

  it('is found while the logs are read beside each other, a little after all have passed it, and as it is found when all is known', () => {
    const hosts = ['TH-Q1-03', 'TH-Q1-04', 'TH-Q1-05'].map((host, h) =>
      Array.from({ length: 120 }, (_, i) =>
        logonEvents(START + (i * 41 + h * 13) * 1000, `p${i}.${h}`, host, 1200 + i * 3 + h).map((one) => ({ ...one, process: 700 + (i % 7) })),
      )
        .flat()
        .sort((a, b) => a.timeMs - b.timeMs),
    )
    const files = hosts.map((events) => bytes(document(events)))
    const beside = read(files, { cut: 5000, beside: true })
    const known = ({ observations }: typeof beside) => observations.map((one) => JSON.stringify(one)).sort()
    expect(known(beside)).toEqual(known(read(files)))
    expect(attemptsOf(beside.observations)).toHaveLength(360)
    // What waits for others to pass it, and to be looked at, waits five minutes at most.
    let newestMs = -Infinity
    for (const { timeMs } of beside.observations) {
      newestMs = Math.max(newestMs, timeMs)
      expect(newestMs - timeMs).toBeLessThan(300_000)
    }
  })

  it('is not theirs who were refused, or whose logon was over, though nobody else was near', () => {
    const winlogon = (id: number, seconds: number): MadeEvent => ({
      provider: PROVIDERS.winlogon,
      computer,
      user: SYSTEM,
      id,
      timeMs: at(seconds),
      process: 900,
      data: { SubscriberName: 'Sens' },
    })
    const logon = logonEvents(START)
    expect(attemptsIn([...logon, winlogon(811, 24.5), winlogon(812, 24.9)])).toEqual(attemptsIn(logon))
    const refused = wrongPassword(0.2, 'ole')
    expect(attemptsIn([refused, winlogon(1, 0.4), winlogon(2, 1.1)])).toEqual(attemptsIn([refused]))
  })
})
