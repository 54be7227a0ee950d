import type { Observation } from '../../logons/observation'

/** What an event says, before it is known of whom. */
export interface Unnamed {
  readonly observation: Omit<Observation, 'person'>
  readonly person: string | undefined
  readonly sid: string | null
  readonly session: string | null
  readonly activity: string
  readonly computer: string
  readonly elsewhere: boolean
  /** Provider and id, for messages. */
  readonly what: string
}

/** So many wait for a name, about 60 MB; then it is decided with what is known. */
const MOST_WAITING = 100_000
const LOOK_EVERY = 1000
const PASSED_MS = 180_000
/** The number of a session is used again after a while. */
const SESSION_MS = 10 * 60_000
/** An event that names nobody belongs to whoever was logging on on that machine this close to it. */
const NEAR_MS = 90_000
/** What another machine wrote belongs to the logon of the same person this close to it. */
const ELSEWHERE_MS = 120_000
/** Or this close to it, where the clocks of a machine and of others differ: then always by about the same, in so many logons at least. */
const OFF_MS = 840_000
const ALIKE_MS = 10_000
const FEWEST = 5

interface Moment {
  readonly timeMs: number
  readonly name: string
  /** Without its domain: by this two spellings are the same person. */
  readonly short: string
}

const BUCKET_MS = 120_000
/** So many stretches of two minutes are remembered of each machine, session or person: a month of busy days. */
const MOST_BUCKETS = 5000

/** Moments by key and time, so that those near a moment are found at once. */
class Moments {
  readonly #byKey = new Map<string, Map<number, Moment[]>>()

  add(key: string, moment: Moment): void {
    const buckets = this.#byKey.get(key) ?? new Map<number, Moment[]>()
    this.#byKey.set(key, buckets)
    const bucket = Math.floor(moment.timeMs / BUCKET_MS)
    const list = buckets.get(bucket)
    if (!list) buckets.set(bucket, [moment])
    else if (!list.some(({ timeMs, short }) => timeMs === moment.timeMs && short === moment.short)) list.push(moment)
    if (buckets.size > MOST_BUCKETS) for (const oldest of buckets.keys()) return void buckets.delete(oldest)
  }

  /** Those within a time of a moment. */
  *near(key: string, timeMs: number, withinMs: number): Generator<Moment> {
    const buckets = this.#byKey.get(key)
    if (!buckets) return
    for (let bucket = Math.floor((timeMs - withinMs) / BUCKET_MS); bucket <= Math.floor((timeMs + withinMs) / BUCKET_MS); bucket++)
      for (const moment of buckets.get(bucket) ?? []) if (Math.abs(moment.timeMs - timeMs) <= withinMs) yield moment
  }

  nearest(key: string, timeMs: number, withinMs: number): string | undefined {
    let best: Moment | undefined
    for (const one of this.near(key, timeMs, withinMs)) if (!best || Math.abs(one.timeMs - timeMs) < Math.abs(best.timeMs - timeMs)) best = one
    return best?.name
  }
}

/**
 * Finds out of whom events speak that do not say it themselves: by the SID, by the activity they belong to, by the number of their session, or by who else
 * was logging on on that machine at that moment. Events may come in any order; those that cannot be named yet wait.
 */
export class Whose {
  readonly #accounts = new Map<string, string>()
  /** Of each person the SID that they are known by. */
  readonly #sids = new Map<string, string>()
  readonly #byActivity = new Map<string, string>()
  readonly #bySession = new Moments()
  readonly #byMachine = new Moments()
  /** Where a person was seen, by name. */
  readonly #byPerson = new Moments()
  #waiting: Unnamed[] = []
  #nextLook = LOOK_EVERY
  #newestMs = -Infinity

  constructor(
    private readonly give: (observation: Observation) => void,
    private readonly refuse: (unnamed: Unnamed) => void,
    accounts: ReadonlyMap<string, string>,
  ) {
    for (const [sid, account] of accounts) this.#know(sid, account)
  }

  get accounts(): ReadonlyMap<string, string> {
    return this.#accounts
  }

  #know(sid: string, person: string): void {
    this.#accounts.set(sid.toUpperCase(), person)
    this.#sids.set(shortName(person), sid.toUpperCase())
  }

  take(unnamed: Unnamed): void {
    const { sid, person, activity, session, computer, elsewhere, observation } = unnamed
    if (sid !== null && isMachineSid(sid) && person === undefined) {
      // Written by the system itself: only what it belongs to can tell of whom.
      if (activity === '' && session === null) return
    } else if (person !== undefined) {
      if (sid !== null && !isMachineSid(sid)) this.#know(sid, person)
      if (activity !== '') this.#byActivity.set(activity, person)
      if (session !== null)
        this.#bySession.add(`${computer.toLowerCase()} ${session}`, { timeMs: observation.timeMs, name: person, short: shortName(person) })
    }
    const name =
      person ?? (sid === null ? undefined : this.#accounts.get(sid.toUpperCase())) ?? (activity === '' ? undefined : this.#byActivity.get(activity))
    if (name !== undefined && !elsewhere) return this.#named(unnamed, name)
    if (observation.timeMs > this.#newestMs) this.#newestMs = observation.timeMs
    // In logs that are in order, what comes three minutes later tells nothing new of a moment: so what belongs together stays together.
    if (this.#waiting.push(unnamed) < this.#nextLook) return
    this.#decide(this.#waiting.length < MOST_WAITING ? this.#newestMs - PASSED_MS : Infinity)
    this.#nextLook = this.#waiting.length * 1.5 + LOOK_EVERY
  }

  end(): void {
    this.#decide(Infinity)
  }

  #named({ observation, computer }: Unnamed, name: string): void {
    const short = shortName(name)
    this.#byMachine.add(computer.toLowerCase(), { timeMs: observation.timeMs, name, short })
    this.#byPerson.add(short, { timeMs: observation.timeMs, name: computer, short: computer })
    this.give({ ...observation, person: name })
  }

  /**
   * First what names itself by now, then what only the moment can tell.
   * @param untilMs later ones go on waiting, and those that cannot be named; Infinity: none does
   */
  #decide(untilMs: number): void {
    const rest: Unnamed[] = []
    const elsewhere: Unnamed[] = []
    const later: Unnamed[] = []
    const last = untilMs === Infinity
    for (const one of this.#waiting) {
      if (one.observation.timeMs > untilMs) {
        later.push(one)
        continue
      }
      const { sid, activity, session, computer, observation } = one
      const name =
        one.person ??
        (sid === null ? undefined : this.#accounts.get(sid.toUpperCase())) ??
        (activity === '' ? undefined : this.#byActivity.get(activity)) ??
        (session === null ? undefined : this.#bySession.nearest(`${computer.toLowerCase()} ${session}`, observation.timeMs, SESSION_MS))
      if (name === undefined) rest.push(one)
      else if (one.elsewhere) elsewhere.push({ ...one, person: name })
      else this.#named(one, name)
    }
    this.#waiting = later
    for (const one of rest) {
      const name = this.#only(one)
      if (name !== null) this.give({ ...one.observation, person: name })
      else if (!last) later.push(one)
      else if (one.sid !== null && !isMachineSid(one.sid)) this.refuse(one)
    }
    const alone: Unnamed[] = []
    for (const one of elsewhere) {
      const { observation, person, computer } = one
      const host = this.#byPerson.nearest(shortName(person ?? ''), observation.timeMs, ELSEWHERE_MS)
      if (host !== undefined) this.give({ ...observation, person, host, source: computer })
      else (last ? alone : later).push(one)
    }
    const hosts = this.#byOtherClocks(alone)
    for (const one of alone) {
      const { observation, person, computer } = one
      const host = hosts.get(one)
      // Nobody saw the person elsewhere: what the directory server says is all there is of this try, and it matters only if it says no.
      if (host !== undefined || observation.code !== undefined) this.give({ ...observation, person, host, source: computer })
    }
  }

  /**
   * Where the clock of a machine is off by minutes, what others wrote of the logons on it is always as far away: where most of what was written of a machine's people,
   * and by nobody's clock fits, is away by about the same, it is of that machine.
   */
  #byOtherClocks(alone: readonly Unnamed[]): ReadonlyMap<Unnamed, string> {
    const byMachine = new Map<string, { one: Unnamed; awayMs: number }[]>()
    for (const one of alone) {
      const { timeMs } = one.observation
      const short = shortName(one.person ?? '')
      // Of each machine where the person was seen: when that began.
      const begun = new Map<string, number>()
      for (const seen of this.#byPerson.near(short, timeMs, OFF_MS)) begun.set(seen.name, Math.min(begun.get(seen.name) ?? Infinity, seen.timeMs))
      for (const [machine, ms] of begun) {
        const list = byMachine.get(machine) ?? []
        byMachine.set(machine, list)
        list.push({ one, awayMs: ms - timeMs })
      }
    }
    const found = new Map<Unnamed, string>()
    for (const [machine, list] of byMachine) {
      const middle = list.map(({ awayMs }) => awayMs).sort((a, b) => a - b)[list.length >> 1] ?? 0
      const alike = list.filter(({ awayMs }) => Math.abs(awayMs - middle) <= ALIKE_MS)
      if (alike.length >= FEWEST && alike.length * 2 > list.length) for (const { one } of alike) found.set(one, machine)
    }
    return found
  }

  /**
   * Whoever was logging on on that machine around that moment: the only one, or the one who was much closer to it than anybody else. What has a person's SID is of nobody
   * who is known by another.
   */
  #only({ computer, observation, sid }: Unnamed): string | null {
    const own = sid === null || isMachineSid(sid) ? null : sid.toUpperCase()
    const closest = new Map<string, { awayMs: number; name: string }>()
    for (const { timeMs, name, short } of this.#byMachine.near(computer.toLowerCase(), observation.timeMs, NEAR_MS)) {
      if (own !== null && (this.#sids.get(short) ?? own) !== own) continue
      const awayMs = Math.abs(timeMs - observation.timeMs)
      const known = closest.get(short)
      if (!known || awayMs < known.awayMs) closest.set(short, { awayMs, name })
    }
    const [first, second] = [...closest.values()].sort((a, b) => a.awayMs - b.awayMs)
    if (!first || (second && second.awayMs < Math.max(5000, 3 * first.awayMs))) return null
    return first.name
  }
}

const shortName = (name: string): string =>
  name
    .slice(name.indexOf('\\') + 1)
    .split('@')[0]
    ?.toLowerCase() ?? ''

/** The system itself, services, and the accounts of windows and fonts ([MS-DTYP] 2.4.2.4): never a person. */
const isMachineSid = (sid: string): boolean => /^S-1-(0-0|5-(18|19|20)|5-(80|82|83|90|96)-.*)$/i.test(sid)
