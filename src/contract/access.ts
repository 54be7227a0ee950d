import { z } from 'zod'
import { Me, Role } from './other'
import type { Route } from './route'

const Done = z.object({ ok: z.literal(true) })
/** Long rather than odd: NIST SP 800-63B counts length, and no mixture of characters (the number is ours). */
export const SHORTEST_PASSWORD = 12
const Password = z.string().min(SHORTEST_PASSWORD, `a password has at least ${SHORTEST_PASSWORD} characters`).max(1000)
const AccountName = z
  .string()
  .regex(
    /^[a-z0-9][a-z0-9._@-]{0,63}$/,
    'a name has up to 64 small letters, digits, dots, dashes, underscores or @, and begins with a letter or digit',
  )
const FullName = z.string().trim().min(1, 'a full name is needed').max(120)

/** What a token may be used for. */
export const TOKEN_SCOPES = ['evidence', 'agent', 'directory'] as const
const TokenScope = z.enum(TOKEN_SCOPES)

export const AccountLine = z.object({
  name: z.string(),
  fullName: z.string(),
  role: Role,
  madeMs: z.number().nullable(),
  /** When they signed in last. */
  seenMs: z.number().nullable(),
  /** Sessions that are open now. */
  sessions: z.number(),
})
export type AccountLine = z.infer<typeof AccountLine>

export const TokenLine = z.object({
  id: z.string(),
  name: z.string(),
  scopes: z.array(z.string()),
  madeMs: z.number().nullable(),
  madeBy: z.string().nullable(),
  /** Within a minute. */
  usedMs: z.number().nullable(),
})
export type TokenLine = z.infer<typeof TokenLine>

/** Who may use Ikebana, and which programs. */
export const ACCESS_ROUTES = {
  firstAccount: {
    method: 'POST',
    path: '/api/first-account',
    permission: 'anybody',
    sentence: 'Makes the first administrator, with the code that the server printed at its start. Only while there is no account.',
    body: z.object({ code: z.string().max(200), name: AccountName, fullName: FullName, password: Password }),
    response: Me,
  },
  ownPassword: {
    method: 'POST',
    path: '/api/me/password',
    permission: 'viewer',
    sentence: 'Changes the own password, and ends the own other sessions.',
    body: z.object({ now: z.string().max(1000), next: Password }),
    response: Done,
  },
  accounts: {
    method: 'GET',
    path: '/api/accounts',
    permission: 'administrator',
    sentence: 'Who may sign in, as what, and when they last did.',
    response: z.object({ accounts: z.array(AccountLine) }),
  },
  accountMake: {
    method: 'POST',
    path: '/api/accounts',
    permission: 'administrator',
    sentence: 'Makes an account.',
    body: z.object({ name: AccountName, fullName: FullName, role: Role, password: Password }),
    response: AccountLine,
  },
  accountChange: {
    method: 'PUT',
    path: '/api/accounts/:id',
    permission: 'administrator',
    sentence: 'Changes the name, role or password of an account. A new role or password ends its sessions.',
    params: z.object({ id: z.string().min(1).max(64) }),
    body: z.object({ fullName: FullName.optional(), role: Role.optional(), password: Password.optional() }),
    response: AccountLine,
  },
  accountForget: {
    method: 'DELETE',
    path: '/api/accounts/:id',
    permission: 'administrator',
    sentence: 'Forgets an account and ends its sessions. What it did stays in the journal.',
    params: z.object({ id: z.string().min(1).max(64) }),
    response: Done,
  },
  tokens: {
    method: 'GET',
    path: '/api/tokens',
    permission: 'administrator',
    sentence: 'Tokens of agents, exporters and directories: for what, and when last used. Never the tokens themselves.',
    response: z.object({ tokens: z.array(TokenLine) }),
  },
  tokenMake: {
    method: 'POST',
    path: '/api/tokens',
    permission: 'administrator',
    sentence: 'Makes a token. It is told this once, and kept as a hash only.',
    body: z.object({ name: z.string().trim().min(1, 'a name is needed').max(100), scopes: z.array(TokenScope).min(1, 'a token is for something') }),
    response: TokenLine.extend({ token: z.string() }),
  },
  tokenForget: {
    method: 'DELETE',
    path: '/api/tokens/:id',
    permission: 'administrator',
    sentence: 'Forgets a token. Whoever presents it is refused from now on.',
    params: z.object({ id: z.string().min(1).max(100) }),
    response: Done,
  },
} as const satisfies Record<string, Route>
