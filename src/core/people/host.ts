/** A host's name without its domain; an address stays whole. */
export const shortHost = (name: string): string => (/^[\d.]+$/.test(name) ? name : (name.split('.')[0] ?? name))

/** The same for a host however it is written: with its domain or without, in capitals or not. The database has the same as host_key(). */
export const hostKey = (name: string): string => shortHost(name).toLowerCase()

/** Whether two names can be of one host. Not where each has a domain, and another one. */
export function isSameHost(a: string, b: string): boolean {
  const [one, other] = [a.toLowerCase(), b.toLowerCase()]
  return one === other || one.startsWith(`${other}.`) || other.startsWith(`${one}.`)
}
