/** What the organisation looks like, as far as evidence itself does not tell. Same shape as org.json (docs/formats/org.md). */
export interface Org {
  readonly people: readonly OrgPerson[]
  readonly groups: readonly { readonly id: string; readonly memberOf?: readonly string[] | undefined }[]
  readonly pools: readonly OrgPool[]
  readonly hosts: readonly OrgHost[]
  readonly shares?: readonly OrgShare[] | undefined
  /** Whose container lies where, for evidence that does not say it. */
  readonly containers?: readonly { readonly person: string; readonly share?: string | undefined }[] | undefined
  readonly changes?: readonly OrgChange[] | undefined
}
export interface OrgPerson {
  readonly id: string
  readonly name?: string | undefined
  readonly accounts?: readonly string[] | undefined
  readonly groups?: readonly string[] | undefined
  readonly groupsAtSource?: readonly string[] | undefined
  readonly enabled?: boolean | undefined
  readonly sid?: string | undefined
}
export interface OrgPool {
  readonly id: string
  readonly name?: string | undefined
  readonly mode?: 'container' | 'files' | 'local' | undefined
  readonly binding?: 'fixed' | 'free' | undefined
  readonly grants?: readonly string[] | undefined
  readonly slowMs?: number | undefined
}
export interface OrgHost {
  readonly id: string
  readonly pool?: string | undefined
  readonly zone?: string | undefined
  readonly site?: string | undefined
  readonly image?: string | undefined
  readonly draining?: boolean | undefined
}

export interface OrgShare {
  readonly id?: string | undefined
  readonly path: string
  readonly zone?: string | undefined
  readonly freeBytes?: number | undefined
}
/** Something that was altered, and where. */
export interface OrgChange {
  readonly id: string
  /** Epoch milliseconds. */
  readonly atMs: number
  readonly kind: 'image' | 'policy' | 'package' | 'gateway' | 'host' | 'share' | 'directory' | 'other'
  readonly scope: readonly { readonly dimension: string; readonly value: string }[]
  readonly sentence: string
  readonly by?: string | undefined
}

export const EMPTY_ORG: Org = { people: [], groups: [], pools: [], hosts: [] }

/** All groups that somebody is in, directly or through other groups. Cycles are harmless. */
export function transitiveGroups(direct: readonly string[], groups: Org['groups']): Set<string> {
  const parents = new Map(groups.map((group) => [group.id, group.memberOf ?? []]))
  const found = new Set<string>()
  const open = [...direct]
  for (let group = open.pop(); group !== undefined; group = open.pop()) {
    if (found.has(group)) continue
    found.add(group)
    open.push(...(parents.get(group) ?? []))
  }
  return found
}

/** The same for many people: worked out once for each set of direct groups, and the same set object for all who have them. */
export function groupResolver(groups: Org['groups']): (direct: readonly string[]) => ReadonlySet<string> {
  const known = new Map<string, ReadonlySet<string>>()
  return (direct) => {
    const key = JSON.stringify([...direct].sort())
    let all = known.get(key)
    if (!all) known.set(key, (all = transitiveGroups(direct, groups)))
    return all
  }
}
