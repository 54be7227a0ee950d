import type { FileRoaming, PathRule } from '../policies/settings'
import { covers, readPattern } from './pattern'

/** What somebody does, in the order of time, on one host or another. */
export type RoamingEvent =
  | { readonly atMin: number; readonly host: string; readonly kind: 'logon' | 'logoff' }
  | { readonly atMin: number; readonly host: string; readonly kind: 'write'; readonly path: string; readonly what: string; readonly bytes: number }
  | { readonly atMin: number; readonly host: string; readonly kind: 'open'; readonly path: string }
  | { readonly atMin: number; readonly host: string; readonly kind: 'remove'; readonly path: string }

export interface RoamingWho {
  readonly groups: readonly string[]
  /** Hosts on which this person is a local administrator. */
  readonly adminOn: readonly string[]
  /** What lies on hosts from before, by host and path. */
  readonly leftovers: Readonly<Record<string, Readonly<Record<string, string>>>>
  /** What lies on the share, by path. */
  readonly onShare: Readonly<Record<string, string>>
  /** What a starting profile holds, where the settings name one. */
  readonly starting: Readonly<Record<string, string>>
}

export interface RoamingStep {
  readonly atMin: number
  readonly host: string
  readonly sentence: string
  readonly weight: 'plain' | 'unusual' | 'bad'
}

export interface RoamingConflict {
  readonly path: string
  /** Whose version is on the share afterwards, and which is gone. */
  readonly kept: string
  readonly keptFrom: string
  readonly gone: string
  readonly goneFrom: string
  readonly atMin: number
}

export interface RoamingDay {
  readonly steps: readonly RoamingStep[]
  /** What lies on the share at the end: each file with what is in it. */
  readonly share: readonly { readonly path: string; readonly what: string; readonly from: string; readonly bytes: number }[]
  readonly conflicts: readonly RoamingConflict[]
  /** Written, but never brought to the share, and no longer on any host. */
  readonly lost: readonly { readonly path: string; readonly what: string; readonly host: string; readonly why: string }[]
  /** What is left on hosts at the end. */
  readonly leftOn: readonly { readonly host: string; readonly path: string; readonly what: string }[]
  readonly fetchedBytes: number
  readonly writtenBytes: number
}

interface Version {
  readonly what: string
  readonly from: string
  readonly bytes: number
  readonly atMin: number
}
interface Desk {
  readonly files: Map<string, Version>
  /** What the share had when this session fetched it: whoever writes over anything else makes a conflict. */
  readonly seen: Map<string, Version>
  readonly changed: Set<string>
  readonly removed: Set<string>
  served: boolean
}

const FILE_BYTES = 256 * 1024

/**
 * A person's day over several hosts under file roaming: what is fetched, what is written back and when, what lies on the share at the end, and where
 * two sessions wrote the same file: the last one to write wins, and the other is named. Common practice for such agents, no published source.
 */
export function roamingDay(settings: FileRoaming, rules: readonly PathRule[], who: RoamingWho, events: readonly RoamingEvent[]): RoamingDay {
  const does = ruleOf(rules)
  const share = new Map<string, Version>(
    Object.entries(who.onShare).map(([path, what]) => [path, { what, from: 'the share', bytes: FILE_BYTES, atMin: -1 }]),
  )
  const local = new Map<string, Map<string, Version>>(
    Object.entries(who.leftovers).map(([host, files]) => [
      host,
      new Map(Object.entries(files).map(([path, what]) => [path, { what, from: host, bytes: FILE_BYTES, atMin: -1 }])),
    ]),
  )
  const desks = new Map<string, Desk>()
  const steps: RoamingStep[] = []
  const conflicts: RoamingConflict[] = []
  const lost: RoamingDay['lost'][number][] = []
  let fetchedBytes = 0
  let writtenBytes = 0
  const inScope = settings.groups.length === 0 || settings.groups.some((group) => who.groups.includes(group))
  const say = (atMin: number, host: string, sentence: string, weight: RoamingStep['weight'] = 'plain') => {
    steps.push({ atMin, host, sentence, weight })
  }

  const fetch = (desk: Desk, path: string): boolean => {
    const version = share.get(path)
    if (!version || desk.files.has(path) || desk.removed.has(path)) return false
    desk.files.set(path, version)
    desk.seen.set(path, version)
    fetchedBytes += version.bytes
    return true
  }
  /** Brings one changed file to the share. */
  const bring = (desk: Desk, host: string, path: string, atMin: number) => {
    const version = desk.files.get(path)
    const there = share.get(path)
    if (there && there !== desk.seen.get(path) && there !== version) {
      const removed = version === undefined
      conflicts.push({ path, kept: removed ? 'removed' : version.what, keptFrom: host, gone: there.what, goneFrom: there.from, atMin })
    }
    if (version) {
      share.set(path, version)
      desk.seen.set(path, version)
      writtenBytes += version.bytes
    } else {
      share.delete(path)
      desk.seen.delete(path)
    }
  }
  const writeBack = (desk: Desk, host: string, atMin: number): number => {
    let n = 0
    for (const path of [...desk.changed, ...desk.removed]) {
      // What is removed on the host stays on the share, unless the folder is mirrored.
      if (desk.removed.has(path) && does(path) !== 'mirror') continue
      bring(desk, host, path, atMin)
      n++
    }
    desk.changed.clear()
    desk.removed.clear()
    return n
  }

  const logon = (atMin: number, host: string) => {
    if (desks.has(host)) return
    const desk: Desk = { files: new Map(), seen: new Map(), changed: new Set(), removed: new Set(), served: false }
    desks.set(host, desk)
    const before = local.get(host)
    if (!inScope || (settings.localAdmins === 'left out' && who.adminOn.includes(host))) {
      for (const [path, version] of before ?? []) desk.files.set(path, version)
      say(
        atMin,
        host,
        inScope
          ? 'Logs on as a local administrator of this host, and is left out: nothing is fetched, nothing is kept.'
          : 'Logs on, but is in none of the groups: nothing is fetched, nothing is kept.',
        'unusual',
      )
      return
    }
    desk.served = true
    const said: string[] = []
    if (before && before.size > 0) {
      if (settings.existing === 'take in') {
        const taken = [...before].filter(([path]) => does(path) !== 'skip' && !share.has(path))
        for (const [path, version] of before) desk.files.set(path, version)
        for (const [path] of taken) desk.changed.add(path)
        for (const [path] of before) if (share.has(path)) desk.files.delete(path)
        said.push(`the profile found here is taken in: ${taken.length} files that the share lacks`)
      } else if (settings.existing === 'remove') {
        for (const [path, { what }] of before)
          if (!share.has(path)) lost.push({ path, what, host, why: 'the profile found on the host was removed at logon' })
        said.push(`the profile found here is removed, ${before.size} files`)
      } else said.push('the profile found here is left alone, and stands beside')
      if (settings.existing !== 'ignore') local.delete(host)
    }
    if (share.size === 0 && settings.startingProfile !== '') {
      for (const [path, what] of Object.entries(who.starting)) {
        desk.files.set(path, { what, from: 'the starting profile', bytes: FILE_BYTES, atMin })
        desk.changed.add(path)
      }
      said.push('begins with the starting profile')
    }
    if (settings.fetch === 'at-logon') {
      const n = [...share.keys()].filter((path) => fetch(desk, path)).length
      said.push(`${filesSay(n)} fetched`)
    } else said.push(`${filesSay(share.size)} shown, and fetched when opened`)
    say(atMin, host, `Logs on: ${said.join('; ')}.`)
  }

  const logoff = (atMin: number, host: string) => {
    const desk = desks.get(host)
    if (!desk) return
    desks.delete(host)
    const known = conflicts.length
    const n = desk.served ? writeBack(desk, host, atMin) : 0
    const skipped = [...desk.files].filter(([path]) => does(path) === 'skip' && desk.served)
    const gone = desk.served && settings.afterLogoff === 'delete'
    if (gone)
      for (const [path, { what, from }] of skipped)
        if (from === host) lost.push({ path, what, host, why: 'a rule leaves it out, and the host is cleaned at logoff' })
    if (!gone) local.set(host, new Map(desk.files))
    const over = conflicts.slice(known)
    say(
      atMin,
      host,
      `Logs off: ${!desk.served ? 'nothing is written back' : n === 0 ? 'nothing is left to be written back' : `${filesSay(n)} written back`}${over.length ? `; over what another session wrote: ${over.map(({ path }) => path).join(', ')}` : ''}. ${gone ? 'The local copy is deleted.' : 'The local copy stays on the host.'}`,
      over.length ? 'bad' : desk.served && gone ? 'plain' : 'unusual',
    )
  }

  const write = (atMin: number, host: string, path: string, version: Version) => {
    const desk = desks.get(host)
    if (!desk) return
    // Opening it for writing fetches it first, so that it is known what was there.
    fetch(desk, path)
    desk.files.set(path, version)
    desk.removed.delete(path)
    if (!desk.served) return say(atMin, host, `Writes ${path}: it stays on this host.`, 'unusual')
    if (does(path) === 'skip') return say(atMin, host, `Writes ${path}: a rule leaves it out.`)
    desk.changed.add(path)
    if (settings.writeBack === 'at-logoff') return say(atMin, host, `Writes ${path}.`)
    const known = conflicts.length
    bring(desk, host, path, atMin)
    desk.changed.delete(path)
    say(
      atMin,
      host,
      `Writes ${path}; it is on the share at once${conflicts.length > known ? ', over what another session wrote' : ''}.`,
      conflicts.length > known ? 'bad' : 'plain',
    )
  }

  const open = (atMin: number, host: string, path: string) => {
    const desk = desks.get(host)
    if (!desk) return
    const fresh = desk.served && fetch(desk, path)
    const version = desk.files.get(path)
    if (version) say(atMin, host, `Opens ${path}${fresh ? ', fetched now' : ''}: ${version.what}.`)
    else say(atMin, host, `Looks for ${path}: it is not there.`, 'unusual')
  }

  const remove = (atMin: number, host: string, path: string) => {
    const desk = desks.get(host)
    if (!desk) return
    if (desk.served) fetch(desk, path)
    if (!desk.files.delete(path)) return
    desk.changed.delete(path)
    desk.removed.add(path)
    const mirrored = does(path) === 'mirror'
    say(atMin, host, `Removes ${path}${desk.served && !mirrored ? '; on the share it stays' : ''}.`, mirrored ? 'plain' : 'unusual')
    if (desk.served && settings.writeBack === 'during-session') writeBack(desk, host, atMin)
  }

  for (const event of [...events].sort((a, b) => a.atMin - b.atMin)) {
    const { atMin, host } = event
    if (event.kind === 'write') write(atMin, host, event.path, { what: event.what, from: host, bytes: event.bytes, atMin })
    else if (event.kind === 'open') open(atMin, host, event.path)
    else if (event.kind === 'remove') remove(atMin, host, event.path)
    else if (event.kind === 'logon') logon(atMin, host)
    else logoff(atMin, host)
  }
  // A session that is still open has not written back yet; that is told, not counted as lost.
  return {
    steps,
    share: [...share].map(([path, { what, from, bytes }]) => ({ path, what, from, bytes })).sort((a, b) => (a.path < b.path ? -1 : 1)),
    conflicts,
    lost,
    leftOn: [...local].flatMap(([host, files]) => [...files].map(([path, { what }]) => ({ host, path, what }))),
    fetchedBytes,
    writtenBytes,
  }
}

const filesSay = (n: number): string => (n === 1 ? 'one file is' : `${n} files are`)

/** What the rules do to a path: the first that covers it; else it is kept. Rules that cannot be read are left out. */
function ruleOf(rules: readonly PathRule[]): (path: string) => PathRule['does'] {
  const read = rules.flatMap(({ pattern, does }) => {
    const reading = readPattern(pattern)
    return reading.ok ? [{ pattern: reading.pattern, does }] : []
  })
  return (path) => read.find(({ pattern }) => covers(pattern, path))?.does ?? 'keep'
}
