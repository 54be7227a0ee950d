import type { Stretch } from '../../contract/policies'
import type { Staff } from '../directory/larkmere'
import { Random } from '../random'
import { hash } from './history'

const MIN = 60_000
const HOUR = 60 * MIN

/** The client that somebody uses: the same one every day. Addresses are of the ranges kept for examples (RFC 5737) and of private networks (RFC 1918). */
export function clientOf({ id, network }: Staff): { clientKind: string; clientName: string; clientVersion: string; address: string } {
  const h = hash(id)
  const [a, b] = [(h >>> 8) & 255, (h >>> 16) & 255]
  const old = h % 7 === 0
  if (network === 'home')
    return { clientKind: 'laptop', clientName: `lap${(h % 9000) + 1000}`, clientVersion: old ? '2.9.4' : '2.12.1', address: `203.0.113.${a}` }
  if (network === 'ship')
    return { clientKind: 'terminal', clientName: `brg${(h % 900) + 100}`, clientVersion: old ? '2.8.0' : '2.11.0', address: `198.51.100.${a}` }
  return { clientKind: 'terminal', clientName: `term${(h % 9000) + 1000}`, clientVersion: old ? '2.9.4' : '2.12.1', address: `10.20.${b}.${a}` }
}

/** How long somebody who left without logging off stays away; Infinity: not back before the end of the day. Officers of the watch stay away for hours. */
export function awayMs(staff: Staff, random: Random): number {
  if (staff.pool === 'bridge-ops') return random.chance(0.8) ? (50 + 150 * random.next()) * MIN : Infinity
  if (random.chance(0.16)) return Infinity
  return random.chance(0.985) ? (3 + 24 * random.next() ** 2) * MIN : (35 + 120 * random.next()) * MIN
}
export const logsOff = (staff: Staff, random: Random) => random.chance(staff.pool === 'bridge-ops' ? 0.3 : 0.5)

export interface LoggedOn {
  readonly staff: Staff
  readonly host: string
  readonly session: string
  /** When the desktop was there. */
  readonly atMs: number
  readonly rttMs: number
  readonly kbps: number
}

/** The stretches of a day's sessions: work, pauses, and how they ended. Sessions that nobody came back to ran into the limit of four hours. */
export function stretchesOf(logons: readonly LoggedOn[], nowMs: number): Stretch[] {
  const stretches: Stretch[] = []
  const nextOf = new Map<string, number>()
  // Whoever logs on again had ended the session before.
  const until = logons.map(() => Infinity)
  for (let i = logons.length - 1; i >= 0; i--) {
    const one = logons[i]
    if (!one) continue
    until[i] = nextOf.get(one.staff.id) ?? Infinity
    nextOf.set(one.staff.id, one.atMs)
  }
  for (const [i, { staff, host, session, atMs, rttMs, kbps }] of logons.entries()) {
    const random = new Random(session)
    const stop = Math.min(until[i] ?? Infinity, atMs + (6.5 + 2 * random.next()) * HOUR, nowMs)
    const { clientKind, clientVersion, address } = clientOf(staff)
    let on = atMs
    for (;;) {
      const off = Math.min(on + (25 + 150 * random.next()) * MIN, stop)
      const away = awayMs(staff, random)
      const ends = off >= stop || away === Infinity || off + away >= stop
      const leaves = ends && (until[i] !== Infinity || logsOff(staff, random))
      stretches.push({
        session,
        person: staff.id,
        pool: staff.pool,
        host,
        onMs: on,
        offMs: off,
        ended: leaves ? 'logged off' : ends ? 'limit' : 'disconnected',
        network: staff.network,
        clientKind,
        clientVersion,
        address,
        rttMs: Math.round(rttMs * (0.8 + 0.4 * random.next())),
        kbps: Math.round(kbps * (0.6 + 0.8 * random.next())),
      })
      if (ends) break
      on = off + away
    }
  }
  return stretches
}
