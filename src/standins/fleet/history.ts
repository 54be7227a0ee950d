import type { Observation } from '../../core/logons/observation'
import { POOLS, type HostPlan, type Larkmere, type Staff } from '../directory/larkmere'
import { Random } from '../random'
import { simulateLogon } from './logon'
import type { LoggedOn } from './stretches'
import { DAY_MS, logonsOn, offsetMs } from './shifts'
import { latencyOf, type Planted } from './troubles'

interface Due {
  readonly atMs: number
  readonly staff: Staff
}

/** Some days before now (0 is today), and where all before was told, only what began since. */
export interface Range {
  readonly fromDay: number
  readonly toDay: number
  readonly sinceMs?: number
}

/** The logons of some days, a day at a time, as observations by start. Same seed, same history. */
export function* history(
  larkmere: Larkmere,
  planted: Planted,
  { fromDay, toDay, sinceMs = -Infinity }: Range,
  nowMs: number,
  timeZone: string,
): Generator<{ dayMs: number; observations: Observation[]; logons: LoggedOn[] }> {
  const known = new Set<string>()
  const scale = larkmere.staff.length / 2600
  const localNow = nowMs + offsetMs(timeZone, nowMs)
  const today = Math.floor(localNow / DAY_MS) * DAY_MS
  const hostsByPool = groupHosts(larkmere.hosts)
  const aliveByPool = groupHosts(larkmere.hosts.filter(({ id }) => id !== planted.deadHost))
  let logons: LoggedOn[] = []
  const newcomers = new Random('newcomers')
  // Most people were here before the history begins; some join during it.
  for (const { id } of larkmere.staff) if (!newcomers.chance(0.04) || sinceMs > -Infinity) known.add(id)
  for (let ago = fromDay; ago >= toDay; ago--) {
    const dayMs = today - ago * DAY_MS
    // What came before on this day has other ids.
    const random = new Random(`day ${dayMs}${sinceMs > -Infinity ? ` since ${sinceMs}` : ''}`)
    const due: Due[] = larkmere.staff.flatMap((staff) =>
      logonsOn(staff, dayMs, timeZone, random)
        .filter((atMs) => atMs >= sinceMs && atMs < nowMs - 120_000)
        .map((atMs) => ({ atMs, staff })),
    )
    // Whoever cannot log on tries again.
    for (const one of [...due])
      if (planted.held.has(one.staff.id) && one.atMs > planted.powerLossMs && random.chance(0.5))
        due.push({ atMs: one.atMs + 240_000, staff: one.staff })
    due.sort((a, b) => a.atMs - b.atMs)
    const observations: Observation[] = []
    logons = []
    for (const [index, { atMs, staff }] of due.entries()) {
      if (atMs >= nowMs - 120_000) continue
      observations.push(...oneLogon(random, staff, atMs, index, due))
    }
    yield { dayMs, observations, logons }
  }

  function oneLogon(random: Random, staff: Staff, atMs: number, index: number, due: readonly Due[]): Observation[] {
    const hosts = hostsByPool.get(staff.pool) ?? []
    const host =
      staff.pool === 'bridge-ops' || staff.pool === 'naval-drawing'
        ? hosts[hash(staff.id) % hosts.length]
        : random.pick(atMs < planted.powerLossMs ? hosts : (aliveByPool.get(staff.pool) ?? []))
    if (!host) return []
    const containers = POOLS.find(({ id }) => id === staff.pool)?.containers ?? false
    const rate = containers ? rateAround(due, index, staff.share) : 0
    const first = !known.has(staff.id)
    known.add(staff.id)
    const storm = atMs > planted.stormSinceMs
    const dead = planted.held.has(staff.id) && atMs > planted.powerLossMs
    const briefly = !dead && containers && random.chance(0.004)
    const id = random.hex(32)
    const sick = random.chance(0.003)
    const simulated = simulateLogon(random, id, staff, host, atMs, {
      first,
      containers,
      onFailure: 'refuse',
      shareLatencyMs: random.around(latencyOf(staff.share, rate, storm, scale), 0.15),
      shareFreeBytes: 1.4e12,
      shareDown: false,
      hostCold: staff.pool === 'harbour-kiosk' && random.chance(0.02),
      hostCpu: sick ? 0.95 : Math.min(0.8, 0.25 + 0.2 * random.next()),
      hostSessions: 6 + random.below(22),
      holder: dead
        ? { host: planted.deadHost, session: `${planted.deadHost}-${(hash(staff.id) % 4096).toString(16)}`, alive: false }
        : briefly
          ? { host: random.pick(hosts).id, session: 'ending', alive: true }
          : null,
      heldBriefly: briefly,
      gatewayTimeoutMs: atMs > planted.gatewaySinceMs ? 15_000 : 120_000,
      slowPart: host.zone === 'H1' && staff.pool === 'back-office' && atMs > planted.printersSinceMs ? { part: 'printers', ms: 30_000 } : null,
      wrongPassword: random.chance(0.007),
      settingsMissing: host.id === planted.driftedHost && atMs > planted.driftSinceMs,
      brokerRefuses: null,
    })
    const attrs = simulated.observations[0]?.attrs ?? {}
    if (simulated.outcome !== 'failed')
      logons.push({
        staff,
        host: host.id,
        session: `${host.id}-${id.slice(0, 8)}`,
        atMs: Math.round(atMs + simulated.totalMs),
        rttMs: Number(attrs['rttMs'] ?? 3),
        kbps: Number(attrs['bandwidthKbps'] ?? 1_000_000),
      })
    return simulated.observations
  }
}

/** Logons a minute on a share around one of the due ones: those within a minute before. */
function rateAround(due: readonly Due[], index: number, share: string): number {
  const atMs = due[index]?.atMs ?? 0
  let n = 0
  for (let i = index; i >= 0 && (due[i]?.atMs ?? 0) > atMs - 60_000; i--) if (due[i]?.staff.share === share) n++
  return n
}

function groupHosts(hosts: readonly HostPlan[]): Map<string, HostPlan[]> {
  const groups = new Map<string, HostPlan[]>()
  for (const host of hosts) groups.set(host.pool, [...(groups.get(host.pool) ?? []), host])
  return groups
}

export function hash(text: string): number {
  let h = 2166136261
  for (const c of text) h = Math.imul(h ^ c.charCodeAt(0), 16777619)
  return h >>> 0
}
