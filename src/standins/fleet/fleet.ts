import type { Settings } from '../../contract/other'
import type { Stretch } from '../../contract/policies'
import { settingOf } from '../../core/policies'
import { POOLS, type Larkmere, type Staff } from '../directory/larkmere'
import { Random } from '../random'
import { leaveInventory } from '../share/inventory'
import { freeBytesOf, type ShareFolder } from '../share/share'
import { hash } from './history'
import { Host, type Session } from './host'
import { simulateLogon, type Simulated } from './logon'
import { otlpOf } from './otlp'
import { offsetMs } from './shifts'
import { awayMs, clientOf, logsOff } from './stretches'
import { latencyOf, type Planted, type Trouble } from './troubles'

/** How the fleet reaches Ikebana: exports, settings, reports. */
export interface Uplink {
  traces(request: object): Promise<void>
  settings(host: string): Promise<{ version: number; settings: Settings }>
  report(body: object): Promise<void>
  /** What a session that begins should have in force. */
  session(host: string, facts: object): Promise<{ version: number; values: Record<string, unknown> }>
  /** When people were connected. */
  stretches(stretches: readonly Stretch[]): Promise<void>
}

export interface FleetOptions {
  readonly larkmere: Larkmere
  readonly planted: Planted
  readonly shares: readonly ShareFolder[]
  readonly uplink: Uplink
  readonly timeZone: string
  /** At least so many logons a minute, so that there is something to see at any hour. */
  readonly floorAMinute: number
  readonly now: () => number
}

/** Profiles of people who were moved to the halls, from before containers came, on two hosts of the office; and a host whose agent was forgotten. */
function plantLeftovers(hosts: readonly Host[], staff: Larkmere['staff'], nowMs: number): void {
  const of = (pool: string) => hosts.filter(({ plan }) => plan.pool === pool)
  const people = staff.filter(({ pool }) => pool === 'ticket-hall')
  of('back-office')
    .slice(2, 4)
    .forEach((host, i) => {
      host.leftovers = people
        .slice(9 + 4 * i, 11 + 5 * i)
        .map(({ id }, n) => ({ person: id, bytes: (1.1 + 0.7 * n + i) * 2 ** 30, lastUsedMs: nowMs - (120 + 31 * n) * 86_400_000 }))
    })
  const forgotten = of('season-crew').at(-1)
  if (forgotten) forgotten.agentVersion = '1.3.2'
}

/** Desktops of the drawing office and the bridge that are one person's; one is nobody's yet, one has a whole group as administrators, and one somebody from before. */
function assignDesks(hosts: readonly Host[], staff: Larkmere['staff'], nowMs: number): void {
  const desks = hosts.filter(({ plan }) => plan.pool === 'naval-drawing')
  const people = staff.filter(({ pool }) => pool === 'naval-drawing')
  for (const [i, desk] of desks.entries()) desk.assigned = i === desks.length - 1 ? null : (people[i]?.id ?? null)
  const [first, second, third] = desks
  if (first?.assigned) first.admins = [{ account: first.assigned, kind: 'person', sinceMs: nowMs - 2 * 3_600_000 }]
  if (second) second.admins = [{ account: 'naval-drawing staff', kind: 'group', people: people.length, sinceMs: nowMs - 400 * 86_400_000 }]
  if (third?.assigned && people[7]) third.admins = [{ account: people[7].id, kind: 'person', sinceMs: nowMs - 90 * 86_400_000 }]
}

/** The simulated fleet: hosts with an agent each, and people who log on by shift. */
export class Fleet {
  readonly hosts = new Map<string, Host>()
  readonly troubles = new Set<Trouble>()
  readonly #random = new Random(`live ${Date.now()}`)
  readonly #recent: { atMs: number; share: string }[] = []
  readonly #timers = new Set<NodeJS.Timeout>()
  readonly #trying = new Set<string>()
  /** Stretches that were not told yet. */
  #told: Stretch[] = []

  constructor(private readonly options: FleetOptions) {
    for (const plan of options.larkmere.hosts) this.hosts.set(plan.id, new Host(plan))
    const dead = this.hosts.get(options.planted.deadHost)
    if (dead) Object.assign(dead, { power: 'off', answers: false })
    const drifted = this.hosts.get(options.planted.driftedHost)
    if (drifted) drifted.drifted = true
    assignDesks([...this.hosts.values()], options.larkmere.staff, options.now())
    plantLeftovers([...this.hosts.values()], options.larkmere.staff, options.now())
    for (const trouble of ['storm', 'held-container', 'printers', 'gateway', 'drifted-host'] as const) this.troubles.add(trouble)
    for (const person of options.planted.held)
      this.#shareOf(person)?.hold(
        person,
        options.planted.deadHost,
        `${options.planted.deadHost}-${(hash(person) % 4096).toString(16)}`,
        options.planted.powerLossMs - 6 * 3_600_000 + (hash(person) % 3_600_000),
      )
  }

  /** Begins to live: people come and go, agents report. */
  start(): void {
    this.#each(1000, () => this.#tick())
    this.#each(2000, () => {
      const stretches = this.#told
      this.#told = []
      if (stretches.length) void this.options.uplink.stretches(stretches)
    })
    let next = 0
    const names = [...this.hosts.keys()]
    const slice = Math.max(1, Math.ceil(names.length / 10))
    this.#each(1500, () => {
      for (let i = 0; i < slice; i++) void this.#agent(this.hosts.get(names[next++ % names.length] ?? ''))
    })
  }

  stop(): void {
    for (const timer of this.#timers) clearTimeout(timer)
  }

  /** Lets somebody log on now. Resolves when they are in or were refused. */
  async logOn(person: string): Promise<Simulated> {
    const staff = this.options.larkmere.staff.find(({ id }) => id === person)
    if (!staff) throw new RangeError(`nobody is called ${person}`)
    const { simulated, done } = this.#begin(staff)
    await done
    return simulated
  }

  /** The agent's turn, brought forward. */
  async fetchNow(host: Host): Promise<void> {
    if (host.power !== 'on' || !host.answers) throw new RangeError(`${host.plan.id} does not answer`)
    await this.#agent(host)
  }

  removeLeftover(host: Host, person: string): { removed: boolean; reason: string } {
    if ([...host.sessions.values()].some((session) => session.person === person)) return { removed: false, reason: `${person} is signed in there` }
    const before = host.leftovers.length
    host.leftovers = host.leftovers.filter((one) => one.person !== person)
    return host.leftovers.length < before ? { removed: true, reason: 'removed with everything in it' } : { removed: false, reason: 'there is none' }
  }

  /** Lets an account log on to a pool now, as somebody would who proves that it works. Resolves when it is in, or was refused. */
  async beginSession(person: string, pool: string): Promise<{ began: boolean; host: string; session: string; seconds: number; reason: string }> {
    const staff = this.#staff(person)
    if (!staff) throw new RangeError(`nobody is called ${person}`)
    if (staff.pool !== pool) return { began: false, host: '', session: '', seconds: 0, reason: `${person} may not use ${pool}` }
    if (this.#trying.has(person) || this.#inSession(person))
      return { began: false, host: '', session: '', seconds: 0, reason: `${person} is signed in already` }
    const { simulated, done, host, session } = this.#begin(staff)
    await done
    const failed = simulated.outcome === 'failed'
    return {
      began: !failed,
      host: host.plan.id,
      session,
      seconds: simulated.totalMs / 1000,
      reason: failed ? `refused on ${host.plan.id}` : simulated.outcome,
    }
  }

  endSession(host: Host, session: string): boolean {
    const found = host.sessions.get(session)
    if (found) this.#logOff(host, found, 'logged off')
    return found !== undefined
  }

  /** Leaves a session without its client; nobody comes back to it. */
  disconnect(host: Host, session: string): void {
    const found = host.sessions.get(session)
    if (!found) throw new RangeError(`${host.plan.id} has no session ${session}`)
    this.#leave(host, found, Infinity)
  }

  message(host: Host, session: string, text: string): void {
    const found = host.sessions.get(session)
    if (!found) throw new RangeError(`${host.plan.id} has no session ${session}`)
    found.messages.push(text)
  }

  /** Writes into the profile of a session: into the disk it has attached, or onto the host where it has none. */
  async writeIn(host: Host, session: string, path: string, text: string): Promise<void> {
    const { person, share } = this.#profileOf(host, session)
    if (share) await share.writeWords(person, { ...(await share.readWords(person)), [path]: text })
    else host.localWords.set(person, { ...host.localWords.get(person), [path]: text })
  }

  async readIn(host: Host, session: string, path: string): Promise<string | null> {
    const { person, share } = this.#profileOf(host, session)
    return (share ? await share.readWords(person) : (host.localWords.get(person) ?? {}))[path] ?? null
  }

  /** Whose profiles lie on a host now: those of sessions, and what was left. */
  profilesOn(host: Host): { person: string; kind: 'container' | 'local'; bytes: number }[] {
    const attached = [...host.sessions.values()].map(({ person, session }) => ({
      person,
      kind: this.#heldBy(person, session) ? ('container' as const) : ('local' as const),
      bytes: 0,
    }))
    const left = [...host.leftovers, ...[...host.localWords.keys()].map((person) => ({ person, bytes: 2 ** 20 }))]
    return [...attached, ...left.map(({ person, bytes }) => ({ person, kind: 'local' as const, bytes }))]
  }

  #heldBy(person: string, session: string): ShareFolder | null {
    const share = this.#shareOf(person)
    return share?.holderOf(person)?.session === session ? share : null
  }

  #profileOf(host: Host, session: string): { person: string; share: ShareFolder | null } {
    const found = host.sessions.get(session)
    if (!found) throw new RangeError(`${host.plan.id} has no session ${session}`)
    return { person: found.person, share: this.#heldBy(found.person, session) }
  }

  #staff(person: string): Staff | undefined {
    const { staff, testers } = this.options.larkmere
    return staff.find(({ id }) => id === person) ?? testers.find(({ id }) => id === person)
  }

  sessionsOn(host: string): Session[] {
    return [...(this.hosts.get(host)?.sessions.values() ?? [])]
  }

  /** The person tries again soon, and types with care: that is what people do when the help desk calls back. */
  expect(file: string): void {
    const person = file.split('/')[0] ?? ''
    const staff = this.options.larkmere.staff.find(({ id }) => id === person)
    if (!staff) return
    const again = () => {
      if (this.#trying.has(person)) this.#later(2000, again)
      else this.#begin(staff, true)
    }
    this.#later(4000 + this.#random.below(4000), again)
  }

  restart(host: Host): void {
    for (const session of [...host.sessions.values()]) this.#logOff(host, session, 'logged off')
    Object.assign(host, { power: 'starting', answers: false })
    this.#later(5000, () => {
      host.start()
      void this.#agent(host)
    })
  }

  set(trouble: Trouble, on: boolean): void {
    if (on) this.troubles.add(trouble)
    else this.troubles.delete(trouble)
    if (trouble === 'all-draining') for (const host of this.hosts.values()) if (host.plan.pool === 'harbour-kiosk') host.draining = on
  }

  #tick(): void {
    const nowMs = this.options.now()
    for (const host of this.hosts.values()) for (const session of [...host.sessions.values()]) this.#live(host, session, nowMs)
    const perSecond = Math.max(this.options.floorAMinute, this.#rate(nowMs)) / 60
    let n = Math.floor(perSecond) + (this.#random.chance(perSecond % 1) ? 1 : 0)
    while (n-- > 0) {
      const staff = this.#random.pick(this.options.larkmere.staff)
      if (!this.#trying.has(staff.id) && !this.#inSession(staff.id)) this.#begin(staff)
    }
    // People whose container is held try again and again.
    if (this.troubles.has('held-container') && this.#random.chance(1 / 150)) {
      const stuck = this.options.larkmere.staff.filter(
        ({ id }) => this.options.planted.held.has(id) && this.#shareOf(id)?.holderOf(id) && !this.#trying.has(id),
      )
      if (stuck.length) this.#begin(this.#random.pick(stuck))
    }
  }

  /** Logons a minute at a moment: a hump after each shift start, a broad one for the offices. */
  #rate(nowMs: number): number {
    const local = ((nowMs + offsetMs(this.options.timeZone, nowMs)) % 86_400_000) / 60_000
    const people = this.options.larkmere.staff.length
    const hump = (at: number, width: number, n: number) => (n * Math.exp(-(((local - at) / width) ** 2) / 2)) / (width * 2.507)
    return (
      hump(345, 3.4, people * 0.17) +
      hump(825, 3.4, people * 0.17) +
      hump(1305, 3.4, people * 0.17) +
      hump(500, 38, people * 0.2) +
      (people * 0.17) / 700
    )
  }

  #inSession(person: string): boolean {
    for (const host of this.hosts.values()) for (const session of host.sessions.values()) if (session.person === person) return true
    return false
  }

  #shareOf(person: string): ShareFolder | undefined {
    const home = this.#staff(person)?.share
    // A container is used where it lies; only who has none yet gets one at home.
    return (
      this.options.shares.find((share) => share.path === home && share.has(person)) ??
      this.options.shares.find((share) => share.has(person)) ??
      this.options.shares.find(({ path }) => path === home)
    )
  }

  #begin(staff: Staff, careful = false): { simulated: Simulated; done: Promise<void>; host: Host; session: string } {
    const nowMs = this.options.now()
    const random = this.#random
    const pool = [...this.hosts.values()].filter(({ plan }) => plan.pool === staff.pool)
    const open = pool.filter((host) => host.power === 'on' && !host.draining)
    const host = open.length
      ? staff.pool === 'bridge-ops' || staff.pool === 'naval-drawing'
        ? open[hash(staff.id) % open.length]
        : random.pick(open)
      : pool[0]
    if (!host) throw new RangeError(`no host for ${staff.pool}`)
    const share = this.#shareOf(staff.id)
    const settings = host.inForce
    const containers = (POOLS.find(({ id }) => id === staff.pool)?.containers ?? false) && settings.containers !== 'off'
    this.#recent.push({ atMs: nowMs, share: staff.share })
    while ((this.#recent[0]?.atMs ?? nowMs) < nowMs - 60_000) this.#recent.shift()
    const rate = this.#recent.filter(({ share: other }) => other === staff.share).length
    // A small company with many logons a minute has shares that bear them.
    const scale = Math.max(this.options.larkmere.staff.length / 2600, this.options.floorAMinute / 30)
    const hold = containers ? share?.holderOf(staff.id) : undefined
    const holdingHost = hold ? this.hosts.get(hold.host) : undefined
    const alive = hold ? holdingHost?.power === 'on' && holdingHost.sessions.has(hold.session) : false
    const slow = this.troubles.has('slow-share') && staff.share.includes('hill') ? 38 : 0
    const id = random.hex(32)
    const simulated = simulateLogon(random, id, staff, host.plan, nowMs, {
      first: false,
      containers,
      onFailure: settings.onFailure ?? 'refuse',
      shareLatencyMs: slow + random.around(latencyOf(staff.share, rate, this.troubles.has('storm'), scale), 0.15),
      shareFreeBytes: share ? freeBytesOf(share) : 0,
      shareDown: this.troubles.has('share-down') && staff.share.includes('hill'),
      hostCold: false,
      hostCpu: 0.25 + 0.3 * random.next(),
      hostSessions: host.sessions.size,
      holder: hold ? { host: hold.host, session: hold.session, alive } : null,
      heldBriefly: false,
      gatewayTimeoutMs: this.troubles.has('gateway') ? 15_000 : 120_000,
      slowPart: this.troubles.has('printers') && host.plan.zone === 'H1' && staff.pool === 'back-office' ? { part: 'printers', ms: 30_000 } : null,
      wrongPassword: !careful && !this.options.larkmere.testers.includes(staff) && random.chance(0.007),
      settingsMissing: containers && settings.locations === undefined,
      brokerRefuses: open.length ? null : { freeDesktops: 0, drainingHosts: pool.filter((one) => one.draining).length, hosts: pool.length },
    })
    this.#trying.add(staff.id)
    if (containers && share && !hold) share.hold(staff.id, host.plan.id, `${host.plan.id}-${id.slice(0, 6)}`, nowMs)
    const done = new Promise<void>((resolve) => {
      this.#later(simulated.totalMs, () => {
        void this.#end(staff, host, share, simulated, containers, id).finally(resolve)
      })
    })
    return { simulated, done, host, session: `${host.plan.id}-${id.slice(0, 6)}` }
  }

  async #end(staff: Staff, host: Host, share: ShareFolder | undefined, simulated: Simulated, containers: boolean, id: string): Promise<void> {
    this.#trying.delete(staff.id)
    const nowMs = this.options.now()
    const session = `${host.plan.id}-${id.slice(0, 6)}`
    const attrs = simulated.observations[0]?.attrs ?? {}
    const facts = {
      person: staff.id,
      pool: staff.pool,
      ...clientOf(staff),
      network: staff.network,
      rttMs: attrs['rttMs'],
      bandwidthKbps: attrs['bandwidthKbps'],
      factor: attrs['factor'] ?? 'none',
      first: attrs['first'] === true,
      at: nowMs,
    }
    if (simulated.outcome === 'failed') share?.letGo(share.fileOf(staff.id), session)
    else {
      host.sessions.set(session, {
        person: staff.id,
        session,
        host: host.plan.id,
        sinceMs: nowMs,
        state: 'active',
        turnsMs: nowMs + this.#random.around(90 * 60_000, 0.5),
        onMs: nowMs,
        disconnectedMs: null,
        facts,
        policy: await this.options.uplink.session(host.plan.id, facts).catch(() => null),
        messages: [],
      })
      if (containers && share) await share.ensure(staff.id, host.inForce.sizeLimitMib ?? 30 * 1024, null)
    }
    await this.options.uplink.traces(
      otlpOf(simulated.observations, () => Array.from({ length: 16 }, () => this.#random.below(16).toString(16)).join('')),
    )
  }

  /** What a session does as time passes: people leave, come back, and the limits of its policies end it. */
  #live(host: Host, session: Session, nowMs: number): void {
    const minutes = session.policy?.values['disconnectedMinutes']
    const limitMs = typeof minutes === 'number' ? minutes * 60_000 : Infinity
    const longest = session.policy?.values['sessionMinutes']
    if (typeof longest === 'number' && nowMs - session.sinceMs >= longest * 60_000) return this.#logOff(host, session, 'limit')
    if (session.disconnectedMs !== null) {
      if (nowMs - session.disconnectedMs >= limitMs) return this.#logOff(host, session, 'limit')
      if (nowMs < session.turnsMs) return
      Object.assign(session, { state: 'active', disconnectedMs: null, onMs: nowMs, turnsMs: nowMs + this.#random.around(60 * 60_000, 0.5) })
      return
    }
    if (nowMs < session.turnsMs) return
    const staff = this.#staff(session.person)
    if (!staff || logsOff(staff, this.#random)) return this.#logOff(host, session, 'logged off')
    this.#leave(host, session, nowMs + awayMs(staff, this.#random))
  }

  #leave(host: Host, session: Session, backMs: number): void {
    this.#tell(host, session, 'disconnected')
    Object.assign(session, { state: 'disconnected', disconnectedMs: this.options.now(), turnsMs: backMs })
  }

  #tell(host: Host, { session, person, onMs, facts }: Session, ended: 'logged off' | 'disconnected' | 'limit'): void {
    const text = (name: string) => (typeof facts[name] === 'string' ? facts[name] : null)
    const number = (name: string) => (typeof facts[name] === 'number' ? facts[name] : null)
    this.#told.push({
      session,
      person,
      pool: host.plan.pool,
      host: host.plan.id,
      onMs,
      offMs: this.options.now(),
      ended,
      network: text('network'),
      clientKind: text('clientKind'),
      clientVersion: text('clientVersion'),
      address: text('address'),
      rttMs: number('rttMs'),
      kbps: number('bandwidthKbps'),
    })
  }

  #logOff(host: Host, one: Session, ended: 'logged off' | 'limit'): void {
    const { session, person } = one
    // Whoever was away already was told of when they left.
    if (one.disconnectedMs === null) this.#tell(host, one, ended)
    host.sessions.delete(session)
    const share = this.#shareOf(person)
    const had = share?.letGo(share.fileOf(person), session)
    if (share && had) void leaveInventory(share, person, this.options.now(), true).catch(() => undefined)
  }

  /** What an agent does every so often: fetch settings, report what is in force. */
  async #agent(host: Host | undefined): Promise<void> {
    if (!host || host.power !== 'on') return
    const { plan } = host
    const { version, settings } = await this.options.uplink.settings(plan.id)
    host.fetch(version, settings)
    // What holds at once is brought into running sessions too; the rest waits for their next logon.
    for (const session of host.sessions.values()) {
      if (!session.policy || session.policy.version === version) continue
      const fresh = await this.options.uplink.session(plan.id, session.facts).catch(() => null)
      if (!fresh) continue
      const atOnce = Object.entries(fresh.values).filter(([id]) => settingOf(id)?.takesEffect === 'at once')
      session.policy = { version: fresh.version, values: { ...session.policy.values, ...Object.fromEntries(atOnce) } }
    }
    await this.options.uplink.report({
      host: plan.id,
      pool: plan.pool,
      zone: plan.zone,
      agentVersion: host.agentVersion,
      version: host.version,
      leftovers: host.leftovers,
      inForce: host.inForce,
      pending: host.pending,
      draining: host.draining,
      assigned: host.assigned,
      builtMs: host.builtMs,
      admins: host.admins,
      sessions: [...host.sessions.values()].map(({ person, session, sinceMs, state, disconnectedMs, facts, policy }) => {
        const minutes = policy?.values['disconnectedMinutes']
        return {
          person,
          session,
          sinceMs,
          state,
          disconnectedMs,
          endsMs: disconnectedMs !== null && typeof minutes === 'number' ? disconnectedMs + minutes * 60_000 : null,
          facts,
          ...(policy ? { policy } : {}),
        }
      }),
    })
  }

  #each(ms: number, work: () => void): void {
    const timer = setInterval(() => {
      try {
        work()
      } catch (error) {
        process.stderr.write(`fleet: ${String(error)}\n`)
      }
    }, ms)
    this.#timers.add(timer)
  }

  #later(ms: number, work: () => void): void {
    const timer = setTimeout(() => {
      this.#timers.delete(timer)
      work()
    }, ms)
    this.#timers.add(timer)
  }
}
