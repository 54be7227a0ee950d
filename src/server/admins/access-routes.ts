import { randomBytes, timingSafeEqual } from 'node:crypto'
import { Problem } from '../../contract/errors'
import { writeJournal } from '../journal/store'
import type { Call, Context, Handlers } from '../shell/context'
import * as accounts from './accounts'
import { hashOf, passwordIs, setCookie, signIn } from './gate'

type Names = 'firstAccount' | 'ownPassword' | 'accounts' | 'accountMake' | 'accountChange' | 'accountForget' | 'tokens' | 'tokenMake' | 'tokenForget'

/** What makes the first account: printed at the start of a server that has none, so that only who can read its output can use it. */
export async function firstCode({ database, config }: Pick<Context, 'database' | 'config'>): Promise<string | null> {
  return config.demo || (await accounts.hasAccounts(database)) ? null : randomBytes(12).toString('base64url')
}

/** @param code see firstCode; null where there are accounts already */
export function accessHandlers({ config, database, now, live }: Context, code: string | null): Handlers<Names> {
  const { organisation, timeZone } = config
  const journal = async (who: string, what: string, target: string, more: { before?: string; after?: string } = {}) => {
    await writeJournal(database, { atMs: now(), who, what, target, ...more })
    live.tell('journal')
  }
  return {
    async firstAccount({ input: { body }, reply }: Call<'firstAccount'>) {
      const fits = code !== null && timingSafeEqual(Buffer.from(hashOf(code)), Buffer.from(hashOf(body.code)))
      if (!fits) throw new Problem('first-account.code')
      await database.transaction(async (handle) => {
        if (await accounts.hasAccounts(handle)) throw new Problem('first-account.over')
        await accounts.makeAccount(handle, { ...body, role: 'administrator' }, now())
      })
      const { secret, caller } = await signIn(database, body.name, body.password, now())
      setCookie(reply, secret)
      await journal(body.name, 'made the first account', body.name)
      return { name: caller.name, fullName: caller.fullName, role: caller.role, csrf: caller.csrf, organisation, timeZone }
    },
    async ownPassword({ input: { body }, caller }) {
      if (!(await passwordIs(database, caller.name, body.now))) throw new Problem('password.wrong')
      await accounts.changeOwnPassword(database, caller.name, body.next, caller.tokenHash)
      await journal(caller.name, 'changed the own password', caller.name)
      return { ok: true }
    },
    accounts: async () => ({ accounts: await accounts.listAccounts(database, now()) }),
    async accountMake({ input: { body }, caller }) {
      const line = await accounts.makeAccount(database, body, now())
      await journal(caller.name, 'made an account', line.name, { after: `${line.fullName}, ${line.role}` })
      return line
    },
    async accountChange({ input: { params, body }, caller }) {
      const before = (await accounts.listAccounts(database, now())).find(({ name }) => name === params.id)
      const line = await accounts.changeAccount(database, params.id, body, now())
      await journal(caller.name, body.password === undefined ? 'changed an account' : 'gave an account a new password', line.name, {
        before: before ? `${before.fullName}, ${before.role}` : '',
        after: `${line.fullName}, ${line.role}`,
      })
      return line
    },
    async accountForget({ input: { params }, caller }) {
      if (params.id === caller.name) throw new Problem('account.own')
      await accounts.forgetAccount(database, params.id)
      await journal(caller.name, 'forgot an account', params.id)
      return { ok: true }
    },
    tokens: async () => ({ tokens: await accounts.listTokens(database) }),
    async tokenMake({ input: { body }, caller }) {
      const made = await accounts.makeToken(database, body.name, body.scopes, caller.name, now())
      await journal(caller.name, 'made a token', `${made.name} (${made.id})`, { after: made.scopes.join(', ') })
      return made
    },
    async tokenForget({ input: { params }, caller }) {
      const { name } = await accounts.forgetToken(database, params.id)
      await journal(caller.name, 'forgot a token', `${name} (${params.id})`)
      return { ok: true }
    },
  }
}
