import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto'
import type { FastifyReply, FastifyRequest } from 'fastify'
import { Problem } from '../../contract/errors'
import type { Role } from '../../contract/other'
import { allows, type Permission } from '../../contract/routes'
import type { Queryable } from '../db/database'
import type { Caller } from '../shell/context'

export const COOKIE = 'ikebana'
/** Before the name of a token, where it stands for whoever calls. */
export const TOKEN = 'token '
const SESSION_MS = 12 * 3_600_000
/** scrypt (RFC 7914) with N = 2^15, r = 8, p = 3: a setting of the OWASP password storage cheat sheet (from memory). */
const COST = { N: 2 ** 15, r: 8, p: 3, maxmem: 128 * 2 ** 20 }

export const hashOf = (secret: string): string => createHash('sha256').update(secret).digest('hex')
const derive = (password: string, salt: Buffer) =>
  new Promise<Buffer>((resolve, reject) => {
    scrypt(password.normalize('NFKC'), salt, 32, COST, (error, key) => {
      if (error) reject(error)
      else resolve(key)
    })
  })

/** `scrypt$salt$key`, both base64. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16)
  return `scrypt$${salt.toString('base64')}$${(await derive(password, salt)).toString('base64')}`
}

async function passwordFits(password: string, stored: string): Promise<boolean> {
  const [, salt = '', key = ''] = stored.split('$')
  const wanted = Buffer.from(key, 'base64')
  const given = await derive(password, Buffer.from(salt, 'base64'))
  return wanted.length === given.length && timingSafeEqual(wanted, given)
}

/** Work as long for a name that does not exist, so that the time does not tell. */
const NOBODY = 'scrypt$AAAAAAAAAAAAAAAAAAAAAA==$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA='

/** Whether this is the password of an account. */
export async function passwordIs(database: Queryable, name: string, password: string): Promise<boolean> {
  const [admin] = await database.query<{ password: string }>('select password from admins where name = $1', [name])
  return passwordFits(password, admin?.password ?? NOBODY)
}

export function setCookie(reply: FastifyReply, secret: string): void {
  void reply.setCookie(COOKIE, secret, { httpOnly: true, sameSite: 'strict', path: '/', maxAge: SESSION_MS / 1000 })
}

export async function signIn(database: Queryable, name: string, password: string, nowMs: number): Promise<{ secret: string; caller: Caller }> {
  const [admin] = await database.query<{ name: string; full_name: string; role: Role; password: string }>(
    'select name, full_name, role, password from admins where name = $1',
    [name.toLowerCase()],
  )
  const fits = await passwordFits(password, admin?.password ?? NOBODY)
  if (!admin || !fits) throw new Problem('sign-in.wrong')
  const secret = randomBytes(32).toString('base64url')
  const csrf = randomBytes(24).toString('base64url')
  await database.query('update admins set seen_ms = $2 where name = $1', [admin.name, nowMs])
  await database.query('delete from admin_sessions where expires_ms < $1', [nowMs])
  await database.query('insert into admin_sessions (token_hash, admin, csrf, expires_ms) values ($1, $2, $3, $4)', [
    hashOf(secret),
    admin.name,
    csrf,
    nowMs + SESSION_MS,
  ])
  return { secret, caller: { name: admin.name, fullName: admin.full_name, role: admin.role, csrf, tokenHash: hashOf(secret) } }
}

/** Who calls, if they may call this at all; throws the Problem that says why not. */
export async function admit(database: Queryable, request: FastifyRequest, permission: Permission, nowMs: number): Promise<Caller> {
  if (permission === 'anybody') return { name: '', fullName: '', role: 'viewer', csrf: '', tokenHash: '' }
  if (permission.startsWith('token ')) return admitToken(database, request, permission.slice(6), nowMs)
  const secret = request.cookies[COOKIE]
  if (!secret) throw new Problem('sign-in.required')
  const tokenHash = hashOf(secret)
  const [row] = await database.query<{ name: string; full_name: string; role: Role; csrf: string }>(
    'select a.name, a.full_name, a.role, s.csrf from admin_sessions s join admins a on a.name = s.admin where s.token_hash = $1 and s.expires_ms > $2',
    [tokenHash, nowMs],
  )
  if (!row) throw new Problem('sign-in.required')
  if (!allows(row.role, permission)) throw new Problem('role.insufficient')
  if (request.method !== 'GET' && request.headers['x-csrf'] !== row.csrf) throw new Problem('csrf.missing')
  return { name: row.name, fullName: row.full_name, role: row.role, csrf: row.csrf, tokenHash }
}

async function admitToken(database: Queryable, request: FastifyRequest, scope: string, nowMs: number): Promise<Caller> {
  const [, token] = /^Bearer (\S+)$/i.exec(request.headers.authorization ?? '') ?? []
  if (!token) throw new Problem('token.wrong')
  const [row] = await database.query<{ id: string; name: string; scope: string; used_ms: number | null }>(
    'select id, name, scope, used_ms from tokens where hash = $1',
    [hashOf(token)],
  )
  if (!row) throw new Problem('token.wrong')
  if (!row.scope.split(' ').includes(scope)) throw new Problem('token.scope')
  // Not at each call: a fleet asks a thousand times a minute.
  if (nowMs - (row.used_ms ?? 0) > 60_000) await database.query('update tokens set used_ms = $2 where id = $1', [row.id, nowMs])
  return { name: `${TOKEN}${row.name}`, fullName: row.name, role: 'viewer', csrf: '', tokenHash: '' }
}
