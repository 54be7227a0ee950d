/** What a location may contain between percent signs; each is filled in per person on the host. */
const TOKENS = ['person', 'domain', 'pool'] as const

export type LocationReading =
  | { readonly ok: true; readonly path: string }
  | {
      readonly ok: false
      readonly code:
        'location.blank' | 'location.web-address' | 'location.local-path' | 'location.not-a-share' | 'location.token' | 'location.character'
      /** What is wrong with it, and how it should look. */
      readonly sentence: string
      /** Only what is wrong with it. */
      readonly wrong: string
    }

const SHAPE = String.raw`It should look like \\server\share\folder.`

/** Reads one location and brings it into its plain form, `\\server\share\path`: server in lower case, single backslashes, none at the end. */
export function readLocation(written: string): LocationReading {
  const text = written.trim()
  const refuse = (code: Extract<LocationReading, { ok: false }>['code'], wrong: string): LocationReading => ({
    ok: false,
    code,
    sentence: `${wrong} ${SHAPE}`,
    wrong,
  })
  if (text === '') return refuse('location.blank', 'This entry is blank.')
  if (/^[a-z][a-z0-9+.-]+:\/\//i.test(text)) return refuse('location.web-address', `“${text}” is a web address, not a share.`)
  if (/^[a-z]:/i.test(text)) return refuse('location.local-path', `“${text}” is on a drive of the host itself, so it would stay there.`)
  const slashed = text.replaceAll('/', '\\')
  if (!slashed.startsWith('\\\\')) return refuse('location.not-a-share', `“${text}” does not begin with two backslashes.`)
  const parts = slashed.split('\\').filter((part) => part !== '')
  const [server, share, ...rest] = parts
  if (!server || !share) return refuse('location.not-a-share', `“${text}” names no ${server ? 'share' : 'server'}.`)
  const bad = parts.find((part) => /[<>:"|?*]/.test(part) || part === '..' || part === '.' || [...part].some((c) => c.charCodeAt(0) < 32))
  if (bad !== undefined) return refuse('location.character', `“${bad}” cannot be part of a path.`)
  const unknown = [...text.matchAll(/%([^%]*)%/g)]
    .map((match) => match[1] ?? '')
    .find((token) => !TOKENS.some((known) => known === token.toLowerCase()))
  if (unknown !== undefined)
    return refuse('location.token', `%${unknown}% is not known here; the known ones are ${TOKENS.map((token) => `%${token}%`).join(', ')}.`)
  if ((text.match(/%/g)?.length ?? 0) % 2 === 1) return refuse('location.token', 'A percent sign stands alone.')
  return { ok: true, path: `\\\\${server.toLowerCase()}\\${[share, ...rest].join('\\')}` }
}
