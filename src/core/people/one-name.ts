import { readAccount } from './account'
import { finderOf } from './finder'
import type { Org } from './org'

/** So many names are kept as they were looked up. */
const MOST_KEPT = 100_000

/** Whoever an observation names, and whether its source knows the id of the attempt. */
interface Naming {
  readonly person?: string | undefined
  readonly attempt?: string | undefined
}

/**
 * Somebody may have several accounts, and one source names the one, another the other, or a SID. Gives an observation the name by which all of them are one person: of a
 * SID always, of an account only where nothing but the person brings it together with others. What was written stays where that is the name in any form, or where the
 * organisation knows of no other.
 */
export function inOneName(org: Org): <T extends Naming>(observation: T) => T {
  if (org.people.length === 0) return (observation) => observation
  const find = finderOf(org)
  const kept = new Map<string, { readonly name: string; readonly isSid: boolean }>()
  const look = (account: string) => {
    const { key, form } = readAccount(account)
    const known = find.person(key)
    const main = known && [...(known.accounts ?? []), known.id].find((one) => readAccount(one).form !== 'sid')
    return { name: main === undefined || readAccount(main).key === key ? account : main, isSid: form === 'sid' }
  }
  return (observation) => {
    const { person, attempt } = observation
    if (!person) return observation
    let found = kept.get(person)
    if (found === undefined) {
      found = look(person)
      if (kept.size < MOST_KEPT) kept.set(person, found)
    }
    return found.name === person || (attempt && !found.isSid) ? observation : { ...observation, person: found.name }
  }
}
