import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Settings } from '../contract/other'
import type { Stretch } from '../contract/policies'
import { controlServer } from './control'
import { larkmere } from './directory/larkmere'
import { Fleet } from './fleet/fleet'
import { plant } from './fleet/troubles'
import { larkmereShares } from './share/share'

/** What docs/formats/fleet-control.md promises, over HTTP: an adapter to a real platform would have to pass this too. */
const NOW = Date.UTC(2026, 10, 23, 13)
const company = larkmere(260)
const settings = {
  containers: 'on',
  diskFormat: 'vhdx-dynamic',
  sizeLimitMib: 1024,
  onFailure: 'refuse',
  locations: [String.raw`\\quay-fs1\profiles`],
} as unknown as Settings
let folder = ''
let fleet: Fleet
let app: ReturnType<typeof controlServer>
let nowMs = NOW
let told: { traces: number; stretches: Stretch[]; reports: Record<string, unknown>[] }
const close = async () => {
  fleet.stop()
  await app.close()
  rmSync(folder, { recursive: true, force: true })
}

beforeEach(() => {
  vi.useFakeTimers({ toFake: ['setTimeout', 'setInterval', 'clearTimeout', 'clearInterval'] })
  nowMs = NOW
  told = { traces: 0, stretches: [], reports: [] }
  folder = mkdtempSync(join(tmpdir(), 'ikebana-control-'))
  const shares = larkmereShares(folder)
  fleet = new Fleet({
    larkmere: company,
    planted: plant(NOW, company.staff, company.hosts),
    shares,
    timeZone: 'UTC',
    // Nobody else comes.
    floorAMinute: 0,
    now: () => nowMs,
    uplink: {
      traces: async () => void told.traces++,
      report: async (report) => void told.reports.push(report as Record<string, unknown>),
      settings: async () => ({ version: 7, settings }),
      session: async () => ({ version: 7, values: { disconnectedMinutes: 30 } }),
      stretches: async (list) => void told.stretches.push(...list),
    },
  })
  // A world without trouble, so that what is asked for happens.
  for (const trouble of [...fleet.troubles]) fleet.set(trouble, false)
  app = controlServer(fleet, shares, 'secret')
})
afterEach(async () => {
  vi.useRealTimers()
  await close()
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

async function ask<T = Record<string, unknown>>(method: 'GET' | 'POST', url: string, payload?: object): Promise<T> {
  const response = await app.inject({ method, url, headers: { authorization: 'Bearer secret' }, ...(payload ? { payload } : {}) })
  if (response.statusCode !== 200) throw new Error(`${response.statusCode} ${response.json<{ error: string }>().error}`)
  return response.json<T>()
}
/** Lets time pass until something that takes simulated seconds is answered. */
async function passing<T>(work: Promise<T>): Promise<T> {
  let over = false
  const done = work.finally(() => (over = true))
  done.catch(() => undefined)
  while (!over) {
    nowMs += 1000
    await vi.advanceTimersByTimeAsync(1000)
  }
  return done
}
const tester = company.testers[0]
if (!tester) throw new Error('nobody to prove with')
interface Began {
  began: boolean
  host: string
  session: string
  seconds: number
  reason: string
}
const begin = (person = tester.id, pool = tester.pool) => passing(ask<Began>('POST', '/control/sessions/begin', { person, pool }))
async function fetched(): Promise<void> {
  for (const { plan, power } of fleet.hosts.values()) if (power === 'on') await ask('POST', `/control/hosts/${plan.id}/fetch`, {})
}

describe('a session that Ikebana begins to prove a pool', () => {
  it('is answered when it is usable, holds its container, and lets go of it at the end', async () => {
    await fetched()
    const { began, host, session, seconds, reason } = await begin()
    expect([began, reason]).toEqual([true, 'ready'])
    expect(seconds).toBeGreaterThan(3)
    expect(told.traces).toBe(1)
    const sessions = await ask<{ sessions: object[] }>('GET', `/control/hosts/${host}/sessions`)
    expect(sessions.sessions).toMatchObject([{ person: tester.id, session, state: 'active', host }])
    const { holds } = await ask<{ holds: { file: string; host: string; session: string }[] }>('GET', '/control/holds')
    expect(holds.filter((one) => one.session === session)).toMatchObject([{ file: `${tester.id}/profile.vhdx`, host }])
    expect(await ask('GET', `/control/hosts/${host}/profiles`)).toMatchObject({ profiles: [{ person: tester.id, kind: 'container' }] })
    // They are in already.
    expect(await begin()).toMatchObject({ began: false, reason: `${tester.id} is signed in already` })
    expect(await ask('POST', '/control/sessions/end', { host, session })).toEqual({ ended: true })
    expect(await ask('POST', '/control/sessions/end', { host, session })).toEqual({ ended: false })
    expect((await ask<{ holds: { session: string }[] }>('GET', '/control/holds')).holds.some((one) => one.session === session)).toBe(false)
  })

  it('keeps what was written in it, wherever the person lands next', async () => {
    await fetched()
    const first = await begin()
    const where = { host: first.host, session: first.session }
    await ask('POST', '/control/sessions/write', { ...where, path: 'Desktop\\proof.txt', text: 'kept' })
    expect(await ask('POST', '/control/sessions/read', { ...where, path: 'Desktop\\proof.txt' })).toEqual({ text: 'kept' })
    expect(await ask('POST', '/control/sessions/read', { ...where, path: 'Desktop\\other.txt' })).toEqual({ text: null })
    await ask('POST', '/control/sessions/end', where)
    await ask('POST', `/control/hosts/${first.host}/drain`, { on: true })
    const next = await begin()
    expect(next.host).not.toBe(first.host)
    expect(await ask('POST', '/control/sessions/read', { host: next.host, session: next.session, path: 'Desktop\\proof.txt' })).toEqual({
      text: 'kept',
    })
  })

  it('is refused with a reason: of another pool, of nobody, and of a pool whose hosts all drain', async () => {
    await fetched()
    const other = company.testers.find(({ pool }) => pool !== tester.pool)
    expect(await begin(tester.id, other?.pool)).toMatchObject({ began: false, reason: `${tester.id} may not use ${other?.pool}` })
    await expect(begin('nobody.at.all')).rejects.toThrow('400 nobody is called nobody.at.all')
    for (const { plan } of fleet.hosts.values()) if (plan.pool === tester.pool) await ask('POST', `/control/hosts/${plan.id}/drain`, { on: true })
    expect(await begin()).toMatchObject({ began: false, reason: expect.stringContaining('refused on') })
  })

  it('hears messages, is left by its client, and is logged off when its limit is over', async () => {
    await fetched()
    const { host, session } = await begin()
    await ask('POST', '/control/sessions/message', { host, session, text: 'We move your desktop at ten.' })
    expect(await ask('GET', `/standin/hosts/${host}/messages`)).toEqual({ messages: [{ session, text: 'We move your desktop at ten.' }] })
    fleet.start()
    await ask('POST', '/control/sessions/disconnect', { host, session })
    const states = async () =>
      (await ask<{ sessions: { state: string }[] }>('GET', `/control/hosts/${host}/sessions`)).sessions.map(({ state }) => state)
    expect(await states()).toEqual(['disconnected'])
    nowMs += 31 * 60_000
    await vi.advanceTimersByTimeAsync(3000)
    expect(await states()).toEqual([])
    expect(told.stretches.filter((one) => one.session === session)).toMatchObject([{ person: tester.id, host, ended: 'disconnected' }])
    await expect(ask('POST', '/control/sessions/disconnect', { host, session })).rejects.toThrow(`400 ${host} has no session ${session}`)
  })
})

describe('files', () => {
  it('are taken only while nobody has them open, and given back', async () => {
    await fetched()
    const { host, session } = await begin()
    const file = `${tester.id}/profile.vhdx`
    const { shares } = await ask<{ shares: { path: string; totalBytes: number; freeBytes: number }[] }>('GET', '/control/shares')
    const share = shares.find(({ path }) => path === tester.share)
    expect(share?.freeBytes).toBeLessThan(share?.totalBytes ?? 0)
    const take = { share: tester.share, file, session: 'job-1' }
    expect(await ask('POST', '/control/holds/take', take)).toEqual({ taken: false, reason: `${host} has it open for session ${session}` })
    await ask('POST', '/control/sessions/end', { host, session })
    expect(await ask('POST', '/control/holds/take', take)).toEqual({ taken: true, reason: 'nobody has it open' })
    // Whoever logs on meanwhile does not get it.
    expect(await begin()).toMatchObject({ began: false })
    await ask('POST', '/control/holds/give-back', take)
    expect(await begin()).toMatchObject({ began: true })
    await expect(ask('POST', '/control/holds/take', { ...take, share: 'nowhere' })).rejects.toThrow('400 no share has the path nowhere')
  })

  it('have permissions at two layers, which can be set one by one', async () => {
    const { shares } = await ask<{ shares: { id: string }[] }>('GET', '/control/shares')
    const url = `/control/shares/${shares[0]?.id}/permissions`
    const before = await ask<{ share: string; root: string; folders: object[]; onDirectoryServer: boolean }>('GET', url)
    await ask('POST', url, { layer: 'root', sddl: 'O:BAG:BAD:(A;OICI;FA;;;BA)' })
    expect(await ask('GET', url)).toEqual({ ...before, root: 'O:BAG:BAD:(A;OICI;FA;;;BA)' })
    await expect(ask('POST', url, { layer: 'both', sddl: '' })).rejects.toThrow('400')
    await expect(ask('GET', '/control/shares/none/permissions')).rejects.toThrow('400 no share is called none')
  })

  it('have a past of thirty days, every six hours, the same whenever it is asked for', async () => {
    const { shares } = await ask<{ shares: { id: string }[] }>('GET', '/control/shares')
    const url = `/control/shares/${shares[0]?.id}/history`
    const { samples } = await ask<{ samples: { atMs: number; usedBytes: number; latencyMs: number }[] }>('GET', url)
    expect(samples).toHaveLength(120)
    for (const [i, { atMs, usedBytes, latencyMs }] of samples.entries()) {
      expect(usedBytes).toBeGreaterThanOrEqual(0)
      expect(latencyMs).toBeGreaterThan(0)
      if (i > 0) expect(atMs - (samples[i - 1]?.atMs ?? 0)).toBe(6 * 3_600_000)
    }
    const told = async () =>
      (await ask<{ samples: { atMs: number; latencyMs: number }[] }>('GET', url)).samples.map((one) => [one.atMs, one.latencyMs])
    expect(await told()).toEqual(samples.map(({ atMs, latencyMs }) => [atMs, latencyMs]))
  })
})

describe('a host', () => {
  const hostOf = (pool: string) => [...fleet.hosts.values()].find(({ plan, power }) => plan.pool === pool && power === 'on')

  it('reports what it has in force when it fetches, and loses its sessions when it restarts', async () => {
    await fetched()
    const { host, session } = await begin()
    const report = told.reports.findLast((one) => one['host'] === host)
    expect(report).toMatchObject({ version: 7, inForce: { containers: 'on' }, pending: [], draining: false })
    await ask('POST', `/control/hosts/${host}/restart`, {})
    const { hosts } = await ask<{ hosts: { host: string; power: string; answers: boolean }[] }>('GET', '/control/hosts')
    expect(hosts.find((one) => one.host === host)).toMatchObject({ power: 'starting', answers: false })
    await expect(ask('POST', `/control/hosts/${host}/fetch`, {})).rejects.toThrow(`400 ${host} does not answer`)
    await vi.advanceTimersByTimeAsync(6000)
    expect(await ask('GET', `/control/hosts/${host}/sessions`)).toEqual({ sessions: [] })
    expect((await ask<{ holds: { session: string }[] }>('GET', '/control/holds')).holds.some((one) => one.session === session)).toBe(false)
    await ask('POST', `/control/hosts/${host}/fetch`, {})
  })

  it('has one administrator beside its own, or none, and forgets them when it is built anew', async () => {
    const name = hostOf('naval-drawing')?.plan.id ?? ''
    const admins = () => fleet.hosts.get(name)?.admins.map(({ account }) => account)
    await ask('POST', `/control/hosts/${name}/admin`, { person: 'mara' })
    expect(admins()).toEqual(['mara'])
    await ask('POST', `/standin/hosts/${name}/build`)
    expect([admins(), fleet.hosts.get(name)?.builtMs === null]).toEqual([[], false])
    await ask('POST', `/control/hosts/${name}/admin`, { person: 'mara' })
    await ask('POST', `/control/hosts/${name}/admin`, { person: null })
    expect(admins()).toEqual([])
  })

  it('has leftovers removed, never of somebody who is signed in there', async () => {
    const host = [...fleet.hosts.values()].find(({ leftovers }) => leftovers.length > 0)
    const person = host?.leftovers[0]?.person ?? ''
    const remove = () => ask('POST', `/control/hosts/${host?.plan.id}/leftovers/remove`, { person })
    host?.sessions.set('s', { person, session: 's' } as never)
    expect(await remove()).toEqual({ removed: false, reason: `${person} is signed in there` })
    host?.sessions.delete('s')
    expect(await remove()).toEqual({ removed: true, reason: 'removed with everything in it' })
    expect(await remove()).toEqual({ removed: false, reason: 'there is none' })
  })

  it('misbehaves as it is told', async () => {
    const on = async () => (await ask<{ troubles: { name: string; on: boolean }[] }>('GET', '/standin/troubles')).troubles.filter((one) => one.on)
    expect(await on()).toEqual([])
    await ask('POST', '/standin/troubles', { name: 'all-draining', on: true })
    expect((await on()).map(({ name }) => name)).toEqual(['all-draining'])
    expect([...fleet.hosts.values()].filter(({ plan }) => plan.pool === 'harbour-kiosk').every(({ draining }) => draining)).toBe(true)
    await ask('POST', '/standin/troubles', { name: 'all-draining', on: false })
    expect([...fleet.hosts.values()].some(({ draining }) => draining)).toBe(false)
  })
})
