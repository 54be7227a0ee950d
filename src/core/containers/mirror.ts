/** What happens, in the order of time, to somebody's container that is kept at several locations at once. */
export type MirrorEvent =
  | { readonly atMin: number; readonly kind: 'lost' | 'back'; readonly location: string }
  | { readonly atMin: number; readonly kind: 'logon' | 'logoff' }
  | { readonly atMin: number; readonly kind: 'write'; readonly bytes: number }

export interface MirrorSettings {
  readonly locations: readonly string[]
  /** How many of them must be writable for a logon, and for a write to count as kept. */
  readonly required: number
  readonly onFailure: 'refuse' | 'temporary'
}

export interface MirrorPlace {
  readonly location: string
  readonly reachable: boolean
  /** Written bytes that it does not have yet. */
  readonly behindBytes: number
}

export interface MirrorStep {
  readonly atMin: number
  readonly sentence: string
  readonly weight: 'plain' | 'unusual' | 'bad'
  readonly places: readonly MirrorPlace[]
  /** What waits in the host's journal for locations that cannot be reached. */
  readonly journalBytes: number
  readonly session: 'none' | 'own profile' | 'older profile' | 'temporary profile'
}

export interface MirrorDay {
  readonly steps: readonly MirrorStep[]
  /** The whole in a few sentences, the gravest first. */
  readonly verdict: readonly string[]
  readonly refused: number
  readonly olderProfiles: number
  readonly lostBytes: number
  readonly replayedBytes: number
}

interface Place {
  reachable: boolean
  /** Which writes it has: the first `upTo` of one line of writes; a fork starts a new line. */
  upTo: number
}

/**
 * A day of one container that is mirrored to several locations through a journal on the host.
 * A write goes to every location that can be reached, and waits in the journal for the others; when one is back, what it lacks is replayed from the
 * journal or, after the logoff, from a location that has it. A logon needs `required` reachable locations and takes the newest copy among them.
 * Where two sets of `required` locations always share one (more than half), the newest copy is always among them; otherwise somebody may get an
 * older one, and what they then write makes the newer one worthless. Common practice for quorums, no published source needed: it is counting.
 */
export function mirrorDay(settings: MirrorSettings, events: readonly MirrorEvent[]): MirrorDay {
  const places = new Map<string, Place>(settings.locations.map((location) => [location, { reachable: true, upTo: 0 }]))
  const writes: number[] = []
  const steps: MirrorStep[] = []
  const count = { refused: 0, olderProfiles: 0, lostBytes: 0, replayedBytes: 0 }
  let session: MirrorStep['session'] = 'none'
  // While the session lasts, the host has everything that was written in it; afterwards only what locations have.
  let journal = false
  const bytesFrom = (upTo: number) => writes.slice(upTo).reduce((sum, bytes) => sum + bytes, 0)
  const reachable = () => [...places.values()].filter((place) => place.reachable)
  const newest = (list: readonly Place[]) => Math.max(0, ...list.map(({ upTo }) => upTo))
  const say = (atMin: number, sentence: string, weight: MirrorStep['weight'] = 'plain') => {
    const behind = [...places].map(([location, { reachable: can, upTo }]) => ({ location, reachable: can, behindBytes: bytesFrom(upTo) }))
    steps.push({
      atMin,
      sentence,
      weight,
      session,
      places: behind,
      journalBytes: journal ? Math.max(0, ...behind.map(({ behindBytes }) => behindBytes)) : 0,
    })
  }
  /** Brings every reachable location up to date, from the journal or from the newest reachable copy. */
  const replay = (): number => {
    const source = journal ? writes.length : newest(reachable())
    let bytes = 0
    for (const place of reachable()) {
      if (place.upTo >= source) continue
      bytes += bytesFrom(place.upTo) - bytesFrom(source)
      place.upTo = source
    }
    count.replayedBytes += bytes
    return bytes
  }
  const turns: { readonly [K in MirrorEvent['kind']]: (event: MirrorEvent) => void } = {
    lost: ({ atMin, ...event }) => {
      const location = 'location' in event ? event.location : ''
      const place = places.get(location)
      if (!place?.reachable) return
      place.reachable = false
      const n = reachable().length
      if (session === 'own profile' && n === 0)
        say(atMin, `${location} is lost, the last one: the session can write only to the journal on its host.`, 'bad')
      else if (n < settings.required)
        say(
          atMin,
          `${location} is lost. ${n} of ${places.size} can be written to, ${settings.required} must be: no new logon${session === 'none' ? '' : '; what the session writes is not safe until another is back'}.`,
          'bad',
        )
      else say(atMin, `${location} is lost. ${n} of ${places.size} can be written to, which is enough; nobody notices.`, 'unusual')
    },
    back: ({ atMin, ...event }) => {
      const location = 'location' in event ? event.location : ''
      const place = places.get(location)
      if (!place || place.reachable) return
      place.reachable = true
      const bytes = replay()
      if (bytes > 0)
        say(atMin, `${location} is back; ${sizeSays(bytes)} are replayed ${journal ? 'from the journal' : 'from a location that has them'}.`)
      else if (place.upTo < writes.length)
        say(atMin, `${location} is back, but with an older copy: ${sizeSays(bytesFrom(place.upTo))} are only where nobody can reach them.`, 'unusual')
      else say(atMin, `${location} is back and lacks nothing.`)
    },
    logon: ({ atMin }) => {
      if (session !== 'none') return
      const here = reachable()
      if (here.length < settings.required || here.length === 0) {
        count.refused++
        session = settings.onFailure === 'temporary' ? 'temporary profile' : 'none'
        say(
          atMin,
          `Logs on: ${here.length} of ${places.size} locations can be written to, ${settings.required} must be. ${session === 'none' ? 'Refused.' : 'A temporary profile.'}`,
          'bad',
        )
        return
      }
      const missing = bytesFrom(newest(here))
      replay()
      journal = true
      if (missing > 0) {
        count.olderProfiles++
        count.lostBytes += missing
        // From here on this copy is the one that counts: what only the others have can no longer be joined to it.
        writes.length = newest(here)
        for (const place of places.values()) place.upTo = Math.min(place.upTo, writes.length)
        session = 'older profile'
        say(
          atMin,
          `Logs on and gets an older profile: the newest one is not among the locations that can be reached. ${sizeSays(missing)} of work are missing.`,
          'bad',
        )
        return
      }
      session = 'own profile'
      say(atMin, `Logs on with the newest profile, from ${here.length} of ${places.size} locations.`)
    },
    write: ({ atMin, ...event }) => {
      const bytes = 'bytes' in event ? event.bytes : 0
      if (session === 'none') return
      if (session === 'temporary profile') {
        count.lostBytes += bytes
        say(atMin, `Writes ${sizeSays(bytes)} into the temporary profile; they are gone at logoff.`, 'bad')
        return
      }
      writes.push(bytes)
      for (const place of reachable()) place.upTo = writes.length
      const n = reachable().length
      if (n < settings.required)
        say(atMin, `Writes ${sizeSays(bytes)}: kept at ${n} of ${places.size} locations and in the journal; ${settings.required} must be.`, 'bad')
      else if (n < places.size)
        say(
          atMin,
          `Writes ${sizeSays(bytes)}: to ${n === 1 ? 'one location' : `${n} locations`} at once; the journal keeps them for the ${places.size - n === 1 ? 'other' : 'others'}.`,
          'unusual',
        )
      else say(atMin, `Writes ${sizeSays(bytes)} to ${n === 2 ? 'both' : `all ${n}`} locations.`)
    },
    logoff: ({ atMin }) => {
      if (session === 'none') return
      const was = session
      const kept = newest([...places.values()])
      const only = was === 'temporary profile' ? 0 : bytesFrom(kept)
      session = 'none'
      // What no location has goes with the session: its host is cleaned.
      if (only > 0) {
        count.lostBytes += only
        writes.length = kept
        for (const place of places.values()) place.upTo = Math.min(place.upTo, kept)
      }
      journal = false
      if (only > 0) say(atMin, `Logs off: ${sizeSays(only)} were only in the journal, which goes with the session.`, 'bad')
      else if (was === 'temporary profile') say(atMin, 'Logs off; the temporary profile is thrown away.', 'unusual')
      else say(atMin, 'Logs off.')
    },
  }
  for (const event of [...events].sort((a, b) => a.atMin - b.atMin)) turns[event.kind](event)
  return { steps, ...count, verdict: verdictOf(settings, count, steps.at(-1)?.places ?? []) }
}

function verdictOf({ locations, required }: MirrorSettings, count: Omit<MirrorDay, 'steps' | 'verdict'>, places: readonly MirrorPlace[]): string[] {
  const behind = places.filter(({ behindBytes }) => behindBytes > 0)
  const n = locations.length
  return [
    ...(count.olderProfiles > 0
      ? [
          `${count.olderProfiles === 1 ? 'One logon' : `${count.olderProfiles} logons`} got an older profile, without anybody noticing. With ${required} of ${n} required that can happen; with ${Math.floor(n / 2) + 1} it cannot.`,
        ]
      : []),
    ...(count.lostBytes > 0 ? [`${sizeSays(count.lostBytes)} of work are lost.`] : []),
    ...(count.refused > 0
      ? [
          `${count.refused === 1 ? 'One logon' : `${count.refused} logons`} without the own profile, because fewer than ${required} of ${n} locations could be written to.`,
        ]
      : []),
    ...(behind.length > 0
      ? [`At the end ${behind.map(({ location, behindBytes }) => `${location} lacks ${sizeSays(behindBytes)}`).join(', ')}.`]
      : []),
    ...(count.replayedBytes > 0 ? [`${sizeSays(count.replayedBytes)} were replayed to locations that came back.`] : []),
    ...(count.olderProfiles + count.lostBytes + count.refused === 0 ? ['Every logon had the newest profile, and nothing was lost.'] : []),
  ]
}

/** Megabytes are what a session writes. */
function sizeSays(bytes: number): string {
  const mib = bytes / 2 ** 20
  return mib >= 1024 ? `${(mib / 1024).toFixed(1)} GiB` : `${mib < 10 ? mib.toFixed(1) : Math.round(mib)} MiB`
}
