import { mkdir } from 'node:fs/promises'
import { resolve } from 'node:path'
import type { Settings } from '../contract/other'
import type { Stretch } from '../contract/policies'
import type { Observation } from '../core/logons/observation'
import { controlServer } from './control'
import { larkmere, type Larkmere } from './directory/larkmere'
import { Fleet, type Uplink } from './fleet/fleet'
import { history, type Range } from './fleet/history'
import { DAY_MS } from './fleet/shifts'
import { stretchesOf } from './fleet/stretches'
import { changesOf, plant, TROUBLES, type Trouble } from './fleet/troubles'
import { leaveInventory } from './share/inventory'
import { larkmereShares, type ShareFolder } from './share/share'
import { plantTroubled } from './share/troubled'

/** The stand-ins' process: directory, shares and fleet of Larkmere Ferries. It speaks to Ikebana over HTTP and files only. */
const env = process.env
const server = env['IKEBANA_URL'] ?? 'http://127.0.0.1:4040'
const token = env['IKEBANA_TOKEN'] ?? ''
const timeZone = env['IKEBANA_TIME_ZONE'] ?? 'Europe/Copenhagen'
const folder = resolve(env['STANDINS_DATA'] ?? '.data/standins')
const days = Number(env['STANDINS_DAYS'] ?? 30)
const wanted = (env['STANDINS_TROUBLE'] ?? '').split(',').filter((name): name is Trouble => TROUBLES.some((known) => known === name))

/** So many files are read at once, so that there is always one to go on with. */
const AT_ONCE = 3
const pending: string[] = []
const startedMs = Date.now()
/** When the history ends: now, or when a start before this one was that did not come to its end. */
const untilMs = Number(env['STANDINS_HISTORY_UNTIL'] ?? startedMs)
/** Since when it is to be told; all days of it, where nothing was told before. */
const sinceMs = env['STANDINS_HISTORY_SINCE'] === undefined ? null : Number(env['STANDINS_HISTORY_SINCE'])
const company = larkmere(Number(env['STANDINS_PEOPLE'] ?? 2600))
const plantedMs = Number(env['STANDINS_PLANTED'] ?? untilMs)
const planted = plant(plantedMs, company.staff, company.hosts)
const shares = larkmereShares(folder)

const headers = { authorization: `Bearer ${token}` }
async function send(method: string, path: string, body: unknown): Promise<unknown> {
  const response = await fetch(server + path, {
    method,
    headers: { ...headers, 'content-type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${await response.text()}`)
  return response.json()
}
const quietly = async (work: Promise<unknown>) => {
  await work.catch((error: Error) => {
    process.stderr.write(`stand-ins: ${error.message}\n`)
  })
}
const uplink: Uplink = {
  traces: (request) => quietly(send('POST', '/v1/traces', request)),
  settings: async (host) =>
    (await send('GET', `/api/agent/settings?host=${encodeURIComponent(host)}`, undefined)) as { version: number; settings: Settings },
  report: (body) => quietly(send('POST', '/api/agent/report', body)),
  session: async (host, facts) => (await send('POST', '/api/agent/session', { host, facts })) as { version: number; values: Record<string, unknown> },
  stretches: async (stretches) => {
    for (let at = 0; at < stretches.length; at += 10_000)
      await quietly(send('POST', '/api/agent/stretches', { stretches: stretches.slice(at, at + 10_000) }))
  },
}

await send('PUT', '/api/directory', company.org)
for (const change of changesOf(planted, plantedMs)) await send('POST', '/api/changes/told', change)
const fleet = new Fleet({ larkmere: company, planted, shares, uplink, timeZone, floorAMinute: Number(env['STANDINS_FLOOR'] ?? 6), now: Date.now })
const stop = () => {
  fleet.stop()
  process.exit(0)
}
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, stop)
// Whoever started it and listens to it is gone.
process.on('disconnect', stop)
for (const trouble of wanted) fleet.set(trouble, true)
await controlServer(fleet, shares, token).listen({ port: Number(env['STANDINS_PORT'] ?? 4041), host: '127.0.0.1' })
for (const share of shares) await mkdir(share.mount, { recursive: true })
// The last days first, so that there is something to see soon; the days before it follow while people work.
const RECENT_DAYS = 3
const recent: Stretch[] = []
if (sinceMs === null)
  await writeHistory({ fromDay: Math.min(days, RECENT_DAYS), toDay: 0 }, (stretches) => Promise.resolve(void recent.push(...stretches)))
fleet.start()
process.stdout.write(`stand-ins ready in ${((Date.now() - startedMs) / 1000).toFixed(1)} s\n`)
await Promise.all([makeDisks(company, shares).then(() => plantTroubled(company, shares, startedMs)), uplink.stretches(recent), restOfHistory()])
process.stdout.write(`history complete in ${((Date.now() - startedMs) / 1000).toFixed(1)} s\n`)

/** The days before, or what was while the stand-ins stood still: as far as the history goes back, and a day more, as a night's shift belongs to the day before. */
async function restOfHistory(): Promise<void> {
  if (sinceMs !== null) {
    const fromDay = Math.min(days, Math.ceil((untilMs - sinceMs) / DAY_MS) + 1)
    await writeHistory({ fromDay, toDay: 0, sinceMs }, (stretches) => uplink.stretches(stretches))
  } else if (days > RECENT_DAYS) await writeHistory({ fromDay: days, toDay: RECENT_DAYS + 1 }, (stretches) => uplink.stretches(stretches))
}

/** Sends days of history as evidence files, and tells when people were connected. */
async function writeHistory(range: Range, tell: (stretches: Stretch[]) => Promise<void>): Promise<void> {
  let told: [Promise<void>, Promise<void>] = [Promise.resolve(), Promise.resolve()]
  for (const { dayMs, observations, logons } of history(company, planted, range, untilMs, timeZone)) {
    if (observations.length === 0) continue
    const stretches = stretchesOf(logons, untilMs)
    const body = Buffer.from(observations.map(lineOf).join('\n') + '\n')
    const name = `larkmere-${new Date(dayMs).toISOString().slice(0, 10)}.ndjson`
    const response = await fetch(`${server}/api/evidence/files`, {
      method: 'POST',
      headers: { ...headers, 'content-type': 'application/x-ndjson', 'x-file-name': name },
      body,
    })
    if (!response.ok) throw new Error(`history: ${response.status} ${await response.text()}`)
    const { id } = (await response.json()) as { id: string }
    pending.push(id)
    // When people were connected is told meanwhile, a day or two behind.
    await told[0]
    told = [told[1], told[1].then(() => tell(stretches))]
    while (pending.length >= AT_ONCE) await read(pending.shift() ?? '')
  }
  for (const id of pending) await read(id)
  await told[1]
}

/** As a line of NDJSON, where the moment is called `time`. In a text that it says, the quotes would not stand like that. */
function lineOf(one: Observation): string {
  return JSON.stringify(one).replace('"timeMs":', '"time":')
}

async function read(id: string): Promise<void> {
  for (;;) {
    const state = (await send('GET', `/api/evidence/files/${id}`, undefined)) as { state: string; sentence: string | null }
    if (state.state === 'done') return
    if (state.state !== 'reading') throw new Error(`history: ${state.sentence ?? state.state}`)
    await new Promise((next) => setTimeout(next, 100))
  }
}

async function makeDisks(all: Larkmere, folders: readonly ShareFolder[]): Promise<void> {
  let sampled = 0
  const users = all.staff.filter(({ pool }) => ['ticket-hall', 'back-office', 'season-crew'].includes(pool))
  for (const { id, share: path } of users) {
    const share = folders.find((one) => one.path === path)
    const usedMs = startedMs - ((Math.imul(id.length, 7919) % 72) + 1) * 1_800_000
    await share?.ensure(id, 30 * 1024, usedMs)
    if (share && sampled++ < 150) await leaveInventory(share, id, usedMs, false)
  }
}
