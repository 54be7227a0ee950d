import { Problem } from '../../contract/errors'
import type { NamingTried } from '../../contract/shares'
import { ownerOf, readNaming, USUAL_NAMING, type Naming, type Owner, type Owners } from '../../core/containers'
import { readAccount } from '../../core/people'
import type { Database } from '../db/database'
import { writeJournal } from '../journal/store'
import type { Context } from '../shell/context'
import { lookAfter } from './look-after'

type Need = Pick<Context, 'database'>

const namingOf = (text: string | null): Naming => {
  const reading = readNaming(text ?? USUAL_NAMING)
  if (!reading.ok) throw new Problem('request.invalid', reading.sentence)
  return reading.naming
}

/** Ids of people by account and by SID: from the directory, and SIDs also from earlier evidence. */
async function ownersIn(database: Database): Promise<Owners> {
  const [people, seen] = await Promise.all([
    database.query<{ id: string; accounts: string[]; sid: string | null }>('select id, accounts, sid from people'),
    database.query<{ sid: string; account: string }>('select sid, account from known_sids'),
  ])
  const byAccount = new Map(
    people.flatMap(({ id, accounts }) =>
      accounts.flatMap((account) => [[account.toLowerCase(), id] as const, [readAccount(account).key, id] as const]),
    ),
  )
  for (const { id } of people) byAccount.set(id.toLowerCase(), id)
  const bySid = new Map(
    seen.flatMap(({ sid, account }) => {
      const id = byAccount.get(readAccount(account).key)
      return id === undefined ? [] : [[sid.toUpperCase(), id] as const]
    }),
  )
  for (const { id, sid } of people) if (sid !== null) bySid.set(sid.toUpperCase(), id)
  return { byAccount, bySid }
}

/** Whose a file is, by its share's path and its own place on it, as things stand now. */
export async function whoseFiles({ database }: Need): Promise<(share: string, file: string) => Owner> {
  const [owners, shares] = await Promise.all([
    ownersIn(database),
    database.query<{ path: string; naming: string | null }>('select path, naming from shares where naming is not null'),
  ])
  const usual = namingOf(null)
  const own = new Map(shares.map(({ path, naming }) => [path, namingOf(naming)]))
  return (share, file) => ownerOf(file, own.get(share) ?? usual, owners)
}

interface Named {
  path: string
  naming: string | null
}
async function namedShare(database: Database, id: string): Promise<Named> {
  const [share] = await database.query<Named>('select path, naming from shares where id = $1', [id])
  if (!share) throw new Problem('share.unknown')
  return share
}

const EXAMPLES = 8

/** What a naming would make of the containers that lie on a share now. Nothing is changed. */
export async function tryNaming({ database }: Need, id: string, text: string): Promise<NamingTried> {
  const { path } = await namedShare(database, id)
  const reading = readNaming(text)
  if (!reading.ok) return { sentence: reading.sentence, files: 0, bySid: 0, nobody: 0, other: 0, examples: [] }
  const [owners, files, people] = await Promise.all([
    ownersIn(database),
    database.query<{ file: string; person: string | null }>('select file, person from containers where share = $1 order by file', [path]),
    database.query<{ id: string; name: string }>('select id, name from people'),
  ])
  const names = new Map(people.map((one) => [one.id, one.name]))
  const known = (person: string | null) => (person !== null && names.has(person) ? person : null)
  const found = files.map(({ file, person }) => ({ file, before: known(person), ...ownerOf(file, reading.naming, owners) }))
  const nobody = found.filter(({ person }) => known(person) === null)
  const other = found.filter(({ person, before }) => known(person) !== before)
  return {
    sentence: null,
    files: files.length,
    bySid: found.filter(({ by }) => by === 'sid').length,
    nobody: nobody.length,
    other: other.length,
    // What changes is told first, then what stays nobody's.
    examples: [...new Set([...other, ...nobody])]
      .slice(0, EXAMPLES)
      .map(({ file, person, before }) => ({ file, name: names.get(person ?? '') ?? null, before: names.get(before ?? '') ?? null })),
  }
}

/** Says how a share names its folders. Whose each container is, and what should be looked at in it, follows at once; nothing on the share is touched. */
export async function setNaming(context: Pick<Context, 'database' | 'now' | 'live'>, id: string, text: string, author: string): Promise<void> {
  const { database, now, live } = context
  const { path, naming } = await namedShare(database, id)
  const { text: wanted } = namingOf(text)
  const before = naming ?? USUAL_NAMING
  if (wanted === before) return
  const { other } = await tryNaming(context, id, wanted)
  await database.query('update shares set naming = $2 where id = $1', [id, wanted === USUAL_NAMING ? null : wanted])
  await lookAfter(context, await whoseFiles(context))
  await writeJournal(database, {
    atMs: now(),
    who: author,
    what: 'said how a share names its folders',
    target: path,
    before,
    after: `${wanted}; ${other === 1 ? '1 container is' : `${other} containers are`} another’s than before, or nobody’s`,
  })
  live.tell('containers')
}
