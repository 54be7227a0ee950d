import type { Queryable } from '../db/database'
import { hashOf, hashPassword } from './gate'

/** Offered on the sign-in page of the demo, and made nowhere else. */
export const DEMO_ACCOUNTS = [
  { name: 'vaas', fullName: 'Hedda Vaas', role: 'administrator', password: 'larkmere-administrator' },
  { name: 'brandt', fullName: 'Ilya Brandt', role: 'help-desk', password: 'larkmere-help-desk' },
  { name: 'okoro', fullName: 'Nkem Okoro', role: 'viewer', password: 'larkmere-viewer' },
] as const

/** Accounts and tokens of a demo. @param token what the stand-ins present */
export async function prepareDemo(database: Queryable, token: string): Promise<void> {
  // Side by side: each of these hashes takes a third of a second, as it should.
  await Promise.all(
    DEMO_ACCOUNTS.map(async ({ name, fullName, role, password }) => {
      const [known] = await database.query('select 1 from admins where name = $1', [name])
      if (known) return
      const hash = await hashPassword(password)
      await database.query('insert into admins (name, full_name, role, password) values ($1, $2, $3, $4) on conflict do nothing', [
        name,
        fullName,
        role,
        hash,
      ])
    }),
  )
  await database.query(
    `insert into tokens (hash, name, scope, id) values ($1, 'stand-ins', 'evidence agent directory', left($1, 12)) on conflict (hash) do nothing`,
    [hashOf(token)],
  )
}
