import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { logon, START_MS } from '../../core/logons/fixtures/builders'
import { allows, ROUTES, type Route } from '../../contract/routes'
import { DEMO_ACCOUNTS } from '../admins/demo-accounts'
import { lock } from '../db/open'
import { startProcess, type ServerProcess } from './fixtures/server-process'

const TOKEN = 'token-of-the-test'
const folder = mkdtempSync(join(tmpdir(), 'ikebana-server-'))
let server: ServerProcess
let base = ''

async function start(): Promise<void> {
  server = await startProcess(folder, { IKEBANA_DEMO: '1', IKEBANA_TOKEN: TOKEN })
  base = server.base
}
const end = (signal: NodeJS.Signals) => server.end(signal)

beforeAll(start)
afterAll(async () => {
  await end('SIGTERM')
  rmSync(folder, { recursive: true, force: true })
})

const bearer = { authorization: `Bearer ${TOKEN}` }
const ndjson = (ids: string[]) =>
  ids
    .flatMap((id, i) => logon({ id, person: `p${id}`, at: START_MS + i * 1000 }))
    .map((o) => JSON.stringify({ ...o, time: o.timeMs }))
    .join('\n')
const send = (ids: string[]) => fetch(`${base}/api/evidence`, { method: 'POST', headers: bearer, body: ndjson(ids) })

async function signIn(name: string, password: string): Promise<{ cookie: string; csrf: string }> {
  const response = await fetch(`${base}/api/sign-in`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ name, password }),
  })
  const setCookie = response.headers.get('set-cookie') ?? ''
  expect(setCookie).toMatch(/HttpOnly; SameSite=Strict/)
  return { cookie: setCookie.split(';')[0] ?? '', csrf: ((await response.json()) as { csrf: string }).csrf }
}

describe('the gate', () => {
  const address = (route: Route) => base + route.path.replace(/:\w+/g, 'none')
  const ask = (route: Route, headers: Record<string, string>) =>
    fetch(address(route), { method: route.method, headers, signal: AbortSignal.timeout(10_000) }).then(async (response) => {
      void response.body?.cancel()
      return response.status
    })
  const guarded = Object.entries(ROUTES as Record<string, Route>).filter(([, route]) => route.permission !== 'anybody')

  it('lets nobody through without a name', async () => {
    for (const [name, route] of guarded) expect([name, await ask(route, {})]).toEqual([name, 401])
  })

  it.each(DEMO_ACCOUNTS.map(({ name, password, role }) => [role, name, password] as const))(
    'lets a %s do what the route table says, and no more',
    async (role, name, password) => {
      const { cookie, csrf } = await signIn(name, password)
      for (const [route, one] of guarded) {
        if (route === 'signOut') continue
        const status = await ask(one, { cookie, 'x-csrf': csrf })
        if (one.permission.startsWith('token')) expect([route, status]).toEqual([route, 401])
        else if (allows(role, one.permission)) expect([401, 403], `${route} for ${role}`).not.toContain(status)
        else expect([route, status]).toEqual([route, 403])
      }
    },
  )

  it('takes a token only for what it was made for, and nothing that only looks like one', async () => {
    for (const [name, route] of guarded) {
      const status = await ask(route, bearer)
      if (route.permission.startsWith('token')) expect([401, 403], name).not.toContain(status)
      else expect([name, status]).toEqual([name, 401])
      expect([name, await ask(route, { authorization: 'Bearer wrong' })]).toEqual([name, 401])
    }
  })

  it("refuses a write without the page's own token, and a wrong password", async () => {
    const { cookie } = await signIn('vaas', 'larkmere-administrator')
    const response = await fetch(`${base}/api/sign-out`, { method: 'POST', headers: { cookie } })
    expect(response.status).toBe(403)
    expect(response.headers.get('content-type')).toContain('application/problem+json')
    expect(await response.json()).toMatchObject({ code: 'csrf.missing', status: 403 })
    const wrong = await fetch(`${base}/api/sign-in`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: '{"name":"vaas","password":"no"}',
    })
    expect([wrong.status, ((await wrong.json()) as { code: string }).code]).toEqual([401, 'sign-in.wrong'])
  })

  it('takes no more than a name and a password from whoever has not signed in', async () => {
    for (const [type, body] of [
      ['application/json', `{"name":[${'1,'.repeat(100_000)}1]}`],
      ['application/octet-stream', 'x'.repeat(100_000)],
    ] as const) {
      const response = await fetch(`${base}/api/sign-in`, { method: 'POST', headers: { 'content-type': type }, body })
      expect(response.status).toBe(413)
    }
  })

  it('publishes every route of the table as OpenAPI 3.1', async () => {
    const document = (await (await fetch(`${base}/api/openapi.json`)).json()) as {
      openapi: string
      paths: Record<string, Record<string, { operationId: string }>>
    }
    expect(document.openapi).toBe('3.1.0')
    const published = Object.values(document.paths).flatMap((methods) => Object.values(methods).map(({ operationId }) => operationId))
    expect(published.sort()).toEqual(Object.keys(ROUTES).sort())
  })
})

describe('bad input', () => {
  it.each<[string, string | Uint8Array]>([
    ['truncated', ndjson(['t1']).slice(0, -20)],
    ['binary', Uint8Array.from({ length: 5000 }, (_, i) => (i * 31) % 256)],
    ['empty', ''],
    ['a 10 MB line', `{"x":"${'y'.repeat(10_000_000)}"}\n${ndjson(['t2'])}`],
    ['deep', `${'{"a":'.repeat(200_000)}1${'}'.repeat(200_000)}`],
    ['years off', JSON.stringify({ kind: 'begin', attempt: 'future', time: '2031-01-01T00:00:00Z' })],
    ['NUL and half pairs', '{"time":1795412400000,"kind":"begin","attempt":"n\\u0000","text":"\\ud800"}'],
  ])('%s is answered, and the server goes on', async (_, body) => {
    const response = await fetch(`${base}/api/evidence`, { method: 'POST', headers: bearer, body: body as string })
    expect(response.status).toBe(200)
    const answer = (await response.json()) as { observations: number; refused: number }
    expect(answer.observations + answer.refused).toBeGreaterThanOrEqual(body.length === 0 ? 0 : 1)
    expect((await send(['after'])).status).toBe(200)
  })

  it('a hundred thousand distinct names are taken', async () => {
    const body = Array.from({ length: 100_000 }, (_, i) =>
      JSON.stringify({ time: START_MS + i, kind: 'mark', attempt: 'names', code: 'x', attrs: { [`name-${i}`]: i } }),
    ).join('\n')
    const response = await fetch(`${base}/api/evidence`, { method: 'POST', headers: bearer, body })
    expect(await response.json()).toMatchObject({ observations: 100_000, refused: 0, attempts: 1 })
  })
})

describe('durability', () => {
  it('loses nothing that was acknowledged, and doubles nothing, when killed in the middle of a stream', async () => {
    const acknowledged: string[] = []
    let batch = 0
    for (let round = 0; round < 3; round++) {
      let alive = true
      const senders = Array.from({ length: 4 }, async () => {
        while (alive) {
          const ids = Array.from({ length: 40 }, (_, i) => `k${batch}-${i}`)
          batch++
          const ok = await send(ids).then(
            async (r) => {
              await r.json()
              return r.ok
            },
            () => false,
          )
          if (ok) acknowledged.push(...ids)
        }
      })
      const target = acknowledged.length + 400
      while (acknowledged.length < target) await new Promise((next) => setImmediate(next))
      await end('SIGKILL')
      alive = false
      await Promise.all(senders)
      await start()
    }
    // What was sent but not acknowledged may be sent again: once more is still once.
    await send(acknowledged.slice(-40))
    const { cookie } = await signIn('vaas', 'larkmere-administrator')
    const kept: string[] = []
    let before: string | null = ''
    while (before !== null) {
      const page = (await (await fetch(`${base}/api/attempts?limit=1000&before=${encodeURIComponent(before)}`, { headers: { cookie } })).json()) as {
        attempts: { id: string }[]
        next: string | null
      }
      kept.push(...page.attempts.map(({ id }) => id))
      before = page.next
    }
    expect(new Set(kept).size).toBe(kept.length)
    const there = new Set(kept)
    expect(acknowledged.filter((id) => !there.has(id))).toEqual([])
  })

  it('goes on with an evidence file that it was reading when it was killed, and has each of its logons once', async () => {
    const ids = Array.from({ length: 4000 }, (_, i) => `f${i}`)
    const sent = await fetch(`${base}/api/evidence/files`, {
      method: 'POST',
      headers: { ...bearer, 'content-type': 'application/x-ndjson', 'x-file-name': 'killed.ndjson' },
      body: ndjson(ids),
    })
    const { id } = (await sent.json()) as { id: string }
    const state = async () =>
      (await (await fetch(`${base}/api/evidence/files/${id}`, { headers: bearer })).json()) as { state: string; bytesRead: number; attempts: number }
    // Somewhere in the middle of it.
    await expect.poll(async () => (await state()).bytesRead, { timeout: 30_000, interval: 5 }).toBeGreaterThan(0)
    expect((await state()).state).toBe('reading')
    await end('SIGKILL')
    await start()
    await expect.poll(async () => (await state()).state, { timeout: 60_000 }).toBe('done')
    expect((await state()).attempts).toBe(ids.length)
  })

  it('keeps a second process off the folder, and takes over from one that was killed', async () => {
    const path = join(folder, 'lock')
    await expect(lock(path)).rejects.toThrow(/in use by process/)
    await end('SIGKILL')
    const unlock = await lock(path)
    await unlock()
    await start()
  })
})

describe('what keeps it from starting', () => {
  /** What it says, and how it ends, where it should not start at all. */
  const refused = (data: string, env: Readonly<Record<string, string>> = {}) => {
    const { status, stderr } = spawnSync(process.execPath, ['dist/server/main.js'], {
      env: { ...process.env, PORT: '0', IKEBANA_DEMO: '', DATABASE_URL: '', ...env, IKEBANA_DATA: data },
      encoding: 'utf8',
      timeout: 60_000,
    })
    return { status, stderr }
  }

  it('is said in a sentence: a folder in use, a database that is damaged, a port that is taken', () => {
    expect(refused(folder)).toEqual({
      status: 1,
      stderr: expect.stringMatching(/^The data folder is in use by process \d+\. Stop that one first/) as string,
    })
    const damaged = mkdtempSync(join(tmpdir(), 'ikebana-damaged-'))
    const taken = mkdtempSync(join(tmpdir(), 'ikebana-taken-'))
    try {
      mkdirSync(join(damaged, 'database'))
      writeFileSync(join(damaged, 'database', 'PG_VERSION'), '1')
      const said = refused(damaged)
      expect(said.status).toBe(1)
      expect(said.stderr).toMatch(/^The database in .*database cannot be opened; it may be damaged \(.+\)\. Bring back a copy/)
      expect(said.stderr).not.toMatch(/\n +at /)
      const port = new URL(base).port
      expect(refused(taken, { PORT: port }).stderr).toMatch(new RegExp(`^Nothing can listen on port ${port} of 127.0.0.1: `))
    } finally {
      for (const one of [damaged, taken]) rmSync(one, { recursive: true, force: true })
    }
  })

  it('ends with whoever started it, and leaves the folder free', async () => {
    const data = mkdtempSync(join(tmpdir(), 'ikebana-orphan-'))
    try {
      const child = spawn(process.execPath, ['dist/server/main.js'], {
        env: { ...process.env, PORT: '0', IKEBANA_DEMO: '', DATABASE_URL: '', IKEBANA_DATA: data },
        stdio: ['ignore', 'pipe', 'inherit', 'ipc'],
      })
      await once(child.stdout ?? child, 'data')
      child.disconnect()
      expect(await once(child, 'exit')).toEqual([0, null])
      expect(existsSync(join(data, 'lock'))).toBe(false)
    } finally {
      rmSync(data, { recursive: true, force: true })
    }
  })
})
