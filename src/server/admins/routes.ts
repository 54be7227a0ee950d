import { writeJournal } from '../journal/store'
import type { Context, Handlers } from '../shell/context'
import { hasAccounts } from './accounts'
import { COOKIE, setCookie, signIn } from './gate'
import { DEMO_ACCOUNTS } from './demo-accounts'

export function adminHandlers({ config, database, now, live }: Context): Handlers<'signInOffer' | 'signIn' | 'signOut' | 'me' | 'events'> {
  const { organisation, timeZone } = config
  return {
    signInOffer: async () => ({ organisation, first: !(await hasAccounts(database)), demoAccounts: config.demo ? [...DEMO_ACCOUNTS] : [] }),
    async signIn({ input: { body }, reply }) {
      const { secret, caller } = await signIn(database, body.name, body.password, now())
      setCookie(reply, secret)
      await writeJournal(database, { atMs: now(), who: caller.name, what: 'signed in' })
      return { name: caller.name, fullName: caller.fullName, role: caller.role, csrf: caller.csrf, organisation, timeZone }
    },
    async signOut({ caller, reply }) {
      await database.query('delete from admin_sessions where token_hash = $1', [caller.tokenHash])
      void reply.clearCookie(COOKIE, { path: '/' })
      await writeJournal(database, { atMs: now(), who: caller.name, what: 'signed out' })
      return { ok: true }
    },
    me: ({ caller }) => ({ name: caller.name, fullName: caller.fullName, role: caller.role, csrf: caller.csrf, organisation, timeZone }),
    events({ reply }) {
      reply.hijack()
      live.add(reply.raw)
      return undefined
    },
  }
}
