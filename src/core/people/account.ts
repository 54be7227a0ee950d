/** An account name taken apart. `key` is equal for all written forms of the same short name. */
export interface Account {
  readonly form: 'domain' | 'address' | 'short' | 'sid'
  readonly short: string
  readonly domain: string | null
  readonly key: string
}

/**
 * Reads `DOMAIN\name`, `name@domain`, `name` or a SID ([MS-DTYP] 2.4.2.1 string form).
 * The key is the short name in lower case, so that the same person reported in two forms is one person.
 */
export function readAccount(written: string): Account {
  const text = written.trim()
  if (/^S-1-\d+(-\d+)+$/i.test(text)) return { form: 'sid', short: text.toUpperCase(), domain: null, key: text.toLowerCase() }
  const slash = text.indexOf('\\')
  if (slash > 0) return named('domain', text.slice(slash + 1), text.slice(0, slash))
  const at = text.lastIndexOf('@')
  if (at > 0) return named('address', text.slice(0, at), text.slice(at + 1))
  return named('short', text, null)
}

function named(form: Account['form'], short: string, domain: string | null): Account {
  return { form, short, domain, key: short.toLowerCase() }
}
