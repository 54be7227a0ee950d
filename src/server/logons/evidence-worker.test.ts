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

/** Of a file like this, so many bytes are read before the first logons are analysed: two pieces of it have enough records. */
const FIRST_BYTES = 2 << 20

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
    const sent = await fetch(`${server.base}/api/evidence/files`, { method: 'POST', headers: bearer, body: lines.join('\n') })
    const { id } = (await sent.json()) as { id: string }
    const signedIn = await fetch(`${server.base}/api/sign-in`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: 'vaas', password: 'larkmere-administrator' }),
    })
    const headers = { cookie: signedIn.headers.get('set-cookie')?.split(';')[0] ?? '' }
    const asked = async <T>(path: string) => (await (await fetch(server.base + path, { headers })).json()) as T
    const state = async () => (await asked<{ uploads: { id: string; state: string }[] }>('/api/uploads')).uploads.find((one) => one.id === id)?.state
    await expect.poll(state, { timeout: 30_000 }).toBe('done')
    const first = await Promise.all(
      Array.from({ length: 6 }, (_, n) =>
        asked<{ diagnosis: { cause: { id: string } | null } }>(`/api/attempts/n${slowFrom + (slowFrom % 2) + 2 * n}`),
      ),
    )
    expect(first.map(({ diagnosis }) => diagnosis.cause?.id)).toEqual(first.map(() => 'share-slow'))
  }, 60_000)
})
