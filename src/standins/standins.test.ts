import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it, vi } from 'vitest'
import type { Stretch } from '../contract/policies'
import { stretchesOf } from './fleet/stretches'
import { readOtlp } from '../core/formats'
import { analyseAll, correlate, type Observation } from '../core/logons'
import { OrgFile } from '../contract/org'
import { controlServer } from './control'
import { larkmere } from './directory/larkmere'
import { Fleet } from './fleet/fleet'
import { history } from './fleet/history'
import { otlpOf } from './fleet/otlp'
import { offsetMs } from './fleet/shifts'
import { latencyOf, plant } from './fleet/troubles'
import { InventoryReader, type InventoryRow } from '../core/files'
import { Random } from './random'
import { inventoryOf } from './share/inventory'
import { freeBytesOf, larkmereShares } from './share/share'

const NOW = Date.UTC(2026, 10, 23, 13)
const company = larkmere(260)
const planted = plant(NOW, company.staff, company.hosts)
const days = (from: number, to: number) =>
  [...history(company, planted, { fromDay: from, toDay: to }, NOW, 'Europe/Copenhagen')].flatMap(({ observations }) => observations)
const folder = mkdtempSync(join(tmpdir(), 'ikebana-standins-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

describe('Larkmere Ferries', () => {
  it('is the same for the same seed, fits org.json, and has people with names of their own', () => {
    expect(larkmere(260)).toEqual(company)
    expect(OrgFile.safeParse(company.org).success).toBe(true)
    expect(new Set(company.staff.map(({ id }) => id)).size).toBe(company.staff.length)
    expect(larkmere().staff).toHaveLength(2600)
  })

  it('has the same history for the same moment, ending before it', () => {
    const once = days(1, 0)
    expect(days(1, 0)).toEqual(once)
    expect(once.length).toBeGreaterThan(1000)
    expect(Math.max(...once.filter(({ kind }) => kind === 'begin').map(({ timeMs }) => timeMs))).toBeLessThan(NOW)
  })

  it('tells what has been since a moment as logons of their own, the same each time', () => {
    const since = NOW - 20 * 3_600_000
    const later = () =>
      [...history(company, planted, { fromDay: 2, toDay: 0, sinceMs: since }, NOW, 'Europe/Copenhagen')].flatMap(({ observations }) => observations)
    const told = later()
    const begins = told.filter(({ kind }) => kind === 'begin')
    expect(later()).toEqual(told)
    expect(begins.length).toBeGreaterThan(50)
    expect(Math.min(...begins.map(({ timeMs }) => timeMs))).toBeGreaterThanOrEqual(since)
    const before = new Set(days(2, 0).map(({ attempt }) => attempt))
    expect(begins.filter(({ attempt }) => before.has(attempt))).toEqual([])
    expect(told.filter(({ attrs }) => attrs?.['first'] === true)).toEqual([])
  })

  it('plants troubles that the diagnosis finds from the evidence alone', () => {
    const explained = analyseAll(
      correlate(days(6, 0), NOW).map(({ attempt }) => attempt),
      OrgFile.parse(company.org),
    )
    const causes = new Map<string, number>()
    for (const { diagnosis } of explained) if (diagnosis.cause) causes.set(diagnosis.cause.id, (causes.get(diagnosis.cause.id) ?? 0) + 1)
    for (const id of ['policy-part-slow', 'container-held', 'host-not-configured', 'second-factor-timeout', 'wrong-password'])
      expect(causes.get(id) ?? 0, id).toBeGreaterThan(0)
  })

  it('keeps summer time', () => {
    expect([offsetMs('Europe/Copenhagen', Date.UTC(2026, 0, 1)), offsetMs('Europe/Copenhagen', Date.UTC(2026, 6, 1))]).toEqual([3_600_000, 7_200_000])
  })

  it('has shares whose latency follows the load', () => {
    const [quiet, busy, overloaded] = [
      latencyOf(String.raw`\\quay-fs1\profiles`, 5, false, 1),
      latencyOf(String.raw`\\quay-fs1\profiles`, 40, false, 1),
      latencyOf(String.raw`\\quay-fs1\profiles`, 40, true, 1),
    ]
    expect(quiet).toBe(3)
    expect(busy).toBeGreaterThan(quiet)
    expect(overloaded).toBeGreaterThan(busy)
  })
})

it('an export says the same as the observations that it was made of', () => {
  const random = new Random('export')
  const byAttempt = new Map<string, Observation[]>()
  for (const o of days(0, 0)) byAttempt.set(o.attempt ?? '', [...(byAttempt.get(o.attempt ?? '') ?? []), o])
  for (const list of [...byAttempt.values()].slice(0, 60)) {
    const [direct] = correlate(list, NOW)
    const { observations, faults } = readOtlp(JSON.parse(JSON.stringify(otlpOf(list, () => random.guid().replaceAll('-', '').slice(0, 16)))))
    const [exported] = correlate(observations, NOW)
    const facts = (one: typeof direct) => ({
      id: one?.attempt.id,
      totalMs: one?.attempt.totalMs,
      outcome: one?.attempt.outcome,
      person: one?.attempt.person,
      attrs: one?.attempt.attrs,
      phases: one?.attempt.phases.map(({ phase, startMs, endMs }) => [phase, startMs, endMs]),
    })
    expect(faults).toEqual([])
    expect(facts(exported)).toEqual(facts(direct))
  }
})

/** What a session has beside its name and place, for tests that do not care. */
const IDLE = { state: 'active' as const, turnsMs: NOW + 1, onMs: NOW, disconnectedMs: null, facts: {}, policy: null, messages: [] }

describe('the fleet control', () => {
  const shares = larkmereShares(folder)
  const fleet = new Fleet({
    larkmere: company,
    planted,
    shares,
    timeZone: 'UTC',
    floorAMinute: 1,
    now: () => NOW,
    uplink: {
      traces: async () => undefined,
      report: async () => undefined,
      settings: async () => {
        throw new Error('not asked here')
      },
      session: async () => ({ version: 1, values: {} }),
      stretches: async () => undefined,
    },
  })
  const app = controlServer(fleet, shares, 'secret')
  afterAll(() => {
    fleet.stop()
    void app.close()
  })
  const ask = (method: 'GET' | 'POST', url: string, payload?: object) =>
    app.inject({ method, url, headers: { authorization: 'Bearer secret' }, ...(payload ? { payload } : {}) })

  it('asks for its token', async () => {
    expect((await app.inject({ url: '/control/hosts' })).statusCode).toBe(401)
  })

  it('tells hosts, sessions, shares and holds; drains; refuses what it does not know', async () => {
    const { hosts } = (await ask('GET', '/control/hosts')).json<{ hosts: { host: string; power: string }[] }>()
    expect(hosts.filter(({ power }) => power === 'off').map(({ host }) => host)).toEqual([planted.deadHost])
    await ask('POST', `/control/hosts/${hosts[0]?.host}/drain`, { on: true })
    expect(fleet.hosts.get(hosts[0]?.host ?? '')?.draining).toBe(true)
    expect((await ask('POST', '/control/hosts/none/drain', { on: true })).statusCode).toBe(400)
    expect((await ask('POST', '/standin/troubles', { name: 'none', on: true })).statusCode).toBe(400)
    expect((await ask('GET', '/control/shares')).json<{ shares: object[] }>().shares).toHaveLength(3)
  })

  it('releases a dead hold once, and never one whose session lives', async () => {
    const { holds } = (await ask('GET', '/control/holds')).json<{ holds: { share: string; file: string; host: string; session: string }[] }>()
    expect(holds).toHaveLength(planted.held.size)
    expect((await ask('POST', '/control/holds/release', holds[0])).json()).toMatchObject({ released: true })
    expect((await ask('POST', '/control/holds/release', holds[0])).json()).toMatchObject({ released: false })
    const host = [...fleet.hosts.values()].find(({ power }) => power === 'on')
    host?.sessions.set('s-1', { person: 'x', session: 's-1', host: host.plan.id, sinceMs: NOW, ...IDLE })
    shares[0]?.hold('x', host?.plan.id ?? '', 's-1', NOW)
    expect(
      (await ask('POST', '/control/holds/release', { share: shares[0]?.path, file: 'x/profile.vhdx', host: host?.plan.id, session: 's-1' })).json(),
    ).toEqual({ released: false, reason: 'session s-1 lives' })
  })

  it('makes a disk file once, and counts the room that it claims', async () => {
    const [share] = shares
    expect(await share?.ensure('mara', 30 * 1024, NOW)).toBe(true)
    await share?.count(Date.now() + 60_000)
    const free = share ? freeBytesOf(share) : 0
    expect(free).toBeLessThan(share?.totalBytes ?? 0)
    expect(await share?.ensure('mara', 30 * 1024, null)).toBe(false)
    // Words go into the disk itself, and the disk stays a sound one.
    await share?.writeWords('mara', { 'Desktop\\a.txt': 'hello' })
    expect(await share?.readWords('mara')).toEqual({ 'Desktop\\a.txt': 'hello' })
  })

  it('leaves an inventory that the reader understands without a fault', () => {
    const rows: InventoryRow[] = []
    const reader = new InventoryReader('x', (row) => rows.push(row))
    reader.push(inventoryOf('mara', NOW))
    reader.end()
    expect([reader.refused, rows.length > 100, new Set(rows.map(({ person }) => person))]).toEqual([0, true, new Set(['mara'])])
    expect(inventoryOf('mara', NOW)).toBe(inventoryOf('mara', NOW))
  })
})

describe('sessions of the fleet', () => {
  it('are logged off when the limit of their policy is over, and the stretches are told', () => {
    const company = larkmere(60)
    const told: Stretch[] = []
    let nowMs = NOW
    vi.useFakeTimers()
    const fleet = new Fleet({
      larkmere: company,
      planted: plant(NOW, company.staff, company.hosts),
      shares: [],
      timeZone: 'UTC',
      // Nobody else comes.
      floorAMinute: 0,
      now: () => nowMs,
      uplink: {
        traces: async () => undefined,
        report: async () => undefined,
        settings: async () => ({ version: 1, settings: {} as never }),
        session: async () => ({ version: 1, values: {} }),
        stretches: async (list) => void told.push(...list),
      },
    })
    const host = [...fleet.hosts.values()].find(({ power }) => power === 'on')
    const session = { ...IDLE, person: 'x', session: 's-1', host: host?.plan.id ?? '', sinceMs: NOW, turnsMs: NOW + 1e12 }
    host?.sessions.set('s-1', { ...session, policy: { version: 1, values: { disconnectedMinutes: 30 } } })
    host?.sessions.set('s-2', {
      ...session,
      session: 's-2',
      person: 'y',
      policy: { version: 1, values: { disconnectedMinutes: 'none', sessionMinutes: 60 } },
    })
    fleet.start()
    nowMs += 5 * 60_000
    if (host) for (const name of ['s-1', 's-2']) fleet.disconnect(host, name)
    const after = (minutes: number) => {
      nowMs = NOW + minutes * 60_000
      vi.advanceTimersByTime(2500)
      return [...(host?.sessions.keys() ?? [])].filter((name) => name.startsWith('s-'))
    }
    expect([after(34), after(35), after(59), after(60)]).toEqual([['s-1', 's-2'], ['s-2'], ['s-2'], []])
    expect(told.map(({ session: name, onMs, offMs, ended }) => [name, onMs - NOW, (offMs ?? 0) - NOW, ended])).toEqual([
      ['s-1', 0, 300_000, 'disconnected'],
      ['s-2', 0, 300_000, 'disconnected'],
    ])
    fleet.stop()
    vi.useRealTimers()
  })

  it('of the past have pauses in their order, and end before the next begins', () => {
    const company = larkmere(60)
    const [staff] = company.staff
    if (!staff) throw new Error('nobody')
    const logons = [0, 3, 24].map((hour) => ({ staff, host: 'H', session: `s${hour}`, atMs: NOW + hour * 3_600_000, rttMs: 3, kbps: 1000 }))
    const list = stretchesOf(logons, NOW + 1e9)
    expect(new Set(list.map(({ session }) => session)).size).toBe(3)
    for (const [i, { onMs, offMs }] of list.entries()) {
      expect(offMs).toBeGreaterThan(onMs)
      if (i) expect(onMs).toBeGreaterThanOrEqual(list[i - 1]?.offMs ?? 0)
    }
  })
})
