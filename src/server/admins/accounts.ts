import { randomBytes } from 'node:crypto'
import { Problem } from '../../contract/errors'
import type { AccountLine, TokenLine } from '../../contract/access'
import type { Role } from '../../contract/other'
import type { Database, Queryable } from '../db/database'
import { hashOf, hashPassword } from './gate'

const LINE = `select a.name, a.full_name as "fullName", a.role, a.made_ms as "madeMs", a.seen_ms as "seenMs", count(s.token_hash) filter (where s.expires_ms > $1)::int as sessions
  from admins a left join admin_sessions s on s.admin = a.name`

export function listAccounts(handle: Queryable, nowMs: number): Promise<AccountLine[]> {
  return handle.query<AccountLine>(`${LINE} group by a.name order by a.name`, [nowMs])
}

async function accountLine(handle: Queryable, name: string, nowMs: number): Promise<AccountLine> {
  const [line] = await handle.query<AccountLine>(`${LINE} where a.name = $2 group by a.name`, [nowMs, name])
  if (!line) throw new Problem('account.unknown')
  return line
}

export interface NewAccount {
  readonly name: string
  readonly fullName: string
  readonly role: Role
  readonly password: string
}

type AccountChange = { readonly [K in 'fullName' | 'role' | 'password']?: NewAccount[K] | undefined }

/** @throws Problem where the name is taken */
export async function makeAccount(handle: Queryable, account: NewAccount, nowMs: number): Promise<AccountLine> {
  const made = await handle.query(
    'insert into admins (name, full_name, role, password, made_ms) values ($1, $2, $3, $4, $5) on conflict do nothing returning name',
    [account.name, account.fullName, account.role, await hashPassword(account.password), nowMs],
  )
  if (made.length === 0) throw new Problem('account.taken')
  return accountLine(handle, account.name, nowMs)
}

export const hasAccounts = async (handle: Queryable): Promise<boolean> => (await handle.query('select 1 from admins limit 1')).length > 0

/**
 * Changes what is given. A new role or password ends the account's sessions.
 * @throws Problem where nobody could administer any more
 */
export async function changeAccount(database: Database, name: string, change: AccountChange, nowMs: number): Promise<AccountLine> {
  const password = change.password === undefined ? null : await hashPassword(change.password)
  return database.transaction(async (handle) => {
    const before = await accountLine(handle, name, nowMs)
    await handle.query(
      'update admins set full_name = coalesce($2, full_name), role = coalesce($3, role), password = coalesce($4, password) where name = $1',
      [name, change.fullName ?? null, change.role ?? null, password],
    )
    await mustAdminister(handle)
    if (password !== null || (change.role !== undefined && change.role !== before.role))
      await handle.query('delete from admin_sessions where admin = $1', [name])
    return accountLine(handle, name, nowMs)
  })
}

export async function forgetAccount(database: Database, name: string): Promise<void> {
  await database.transaction(async (handle) => {
    const gone = await handle.query('delete from admins where name = $1 returning name', [name])
    if (gone.length === 0) throw new Problem('account.unknown')
    await mustAdminister(handle)
  })
}

async function mustAdminister(handle: Queryable): Promise<void> {
  const left = await handle.query(`select 1 from admins where role = 'administrator' limit 1`)
  if (left.length === 0) throw new Problem('account.last')
}

export async function changeOwnPassword(database: Database, name: string, next: string, keepSession: string): Promise<void> {
  const password = await hashPassword(next)
  await database.transaction(async (handle) => {
    await handle.query('update admins set password = $2 where name = $1', [name, password])
    await handle.query('delete from admin_sessions where admin = $1 and token_hash <> $2', [name, keepSession])
  })
}

const TOKEN = `id, name, string_to_array(scope, ' ') as scopes, made_ms as "madeMs", made_by as "madeBy", used_ms as "usedMs"`

export function listTokens(handle: Queryable): Promise<TokenLine[]> {
  return handle.query<TokenLine>(`select ${TOKEN} from tokens order by name, id`)
}

/** 256 random bits; only their hash is kept. */
export async function makeToken(
  handle: Queryable,
  name: string,
  scopes: readonly string[],
  by: string,
  nowMs: number,
): Promise<TokenLine & { token: string }> {
  const token = randomBytes(32).toString('base64url')
  const hash = hashOf(token)
  const [line] = await handle.query<TokenLine>(
    `insert into tokens (hash, name, scope, id, made_ms, made_by) values ($1, $2, $3, $4, $5, $6) returning ${TOKEN}`,
    [hash, name, [...new Set(scopes)].join(' '), hash.slice(0, 12), nowMs, by],
  )
  if (!line) throw new Problem('internal')
  return { ...line, token }
}

export async function forgetToken(handle: Queryable, id: string): Promise<{ name: string }> {
  const [gone] = await handle.query<{ name: string }>('delete from tokens where id = $1 returning name', [id])
  if (!gone) throw new Problem('token.unknown')
  return gone
}
