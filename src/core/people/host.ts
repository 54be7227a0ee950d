/** A host's name without its domain; an address stays whole. */
export const shortHost = (name: string): string => (/^[\d.]+$/.test(name) ? name : (name.split('.')[0] ?? name))

/** The same for a host however it is written: with its domain or without, in capitals or not. The database has the same as host_key(). */
export const hostKey = (name: string): string => shortHost(name).toLowerCase()

/** Whether two names can be of one host. Not where each has a domain, and another one. */
export function isSameHost(a: string, b: string): boolean {
  const [one, other] = [a.toLowerCase(), b.toLowerCase()]
  return one === other || one.startsWith(`${other}.`) || other.startsWith(`${one}.`)
}

/** So many hosts' names are remembered. */
const MOST_NAMES = 20_000
const families = new Map<string, string | null>()

/**
 * What hosts are called that are numbered: those of a pool have one name and numbers, common practice. `FIE-VD*` for FIE-VD07; null for an address, or where no number ends the name.
 */
export function familyOf(name: string): string | null {
  let family = families.get(name)
  if (family === undefined) {
    const [, before] = /^(.*[a-z].*?)[-_]?\d+$/i.exec(shortHost(name)) ?? []
    family = before === undefined ? null : `${before.toUpperCase()}*`
    if (families.size >= MOST_NAMES) families.clear()
    families.set(name, family)
  }
  return family
}
