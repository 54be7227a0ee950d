import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import { Random } from '../../standins/random'
import { oddEvidence, oddRequests, type ApiDocument } from './fixtures/odd-requests'
import { startProcess, type ServerProcess } from './fixtures/server-process'

const TOKEN = 'token-of-the-test'
const folder = mkdtempSync(join(tmpdir(), 'ikebana-odd-'))
let server: ServerProcess
let session: Record<string, string> = {}
const json = { 'content-type': 'application/json' }
const bearer = { authorization: `Bearer ${TOKEN}` }

beforeAll(async () => {
  server = await startProcess(folder, { IKEBANA_DEMO: '1', IKEBANA_TOKEN: TOKEN })
  const signedIn = await fetch(`${server.base}/api/sign-in`, {
    method: 'POST',
    headers: json,
    body: JSON.stringify({ name: 'vaas', password: 'larkmere-administrator' }),
  })
  session = { cookie: signedIn.headers.get('set-cookie')?.split(';')[0] ?? '', 'x-csrf': ((await signedIn.json()) as { csrf: string }).csrf }
})
afterAll(async () => {
  await server.end('SIGTERM')
  rmSync(folder, { recursive: true, force: true })
})

const send = (list: ReturnType<typeof logon>) =>
  fetch(`${server.base}/api/evidence`, {
    method: 'POST',
    headers: bearer,
    body: list.map((o) => JSON.stringify({ ...o, time: o.timeMs })).join('\n'),
  })

/** A stream that never ends, and what would end the session that asks. */
const LEFT_OUT = ['events', 'signOut', 'ownPassword', 'accountChange', 'accountForget']

describe('what nobody would send', () => {
  it('is kept by what can be kept of it: names longer than any index takes, and ids that are used again', async () => {
    const long = (seed: string) => {
      const random = new Random(seed)
      return Array.from({ length: 3500 }, () => random.below(36).toString(36)).join('')
    }
    const at = START_MS + 3_600_000
    const list = [
      ...logon({ id: long('id'), at }),
      ...logon({ id: 'host', host: long('host'), at }),
      ...logon({ id: 'person', person: long('person'), at }),
      ...logon({ id: 'share', at, attrs: { share: long('share'), image: long('image'), note: long('note') } }),
      ...logon({ id: 'again', at }),
      ...logon({ id: 'again', at: at - 90 * 86_400_000 }).slice(0, 2),
    ]
    const told = (await (await send(list)).json()) as { observations: number; attempts: number }
    expect(told).toMatchObject({ observations: list.length, attempts: 6 })
    const answer = await fetch(`${server.base}/api/attempts?fromMs=${at}&toMs=${at + 1}`, { headers: session })
    const { attempts } = (await answer.json()) as { attempts: { id: string; person: string; totalMs: number }[] }
    expect(attempts.map(({ totalMs }) => totalMs)).toEqual([13_100, 13_100, 13_100, 13_100, 13_100])
    const [shortened] = attempts.filter(({ id }) => !['host', 'person', 'share', `again@${new Date(at).toISOString().slice(0, 19)}Z`].includes(id))
    expect(shortened?.id).toMatch(new RegExp(`^${long('id').slice(0, 182)}…[0-9a-f]{16}$`))
    // Told again, it is the same one; its story opens by its name.
    await send(logon({ id: long('id'), at }))
    const story = await fetch(`${server.base}/api/attempts/${encodeURIComponent(shortened?.id ?? '')}`, { headers: session })
    expect(story.status).toBe(200)
  })

  it('is answered as wrong, or with what there is; never as a failure of the server', async () => {
    await send(Array.from({ length: 20 }, (_, i) => logon({ id: `n${i}`, person: `p${i % 5}`, at: START_MS - i * 60_000 })).flat())
    const api = (await (await fetch(`${server.base}/api/openapi.json`)).json()) as ApiDocument
    const failed: unknown[] = []
    let [asked, taken] = [0, 0]
    for (let round = 0; round < 5; round++)
      for (const { operation, byToken, method, address, body } of oddRequests(api, new Random(`odd ${round}`))) {
        if (LEFT_OUT.includes(operation)) continue
        const response = await fetch(server.base + address, {
          method,
          headers: { ...(byToken ? bearer : session), ...(body === undefined ? {} : json) },
          ...(body === undefined ? {} : { body }),
          signal: AbortSignal.timeout(20_000),
        }).catch(() => null)
        const text = await response?.text()
        asked++
        if (response?.ok) taken++
        // There is no fleet here: 502 says so.
        if (!response || (response.status >= 500 && response.status !== 502)) failed.push([operation, method, address, body, text])
      }
    expect(failed).toEqual([])
    expect(asked).toBeGreaterThan(400)
    // Much of it is as it should be: what is looked at is more than the check of the request.
    expect(taken).toBeGreaterThan(asked / 5)
    expect((await send(logon({ id: 'after' }))).status).toBe(200)
  }, 120_000)

  it('says which words are wanted, where one of them is', async () => {
    const answer = await fetch(`${server.base}/api/attempts?logon=xyz`, { headers: session })
    expect([answer.status, await answer.json()]).toMatchObject([400, { detail: 'logon: expected first or returning' }])
  })

  it('loses nothing of the evidence around it', async () => {
    for (let round = 0; round < 12; round++) {
      const at = START_MS - (round + 2) * 7_200_000
      const plain = logon({ id: `plain-${round}`, at: at + 60_000, pool: 'constructor' }).map((o) => JSON.stringify({ ...o, time: o.timeMs }))
      const lines = [...oddEvidence(new Random(`evidence ${round}`), 40, at), ...plain]
      const answer = await fetch(`${server.base}/api/evidence`, { method: 'POST', headers: bearer, body: lines.join('\n') })
      expect(answer.status).toBe(200)
      const { observations, refused } = (await answer.json()) as { observations: number; refused: number }
      expect(observations).toBeGreaterThan(lines.length / 2)
      // What is ahead of the clock of the server counts as neither.
      expect(observations + refused).toBeLessThanOrEqual(lines.length)
      const { attempts } = (await (
        await fetch(`${server.base}/api/attempts?pool=constructor&fromMs=${at}&toMs=${at + 7_200_000}`, { headers: session })
      ).json()) as { attempts: { id: string; totalMs: number }[] }
      expect(attempts).toMatchObject([{ id: `plain-${round}`, totalMs: 13_100 }])
    }
    for (const page of ['today?fromMs=0', 'pictures', 'incidents.csv?fromMs=0', 'people', 'attempts.csv'])
      expect([page, (await fetch(`${server.base}/api/${page}`, { headers: session })).status]).toEqual([page, 200])
  }, 60_000)
})
