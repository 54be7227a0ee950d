import { afterEach, describe, expect, it, vi } from 'vitest'
import { addressOf, call, ProblemError, problemWords, setCsrf } from './api'

afterEach(() => vi.unstubAllGlobals())

function server(status: number, answer: unknown) {
  const asked = vi.fn(async (_address: string, _init: RequestInit) => new Response(JSON.stringify(answer), { status }))
  vi.stubGlobal('fetch', asked)
  return asked
}

describe('the client of the contract', () => {
  it('fills addresses in, whatever the names have in them, and leaves out what is not asked', () => {
    expect(addressOf('person', { params: { id: 'ilse/å b' } })).toBe('/api/people/ilse%2F%C3%A5%20b')
    expect(addressOf('attempts', { query: { cause: 'share-slow', host: '', pool: undefined, limit: 50 } })).toBe(
      '/api/attempts?cause=share-slow&limit=50',
    )
    expect(addressOf('containers')).toBe('/api/containers')
  })

  it('sends a body as JSON, with the token against forged requests where something is changed, and none where it is only read', async () => {
    setCsrf('abc')
    const asked = server(200, { ok: true })
    await call('scanNow', {})
    await call('scan', {})
    const [changed, read] = asked.mock.calls.map(([, { method, headers, body }]) => ({ method, headers, body }))
    expect(changed).toEqual({ method: 'POST', headers: { 'x-csrf': 'abc' }, body: undefined })
    expect(read).toEqual({ method: 'GET', headers: {}, body: undefined })
    await call('shareAdd', { body: { path: '//nas/p', mount: '/mnt/p', zone: null } })
    expect(asked.mock.calls.at(-1)?.[1]).toMatchObject({
      headers: { 'content-type': 'application/json' },
      body: '{"path":"//nas/p","mount":"/mnt/p","zone":null}',
    })
  })

  it('throws what the server says is wrong, and says it in words; also where it is no answer of ours', async () => {
    server(409, {
      code: 'policy.outdated',
      title: 'The set has changed.',
      detail: 'Ilya Brandt published version 7.',
      where: [{ path: 'set', sentence: 'x' }],
    })
    const refused = await call('scan', {}).catch((error: unknown) => error)
    expect(refused).toBeInstanceOf(ProblemError)
    expect(refused).toMatchObject({ status: 409, code: 'policy.outdated', where: [{ path: 'set', sentence: 'x' }] })
    expect(problemWords(refused)).toBe('Ilya Brandt published version 7.')
    vi.stubGlobal('fetch', async () => new Response('<html>gateway</html>', { status: 502 }))
    const odd = await call('scan', {}).catch((error: unknown) => error)
    expect(odd).toMatchObject({ status: 502, code: 'internal' })
    expect(problemWords(odd)).toBe('The server did not answer as expected.')
    expect(problemWords(new TypeError('fetch failed'))).toBe('The server does not answer.')
  })
})
