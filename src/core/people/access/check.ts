import { FULL, hex, mapped, RIGHT, rightsOf } from './rights'
import type { Ace, Acl, AceFlag, Descriptor } from './sddl'
import { SID } from './sid'

/** What one entry did: `effect` are the bits that it decided, 0 where it changed nothing. */
export interface Reason {
  /** The number of the entry in the list, from 1; 0 for what the owner always has, or for a missing list. */
  readonly ace: number
  readonly type: 'allow' | 'deny' | 'owner' | 'no list'
  readonly sid: string
  readonly mask: number
  readonly effect: number
  readonly sentence: string
}

export interface Access {
  readonly mask: number
  readonly reasons: readonly Reason[]
}

/**
 * What a token may do at most ([MS-DTYP] 2.5.3.2 with "maximum allowed"): entries in order, what was decided first stays; the owner may read and
 * change the permissions unless an entry for "owner rights" stands in the list. Entries that are only for what lies inside do not count here.
 * @param token all SIDs of whoever asks: their own, their groups', and those that everybody has
 */
export function maximumAllowed({ owner, dacl }: Pick<Descriptor, 'owner' | 'dacl'>, token: ReadonlySet<string>): number {
  if (dacl === null) return FULL
  let granted = owner !== null && token.has(owner) && !namesOwnerRights(dacl) ? RIGHT.readPermissions | RIGHT.changePermissions : 0
  let denied = 0
  for (const ace of dacl.aces) {
    if (!token.has(ace.sid) && !(ace.sid === SID.ownerRights && owner !== null && token.has(owner))) continue
    if (whyNot(ace) !== null) continue
    const mask = mapped(ace.mask)
    if (ace.type === 'allow') granted |= mask & ~denied
    else denied |= mask & ~granted
  }
  return granted >>> 0
}

/** The same with what each entry did, for every entry that is about this token. */
export function explainAccess({ owner, dacl }: Pick<Descriptor, 'owner' | 'dacl'>, token: ReadonlySet<string>): Access {
  if (dacl === null)
    return {
      mask: FULL,
      reasons: [
        {
          ace: 0,
          type: 'no list',
          sid: SID.everyone,
          mask: FULL,
          effect: FULL,
          sentence: 'There is no list of permissions at all: everybody may do everything.',
        },
      ],
    }
  const reasons: Reason[] = []
  let granted = 0
  let denied = 0
  const owns = owner !== null && token.has(owner)
  if (owns && !namesOwnerRights(dacl)) {
    granted = RIGHT.readPermissions | RIGHT.changePermissions
    reasons.push({
      ace: 0,
      type: 'owner',
      sid: owner,
      mask: granted,
      effect: granted,
      sentence: 'The owner may always read and change the permissions.',
    })
  }
  dacl.aces.forEach((ace, index) => {
    if (ace.type === 'other' || (!token.has(ace.sid) && !(ace.sid === SID.ownerRights && owns))) return
    const mask = mapped(ace.mask)
    const not = whyNot(ace)
    const effect = not !== null ? 0 : ace.type === 'allow' ? mask & ~denied & ~granted : mask & ~granted & ~denied
    if (not === null && ace.type === 'allow') granted |= mask & ~denied
    else if (not === null) denied |= mask & ~granted
    const sentence =
      not ??
      (effect === 0
        ? 'Everything in it was decided before.'
        : ace.type === 'allow'
          ? 'Allows what was not decided before.'
          : 'Denies what was not allowed before.')
    reasons.push({ ace: index + 1, type: ace.type, sid: ace.sid, mask: ace.mask, effect: effect >>> 0, sentence })
  })
  return { mask: granted >>> 0, reasons }
}

/** Why an entry does not count for a check of the file itself, or null where it does. */
function whyNot(ace: Ace): string | null {
  if (ace.type === 'other') return 'It is not about access.'
  if (ace.flags.has('IO')) return 'It is only for what lies inside.'
  if (ace.object !== '') return 'It is for a kind of directory object, not for files.'
  // A condition cannot be evaluated here; as [MS-DTYP] 2.5.3.1.5 says of unknown ones, it allows nothing and denies all.
  if (ace.condition !== null && ace.type === 'allow') return 'It has a condition, which cannot be evaluated here: it allows nothing.'
  return null
}

const namesOwnerRights = ({ aces }: Acl): boolean => aces.some((ace) => ace.sid === SID.ownerRights && !ace.flags.has('IO') && ace.type !== 'other')

/**
 * The permissions that something new in a folder gets ([MS-DTYP] 2.5.3.4, the parts that files need): inheritable entries come down, "whoever
 * creates it" becomes the creator, and for a folder stays as it was for what comes inside.
 */
export function inherited(parent: Acl | null, child: 'folder' | 'file', creator: string, group: string | null = null): Acl {
  const aces: Ace[] = []
  for (const ace of parent?.aces ?? []) {
    if (ace.type === 'other') continue
    const forChild = child === 'folder' ? ace.flags.has('CI') : ace.flags.has('OI')
    const passesOn = child === 'folder' && !ace.flags.has('NP') && (ace.flags.has('OI') || ace.flags.has('CI'))
    const real = ace.sid === SID.creatorOwner ? creator : ace.sid === SID.creatorGroup ? (group ?? creator) : ace.sid
    const changed = real !== ace.sid || mapped(ace.mask) !== ace.mask
    if (forChild) aces.push({ ...ace, sid: real, mask: mapped(ace.mask), flags: flagsOf(passesOn && !changed ? ace : null) })
    if (passesOn && (changed || !forChild)) aces.push({ ...ace, flags: flagsOf(ace, 'IO') })
  }
  return { flags: ['AI'], aces }
}

function flagsOf(passedOn: Ace | null, also?: AceFlag): ReadonlySet<AceFlag> {
  const flags = new Set<AceFlag>(['ID'])
  for (const flag of ['OI', 'CI'] as const) if (passedOn?.flags.has(flag)) flags.add(flag)
  if (also) flags.add(also)
  return flags
}

/** The order in which the system writes lists: own before inherited, and of each denials before what is allowed. */
export function isCanonical({ aces }: Acl): boolean {
  const rank = (ace: Ace) => (ace.flags.has('ID') ? 2 : 0) + (ace.type === 'allow' ? 1 : 0)
  return aces.every((ace, i) => i === 0 || rank(aces[i - 1] ?? ace) <= rank(ace))
}

/** As `ikebana access` writes it (docs/formats/command-line.md). */
export function accessRecord({ mask, reasons }: Access) {
  return {
    mask: hex(mask),
    rights: rightsOf(mask),
    reasons: reasons.map(({ ace, type, sid, mask: named, effect, sentence }) => ({
      ace,
      type,
      sid,
      mask: hex(named),
      effect: hex(effect),
      sentence,
    })),
  }
}
