import type { OrgFileText } from '../../contract/org'
import { Random } from '../random'

/** Larkmere Ferries, invented: its people, groups, pools, hosts and shares, the same for the same seed. */
export interface Staff {
  readonly id: string
  readonly name: string
  readonly pool: string
  readonly shift: 0 | 1 | 2 | 'office'
  readonly network: 'office' | 'home' | 'ship'
  readonly share: string
  readonly restDays: readonly [number, number]
  readonly group: string
}
export interface HostPlan {
  readonly id: string
  readonly pool: string
  readonly zone: 'Q1' | 'Q2' | 'H1'
  readonly image: string
}
export interface PoolPlan {
  readonly id: string
  readonly name: string
  readonly prefix: string
  readonly people: number
  readonly hostsAZone: number
  readonly containers: boolean
  readonly binding: 'fixed' | 'free'
  readonly keep: 'all' | 'nothing' | 'personal'
  readonly seating: 'single' | 'many'
}

export const QUAY = String.raw`\\quay-fs1\profiles`
export const HILL = String.raw`\\hill-fs1\profiles`
/** New, and still without a single container. */
export const QUAY2 = String.raw`\\quay-fs2\profiles`
const ZONES = ['Q1', 'Q2', 'H1'] as const
export const SHIFT_STARTS = [5 * 60 + 40, 13 * 60 + 40, 21 * 60 + 40]

export const POOLS: readonly PoolPlan[] = [
  {
    id: 'ticket-hall',
    name: 'Ticket halls',
    prefix: 'TH',
    people: 900,
    hostsAZone: 8,
    containers: true,
    binding: 'free',
    keep: 'nothing',
    seating: 'many',
  },
  {
    id: 'back-office',
    name: 'Back office',
    prefix: 'BO',
    people: 700,
    hostsAZone: 6,
    containers: true,
    binding: 'free',
    keep: 'nothing',
    seating: 'many',
  },
  {
    id: 'season-crew',
    name: 'Season crew',
    prefix: 'SC',
    people: 560,
    hostsAZone: 5,
    containers: true,
    binding: 'free',
    keep: 'nothing',
    seating: 'many',
  },
  {
    id: 'bridge-ops',
    name: 'Bridge operations',
    prefix: 'BR',
    people: 220,
    hostsAZone: 4,
    containers: false,
    binding: 'fixed',
    keep: 'all',
    seating: 'many',
  },
  {
    id: 'harbour-kiosk',
    name: 'Harbour kiosks',
    prefix: 'HK',
    people: 180,
    hostsAZone: 3,
    containers: false,
    binding: 'free',
    keep: 'nothing',
    seating: 'many',
  },
  {
    id: 'naval-drawing',
    name: 'Naval drawing',
    prefix: 'ND',
    people: 40,
    hostsAZone: 2,
    containers: false,
    binding: 'fixed',
    keep: 'personal',
    seating: 'single',
  },
]

const FIRST = [
  'Mara',
  'Jonas',
  'Ilse',
  'Tove',
  'Anders',
  'Nadia',
  'Oskar',
  'Selma',
  'Viggo',
  'Runa',
  'Emil',
  'Frida',
  'Halvard',
  'Inga',
  'Kasper',
  'Liv',
  'Magnus',
  'Nora',
  'Petra',
  'Rasmus',
  'Signe',
  'Torben',
  'Una',
  'Yrsa',
  'Aksel',
  'Bodil',
  'Dagny',
  'Esben',
  'Greta',
  'Hugo',
  'Ida',
  'Jarl',
  'Karin',
  'Leif',
  'Mette',
  'Njord',
  'Olga',
  'Pelle',
  'Ragna',
  'Sten',
]
const LAST_A = [
  'Elling',
  'Sand',
  'Hav',
  'Strand',
  'Fjell',
  'Lund',
  'Berg',
  'Holm',
  'Ness',
  'Vik',
  'Dal',
  'Skov',
  'Bakke',
  'Eng',
  'Moen',
  'Kvist',
  'Ravn',
  'Lind',
  'Brand',
  'Tang',
]
const LAST_B = ['sen', 'gaard', 'strøm', 'rud', 'stad', 'mark', 'by', 'vang', 'set', 'land']

/** Who left, with accounts switched off; their containers are still there. */
export const LEAVERS = [
  { id: 'arne.holmby', name: 'Arne Holmby' },
  { id: 'tuva.sandset', name: 'Tuva Sandset' },
  { id: 'gudrun.ravnrud', name: 'Gudrun Ravnrud' },
  { id: 'torleif.lindvang', name: 'Torleif Lindvang' },
]

export interface Larkmere {
  /** Accounts to prove things with; nobody works with them. */
  readonly testers: readonly Staff[]
  readonly staff: readonly Staff[]
  readonly hosts: readonly HostPlan[]
  readonly org: OrgFileText
}

/** @param size how many people in all; hosts follow */
export function larkmere(size = 2600): Larkmere {
  const random = new Random('larkmere')
  const scale = size / 2600
  const taken = new Set<string>()
  const staff: Staff[] = []
  for (const pool of POOLS) {
    for (let i = 0; i < Math.max(8, Math.round(pool.people * scale)); i++) staff.push(person(pool, random, taken))
  }
  const hosts = POOLS.flatMap((pool) =>
    ZONES.flatMap((zone) =>
      Array.from({ length: Math.max(2, Math.round(pool.hostsAZone * Math.max(scale, 0.4))) }, (_, i): HostPlan => ({
        id: `${pool.prefix}-${zone}-${String(i + 1).padStart(2, '0')}`,
        pool: pool.id,
        zone,
        image: `${pool.id} 2026.11.2`,
      })),
    ),
  )
  const testers = POOLS.filter(({ containers }) => containers).map(({ id, name }): Staff => ({
    id: `proof.${id}`,
    name: `Proof account, ${name.toLowerCase()}`,
    pool: id,
    shift: 'office',
    network: 'office',
    share: QUAY,
    restDays: [6, 0],
    group: id === 'ticket-hall' ? 'halls north' : `${id} staff`,
  }))
  return { staff, testers, hosts, org: orgOf(staff, testers, hosts) }
}

function person(pool: PoolPlan, random: Random, taken: Set<string>): Staff {
  const first = random.pick(FIRST)
  const last = random.pick(LAST_A) + random.pick(LAST_B)
  const plain = (text: string) => text.toLowerCase().replaceAll('ø', 'o')
  let id = `${plain(first)}.${plain(last)}`
  for (let n = 2; taken.has(id); n++) id = `${plain(first)}.${plain(last)}${n}`
  taken.add(id)
  const office = pool.id === 'back-office' || pool.id === 'naval-drawing'
  const rest = random.below(7)
  const where = random.next()
  const network = pool.id === 'bridge-ops' ? (where < 0.7 ? 'ship' : 'office') : office && where < 0.3 ? 'home' : 'office'
  return {
    id,
    name: `${first} ${last}`,
    pool: pool.id,
    shift: office ? 'office' : (([0, 1, 2] as const)[random.below(3)] ?? 0),
    network,
    share: random.chance(0.65) ? QUAY : HILL,
    restDays: office ? [6, 0] : [rest, (rest + 1) % 7],
    group: pool.id === 'ticket-hall' ? `halls ${random.pick(['north', 'south', 'islands'])}` : `${pool.id} staff`,
  }
}

/** The domain's SID, invented; people and groups are numbered behind it. */
export const DOMAIN_SID = 'S-1-5-21-914117-20261123-4471'

function orgOf(staff: readonly Staff[], testers: readonly Staff[], hosts: readonly HostPlan[]): OrgFileText {
  const account = ({ id, name, group }: Staff, number: number) => ({
    id,
    name,
    sid: `${DOMAIN_SID}-${number}`,
    accounts: [`LARKMERE\\${id}`, `${id}@larkmere.example`],
    groups: [group],
    enabled: true,
  })
  const groupOf = new Map(POOLS.map((pool) => [pool.id, `${pool.id} desktop`]))
  const groups = new Map<string, string[]>([['everybody at Larkmere', []]])
  for (const { group, pool } of staff) groups.set(group, [groupOf.get(pool) ?? '', 'everybody at Larkmere'])
  for (const group of groupOf.values()) groups.set(group, [])
  return {
    people: staff
      .map((one, i) => account(one, 5000 + i))
      .concat(
        testers.map((one, i) => account(one, 4500 + i)),
        LEAVERS.map(({ id, name }, i) => ({
          id,
          name,
          sid: `${DOMAIN_SID}-${4000 + i}`,
          accounts: [`LARKMERE\\${id}`],
          groups: ['ticket-hall staff'],
          enabled: false,
        })),
      ),
    groups: [...groups].map(([id, memberOf], i) => ({ id, memberOf, sid: `${DOMAIN_SID}-${1200 + i}` })),
    pools: POOLS.map(({ id, name, containers, binding, keep, seating }) => ({
      id,
      name,
      binding,
      keep,
      seating,
      mode: containers ? ('container' as const) : id === 'harbour-kiosk' ? ('files' as const) : ('local' as const),
      grants: [groupOf.get(id) ?? ''],
    })),
    hosts: hosts.map(({ id, pool, zone, image }) => ({ id, pool, zone, image })),
    shares: [],
  }
}
