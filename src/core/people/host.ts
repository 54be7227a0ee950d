import { remembering } from '../stats/remembering'

/** A host's name without its domain; an address stays whole. */
export const shortHost = (name: string): string => (/^[\d.]+$/.test(name) ? name : (name.split('.')[0] ?? name))

/** The same for a host however it is written: with its domain or without, in capitals or not. The database has the same as host_key(). */
export const hostKey = (name: string): string => shortHost(name).toLowerCase()

/** Whether two names can be of one host. Not where each has a domain, and another one. */
export function isSameHost(a: string, b: string): boolean {
  const [one, other] = [a.toLowerCase(), b.toLowerCase()]
  return one === other || one.startsWith(`${other}.`) || other.startsWith(`${one}.`)
}

/**
 * What hosts are called that are numbered: those of a pool have one name and numbers, common practice. `FIE-VD*` for FIE-VD07; null for an address, or where no number ends the name.
 */
export const familyOf = remembering(20_000, (name): string | null => {
  const [, before] = /^(.*[a-z].*?)[-_]?\d+$/i.exec(shortHost(name)) ?? []
  return before === undefined ? null : `${before.toUpperCase()}*`
})

/** Whether a pool is known by the names of its hosts only: see familyOf. Nothing else knows it. */
export const isFamily = (pool: string | null): boolean => pool?.endsWith('*') ?? false
