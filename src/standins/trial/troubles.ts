import type { Random } from '../random'
import { POLICY_PARTS, type Company, type Machine, type Member, type PoolPlan } from './company'
import type { Conditions } from './physics'

export interface Place {
  readonly dimension: string
  readonly value: string
}
/** What was altered when a trouble began, as the journal of the company has it. */
export interface Altered {
  readonly id: string
  readonly at: string
  readonly kind: 'image' | 'policy' | 'package' | 'gateway' | 'host' | 'share' | 'directory' | 'other'
  readonly scope: readonly Place[]
  readonly sentence: string
}
export interface Meeting {
  readonly person: Member
  readonly host: Machine
  readonly pool: PoolPlan
  readonly atMs: number
  /** The same for all logons of a trouble that it decides about. */
  readonly luck: number
}
/** A trouble that is in force for a time, at a place. */
export interface Trouble {
  readonly id: string
  readonly cause: string
  /** As an incident is named by; empty for single people. */
  readonly scope: readonly Place[]
  readonly fromMs: number
  readonly toMs: number
  readonly change: Altered | null
  meets(meeting: Meeting): boolean
  alter(conditions: Conditions, meeting: Meeting): void
}

type Alter = Trouble['alter']
type Meets = Trouble['meets']
interface Sketch {
  readonly scope: readonly Place[]
  readonly kind?: Altered['kind'] | undefined
  readonly sentence?: string
  readonly meets: Meets
  readonly alter: Alter
}

const place = (dimension: string, value: string): Place => ({ dimension, value })
const fails = (phase: string, code: string | null, afterMs: number, attrs?: Record<string, string | number | boolean>): Alter => {
  return (c) => {
    c.refused = { in: phase, code, afterMs, ...(attrs ? { attrs } : {}) }
  }
}

/** The causes that hit a place, with how they are staged. */
export const STAGED: Readonly<Record<string, (company: Company, random: Random) => Sketch>> = {
  'share-slow'(company, random) {
    const { path } = random.pick(company.shares)
    const extra = company.parameters.shareMs * (5 + 7 * random.next()) + 8
    return {
      scope: [place('share', path)],
      kind: 'share',
      sentence: 'Disks of the share replaced',
      meets: usesShare(path),
      alter: (c) => void (c.shareMs += extra),
    }
  },
  'logon-storm'(company, random) {
    const { path } = random.pick(company.shares)
    // The share bears less than it did: only when many log on at once is it felt. `crowd`: how many do, against the most on it on a usual day.
    return {
      scope: [place('share', path)],
      kind: 'share',
      sentence: 'Share moved to smaller disks',
      meets: usesShare(path),
      alter(c) {
        const crowd = Number(c.extra['crowd'] ?? 0)
        c.shareMs += crowd > 0.6 ? company.parameters.shareMs * Math.min(24, 12 * (crowd - 0.6) + 5) + 9 : 0
      },
    }
  },
  'far-share'(company, random) {
    const share = random.pick(company.shares)
    const zone = random.pick(['A', 'B', 'C'].filter((one) => one !== share.zone))
    const extra = 25 + 25 * random.next()
    return {
      scope: [place('zone', zone), place('share', share.path)],
      meets: (m) => usesShare(share.path)(m) && m.host.zone === zone,
      alter: (c) => void (c.distanceMs += extra),
    }
  },
  'share-full'(company, random) {
    const { path } = random.pick(company.shares)
    return {
      scope: [place('share', path)],
      meets: usesShare(path),
      alter: (c) => {
        c.shareFreeBytes = 2e7
        c.refused = { in: 'profile', code: 'STATUS_DISK_FULL', afterMs: 2500 }
      },
    }
  },
  'share-unreachable'(company, random) {
    const { path } = random.pick(company.shares)
    return {
      scope: [place('share', path)],
      kind: 'share',
      sentence: 'Firewall in front of the share changed',
      meets: usesShare(path),
      alter: (c) => {
        c.refused = { in: 'container', code: 'STATUS_BAD_NETWORK_PATH', afterMs: 21_000, tries: 3 }
      },
    }
  },
  'near-full'(company, random) {
    const { path } = random.pick(company.shares)
    const extra = 18 + 20 * random.next()
    return {
      scope: [place('share', path)],
      meets: usesShare(path),
      alter: (c) => {
        c.shareFreeBytes = 1.5e9 * (0.5 + random.next())
        c.shareMs += extra * 0.2
        c.distanceMs += extra
      },
    }
  },
  scanner(company, random) {
    const image = random.pick(company.hosts.filter(({ pool }) => company.pools.find(({ id }) => id === pool)?.mode === 'container')).image
    const extra = 20 + 25 * random.next()
    return {
      scope: [place('image', image)],
      kind: 'image',
      sentence: `Image ${image} with a new scanner`,
      meets: ({ host }) => host.image === image,
      alter: (c) => {
        c.scanMs += extra
        c.instead ??= null
        c.extra['scanner'] = true
      },
    }
  },
  'image-regression'(company, random) {
    const image = random.pick([...new Set(company.hosts.map((host) => host.image))])
    const phase = random.pick(['shell', 'policy', 'shell', 'connect'])
    const ms = 9000 + 16_000 * random.next()
    return {
      scope: [place('image', image)],
      kind: 'image',
      sentence: `Image ${image} rolled out`,
      meets: ({ host }) => host.image === image,
      alter: (c) => {
        c.drag = { phase, ms }
      },
    }
  },
  'host-overloaded'(company, random) {
    const { id } = random.pick(company.hosts)
    const cpu = 0.88 + 0.09 * random.next()
    return { scope: [place('host', id)], meets: ({ host }) => host.id === id, alter: (c) => void (c.cpu = cpu) }
  },
  'directory-slow'(company, random) {
    const zone = random.pick(['A', 'B', 'C'])
    const extra = 250 + 350 * random.next()
    return {
      // A directory server is of a site: the only zone of one is the site.
      scope: [zone === 'C' ? place('site', 'south') : place('zone', zone)],
      kind: 'directory',
      sentence: `Directory server of zone ${zone} taken out`,
      meets: ({ host }) => host.zone === zone,
      alter: (c) => void (c.directoryMs += extra),
    }
  },
  'policy-part-slow'(company, random) {
    const name = random.pick(POLICY_PARTS)
    const { id } = random.pick(company.pools)
    const ms = random.pick([15_000, 30_000, 30_000, 22_000])
    return {
      scope: [place('part', name), place('pool', id)],
      kind: 'policy',
      sentence: `Policy for ${name} published`,
      meets: ({ pool }) => pool.id === id,
      alter: (c) => {
        c.slowPart = { name, ms }
      },
    }
  },
  'script-slow'(company, random) {
    const pool = random.pick(company.pools)
    const name = random.pick(pool.scripts.slice(0, 1))
    const ms = 9000 + 22_000 * random.next()
    return {
      scope: [place('part', name), place('pool', pool.id)],
      kind: 'policy',
      sentence: `Script ${name} changed`,
      meets: (m) => m.pool.id === pool.id,
      alter: (c) => {
        c.slowScript = { name, ms }
      },
    }
  },
  'packages-slow'(company, random) {
    const { id } = random.pick(company.pools)
    const ms = 14_000 + 16_000 * random.next()
    return {
      scope: [place('package', 'survey-suite'), place('pool', id)],
      kind: 'package',
      sentence: 'Package survey-suite offered',
      meets: ({ pool }) => pool.id === id,
      alter: (c) => {
        c.slowPackage = { name: 'survey-suite', ms }
      },
    }
  },
  'relay-path'(company, random) {
    const version = random.pick(['7.4', '7.2'])
    return {
      scope: [place('network', 'office'), place('clientVersion', version)],
      kind: 'gateway',
      sentence: 'Direct way through the firewall closed',
      meets: ({ person }) => person.network === 'office' && person.clientVersion === version,
      alter: (c) => {
        c.relay = true
        c.rttMs = c.rttMs * 3 + 420
      },
    }
  },
  'host-cold'(company, random) {
    const { id } = random.pick(company.pools)
    return {
      scope: [place('pool', id)],
      kind: 'policy',
      sentence: 'Ready stock lowered',
      meets: (m) => m.pool.id === id && m.luck < 0.6,
      alter: (c) => void (c.cold = true),
    }
  },
  'unknown-wait'(company, random) {
    const { id } = random.pick(company.pools)
    const ms = 12_000 + 14_000 * random.next()
    const before = random.pick(['shell', 'policy', 'connect'])
    return {
      scope: [place('pool', id)],
      meets: ({ pool }) => pool.id === id,
      alter: (c) => {
        c.gap = { before, ms }
      },
    }
  },
  'clock-skew'(company, random) {
    const { id } = random.pick(company.hosts)
    return {
      scope: [place('host', id)],
      meets: ({ host }) => host.id === id,
      alter: fails('sign-on', random.pick(['KRB_AP_ERR_SKEW', 'STATUS_TIME_DIFFERENCE_AT_DC']), 1400),
    }
  },
  'host-silent'(company, random) {
    const { id } = random.pick(company.hosts)
    return {
      scope: [place('host', id)],
      meets: ({ host }) => host.id === id,
      alter: random.chance(0.5) ? fails('connect', null, 0) : fails('broker', 'host.no-answer', 20_000),
    }
  },
  'no-licence'(company, random) {
    const { id } = random.pick(company.pools)
    return { scope: [place('pool', id)], meets: ({ pool, luck }) => pool.id === id && luck < 0.7, alter: fails('broker', 'broker.no-licence', 2000) }
  },
  'pool-exhausted'(company, random) {
    const { id } = random.pick(company.pools)
    const hosts = company.hosts.filter(({ pool }) => pool === id).length
    const code = random.pick(['broker.refused', 'broker.no-free-desktop'])
    return {
      scope: [place('pool', id)],
      meets: ({ pool, luck }) => pool.id === id && luck < 0.75,
      alter: fails('broker', code, 9000, { freeDesktops: 0, disconnected: 14, drainingHosts: 0, hosts }),
    }
  },
  'all-draining'(company, random) {
    const { id } = random.pick(company.pools)
    const hosts = company.hosts.filter(({ pool }) => pool === id).length
    return {
      scope: [place('pool', id)],
      kind: 'host',
      sentence: `All hosts of ${id} drained`,
      meets: ({ pool }) => pool.id === id,
      alter: fails('broker', 'broker.refused', 3000, { freeDesktops: 0, drainingHosts: hosts, hosts }),
    }
  },
  'second-factor-timeout'(_company, random) {
    const gateway = random.pick([4000, 5000, 6000])
    return {
      scope: [place('factor', 'push')],
      kind: 'gateway',
      sentence: `Gateway waits ${gateway / 1000} s for an answer`,
      meets: ({ person }) => person.network !== 'office',
      alter: (c) => {
        c.gatewayMs = gateway
        c.approvalMs = Math.max(c.approvalMs, gateway + 900)
      },
    }
  },
  'trust-expired'() {
    return { scope: [place('network', 'home')], meets: ({ person }) => person.network === 'home', alter: fails('sign-on', 'trust.expired', 900) }
  },
  'trust-mismatch'(company, random) {
    const { id } = random.pick(company.pools)
    return {
      scope: [place('pool', id)],
      kind: 'gateway',
      sentence: 'Relay target changed',
      meets: ({ pool }) => pool.id === id,
      alter: fails('sign-on', random.pick(['trust.bad-authenticator', 'trust.audience', 'trust.target']), 1200),
    }
  },
  'name-form'() {
    return { scope: [place('network', 'ship')], meets: ({ person }) => person.network === 'ship', alter: fails('sign-on', 'name.unknown-form', 800) }
  },
  'location-invalid'(company, random) {
    const { id } = random.pick(company.pools.filter(({ mode }) => mode === 'container'))
    return {
      scope: [place('pool', id)],
      kind: 'policy',
      sentence: 'Locations changed',
      meets: ({ pool }) => pool.id === id,
      alter: fails('container', 'location.invalid', 700),
    }
  },
  'too-few-locations'(company, random) {
    const { path } = random.pick(company.shares)
    return {
      scope: [place('share', path)],
      meets: usesShare(path),
      alter: fails('container', 'locations.too-few', 5000, { locationsWritable: 1, locationsRequired: 2 }),
    }
  },
  'host-not-configured'(company, random) {
    const { id } = random.pick(company.hosts.filter(({ pool }) => company.pools.find((one) => one.id === pool)?.mode === 'container'))
    const code = random.pick(['agent.missing', 'settings.missing', 'restart.pending'])
    return {
      scope: [place('host', id)],
      kind: 'host',
      sentence: `${id} rebuilt`,
      meets: ({ host }) => host.id === id,
      alter: (c) => {
        c.instead = { type: 'temporary', marks: [code] }
      },
    }
  },
  'leftover-profile'(company, random) {
    const { id } = random.pick(company.hosts.filter(({ pool }) => company.pools.find((one) => one.id === pool)?.mode === 'container'))
    const said = random.chance(0.6)
    return {
      scope: [place('host', id)],
      meets: ({ host, luck }) => host.id === id && luck < 0.8,
      alter: (c) => {
        c.instead = { type: 'local', marks: said ? ['leftover.found'] : [] }
      },
    }
  },
  'temporary-profile'(company, random) {
    const { id } = random.pick(company.hosts.filter(({ pool }) => company.pools.find((one) => one.id === pool)?.mode === 'container'))
    return {
      scope: [place('host', id)],
      meets: ({ host, luck }) => host.id === id && luck < 0.7,
      alter: (c) => {
        c.instead = { type: 'temporary', marks: ['profile.temporary'] }
      },
    }
  },
  'not-in-scope'(company, random) {
    const group = random.pick(company.people.filter(({ pool }) => company.pools.find((one) => one.id === pool)?.mode === 'container')).groups[1] ?? ''
    return {
      scope: [place('group', group)],
      kind: 'policy',
      sentence: 'Condition of the container policy changed',
      meets: ({ person, pool }) => person.groups.includes(group) && pool.mode === 'container',
      alter: (c) => {
        c.instead = { type: 'local', marks: ['scope.none'] }
      },
    }
  },
}

function usesShare(path: string): Meets {
  return ({ person, pool }) => person.share === path && pool.mode === 'container'
}

/** What befalls single people, once. */
export const SINGLE: Readonly<Record<string, (random: Random) => Alter>> = {
  'wrong-password': () => fails('sign-on', 'STATUS_WRONG_PASSWORD', 1800),
  'no-such-account': () => fails('sign-on', 'STATUS_NO_SUCH_USER', 1500),
  'account-locked': () => fails('sign-on', 'STATUS_ACCOUNT_LOCKED_OUT', 1500),
  'account-disabled': () => fails('sign-on', 'STATUS_ACCOUNT_DISABLED', 1300),
  'password-expired': () => fails('sign-on', 'STATUS_PASSWORD_EXPIRED', 1400),
  'account-expired': () => fails('sign-on', 'STATUS_ACCOUNT_EXPIRED', 1400),
  'outside-hours': () => fails('sign-on', 'STATUS_INVALID_LOGON_HOURS', 1300),
  'not-allowed-here': () => fails('sign-on', 'STATUS_LOGON_TYPE_NOT_GRANTED', 1300),
  'second-factor-declined': () => fails('sign-on', 'factor.declined', 9000, { factor: 'push' }),
  'second-factor-missing': () => fails('sign-on', 'factor.not-enrolled', 1200, { factor: 'push' }),
  'not-granted': () => fails('broker', 'broker.refused', 2500),
  'container-denied': () => fails('container', 'STATUS_ACCESS_DENIED', 900),
  'container-damaged': () => fails('container', 'container.damaged', 2600),
  'container-full': () => (c) => {
    c.containerFreeBytes = 3e6
    c.refused = { in: 'profile', code: 'STATUS_DISK_FULL', afterMs: 2400 }
  },
  'container-held': (random) => {
    const holder = `ZZ-${10 + random.below(80)}`
    return (c) => {
      c.holder = { host: holder, session: 's-old' }
      c.refused = { in: 'container', code: 'STATUS_SHARING_VIOLATION', afterMs: 38_000, tries: 5 }
    }
  },
  'container-retry': (random) => {
    const retries = 1 + random.below(3)
    return (c) => {
      c.retries = retries
      c.retryMs = 6500
      c.holder = random.chance(0.5) ? { host: 'ZZ-09', session: 's-old' } : null
    }
  },
  'second-factor-slow': (random) => {
    const times = 3.5 + 3 * random.next()
    return (c) => {
      if (c.factor === 'push') c.approvalMs = Math.min(c.approvalMs * times, c.gatewayMs * 0.8)
    }
  },
  'host-cold': () => (c) => void (c.cold = true),
}

/** What befalls single people from some day on. */
export const LASTING: Readonly<Record<string, (random: Random) => Alter>> = {
  'bloated-profile': (random) => {
    const bytes = 2.4e9 + 4e9 * random.next()
    return (c) => {
      c.profileBytes = bytes
      c.profileFiles = Math.round(25_000 + bytes / 90_000)
    }
  },
  'autostart-heavy': (random) => {
    const n = 17 + random.below(15)
    return (c) => void (c.autostart = n)
  },
  'poor-line': (random) => {
    const rtt = 380 + 500 * random.next()
    return (c) => {
      c.rttMs = rtt
      c.kbps = 180 + 200 * random.next()
    }
  },
  'directory-lag': () => fails('broker', 'broker.refused', 2500),
  'near-full': (random) => (c) => {
    c.containerFreeBytes = 4e7 * (0.5 + random.next())
    c.distanceMs += 45
  },
}
