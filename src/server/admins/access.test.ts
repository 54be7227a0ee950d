import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { startProcess, type ServerProcess } from '../shell/fixtures/server-process'

/** A server that is no demo: nobody is known to it. */
const folder = mkdtempSync(join(tmpdir(), 'ikebana-access-'))
let server: ServerProcess
beforeAll(async () => {
  server = await startProcess(folder, {})
})
afterAll(async () => {
  await server.end('SIGTERM')
  rmSync(folder, { recursive: true, force: true })
})

interface Who {
  cookie: string
  csrf: string
}
async function ask<T>(
  method: string,
  path: string,
  body?: unknown,
  who?: Who,
): Promise<{ status: number; value: T & { code: string }; cookie: string }> {
  const response = await fetch(server.base + path, {
    method,
    headers: { ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...(who ? { cookie: who.cookie, 'x-csrf': who.csrf } : {}) },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  return {
    status: response.status,
    value: (await response.json()) as T & { code: string },
    cookie: (response.headers.get('set-cookie') ?? '').split(';')[0] ?? '',
  }
}
async function signIn(name: string, password: string): Promise<Who | number> {
  const { status, value, cookie } = await ask<{ csrf: string }>('POST', '/api/sign-in', { name, password })
  return status === 200 ? { cookie, csrf: value.csrf } : status
}
const PASSWORD = 'a long one, not odd'
let first: Who
const me = { name: 'ada', fullName: 'Ada Holm', password: PASSWORD }

describe('accounts and tokens', () => {
  it('begins with one account, made by whoever can read what the server printed, once', async () => {
    expect((await ask<{ first: boolean }>('GET', '/api/sign-in')).value.first).toBe(true)
    const code = /first\?code=(\S+)/.exec(server.printed())?.[1] ?? ''
    expect(code.length).toBeGreaterThan(12)
    expect((await ask('POST', '/api/first-account', { ...me, code: 'guessed' })).value.code).toBe('first-account.code')
    expect((await ask('POST', '/api/first-account', { ...me, code, password: 'short' })).status).toBe(400)
    const made = await ask<{ csrf: string; role: string }>('POST', '/api/first-account', { ...me, code })
    expect([made.status, made.value.role]).toEqual([200, 'administrator'])
    first = { cookie: made.cookie, csrf: made.value.csrf }
    expect((await ask('POST', '/api/first-account', { ...me, name: 'eve', code })).value.code).toBe('first-account.over')
    expect((await ask<{ first: boolean }>('GET', '/api/sign-in')).value.first).toBe(false)
  })

  it('makes, changes and forgets accounts, ends their sessions, and never leaves nobody to administer', async () => {
    const ole = { name: 'ole', fullName: 'Ole Dahl', role: 'help-desk', password: PASSWORD }
    expect((await ask('POST', '/api/accounts', ole, first)).status).toBe(200)
    expect((await ask('POST', '/api/accounts', ole, first)).value.code).toBe('account.taken')
    expect((await ask('POST', '/api/accounts', { ...ole, name: 'Not A Name' }, first)).status).toBe(400)
    const his = (await signIn('ole', PASSWORD)) as Who
    expect((await ask('GET', '/api/accounts', undefined, his)).value.code).toBe('role.insufficient')
    expect((await ask('PUT', '/api/accounts/ole', { role: 'viewer' }, first)).status).toBe(200)
    expect((await ask('GET', '/api/me', undefined, his)).status).toBe(401)
    expect((await ask('PUT', '/api/accounts/ada', { role: 'viewer' }, first)).value.code).toBe('account.last')
    expect((await ask('DELETE', '/api/accounts/ada', undefined, first)).value.code).toBe('account.own')
    const { value } = await ask<{ accounts: { name: string; role: string; sessions: number }[] }>('GET', '/api/accounts', undefined, first)
    expect(value.accounts.map(({ name, role, sessions }) => [name, role, sessions])).toEqual([
      ['ada', 'administrator', 1],
      ['ole', 'viewer', 0],
    ])
    expect((await ask('DELETE', '/api/accounts/ole', undefined, first)).status).toBe(200)
    expect(await signIn('ole', PASSWORD)).toBe(401)
  })

  it('changes the own password only against the old one, and ends the other sessions', async () => {
    const elsewhere = (await signIn('ada', PASSWORD)) as Who
    expect((await ask('POST', '/api/me/password', { now: 'not it', next: 'another long one' }, first)).value.code).toBe('password.wrong')
    expect((await ask('POST', '/api/me/password', { now: PASSWORD, next: 'another long one' }, first)).status).toBe(200)
    expect((await ask('GET', '/api/me', undefined, elsewhere)).status).toBe(401)
    expect((await ask('GET', '/api/me', undefined, first)).status).toBe(200)
    expect(await signIn('ada', PASSWORD)).toBe(401)
  })

  it('makes tokens that are shown once, serve only what they are for, and are refused when forgotten', async () => {
    const made = await ask<{ id: string; token: string }>('POST', '/api/tokens', { name: 'exporters', scopes: ['evidence'] }, first)
    expect(made.status).toBe(200)
    const send = async (path: string, method: string) =>
      (await fetch(server.base + path, { method, headers: { authorization: `Bearer ${made.value.token}` }, body: '' })).status
    expect(await send('/api/evidence', 'POST')).toBe(200)
    expect(await send('/api/directory', 'PUT')).toBe(403)
    const { value } = await ask<{ tokens: { id: string; usedMs: number | null }[] }>('GET', '/api/tokens', undefined, first)
    expect(value.tokens.map(({ id, usedMs }) => [id, usedMs !== null])).toEqual([[made.value.id, true]])
    expect(JSON.stringify(value)).not.toContain(made.value.token)
    expect((await ask('DELETE', `/api/tokens/${made.value.id}`, undefined, first)).status).toBe(200)
    expect(await send('/api/evidence', 'POST')).toBe(401)
    const journal = await ask<{ lines: { what: string }[] }>('GET', '/api/journal', undefined, first)
    expect(JSON.stringify(journal.value)).toContain('forgot a token')
    expect(JSON.stringify(journal.value)).not.toContain(made.value.token)
  })
})
