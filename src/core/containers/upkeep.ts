import { bytesSay } from './words'

/** What is known of one container beyond its structure. */
export interface ContainerFacts {
  readonly id: string
  readonly person: string | null
  readonly state: string
  readonly kind: string
  readonly virtualBytes: number
  readonly fileBytes: number
  readonly allocatedBytes: number
  readonly lastUsedMs: number | null
  readonly holder: { readonly host: string; readonly session: string; readonly alive: boolean | null } | null
  /** Of a differencing disk: whether its parent lies where it says. */
  readonly parentFound: boolean | null
  readonly structure: readonly string[]
}

/** What is known of the person it belongs to; null where nobody has that name. */
export interface OwnerFacts {
  readonly enabled: boolean
  /** Whether any pool that the person may use works with containers; null where the directory does not say. */
  readonly inScope: boolean | null
}

export interface UpkeepFinding {
  readonly code: UpkeepCode
  /** `now`: a logon fails or data is at risk; `soon`: it will; `tidy`: it costs room. */
  readonly weight: 'now' | 'soon' | 'tidy'
  readonly sentence: string
}
export type UpkeepCode =
  | 'damaged'
  | 'parent-missing'
  | 'dirty'
  | 'copy-broken'
  | 'held-by-nobody'
  | 'nearly-full'
  | 'limit-below-use'
  | 'pair'
  | 'nobody'
  | 'disabled'
  | 'out-of-scope'
  | 'unused'

/** For lists and filters, the gravest first. */
export const UPKEEP: Readonly<Record<UpkeepCode, { readonly title: string; readonly weight: UpkeepFinding['weight'] }>> = {
  damaged: { title: 'damaged', weight: 'now' },
  'parent-missing': { title: 'parent missing', weight: 'now' },
  dirty: { title: 'log to replay', weight: 'soon' },
  'held-by-nobody': { title: 'held by a dead session', weight: 'now' },
  'copy-broken': { title: 'one copy broken', weight: 'soon' },
  'nearly-full': { title: 'nearly full', weight: 'soon' },
  'limit-below-use': { title: 'limit below use', weight: 'soon' },
  pair: { title: 'two for one person', weight: 'soon' },
  nobody: { title: 'belongs to nobody', weight: 'tidy' },
  disabled: { title: 'person disabled', weight: 'tidy' },
  'out-of-scope': { title: 'person out of scope', weight: 'tidy' },
  unused: { title: 'not used for long', weight: 'tidy' },
}

export interface UpkeepLimits {
  readonly nowMs: number
  /** The size limit of the policy in force. */
  readonly limitBytes: number
  readonly unusedDays: number
  /** From this share of its limit on a container counts as nearly full. */
  readonly fullFrom: number
}

const DAY_MS = 86_400_000

/**
 * What should be looked at in one container, each with why.
 * @param siblings other containers of the same person
 */
export function upkeepOf(
  container: ContainerFacts,
  owner: OwnerFacts | null,
  siblings: readonly { readonly id: string; readonly lastUsedMs: number | null }[],
  limits: UpkeepLimits,
): UpkeepFinding[] {
  const found: UpkeepFinding[] = []
  const add = (code: UpkeepCode, sentence: string) => {
    found.push({ code, weight: UPKEEP[code].weight, sentence })
  }
  const { state, structure, allocatedBytes, virtualBytes, holder } = container
  if (state === 'damaged') add('damaged', structure[0] ?? 'The structure cannot be right.')
  if (state === 'unknown') add('damaged', structure[0] ?? 'The file is no disk file that is known here.')
  if (state === 'dirty') add('dirty', 'Whoever wrote last was cut off; what was on its way waits in the log and is replayed at the next attach.')
  if (state === 'clean' && structure.length > 0) add('copy-broken', structure[0] ?? '')
  if (container.kind === 'differencing' && container.parentFound === false)
    add('parent-missing', 'The file that holds the rest of this disk is not where it should be. Without it the disk cannot be attached.')
  if (holder?.alive === false)
    add('held-by-nobody', `${holder.host} still has it open for session ${holder.session}, which does not live. The next logon will be refused.`)
  const filled = virtualBytes > 0 ? allocatedBytes / virtualBytes : 0
  if (filled >= limits.fullFrom)
    add(
      'nearly-full',
      `${Math.round(100 * filled)} % of ${bytesSay(virtualBytes)} have been written to; when nothing is left the session can save nothing.`,
    )
  if (allocatedBytes > limits.limitBytes)
    add('limit-below-use', `The policy allows ${bytesSay(limits.limitBytes)}; ${bytesSay(allocatedBytes)} have been written to.`)
  if (siblings.length > 0) {
    const newest = [...siblings].sort((a, b) => (b.lastUsedMs ?? 0) - (a.lastUsedMs ?? 0))[0]
    const older = (newest?.lastUsedMs ?? 0) > (container.lastUsedMs ?? 0)
    add(
      'pair',
      older ? `The same person has ${newest?.id}, used later than this one.` : `The same person also has ${newest?.id}; this one was used last.`,
    )
  }
  if (owner === null) add('nobody', container.person === null ? 'It lies in no person’s folder.' : `Nobody is called ${container.person}.`)
  else if (!owner.enabled) add('disabled', 'The account is switched off.')
  else if (owner.inScope === false) add('out-of-scope', 'No pool that this person may use works with containers.')
  const idleDays = container.lastUsedMs === null ? 0 : Math.floor((limits.nowMs - container.lastUsedMs) / DAY_MS)
  if (idleDays >= limits.unusedDays && holder === null) add('unused', `Last used ${idleDays} days ago.`)
  return found
}
