import type { Facts } from '../facts'
import { against, clue, seconds, tell, type Cause, type Clue } from './cause'

const HELD = ['STATUS_SHARING_VIOLATION', 'container.held']
/** The server answered, but the path is not there. It says so of any path: only where the container is looked for is it the share's. */
const NO_PATH = 'STATUS_OBJECT_PATH_NOT_FOUND'
const UNREACHABLE = ['STATUS_BAD_NETWORK_PATH', 'STATUS_BAD_NETWORK_NAME', 'STATUS_IO_TIMEOUT', 'share.unreachable']

/** No code says that it was refused, but who held it is reported, and it failed there. */
function heldByName(facts: Facts): Clue[] | null {
  const holder = facts.text('holderHost')
  if (holder === null || facts.self.fault !== 'silent' || facts.lastPhase() !== 'container') return null
  return [clue(6, `It failed while the container was opened, and ${holder} is reported to hold it.`, 'holderHost')]
}

export const containerHeld: Cause = {
  id: 'container-held',
  about: 'failure',
  title: 'Container held by another session',
  at: ['holderHost', 'person', 'host'],
  prior: -4,
  toPerson: 'Your profile is still in use by an earlier session. We are setting it free.',
  look(facts) {
    const tries = facts.attempt.marks.filter((mark) => mark.code !== null && HELD.includes(mark.code))
    if (!facts.failed) return null
    const first = tries[0]
    if (!first) return heldByName(facts)
    const spanMs = (tries.at(-1)?.atMs ?? 0) - first.atMs
    const clues: Clue[] = [
      clue(
        7,
        tries.length > 1
          ? `Opening the container was refused as in use, ${tries.length} times in ${seconds(spanMs)}.`
          : 'Opening the container was refused as in use.',
        first.code === 'container.held' ? 'container.held' : '0xC0000043 STATUS_SHARING_VIOLATION',
      ),
    ]
    const holder = facts.text('holderHost')
    if (holder)
      clues.push(
        clue(2, `Holder: ${holder}${facts.text('holderSession') ? `, session ${facts.text('holderSession')}` : ''}.`, 'reported with the refusal'),
      )
    if (facts.attempt.attrs['holderAlive'] === false) clues.push(clue(2, 'The holding host lists no session of theirs.', 'agent report'))
    if (facts.has('scanner.active')) clues.push(against(2, 'A scanner was reading the container at that time.', 'scanner.active'))
    return clues
  },
  sentence(facts) {
    const holder = facts.text('holderHost')
    if (!holder) return 'The container is held by another session.'
    return facts.attempt.attrs['holderAlive'] === false
      ? `The container is still held by ${holder}, by a session that is over.`
      : `The container is held by a session on ${holder}.`
  },
  remedy: (facts) => ({
    kind: 'release-hold',
    label: 'Release the hold on the container',
    target: facts.attempt.person,
    explanation: `Hits 1 person. Asks ${facts.text('holderHost') ?? 'the holding host'} first; nothing is released while a session lives. Unsaved work of a dead session, if any, is lost.`,
  }),
}

export const containerDenied: Cause = {
  id: 'container-denied',
  about: 'failure',
  title: 'No permission on the container',
  at: ['share', 'group', 'person', 'pool', 'logon'],
  prior: -4,
  toPerson: 'Your desktop may not open your profile. The service desk knows.',
  look(facts) {
    const marks = facts.marks('STATUS_ACCESS_DENIED')
    if (!facts.failed || marks.length === 0) return null
    const inContainer = marks.some((mark) => mark.phase === 'container' || mark.phase === 'profile')
    const clues = [
      clue(inContainer ? 7 : 4, `Access was denied${inContainer ? ' while the container was opened' : ''}.`, '0xC0000022 STATUS_ACCESS_DENIED'),
    ]
    if (facts.attempt.attrs['first'] === true) clues.push(clue(1, 'It is their first logon: the folder has to be created.', 'first = true'))
    return clues
  },
  sentence: (facts) => `The person may not open or create their container${facts.text('share') ? ` on ${facts.text('share')}` : ''}.`,
  remedy: () => tell('Check both layers of permission', 'The share and the folder must both let the person create their own folder.'),
}

const isFull = (bytes: number): boolean => bytes < 256 * 2 ** 20

/** Disk-full codes mean either the container or the share; free bytes decide. */
function fullClues(facts: Parameters<Cause['look']>[0], which: 'share' | 'container'): readonly Clue[] | null {
  const own = which === 'share' ? 'share.full' : 'container.full'
  const generic = facts.marks('STATUS_DISK_FULL').length > 0
  if (!facts.failed || (!generic && !facts.has(own))) return null
  const free = { share: facts.number('shareFreeBytes'), container: facts.number('containerFreeBytes') }
  const clues: Clue[] = []
  if (facts.has(own)) clues.push(clue(7, which === 'share' ? 'The share reported that it is full.' : 'The container reported that it is full.', own))
  if (generic) clues.push(clue(4, 'A write was refused for lack of room.', '0xC000007F STATUS_DISK_FULL'))
  // What the organisation knows of its shares is not of that moment, and says less.
  const known = free.share === null ? (facts.share?.freeBytes ?? null) : null
  const room = { share: free.share ?? known, container: free.container }
  const place = { share: 'on the share', container: 'inside the container' }
  const mine = room[which]
  if (mine !== null)
    clues.push(
      isFull(mine)
        ? clue(3, `Only ${Math.round(mine / 2 ** 20)} MiB were free ${place[which]}.`)
        : against(which === 'share' && known !== null ? 3 : 6, `${(mine / 2 ** 30).toFixed(1)} GiB were free ${place[which]}.`),
    )
  // The other one is full for certain: that is enough for a write to be refused.
  const other = which === 'share' ? 'container' : 'share'
  const theirs = room[other]
  if (theirs !== null && isFull(theirs))
    clues.push(against(known === theirs ? 2 : 3, `Only ${Math.round(theirs / 2 ** 20)} MiB were free ${place[other]}.`))
  // A container fills up for one person, a share for everybody on it.
  const { n, hit } = facts.text('share') ? facts.around.nearest(facts.self, ['share'], 'failed', 12) : { n: 0, hit: 0 }
  if (n >= 4 && hit * 4 >= n) {
    const said = `${hit} of the ${n} nearest logons on this share failed in the same way.`
    clues.push(which === 'share' ? clue(3, said) : against(3, said))
  } else if (n >= 4 && hit === 0) {
    const said = `None of the ${n} nearest logons on this share failed in the same way.`
    clues.push(which === 'share' ? against(2, said) : clue(2, said))
  }
  return clues
}

export const shareFull: Cause = {
  id: 'share-full',
  about: 'failure',
  title: 'Share full',
  at: ['share'],
  prior: -4,
  toPerson: 'The storage for profiles is full. We are making room.',
  look: (facts) => fullClues(facts, 'share'),
  sentence: (facts) => `No room is left on ${facts.text('share') ?? 'the share'}.`,
  remedy: () => tell('Make room on the share', 'Archive containers that nobody uses, or grow the share.'),
}

export const containerFull: Cause = {
  id: 'container-full',
  about: 'failure',
  title: 'Container full',
  at: ['person'],
  prior: -4,
  toPerson: 'Your profile is full. Please call the service desk.',
  look: (facts) => fullClues(facts, 'container'),
  sentence: () => 'No room is left inside the container.',
  remedy: () => tell('Grow the container', 'Raise the size limit in the policy, or clear what fills it.'),
}

export const shareUnreachable: Cause = {
  id: 'share-unreachable',
  about: 'failure',
  title: 'Share unreachable',
  at: ['share', 'zone+share', 'host', 'zone', 'site'],
  prior: -4,
  toPerson: 'The storage for profiles cannot be reached. We are working on it.',
  look(facts) {
    const marks = facts.attempt.marks.filter((mark) => mark.code !== null && UNREACHABLE.includes(mark.code))
    const noPath = facts.marks(NO_PATH).some(({ phase }) => phase === 'container' || phase === 'profile')
    if (!facts.failed || (marks.length === 0 && !noPath)) return null
    const clues: Clue[] = [
      marks.length === 0
        ? clue(5.5, 'The path to the container does not exist.', NO_PATH)
        : clue(7, `The share did not answer${marks.length > 1 ? `, ${marks.length} tries` : ''}.`, marks[0]?.code ?? ''),
    ]
    const share = facts.text('share')
    if (share) {
      const { inside } = facts.contrast('share', 'failed')
      if (inside.n >= 3)
        clues.push(
          inside.hit * 2 > inside.n
            ? clue(2, `${inside.hit} of ${inside.n} other logons on this share failed too.`)
            : against(1, `${inside.n - inside.hit} of ${inside.n} other logons on this share went through.`),
        )
    }
    return clues
  },
  sentence: (facts) => `${facts.text('share') ?? 'The share'} could not be reached from ${facts.attempt.host ?? 'the host'}.`,
  remedy: () => tell('Check the way to the share', 'From this host: name, path and port. If others reach it, it is the host or its network.'),
}
