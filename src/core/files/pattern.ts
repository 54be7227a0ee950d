/** Folders of a profile that have a name of their own, as the operating system's documentation gives them; the rest of a path is told below the profile. */
const VARIABLES: Readonly<Record<string, string>> = {
  userprofile: '',
  profile: '',
  appdata: 'AppData\\Roaming',
  localappdata: 'AppData\\Local',
  temp: 'AppData\\Local\\Temp',
  documents: 'Documents',
  desktop: 'Desktop',
  downloads: 'Downloads',
  pictures: 'Pictures',
}

/** One step of a pattern: any number of folders, or one name. */
type Piece = { readonly deep: true } | { readonly deep: false; readonly fits: (lowerName: string) => boolean }

export interface Pattern {
  readonly text: string
  readonly pieces: readonly Piece[]
}

export type PatternReading = { readonly ok: true; readonly pattern: Pattern } | { readonly ok: false; readonly sentence: string }

const SHAPE = String.raw`It should look like %localappdata%\Some program\Cache\** or **\*.tmp.`

/**
 * Reads a path pattern: names between backslashes, below the profile; `*` any part of a name, `?` one character, `**` any number of folders, `%variables%`
 * as in VARIABLES. Letter case does not count. A pattern that fits a folder covers everything in it.
 */
export function readPattern(written: string, variables: Readonly<Record<string, string>> = VARIABLES): PatternReading {
  const refuse = (sentence: string): PatternReading => ({ ok: false, sentence: `${sentence} ${SHAPE}` })
  const text = written.trim()
  if (text === '') return refuse('This pattern is blank: it would cover everything.')
  const unknown = [...text.matchAll(/%([^%\\/]*)%/g)].map((match) => match[1] ?? '').find((name) => !(name.toLowerCase() in variables))
  if (unknown !== undefined)
    return refuse(
      `%${unknown}% is not known here; the known ones are ${Object.keys(variables)
        .map((name) => `%${name}%`)
        .join(', ')}.`,
    )
  const filled = text.replaceAll(/%([^%\\/]*)%/g, (_, name: string) => variables[name.toLowerCase()] ?? '')
  if (filled.includes('%')) return refuse('A percent sign stands alone.')
  const path = belowProfile(filled)
  if (/^[a-z]:/i.test(path) || path.startsWith('\\\\')) return refuse(`“${text}” does not lie in a profile.`)
  const names = path.split('\\').filter((name) => name !== '')
  if (names.length === 0) return refuse('This pattern is the whole profile.')
  const bad = names.find((name) => /[<>:"|]/.test(name) || name === '.' || name === '..' || (name.includes('**') && name !== '**'))
  if (bad !== undefined)
    return refuse(
      bad.includes('**') ? `“${bad}”: two stars stand for folders, and must stand alone between backslashes.` : `“${bad}” cannot be a name.`,
    )
  if (names.every((name) => name === '**' || name === '*')) return refuse('This pattern covers everything.')
  return { ok: true, pattern: { text, pieces: names.map(pieceOf) } }
}

function pieceOf(name: string): Piece {
  if (name === '**') return { deep: true }
  const lower = name.toLowerCase()
  if (!/[*?]/.test(lower)) return { deep: false, fits: (other) => other === lower }
  const [head = '', ...tail] = lower.split('*')
  // The two commonest shapes need no search: `*.tmp` and `cache*`.
  if (tail.length === 1 && !lower.includes('?')) {
    const end = tail[0] ?? ''
    return { deep: false, fits: (other) => other.length >= head.length + end.length && other.startsWith(head) && other.endsWith(end) }
  }
  return { deep: false, fits: (other) => fitsWildcard(lower, other) }
}

/** Whether a name fits a pattern with `*` and `?`: the well-known way that goes back to the last star, in time of at most length by length. */
function fitsWildcard(pattern: string, name: string): boolean {
  let [p, n, star, mark] = [0, 0, -1, 0]
  while (n < name.length) {
    if (p < pattern.length && pattern[p] === '*') [star, mark] = [p++, n]
    else if (p < pattern.length && (pattern[p] === '?' || pattern[p] === name[n])) {
      p++
      n++
    } else if (star >= 0) {
      p = star + 1
      n = ++mark
    } else return false
  }
  while (pattern[p] === '*') p++
  return p === pattern.length
}

/** A path as it is below the profile: without drive, `Users` and the person's folder; backslashes only. */
export function belowProfile(path: string): string {
  const slashed = path.includes('/') ? path.replaceAll('/', '\\') : path
  const match = /^(?:[a-z]:)?\\users\\[^\\]+\\?/i.exec(slashed)
  if (match) return slashed.slice(match[0].length)
  return slashed.startsWith('\\') && !slashed.startsWith('\\\\') ? slashed.slice(1) : slashed
}

/** How far into a pattern a path has come: the numbers of the pieces that may come next. One past the last means that it fits. */
export type Progress = readonly number[]

export function beginOf({ pieces }: Pattern): Progress {
  return withDeep(pieces, [0])
}

/** One name further. Empty where the pattern can no longer fit. */
export function advance({ pieces }: Pattern, progress: Progress, lowerName: string): Progress {
  const next: number[] = []
  for (const at of progress) {
    const piece = pieces[at]
    if (!piece) continue
    if (piece.deep) {
      if (!next.includes(at)) next.push(at)
    } else if (piece.fits(lowerName) && !next.includes(at + 1)) next.push(at + 1)
  }
  return next.length ? withDeep(pieces, next) : next
}

/** `**` may stand for no folder at all: then the piece after it may come too. */
function withDeep(pieces: readonly Piece[], progress: number[]): number[] {
  for (let i = 0; i < progress.length; i++) {
    const at = progress[i] ?? 0
    if (pieces[at]?.deep && !progress.includes(at + 1)) progress.push(at + 1)
  }
  return progress
}

export const fits = ({ pieces }: Pattern, progress: Progress): boolean => progress.includes(pieces.length)

/** Whether a whole path fits, or lies in a folder that does. For tests and single paths; many at once go through a FolderTree. */
export function covers(pattern: Pattern, path: string): boolean {
  let progress = beginOf(pattern)
  for (const name of belowProfile(path).toLowerCase().split('\\')) {
    progress = advance(pattern, progress, name)
    if (fits(pattern, progress)) return true
  }
  return false
}
