import { HILL, QUAY, type HostPlan, type Staff } from '../directory/larkmere'
import { Random } from '../random'

/** The planted troubles. Each is a little story that can be found from Today. */
export const TROUBLES = ['storm', 'held-container', 'printers', 'gateway', 'drifted-host', 'share-down', 'all-draining', 'slow-share'] as const
export type Trouble = (typeof TROUBLES)[number]

/** When the planted ones of the history began, before now. */
export interface Planted {
  readonly stormSinceMs: number
  readonly powerLossMs: number
  readonly printersSinceMs: number
  readonly gatewaySinceMs: number
  readonly driftSinceMs: number
  readonly deadHost: string
  readonly driftedHost: string
  /** People whose container the dead host still holds. */
  readonly held: ReadonlySet<string>
}

const HOUR = 3_600_000

export function plant(nowMs: number, staff: readonly Staff[], hosts: readonly HostPlan[]): Planted {
  const random = new Random('troubles')
  const today = new Date(nowMs).getUTCDay()
  const ticket = staff.filter(({ pool, restDays }) => pool === 'ticket-hall' && !restDays.includes(today))
  const held = new Set<string>()
  while (held.size < Math.min(12, Math.ceil(ticket.length / 6))) held.add(random.pick(ticket).id)
  const host = (wanted: string, pool: string) => (hosts.find(({ id }) => id === wanted) ?? hosts.findLast((one) => one.pool === pool))?.id ?? ''
  return {
    stormSinceMs: nowMs - 20 * HOUR,
    powerLossMs: nowMs - 15 * HOUR,
    printersSinceMs: nowMs - 66 * HOUR,
    gatewaySinceMs: nowMs - 7 * HOUR,
    driftSinceMs: nowMs - 28 * HOUR,
    deadHost: host('TH-Q2-07', 'ticket-hall'),
    driftedHost: host('BO-H1-03', 'back-office'),
    held,
  }
}

/** What somebody altered before the planted troubles began, and some changes that have nothing to do with them: as other programs tell of it. */
export function changesOf(
  { stormSinceMs, powerLossMs, printersSinceMs, gatewaySinceMs, driftSinceMs, deadHost, driftedHost }: Planted,
  nowMs: number,
) {
  const told = (id: string, atMs: number, kind: string, sentence: string, dimension?: string, value?: string) => ({
    id: `larkmere-${id}-${new Date(nowMs).toISOString().slice(0, 10)}`,
    at: new Date(atMs).toISOString(),
    kind,
    sentence,
    scope: dimension && value ? [{ dimension, value }] : [],
  })
  const MINUTE = 60_000
  return [
    told('printers', printersSinceMs - 25 * MINUTE, 'policy', 'Printers of zone H1 are mapped from the new print server.', 'zone', 'H1'),
    told('snapshots', stormSinceMs - 40 * MINUTE, 'share', 'Snapshots of quay-fs1 are taken at the full hour, no longer at night.', 'share', QUAY),
    told('power', powerLossMs, 'host', `${deadHost} lost power.`, 'host', deadHost),
    told('gateway', gatewaySinceMs - 15 * MINUTE, 'gateway', 'The gateway was replaced; it waits 15 s for an approval.'),
    told('rebuilt', driftSinceMs - 10 * MINUTE, 'host', `${driftedHost} was built anew.`, 'host', driftedHost),
    told('antenna', nowMs - 52 * HOUR, 'other', 'The antenna of the Marram was turned.', 'network', 'ship'),
    told('charts', nowMs - 70 * HOUR, 'package', 'Tide charts 4.2 came to season-crew.', 'pool', 'season-crew'),
  ]
}

/** Latency of a share in ms: 3 when quiet; it grows with the logons a minute beyond what the share bears. */
export function latencyOf(share: string, logonsAMinute: number, overloaded: boolean, scale: number): number {
  const bears = (share === QUAY ? (overloaded ? 17 : 34) : share === HILL ? 26 : 30) * scale
  return 3 + Math.max(0, logonsAMinute - bears) * (2.6 / scale)
}
