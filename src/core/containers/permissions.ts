import {
  ace,
  FULL,
  inherited,
  mapped,
  maximumAllowed,
  MODIFY,
  RIGHT,
  rightsSay,
  SID,
  sidSays,
  type Ace,
  type Acl,
  type Descriptor,
} from '../people/access'

/** The permissions of a share at both of its layers, and those of personal folders in it. */
export interface SharePermissions {
  /** What the server checks first, for everything on the share. */
  readonly share: Descriptor
  /** Those of the folder that is shared. */
  readonly root: Descriptor
  /** Personal folders that do not simply have what comes down from the root. */
  readonly folders: readonly { readonly name: string; readonly descriptor: Descriptor }[]
  readonly onDirectoryServer: boolean
}

export interface Member {
  readonly id: string
  readonly name: string
  readonly sid: string
  /** The SIDs of their groups, and those that everybody has. One object for all who have the same: they are told apart by their own SID only. */
  readonly groups: ReadonlySet<string>
}

/** For whom the share is. */
export interface Audience {
  readonly group: { readonly name: string; readonly sid: string }
  readonly members: readonly Member[]
  /** Who a SID is, where the directory knows it. */
  nameOf(sid: string): string | null
  /** SIDs of single people. */
  isPerson(sid: string): boolean
}

export interface PermissionFinding {
  readonly code:
    'everyone-full' | 'one-layer' | 'cannot-create' | 'opens-others' | 'single-person' | 'owner-locks-out' | 'administrators-out' | 'directory-server'
  readonly weight: 'now' | 'soon' | 'tidy'
  readonly layer: 'share' | 'folder' | 'both'
  readonly sentence: string
  readonly why: string
  /** Whom it is about, where that can be counted. */
  readonly people: number | null
}

/** What everybody has who comes over the network. */
export const EVERYBODYS: readonly string[] = [SID.everyone, SID.signedIn, SID.users, SID.network]
const ALL_OF_THEM: ReadonlySet<string> = new Set(EVERYBODYS)
/** To make a folder of one's own in a folder. */
const TO_CREATE = RIGHT.createFolders | RIGHT.traverse
/** Somebody who has this can look into a folder. */
const TO_LOOK = RIGHT.list

/** What somebody may do with something on the share: what both layers allow. */
export const effective = (
  share: Pick<Descriptor, 'owner' | 'dacl'>,
  folder: Pick<Descriptor, 'owner' | 'dacl'>,
  token: ReadonlySet<string>,
): number => (maximumAllowed({ owner: null, dacl: share.dacl }, token) & maximumAllowed(folder, token)) >>> 0

/** All that a member has: their own SID and those of their groups. */
export const tokenOf = ({ sid, groups }: Pick<Member, 'sid' | 'groups'>): ReadonlySet<string> => new Set([sid, ...groups])

/**
 * The members for whom something on the share is so. Those of the same groups fare alike, unless an entry or the owner is one of them: so it is worked
 * out once for each set of groups, and for each person who is named. A share has thousands of folders and people; their product is never walked through.
 */
function whoever(members: readonly Member[], share: Descriptor, folder: Descriptor, holds: (mask: number) => boolean): Member[] {
  const named = new Set([...(share.dacl?.aces ?? []), ...(folder.dacl?.aces ?? [])].map(({ sid }) => sid))
  if (folder.owner !== null) named.add(folder.owner)
  const ofGroups = new Map<ReadonlySet<string>, boolean>()
  return members.filter(({ sid, groups }) => {
    if (named.has(sid)) return holds(effective(share, folder, tokenOf({ sid, groups })))
    let answer = ofGroups.get(groups)
    if (answer === undefined) ofGroups.set(groups, (answer = holds(effective(share, folder, groups))))
    return answer
  })
}

/** The descriptor that a person's folder gets when they make it. */
export const ownFolder = (root: Descriptor, person: string): Descriptor => ({
  owner: person,
  group: null,
  dacl: inherited(root.dacl, 'folder', person),
  sacl: null,
})

/** What is wrong with the permissions of a share for profiles, each with why. Empty where nothing is. */
export function permissionFindings(permissions: SharePermissions, audience: Audience): PermissionFinding[] {
  const { share, root, onDirectoryServer } = permissions
  const found: PermissionFinding[] = []
  const open = { share: givesEverybody(share), folder: givesEverybody(root) }
  if (open.folder)
    found.push({
      code: 'everyone-full',
      weight: 'now',
      layer: open.share ? 'both' : 'folder',
      people: audience.members.length,
      sentence: `${open.folder === 'none' ? 'The folder has no permissions at all' : `${capital(open.folder)} has full control of the folder`}: anybody can read, change and delete every profile.`,
      why: 'Each person must be able to make their own folder, and to open nobody else’s.',
    })
  if (open.share !== open.folder && (open.share || open.folder))
    found.push({
      code: 'one-layer',
      weight: 'soon',
      layer: open.share ? 'share' : 'folder',
      people: null,
      sentence: `Only the ${open.share ? 'folder' : 'share'} is protected; ${open.share ? 'the share gives full control to' : 'the folder gives full control to'} ${open.share || open.folder || 'everyone'}.`,
      why: 'Both layers are checked, and one mistake in the only one that is set opens everything.',
    })
  const shut = whoever(audience.members, share, root, (mask) => (mask & TO_CREATE) !== TO_CREATE)
  if (shut.length > 0) {
    const lacks = (descriptor: Pick<Descriptor, 'owner' | 'dacl'>) =>
      shut.some((member) => (maximumAllowed(descriptor, tokenOf(member)) & TO_CREATE) !== TO_CREATE)
    const byShare = lacks({ owner: null, dacl: share.dacl })
    const layer = byShare ? (lacks(root) ? 'both' : 'share') : 'folder'
    found.push({
      code: 'cannot-create',
      weight: 'now',
      layer,
      people: shut.length,
      sentence: `${shut.length === audience.members.length ? `Nobody of “${audience.group.name}”` : `${names(shut)} of “${audience.group.name}”`} ${shut.length === audience.members.length ? 'can' : 'cannot'} make a folder of their own.`,
      why: 'A first logon makes the person’s folder, as that person. Where it cannot, the container cannot be made.',
    })
  }
  found.push(...opensOthers(permissions, audience))
  for (const [layer, { dacl }] of [
    ['share', share],
    ['folder', root],
  ] as const) {
    const single = [
      ...new Set(
        (dacl?.aces ?? []).filter((entry) => entry.type === 'allow' && audience.isPerson(entry.sid)).map(({ sid }) => audience.nameOf(sid) ?? sid),
      ),
    ]
    if (single.length > 0)
      found.push({
        code: 'single-person',
        weight: 'tidy',
        layer,
        people: single.length,
        sentence: `${single.slice(0, 3).join(', ')}${single.length > 3 ? ` and ${single.length - 3} more` : ''} ${single.length === 1 ? 'has' : 'have'} a permission of their own on the ${layer}.`,
        why: 'It was handed to one person instead of a group, and will be found years later.',
      })
  }
  const [somebody] = audience.members
  if (somebody && open.folder === '') {
    const mine = ownFolder(root, somebody.sid)
    if ((maximumAllowed(mine, new Set([SID.administrators])) & FULL) !== FULL)
      found.push({
        code: 'administrators-out',
        weight: 'soon',
        layer: 'folder',
        people: null,
        sentence: 'Administrators have no full control of new personal folders.',
        why: 'Whoever looks after containers must be able to move, repair and remove them.',
      })
    else if (maximumAllowed(mine, new Set([somebody.sid, ...EVERYBODYS])) & RIGHT.changePermissions)
      found.push({
        code: 'owner-locks-out',
        weight: 'tidy',
        layer: 'folder',
        people: null,
        sentence: 'People own their folder and can change its permissions, so that they can lock administrators out.',
        why: 'An entry for “the owner” without that right, inherited by new folders, takes it from them.',
      })
  }
  if (onDirectoryServer)
    found.push({
      code: 'directory-server',
      weight: 'soon',
      layer: 'both',
      people: null,
      sentence: 'The share lies on a directory server.',
      why: 'Profiles there compete with sign-on for the same disks, and whoever looks after the one can touch the other.',
    })
  return found
}

const looks = (mask: number): boolean => (mask & TO_LOOK) !== 0

/** Somebody's folder that others can look into: as new folders come out, and as the ones there are. */
function opensOthers({ share, root, folders }: SharePermissions, { members, group }: Audience): PermissionFinding[] {
  const [owner, other] = members
  const found: PermissionFinding[] = []
  if (owner && other && givesEverybody(root) === '') {
    const lookers = whoever(members, share, ownFolder(root, owner.sid), looks).filter(({ sid }) => sid !== owner.sid)
    if (lookers.length > 0)
      found.push({
        code: 'opens-others',
        weight: 'now',
        layer: 'folder',
        people: lookers.length,
        sentence: `${lookers.length === members.length - 1 ? `Everybody of “${group.name}”` : names(lookers)} can look into folders that others make.`,
        why: 'What is given on the folder comes down to all folders inside it.',
      })
  }
  const bySid = new Map(members.map((member) => [member.sid, member]))
  // For each folder: whoever is named in any of them, and two others of each set of groups (one may be the owner).
  const named = new Set([share, ...folders.map(({ descriptor }) => descriptor)].flatMap(({ dacl }) => (dacl?.aces ?? []).map(({ sid }) => sid)))
  const taken = new Map<ReadonlySet<string>, number>()
  const reduced = members.filter(({ sid, groups }) => {
    if (named.has(sid)) return true
    const n = (taken.get(groups) ?? 0) + 1
    taken.set(groups, n)
    return n <= 2
  })
  const opened = folders.filter(({ descriptor }) => whoever(reduced, share, descriptor, looks).some(({ sid }) => sid !== descriptor.owner))
  if (opened.length > 0)
    found.push({
      code: 'opens-others',
      weight: 'now',
      layer: 'folder',
      people: opened.length,
      sentence: `The folder of ${names(opened.map(({ name, descriptor }) => ({ name: bySid.get(descriptor.owner ?? '')?.name ?? name })))} can be opened by others of “${group.name}”.`,
      why: 'It has permissions of its own, other than those that come down.',
    })
  return found
}

/** Who of those that everybody is has full control; '' where nobody, `none` where there is no list at all. */
function givesEverybody({ dacl }: Descriptor): string {
  if (dacl === null) return 'none'
  const entry = dacl.aces.find(
    (one) => one.type === 'allow' && ALL_OF_THEM.has(one.sid) && !one.flags.has('IO') && (mapped(one.mask) & FULL) === FULL,
  )
  return entry ? (sidSays(entry.sid) ?? entry.sid) : ''
}

/** What a share for profiles of one group should have: people may make their folder, have what they make, and open nothing else. */
export function wantedPermissions(group: string): { share: Descriptor; root: Descriptor } {
  const list = (aces: readonly Ace[], own: boolean): Acl => ({ flags: own ? ['P'] : [], aces })
  return {
    share: { owner: null, group: null, sacl: null, dacl: list([ace('allow', SID.administrators, FULL), ace('allow', group, MODIFY)], false) },
    root: {
      owner: SID.administrators,
      group: null,
      sacl: null,
      dacl: list(
        [
          ace('allow', SID.administrators, FULL, ['OI', 'CI']),
          ace('allow', SID.system, FULL, ['OI', 'CI']),
          ace('allow', group, TO_CREATE | RIGHT.readAttributes | RIGHT.readPermissions | RIGHT.synchronise),
          ace('allow', SID.creatorOwner, MODIFY, ['OI', 'CI', 'IO']),
          ace('allow', SID.ownerRights, MODIFY, ['OI', 'CI', 'IO']),
        ],
        true,
      ),
    },
  }
}

/** A list of permissions as plain sentences. */
export function permissionSentences({ dacl }: Descriptor, nameOf: (sid: string) => string | null): string[] {
  if (dacl === null) return ['There is no list: everybody may do everything.']
  if (dacl.aces.length === 0) return ['The list is empty: nobody may do anything.']
  return dacl.aces
    .filter(({ type }) => type !== 'other')
    .map(({ type, sid, mask, flags }) => {
      const inside = flags.has('OI') && flags.has('CI') ? 'folders and files' : flags.has('CI') ? 'folders' : flags.has('OI') ? 'files' : ''
      const where = inside === '' ? 'this only' : flags.has('IO') ? `${inside} inside, not this` : `this and ${inside} inside`
      return `${capital(nameOf(sid) ?? sidSays(sid) ?? sid)} ${type === 'allow' ? 'may' : 'may not'} ${verb(rightsSay(mask))}: ${where}${flags.has('ID') ? ' (from above)' : ''}`
    })
}

const verb = (rights: string): string => (rights === 'full control' ? 'do everything' : rights)
const capital = (text: string): string => text.charAt(0).toUpperCase() + text.slice(1)
const names = (people: readonly { name: string }[]): string =>
  `${people
    .slice(0, 3)
    .map(({ name }) => name)
    .join(', ')}${people.length > 3 ? ` and ${people.length - 3} more` : ''}`
