import type { OrgFileText } from '../../contract/org'
import { Random } from '../random'

/** How machines and lines of a company behave: medians in milliseconds unless said otherwise. */
export interface Parameters {
  readonly directoryMs: number
  readonly shareMs: number
  /** Operations on the share that attaching a container takes, and those that loading a profile takes. */
  readonly attachOps: number
  readonly profileOps: number
  readonly shellMs: number
  readonly signOnMs: number
  readonly packageMs: number
  readonly cpu: number
  /** The spread of all durations: the standard deviation of their logarithm. */
  readonly spread: number
  readonly approvalMs: number
}

export interface Share {
  readonly path: string
  readonly zone: string
  /** Logons a minute that it bears before its latency climbs. */
  readonly bears: number
}

export interface Machine {
  readonly id: string
  readonly pool: string
  readonly zone: string
  readonly image: string
}

export interface PoolPlan {
  readonly id: string
  readonly mode: 'container' | 'files' | 'local'
  readonly binding: 'free' | 'fixed'
  readonly group: string
  readonly packages: number
  readonly scripts: readonly string[]
}

export interface Member {
  readonly id: string
  readonly pool: string
  readonly share: string
  readonly groups: readonly string[]
  readonly network: 'office' | 'home' | 'ship'
  readonly clientKind: string
  readonly clientVersion: string
  readonly rttMs: number
  readonly kbps: number
  readonly autostart: number
  readonly profileBytes: number
  readonly profileFiles: number
  readonly containerBytes: number
  /** Minutes after midnight at which their shift begins. */
  readonly startMinute: number
  readonly restDays: readonly number[]
}

/** What the evidence of a company tells, apart from phases: some sources say much, some little. */
export interface Telling {
  readonly attemptIds: boolean
  readonly hexCodes: boolean
  /** Attributes that no source of this company reports. */
  readonly silent: ReadonlySet<string>
}

export interface Company {
  readonly parameters: Parameters
  readonly telling: Telling
  readonly pools: readonly PoolPlan[]
  readonly hosts: readonly Machine[]
  readonly shares: readonly Share[]
  readonly people: readonly Member[]
  readonly org: OrgFileText
}

/** Two families of companies that share no figure: one for tuning the diagnosis, one for measuring it. */
export type Family = 'tuning' | 'measuring'

const WORDS = ['amber', 'birch', 'cedar', 'dune', 'elm', 'fjord', 'grove', 'heath'] as const
export const POLICY_PARTS = ['security', 'folders', 'drive maps', 'printers', 'registry', 'start layout'] as const
const MUTABLE = ['hostSessions', 'uptimeS', 'containerFreeBytes', 'shareFreeBytes', 'clientVersion', 'packages', 'accountForm', 'bandwidthKbps']

function parametersOf(family: Family, random: Random): Parameters {
  const within = (low: number, high: number) => low + (high - low) * random.next()
  return family === 'tuning'
    ? {
        directoryMs: within(8, 16),
        shareMs: within(2.5, 5),
        attachOps: within(110, 170),
        profileOps: within(60, 120),
        shellMs: within(3000, 4500),
        signOnMs: within(1400, 2200),
        packageMs: within(140, 230),
        cpu: within(0.25, 0.4),
        spread: within(0.14, 0.24),
        approvalMs: within(7000, 12_000),
      }
    : {
        directoryMs: within(4, 25),
        shareMs: within(1.2, 7.5),
        attachOps: within(70, 240),
        profileOps: within(40, 160),
        shellMs: within(2000, 6500),
        signOnMs: within(900, 3200),
        packageMs: within(80, 320),
        cpu: within(0.15, 0.5),
        spread: within(0.1, 0.32),
        approvalMs: within(5000, 16_000),
      }
}

/** An invented company; the same seed gives the same one. */
export function companyOf(seed: string, family: Family, size: number): Company {
  const random = new Random(`${family} ${seed}`)
  const parameters = parametersOf(family, random)
  const zones = ['A', 'B', 'C']
  const shares: Share[] = WORDS.slice(0, 3 + random.below(2)).map((word, i) => ({
    path: `\\\\${word}-fs\\profiles`,
    zone: zones[i % 3] ?? 'A',
    bears: (size / 600) * (16 + random.below(10)),
  }))
  const modes: PoolPlan['mode'][] = ['container', 'container', 'container', 'files', 'local']
  const pools: PoolPlan[] = modes
    .slice(0, 4 + random.below(2))
    .map((mode, i) => ({
      id: `${WORDS[7 - i] ?? 'x'}-desk`,
      mode,
      binding: i === 2 ? 'fixed' : 'free',
      group: `g-${WORDS[7 - i] ?? 'x'}`,
      packages: 3 + random.below(14),
      scripts: [`start-${i}.cmd`, 'common.cmd'],
    }))
  const hosts = pools.flatMap((pool) =>
    Array.from({ length: 6 + random.below(7) }, (_, n): Machine => {
      const image = `${pool.id}-${n % 3 === 2 ? '2' : '1'}.0`
      return { id: `${pool.id.slice(0, 2).toUpperCase()}-${String(n + 1).padStart(2, '0')}`, pool: pool.id, zone: zones[n % 3] ?? 'A', image }
    }),
  )
  const people = Array.from({ length: size }, (_, n): Member => {
    const pool = pools[random.below(pools.length)] ?? random.pick(pools)
    const network = random.chance(0.66) ? 'office' : random.chance(0.85) ? 'home' : 'ship'
    const shift = random.pick([340, 500, 500, 520, 820, 1300])
    // People of one pool are mostly, not always, on the same share: what goes along with a trouble is not the trouble.
    const usualShare = pools.indexOf(pool) % shares.length
    const share = shares[random.chance(0.7) ? usualShare : random.below(shares.length)] ?? random.pick(shares)
    return {
      id: `p${String(n).padStart(4, '0')}`,
      pool: pool.id,
      share: share.path,
      groups: [pool.group, `team-${n % 11}`],
      network,
      clientKind: network === 'home' ? 'laptop' : random.chance(0.8) ? 'terminal' : 'laptop',
      clientVersion: random.chance(0.7) ? '7.4' : '7.2',
      rttMs: network === 'ship' ? random.around(160, 0.2) : network === 'home' ? random.around(30, 0.4) : random.around(2.5, 0.3),
      kbps: network === 'ship' ? random.around(2500, 0.3) : network === 'home' ? random.around(40_000, 0.5) : 900_000,
      autostart: 1 + random.below(5),
      profileBytes: Math.round(random.around(1.6e8, 0.3)),
      profileFiles: Math.round(random.around(1500, 0.3)),
      containerBytes: Math.round(random.around(6e9, 0.5)),
      startMinute: shift,
      restDays: shift === 500 || shift === 520 ? [0, 6] : [n % 7, (n + 1) % 7],
    }
  })
  const org: OrgFileText = {
    people: people.map(({ id, groups }) => ({ id, name: `Person ${id.slice(1)}`, accounts: [`CORP\\${id}`], groups: [...groups], enabled: true })),
    groups: [...new Set(people.flatMap(({ groups }) => groups))].map((id) => ({ id })),
    pools: pools.map(({ id, mode, binding, group }) => ({ id, mode, binding, grants: [group] })),
    hosts: hosts.map(({ id, pool, zone, image }) => ({ id, pool, zone, site: zone === 'C' ? 'south' : 'north', image })),
    shares: shares.map(({ path, zone }, i) => ({ id: `s${i}`, path, zone })),
  }
  const silent = new Set(MUTABLE.filter(() => random.chance(0.3)))
  return { parameters, telling: { attemptIds: random.chance(0.6), hexCodes: random.chance(0.5), silent }, pools, hosts, shares, people, org }
}
