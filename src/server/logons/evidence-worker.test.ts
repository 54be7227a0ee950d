import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import { startProcess, type ServerProcess } from '../shell/fixtures/server-process'

const TOKEN = 'token-of-the-test'
const bearer = { authorization: `Bearer ${TOKEN}` }
const folder = mkdtempSync(join(tmpdir(), 'ikebana-evidence-'))
let server: ServerProcess
beforeAll(async () => {
  server = await startProcess(folder, { IKEBANA_DEMO: '1', IKEBANA_TOKEN: TOKEN })
})
afterAll(async () => {
  await server.end('SIGTERM')
  rmSync(folder, { recursive: true, force: true })
})

async function atTheServer() {
  const signedIn = await fetch(`${server.base}/api/sign-in`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ name: 'vaas', password: 'larkmere-administrator' }),
  })
  const headers = { cookie: signedIn.headers.get('set-cookie')?.split(';')[0] ?? '' }
  const asked = async (path: string) => (await fetch(server.base + path, { headers })).text()
  /** Sends a file, and waits until it is read. */
  const read = async (lines: readonly string[]) => {
    const sent = await fetch(`${server.base}/api/evidence/files`, { method: 'POST', headers: bearer, body: lines.join('\n') })
    const { id } = (await sent.json()) as { id: string }
    const state = async () =>
      (JSON.parse(await asked('/api/uploads')) as { uploads: { id: string; state: string }[] }).uploads.find((one) => one.id === id)?.state
    await expect.poll(state, { timeout: 30_000 }).toBe('done')
  }
  return { asked, read }
}

/** Of a file like this, so many bytes are read before the first logons are analysed: two pieces of it have enough records. */
const FIRST_BYTES = 2 << 20

describe('files of several machines', () => {
  it('that come one after another, without ids and by clocks that differ, make logons of which the last that is known counts', async () => {
    // The broker says whom it sends, hosts tell the rest by clocks up to 3 s off, a gateway the approvals of every other person.
    const fromMs = START_MS - 30 * 86_400_000
    const [broker, hosts, gate]: [string[], string[], string[]] = [[], [], []]
    for (let i = 0; i < 400; i++) {
      const [person, host] = [`q${i % 160}`, `G-${i % 10}`]
      const slow = i >= 300 && i < 340
      const at = fromMs + i * 120_000
      const approvalMs = i % 2 === 0 ? 4000 + (i % 9) * 400 : 0
      const say = (list: string[], ms: number, one: object) => list.push(JSON.stringify({ time: at + ms, person, ...one }))
      if (approvalMs > 0) {
        say(gate, -approvalMs, { kind: 'phase', phase: 'sign-on', durationMs: approvalMs, host: 'GATE' })
        say(gate, 0, { kind: 'mark', phase: 'sign-on', code: 'factor.approved', host: 'GATE' })
      }
      say(broker, 0, { kind: 'begin', pool: 'gate-hall' })
      say(broker, 0, { kind: 'phase', phase: 'broker', durationMs: 400, host: 'CB1', pool: 'gate-hall' })
      let ms = 500 + ((i % 10) - 5) * 600
      for (const [phase, durationMs] of Object.entries({ connect: 700, profile: 900 + (i % 7) * 30, policy: slow ? 24_000 : 1500, shell: 3000 })) {
        say(hosts, ms, { kind: 'phase', phase, durationMs, host })
        if (phase === 'policy') say(hosts, ms, { kind: 'phase', phase, part: 'Printers', durationMs: slow ? 23_000 : 500, host })
        ms += durationMs
      }
      say(hosts, ms, { kind: 'end', outcome: 'ready', host })
    }
    const { asked, read } = await atTheServer()
    for (const file of [broker, hosts, gate]) await read(file)
    const [, ...rows] = (await asked('/api/attempts.csv?pool=gate-hall')).trim().split('\r\n')
    expect(rows).toHaveLength(400)
    const counts: Record<string, number> = {}
    for (const row of rows) {
      const [, , , , host = '', , , , outcome = '', cause = ''] = row.split(',')
      const key = `${host.slice(0, 2)} ${outcome} ${cause}`.trimEnd()
      counts[key] = (counts[key] ?? 0) + 1
    }
    expect(counts).toEqual({ 'G- ready': 360, 'G- ready policy-part-slow': 40 })
  }, 60_000)
})

describe('a large evidence file', () => {
  it('says of those who had a trouble first what the ones after them show', async () => {
    // Every other logon is on a share that becomes slow just before the first part of the file ends: of the first ones on it nobody else is known to have had it, then.
    const lines: string[] = []
    let [bytes, slowFrom] = [0, Infinity]
    for (let i = 0; bytes < 1.3 * FIRST_BYTES; i++) {
      const share = `\\\\quay\\s${i % 2}`
      if (slowFrom === Infinity && bytes > FIRST_BYTES - 9000) slowFrom = i
      const slow = i >= slowFrom && i % 2 === 0
      const phases = { connect: 900, 'sign-on': 1000 + (i % 7) * 40, container: slow ? 16_000 : 900 + (i % 11) * 30, profile: 1500, shell: 4000 }
      for (const one of logon({ id: `n${i}`, person: `p${i % 300}`, host: `H-${i % 12}`, at: START_MS + i * 20_000, phases, attrs: { share } }))
        bytes += lines.push(JSON.stringify({ ...one, time: one.timeMs, timeMs: undefined })) && (lines.at(-1)?.length ?? 0) + 1
    }
    const { asked, read } = await atTheServer()
    await read(lines)
    const first = await Promise.all(
      Array.from({ length: 6 }, (_, n) =>
        asked(`/api/attempts/n${slowFrom + (slowFrom % 2) + 2 * n}`).then(
          (text) => JSON.parse(text) as { diagnosis: { cause: { id: string } | null } },
        ),
      ),
    )
    expect(first.map(({ diagnosis }) => diagnosis.cause?.id)).toEqual(first.map(() => 'share-slow'))
  }, 60_000)
})
