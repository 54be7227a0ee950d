import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { analyseAll } from '../../logons/batch'
import { clockOffsets } from '../../logons/clocks'
import { blame } from '../../logons/blame'
import { document, eventXml, logonEvents, PROVIDERS, utf16, type MadeEvent } from './fixtures/events'
import { attemptsIn, attemptsOf, bytes, read, START } from './fixtures/read'
import type { EventRule } from './rule'

describe('event logs', () => {
  it('give the phases of a logon, from events that do not name the person as well', () => {
    const { observations, faults } = read([bytes(document(logonEvents(START)))])
    expect(faults).toEqual([])
    const [attempt, ...others] = attemptsOf(observations)
    expect(others).toEqual([])
    expect(attempt).toMatchObject({
      person: 'mara.lindqvist',
      host: 'TH-Q1-03',
      totalMs: 24_000,
      outcome: 'ready',
      startedAtMs: START,
      attrs: { clientAddress: '10.4.2.17' },
    })
    expect(attempt?.oddities.map(({ code }) => code)).toEqual(['begin.missing'])
    const shares = Object.fromEntries(blame(attempt ?? { phases: [], totalMs: 0 }).shares.map(({ phase, ms }) => [phase, ms]))
    expect(shares).toMatchObject({ 'sign-on': 3000, profile: 1900, policy: 12_000 })
    expect(attempt?.parts).toMatchObject([{ phase: 'policy', part: 'Drive maps', startMs: 6500, endMs: 17_000 }])
    // Two seconds of scripts are told only by the event of their end.
    expect(attempt?.phases.find(({ phase }) => phase === 'scripts')).toMatchObject({ startMs: 18_200, endMs: 20_200 })
  })

  it('are read the same in UTF-8 and UTF-16, with and without a root, cut anywhere, in any order of files', () => {
    const people = [
      logonEvents(START),
      logonEvents(START + 40_000, 'jonas.österby', 'TH-Q1-04', 1102),
      logonEvents(START + 45_000, 'ilse', 'TH-Q1-03', 1103),
    ]
    const all = people.flat()
    const whole = attemptsIn(all)
    expect(whole).toHaveLength(3)
    expect(whole.every(({ outcome, totalMs }) => outcome === 'ready' && totalMs === 24_000)).toBe(true)
    const bare = bytes(all.map(eventXml).join('\n'))
    const split = ['security', 'profiles', 'policy', 'winlogon', 'sessions'].map((log) =>
      bytes(document(all.filter(({ provider }) => provider === PROVIDERS[log as keyof typeof PROVIDERS]))),
    )
    for (const files of [[bare], [utf16(document(all))], [utf16(document(all), true)], split, [...split].reverse()])
      for (const cut of [Infinity, 7, 1]) expect(attemptsOf(read(files, { cut }).observations)).toEqual(whole)
  })

  it('say how a refused sign-on was refused; access over the network by others is no logon', () => {
    const failed: MadeEvent = {
      provider: PROVIDERS.security,
      id: 4625,
      timeMs: START,
      data: { TargetUserName: 'mara', TargetDomainName: 'LARKMERE', LogonType: 10, Status: '0xc000006d', SubStatus: '0xc000006a', IpAddress: '-' },
    }
    const network: MadeEvent = {
      provider: PROVIDERS.security,
      id: 4624,
      timeMs: START,
      data: { TargetUserName: 'jonas', TargetDomainName: 'LARKMERE', LogonType: 3 },
    }
    const machine: MadeEvent = {
      provider: PROVIDERS.security,
      id: 4624,
      timeMs: START,
      data: { TargetUserName: 'TH-Q1-03$', TargetDomainName: 'LARKMERE', LogonType: 2 },
    }
    const { observations, faults } = read([bytes(document([failed, network, machine]))])
    expect(faults).toEqual([])
    expect(attemptsOf(observations)).toMatchObject([
      { person: 'mara', outcome: 'failed', marks: [{ code: 'STATUS_WRONG_PASSWORD', phase: 'sign-on' }] },
    ])
  })

  it('bring what the directory server wrote to the logon that it belongs to', () => {
    const kdc = (timeMs: number, id: number, Status: string, name = 'mara.lindqvist'): MadeEvent => ({
      provider: PROVIDERS.security,
      id,
      timeMs,
      computer: 'DC-1.larkmere.example',
      data: { TargetUserName: name, TargetDomainName: 'LARKMERE', Status },
    })
    const { observations } = read([
      bytes(
        document([
          kdc(START + 1000, 4771, '0x18'),
          kdc(START + 2000, 4768, '0x0'),
          kdc(START, 4768, '0x0', 'TH-Q1-03$'),
          kdc(START, 4771, '0x17', 'nils'),
        ]),
      ),
      bytes(document(logonEvents(START))),
    ])
    const [mara, nils, ...rest] = attemptsOf(observations).sort((a, b) => b.phases.length - a.phases.length)
    expect(rest).toEqual([])
    expect(mara).toMatchObject({ person: 'mara.lindqvist', host: 'TH-Q1-03', outcome: 'ready' })
    expect(mara?.marks).toContainEqual({ atMs: 1000, code: 'KDC_ERR_PREAUTH_FAILED', phase: 'sign-on', text: null, host: 'DC-1' })
    expect(nils).toMatchObject({ person: 'nils', outcome: 'failed', marks: [{ code: 'KDC_ERR_KEY_EXPIRED' }] })
  })

  it('of a directory server belong to logons on a machine whose clock is off by minutes, where many are off by the same', () => {
    const ticket = (timeMs: number, i: number): MadeEvent => ({
      provider: PROVIDERS.security,
      id: 4768,
      timeMs,
      computer: 'DC1.larkmere.example',
      data: { TargetUserName: `p${i}`, TargetDomainName: 'LARKMERE', TargetSid: `S-1-5-21-1-2-3-${1300 + i}`, Status: '0x0', IpAddress: '10.4.2.17' },
    })
    const hosts = ['TH-Q1-03', 'TH-Q1-04', 'TH-Q1-05']
    const evening = (away: (i: number) => number, n = 24) =>
      Array.from({ length: n }, (_, i) => {
        const at = START + i * 900_000
        return [...logonEvents(at, `p${i}`, hosts[i % 3], 1300 + i), ticket(at + 900 - away(i), i)]
      }).flat()
    const told = (events: readonly MadeEvent[]) => read([bytes(document(events))]).observations.filter(({ source }) => source === 'DC1')
    const off = told(evening((i) => (i % 3 === 0 ? 400_000 : 0)))
    expect(off).toHaveLength(24)
    expect(off.filter(({ host }) => host === 'TH-Q1-03')).toHaveLength(8)
    const [clock, ...others] = clockOffsets(attemptsOf(read([bytes(document(evening((i) => (i % 3 === 0 ? 400_000 : 0))))]).observations)).values()
    expect(others).toEqual([])
    expect(clock?.machine).toBe('TH-Q1-03')
    expect(Math.abs((clock?.offsetMs ?? 0) - 400_000)).toBeLessThan(2500)
    // Tickets that people get now and then are of no logon.
    expect(told(evening((i) => (i % 3 === 0 ? 150_000 + i * 20_000 : 0))).filter(({ host }) => host === 'TH-Q1-03')).toEqual([])
  })

  it('say that a profile is a temporary one, and who was locked out beside a code that stands for several reasons', () => {
    const sid = 'S-1-5-21-1-2-3-1101'
    const temporary: MadeEvent = { provider: PROVIDERS.profiles, id: 1511, timeMs: START + 5500, user: sid }
    expect(attemptsIn([...logonEvents(START), temporary])).toMatchObject([{ outcome: 'degraded' }])
    const locked: MadeEvent[] = [
      {
        provider: PROVIDERS.security,
        id: 4771,
        timeMs: START,
        computer: 'DC1.larkmere.example',
        data: { TargetUserName: 'ole', TargetSid: 'S-1-5-21-1-2-3-1200', Status: '0x12', IpAddress: '10.4.2.17' },
      },
      {
        provider: PROVIDERS.security,
        id: 4625,
        timeMs: START + 80,
        data: { TargetUserName: 'ole', TargetDomainName: 'LARKMERE', Status: '0xc0000234', SubStatus: '0x0', LogonType: 10, IpAddress: '10.4.2.17' },
      },
    ]
    const saidOf = (events: readonly MadeEvent[]) => analyseAll(attemptsIn(events)).map(({ diagnosis }) => diagnosis.cause?.id)
    expect(saidOf(locked)).toEqual(['account-locked'])
    expect(saidOf(locked.slice(0, 1))).toEqual(['account-disabled'])
  })

  it('with the SID of somebody whom nothing names yet are of nobody else, whoever was logging on on that machine', () => {
    const [known, unknown] = ['S-1-5-21-1-2-3-1101', 'S-1-5-21-1-2-3-1102']
    const profile = (user: string, timeMs: number): MadeEvent[] => [
      { provider: PROVIDERS.profiles, id: 1, timeMs, user, data: { Session: 4 } },
      { provider: PROVIDERS.profiles, id: 2, timeMs: timeMs + 900, user, data: { Session: 4 } },
    ]
    const file = bytes(document([...profile(known, START), ...profile(unknown, START + 20_000)]))
    const { observations, faults } = read([file], { accounts: new Map([[known, 'LARKMERE\\mara']]) })
    expect(observations.map(({ person, kind }) => [person, kind])).toEqual([
      ['LARKMERE\\mara', 'phase-begin'],
      ['LARKMERE\\mara', 'phase-end'],
    ])
    expect(faults.map(({ code }) => code)).toEqual(['event.nobody', 'event.nobody'])
    // Of whom no SID is known, it may be.
    const named = { provider: PROVIDERS.sessions, id: 21, timeMs: START + 19_000, data: { User: 'LARKMERE\\jonas', SessionID: 9 }, userData: true }
    const both = read([bytes(document([...profile(unknown, START + 20_000), named]))])
    expect(new Set(both.observations.map(({ person }) => person))).toEqual(new Set(['LARKMERE\\jonas']))
  })

  it('take part with providers of an administrator’s own', () => {
    const own: EventRule[] = [
      {
        provider: 'Larkmere-Attach',
        id: 7,
        observe: 'phase',
        phase: 'container',
        person: ['{Who}'],
        elapsed: { fields: ['Ms'], unit: 'ms' },
        attrs: { share: '{Share}' },
      },
      { provider: PROVIDERS.sessions, id: 23, observe: 'mark', text: 'gone', person: ['{User}'] },
    ]
    const attach: MadeEvent = {
      provider: 'Larkmere-Attach',
      id: 7,
      timeMs: START + 3500,
      data: { Who: 'LARKMERE\\mara.lindqvist', Ms: 400, Share: String.raw`\\quay-fs1\profiles` },
    }
    const { observations } = read([bytes(document([...logonEvents(START), attach]))], { own })
    const [attempt] = attemptsOf(observations)
    expect(attempt?.attrs['share']).toBe(String.raw`\\quay-fs1\profiles`)
    expect(attempt?.phases).toContainEqual({ phase: 'container', startMs: 3500, endMs: 3900, ended: true, code: null, host: 'TH-Q1-03' })
  })

  it('say plainly what was not understood, and lose nothing around it', () => {
    const good = logonEvents(START)
    const strange: MadeEvent = { provider: 'Other', id: 12, timeMs: START, data: { a: 1 } }
    const nobody: MadeEvent = { provider: PROVIDERS.profiles, id: 1511, timeMs: START + 9_000_000, user: 'S-1-5-21-9-9-9-1', computer: 'ELSE' }
    const noTime = eventXml(good[1] as MadeEvent).replace(/<TimeCreated[^>]*>/, '')
    const text = `<Events>${eventXml(strange)}${eventXml(strange)}${noTime}${eventXml(nobody)}<Event><System>${good.map(eventXml).join('')}`
    const { observations, faults } = read([bytes(text)])
    expect(attemptsOf(observations)).toHaveLength(1)
    expect(faults.map(({ code }) => code).sort()).toEqual(['event.cut-off', 'event.nobody', 'event.time', 'event.unmapped'])
    expect(faults.find(({ code }) => code === 'event.unmapped')?.reason).toContain('2 events of Other with id 12')
    expect(faults.find(({ code }) => code === 'event.nobody')?.reason).toContain('S-1-5-21-9-9-9-1')
    expect(faults.find(({ code }) => code === 'event.time')?.byte).toBe(text.indexOf(noTime))
    // The directory may know the SID.
    expect(
      read([bytes(text)], { accounts: new Map([['S-1-5-21-9-9-9-1', 'LARKMERE\\ole']]) }).observations.some(
        ({ person }) => person === 'LARKMERE\\ole',
      ),
    ).toBe(true)
  })

  it('survive whatever is given', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 400 }), fc.nat(50), (noise, cut) => {
        expect(() => read([noise], { cut: cut + 1 })).not.toThrow()
      }),
    )
    const whole = document(logonEvents(START))
    fc.assert(
      fc.property(fc.nat(whole.length), fc.nat(60), fc.string({ maxLength: 20 }), (at, gone, put) => {
        const { observations, faults } = read([bytes(whole.slice(0, at) + put + whole.slice(at + gone))], { cut: 97 })
        expect(observations.length + faults.length).toBeGreaterThan(8)
        for (const { timeMs } of observations) expect(Number.isFinite(timeMs)).toBe(true)
      }),
      { numRuns: 300 },
    )
  })
})
