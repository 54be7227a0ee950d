/** How a share names the folders of its people. */
export interface Naming {
  /** As it was written. */
  readonly text: string
  readonly pieces: readonly Piece[]
}
interface Piece {
  readonly text: string
  readonly pattern: RegExp
  /** Where `%any%` stands in the same piece, an account's end cannot be told from the pattern alone. */
  readonly unclear: boolean
}

/** Whose a file is. `person` is an id where somebody is known, and otherwise the account as the folder has it, or null. */
export interface Owner {
  readonly person: string | null
  readonly by: 'naming' | 'sid' | null
}

/** The directory as it is needed here: ids by account and by SID. Accounts in small letters, SIDs in capitals. */
export interface Owners {
  readonly byAccount: ReadonlyMap<string, string>
  readonly bySid: ReadonlyMap<string, string>
}

export const USUAL_NAMING = '%account%'
const TOKENS = { account: '(?<account>.+)', sid: String.raw`(?<sid>S-1-\d+(?:-\d+)+)`, any: '.*' } as const
/** More of them in one name could be fitted in too many ways. */
const MOST_ANY = 2
const SID = /S-1-\d+(?:-\d+)+/gi
const MOST_PIECES = 8

/**
 * Reads how folders are named: pieces divided by `/` or `\`, from the share downwards, with `%account%`, `%sid%` and `%any%`; upper and lower
 * case are the same. What lies deeper does not matter.
 */
export function readNaming(text: string): { ok: true; naming: Naming } | { ok: false; sentence: string } {
  const refuse = (sentence: string) => ({ ok: false, sentence }) as const
  const parts = text
    .trim()
    .split(/[\\/]+/)
    .filter((part) => part !== '')
  if (parts.length === 0) return refuse('Say how folders are named, for example %account% or %sid%.')
  if (parts.length > MOST_PIECES) return refuse(`More than ${MOST_PIECES} folders below each other.`)
  const counts = { account: 0, sid: 0 }
  const pieces: Piece[] = []
  for (const part of parts) {
    if (part.split('%').length % 2 === 0) return refuse('A percent sign stands alone.')
    let pattern = ''
    let any = 0
    for (const [i, bit] of part.split('%').entries()) {
      if (i % 2 === 0) pattern += literally(bit)
      else {
        const token = bit.toLowerCase()
        if (token !== 'account' && token !== 'sid' && token !== 'any')
          return refuse(`%${bit}% is not known here; the known ones are %account%, %sid% and %any%.`)
        if (token === 'any') {
          if (++any > MOST_ANY) return refuse(`%any% may stand ${MOST_ANY} times in one name at most.`)
        } else if (++counts[token] > 1) return refuse(`%${token}% may stand once only.`)
        pattern += TOKENS[token]
      }
    }
    pieces.push({ text: part, pattern: new RegExp(`^${pattern}$`, 'i'), unclear: any > 0 && /%account%/i.test(part) })
  }
  if (counts.account + counts.sid === 0) return refuse('Neither %account% nor %sid% is in it: nobody could be told by it.')
  return { ok: true, naming: { text: pieces.map((piece) => piece.text).join('\\'), pieces } }
}

/**
 * Whose a file is, by its place below the share (`a/b/profile.vhdx`). Where the naming leads to nobody who is known, any SID of a known person
 * in its path counts. A SID outranks an account that stands beside it: accounts are renamed, SIDs are not.
 */
export function ownerOf(file: string, naming: Naming, { byAccount, bySid }: Owners): Owner {
  const pieces = file.split('/')
  const found: { account?: string; sid?: string } = {}
  // A name must not be longer than what lies there; the last piece is the file itself, which only the naming's last piece can mean.
  const fits =
    naming.pieces.length <= pieces.length &&
    naming.pieces.every(({ pattern, unclear }, i) => {
      const piece = i === pieces.length - 1 ? withoutEnding(pieces[i] ?? '') : (pieces[i] ?? '')
      const match = pattern.exec(piece)
      if (!match) return false
      const { account, sid } = match.groups ?? {}
      if (sid !== undefined) found.sid = sid.toUpperCase()
      if (account !== undefined) found.account = (unclear ? knownIn(piece, pattern, byAccount) : null) ?? account.toLowerCase()
      return true
    })
  // A file that lies in no folder at all is somebody's only where its name says so.
  const inFolder = naming.pieces.length < pieces.length
  if (fits) {
    const known = bySid.get(found.sid ?? '') ?? byAccount.get(found.account ?? '')
    if (known !== undefined) return { person: known, by: 'naming' }
  }
  for (const [sid] of file.matchAll(SID)) {
    const person = bySid.get(sid.toUpperCase())
    if (person !== undefined) return { person, by: 'sid' }
  }
  return fits && inFolder && found.account !== undefined ? { person: found.account, by: 'naming' } : { person: null, by: null }
}

const withoutEnding = (name: string): string => name.replace(/\.vhdx?$/i, '')

/** The longest part of a name, between its separators, that is somebody's account and lets the pattern fit. */
function knownIn(piece: string, pattern: RegExp, byAccount: ReadonlyMap<string, string>): string | null {
  const text = piece.toLowerCase()
  const starts = [0, ...[...text.matchAll(/[^\p{L}\p{N}]/gu)].map(({ index }) => index + 1)]
  const ends = [...[...text.matchAll(/[^\p{L}\p{N}]/gu)].map(({ index }) => index), text.length]
  const parts = starts.flatMap((from) => ends.filter((to) => to > from).map((to) => text.slice(from, to)))
  return (
    parts
      .filter((part) => byAccount.has(part))
      .sort((a, b) => b.length - a.length)
      .find((part) =>
        new RegExp(
          pattern.source.replace(TOKENS.account, () => literally(part)),
          'i',
        ).test(text),
      ) ?? null
  )
}

/** A text as a pattern that fits just it. */
const literally = (text: string): string => text.replaceAll(/[.*+?^${}()|[\]\\]/g, String.raw`\$&`)
