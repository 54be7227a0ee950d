import type { Observation } from '../../logons/observation'
import type { Front } from './front'
import { Seen, shortName, type Moment } from './seen'

/** An observation that nobody else has yet: whose it is, and where that was, is filled in. */
export type Told = { -readonly [K in keyof Observation]: Observation[K] }

/** What an event says, before it is known of whom. */
export interface Unnamed {
  readonly observation: Told
  readonly person: string | undefined
  readonly sid: string | null
  readonly session: string | null
  /** What events of one person have in common, beside their machine. */
  readonly together: string | null
  readonly activity: string
  readonly computer: string
  readonly elsewhere: boolean
  /** For messages. */
  readonly provider: string
  readonly id: number
}

/** So many wait for a name, about 60 MB; then it is decided with what is known. */
const MOST_WAITING = 100_000
/** In logs that are in order, what comes so much later tells nothing new of a moment: so what belongs together stays together. */
const PASSED_MS = 180_000
/** What waits is looked at where the first of it was passed so much longer ago. */
const LOOK_MS = 60_000
/** What goes on after what was passed is waited for this long. */
const GOES_ON_MS = 120_000
/** So many activities are remembered, about 50 MB. */
const MOST_ACTIVITIES = 200_000
/** The number of a session is used again after a while. */
const SESSION_MS = 10 * 60_000
/** An event that names nobody belongs to whoever was logging on on that machine this close to it. */
const NEAR_MS = 90_000
/** Of two who were logging on, one is told from the other where they were first seen so much apart. */
const FIRST_APART_MS = 500
/** Who were first seen this close to each other may be mistaken for each other. */
const AT_ONCE_MS = 10_000
/** Of so many events at least it can be told whose are next to them: no farther than this, and so many times closer than anybody else's. */
const FEWEST_BESIDE = 4
const BESIDE_MS = 2000
const MUCH_CLOSER = 3
/** What another machine wrote belongs to the logon of the same person this close to it. */
const ELSEWHERE_MS = 120_000
/** Or this close to it, where the clocks of a machine and of others differ: then always by about the same, in so many logons at least. */
const OFF_MS = 840_000
const ALIKE_MS = 10_000
const FEWEST = 5
/** What led somebody back to their session is recorded this close before they were there, and hardly after. */
const RETURN_MS = 30_000
const RETURN_AFTER_MS = 2000
/** Phases that are gone through before it is known whether there is a session already. */
const BEFORE_SESSION: readonly (string | undefined)[] = ['connect', 'sign-on']

/**
 * Finds out of whom events speak that do not say it themselves: by the SID, by the activity they belong to, by the number of their session, or by who else
 * was logging on on that machine at that moment. Events may come in any order; those that cannot be named yet wait.
 */
export class Whose {
  readonly #accounts = new Map<string, string>()
  /** Of each person the SID that they are known by. */
  readonly #sids = new Map<string, string>()
  readonly #byActivity = new Map<string, string>()
  readonly #bySession = new Seen()
  readonly #byMachine = new Seen()
  /** Where a person was seen, by name. */
  readonly #byPerson = new Seen()
  /** When somebody's logon was over, by machine and person. */
  readonly #over = new Seen()
  /** When somebody came back to a session of theirs, by machine and person. */
  readonly #returns = new Seen()
  /** Activities of which nothing is of a logon. */
  readonly #noLogons = new Set<string>()
  /** Who they are of is known; whether they are of a logon, or of a return, is known a little later in the logs. */
  #held: Told[] = []
  /** Those that not all logs have passed, as of the last look, in the order in which they came. */
  #waiting: Unnamed[] = []
  /** Those that all had passed, and of which still nobody knew whose they are: at the end somebody may, as a SID was named much later. */
  #unresolved: Unnamed[] = []
  /** The moment of the first that was not passed at the last look. */
  #firstMs = NaN
  /** So many were named so far, and so many are nobody's. */
  named = 0
  nobodys = 0

  constructor(
    private readonly give: (observation: Observation) => void,
    /** Takes what has a SID that nothing names: as whose it is in the end, or nobody's. */
    private readonly nameless: (unnamed: Unnamed, sid: string) => string | null,
    accounts: ReadonlyMap<string, string>,
    private readonly front: Front,
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

  /** What belongs to an activity is of no logon: what comes of it yet, and what waits for a name. */
  isNoLogon(activity: string): void {
    if (activity === '') return
    this.#noLogons.add(activity)
    if (this.#noLogons.size > MOST_ACTIVITIES) this.#noLogons.delete(this.#noLogons.values().next().value ?? '')
  }

  /** Somebody came back to a session that they had on a machine. */
  cameBack(person: string, computer: string, timeMs: number): void {
    const short = shortName(person)
    this.#returns.add(keyOf(computer, short), timeMs, person)
    this.#seen(computer, person, timeMs)
    this.named++
  }

  take(unnamed: Unnamed): void {
    const { sid, person, activity, session, computer, elsewhere, observation } = unnamed
    if (this.#noLogons.has(activity)) return
    if (sid !== null && isMachineSid(sid) && person === undefined) {
      // Written by the system itself: only what it belongs to can tell of whom.
      if (activity === '' && session === null) return
    } else if (person !== undefined) {
      if (sid !== null && !isMachineSid(sid)) this.#know(sid, person)
      if (activity !== '') {
        this.#byActivity.set(activity, person)
        if (this.#byActivity.size > MOST_ACTIVITIES) this.#byActivity.delete(this.#byActivity.keys().next().value ?? '')
      }
      if (session !== null) this.#bySession.add(`${computer.toLowerCase()} ${session}`, observation.timeMs, person)
    }
    const name = this.#knownBy(unnamed)
    if (name !== undefined && !elsewhere) return this.#named(unnamed, name)
    const waiting = this.#waiting.push(unnamed) + this.#unresolved.length
    if (Number.isNaN(this.#firstMs)) this.#firstMs = observation.timeMs
    if (waiting >= MOST_WAITING) this.#decideAll()
  }

  /** Whose it is by what it says, its SID or its activity. */
  #knownBy({ person, sid, activity }: Unnamed): string | undefined {
    return (
      person ?? (sid === null ? undefined : this.#accounts.get(sid.toUpperCase())) ?? (activity === '' ? undefined : this.#byActivity.get(activity))
    )
  }

  end(): void {
    this.#decideAll()
    this.#letOut(() => true)
  }

  /** The logs have gone on: what was held is given out where all of them have passed it, and what waits for a name is looked at. */
  release(): void {
    if (this.#held.length > 0) this.#letOut(this.#held.length < MOST_WAITING ? this.front.passed(RETURN_MS) : () => true)
    if (this.front.passed(PASSED_MS + LOOK_MS)(this.#firstMs)) this.#decide(this.#waiting, false)
  }

  #decideAll(): void {
    const unresolved = this.#unresolved
    this.#unresolved = []
    this.#decide([...unresolved, ...this.#waiting], true)
  }

  #seen(computer: string, name: string, timeMs: number): void {
    this.#byMachine.add(computer.toLowerCase(), timeMs, name)
    this.#byPerson.add(shortName(name), timeMs, computer)
  }

  #named({ observation, computer }: Unnamed, name: string): void {
    const { kind, phase, part, timeMs } = observation
    const short = shortName(name)
    this.named++
    // Whoever was refused is not logging on there: what is recorded around it is others'.
    if (kind === 'end') this.#byPerson.add(short, timeMs, computer)
    else this.#seen(computer, name, timeMs)
    if (kind === 'phase-end' && phase === 'shell' && part === undefined) this.#over.add(keyOf(computer, short), timeMs, name)
    observation.person = name
    this.#tell(observation)
  }

  /**
   * Gives what is of a logon; what may turn out to be of a return is held back.
   * @param thereMs when it was by the clock of the person's machine, @param slackMs how far that may be wrong
   */
  #tell(observation: Told, thereMs = observation.timeMs, slackMs = 0): void {
    if (!mayBeOfReturn(observation)) this.give(observation)
    else if (!this.#isOfReturn(observation, thereMs, slackMs)) this.#held.push(observation)
  }

  /** Of somebody, and where another machine than the person's wrote it, where that was. */
  #tellOf({ observation, elsewhere, computer }: Unnamed, person: string | undefined, host?: string, thereMs?: number, slackMs?: number): void {
    observation.person = person
    if (elsewhere) {
      observation.host = host
      observation.source = computer
    }
    this.#tell(observation, thereMs, slackMs)
  }

  #letOut(isPassed: (ms: number) => boolean): void {
    const held = this.#held
    let n = 0
    for (const one of held)
      if (!isPassed(one.timeMs)) held[n++] = one
      else if (!this.#isOfReturn(one)) this.give(one)
    held.length = n
  }

  #isOfReturn({ person = '', host = '', timeMs }: Observation, thereMs = timeMs, slackMs = 0): boolean {
    for (const back of this.#returns.near(keyOf(host, shortName(person)), thereMs, RETURN_MS + slackMs))
      if (thereMs <= back.timeMs + RETURN_AFTER_MS + slackMs) return true
    return false
  }

  /**
   * First what names itself by now, then what only the moment can tell. What of it not all logs have passed goes on waiting, and what cannot be named is unresolved.
   * @param last all is passed, and nothing is unresolved after it
   */
  #decide(them: readonly Unnamed[], last: boolean): void {
    const isPassed = last ? () => true : this.front.passed(PASSED_MS)
    const rest: Unnamed[] = []
    const elsewhere: Unnamed[] = []
    const waiting: Unnamed[] = []
    /** Those among them that cannot be named by what is known now. */
    const nameless: Unnamed[] = []
    this.#firstMs = NaN
    for (const one of them) {
      const { activity, session, computer, observation } = one
      if (this.#noLogons.has(activity)) continue
      const known = this.#knownBy(one)
      if (!isPassed(observation.timeMs)) {
        waiting.push(one)
        if (known === undefined) nameless.push(one)
        if (Number.isNaN(this.#firstMs)) this.#firstMs = observation.timeMs
        continue
      }
      const name =
        known ?? (session === null ? undefined : this.#bySession.nearest(`${computer.toLowerCase()} ${session}`, observation.timeMs, SESSION_MS))
      if (name === undefined) rest.push(one)
      else if (one.elsewhere) elsewhere.push({ ...one, person: name })
      else this.#named(one, name)
    }
    this.#waiting = waiting
    const runs = runsOf([...rest, ...nameless])
    const goesOn = last ? new Set<Unnamed>() : this.#goingOn(runs, isPassed)
    const named = this.#together(runs.filter(([first]) => first && !goesOn.has(first)))
    for (const one of rest) {
      const name = goesOn.has(one) ? null : (named.get(one) ?? this.#only(one))
      if (name !== null) named.set(one, name)
    }
    // Of what could be named in part, the rest is no run of its own later.
    const inPart = new Set(runs.filter((run) => run.some((one) => named.has(one))).flat())
    for (const one of rest) {
      const name = named.get(one)
      if (name !== undefined) this.#tellOf(one, name)
      else if (goesOn.has(one)) waiting.push(one)
      else if (!last) this.#unresolved.push(inPart.has(one) ? { ...one, together: null } : one)
      else if (one.sid !== null && !isMachineSid(one.sid)) {
        const person = this.nameless(one, one.sid)
        if (person !== null) this.#tellOf(one, person)
      } else this.nobodys++
    }
    const alone: Unnamed[] = []
    for (const one of elsewhere) {
      const { timeMs } = one.observation
      const host = this.#byPerson.nearest(shortName(one.person ?? ''), timeMs, ELSEWHERE_MS)
      if (host !== undefined) this.#tellOf(one, one.person, host, timeMs, ELSEWHERE_MS)
      else (last ? alone : this.#unresolved).push(one)
    }
    const others = this.#byOtherClocks(alone)
    for (const one of alone) {
      const { observation, person } = one
      const { host, awayMs = 0 } = others.get(one) ?? {}
      // Nobody saw the person elsewhere: what the directory server says is all there is of this try, and it matters only if it says no.
      if (host !== undefined || observation.code !== undefined) this.#tellOf(one, person, host, observation.timeMs + awayMs, ALIKE_MS)
    }
  }

  /**
   * Where the clock of a machine is off by minutes, what others wrote of the logons on it is always as far away: where most of what was written of a machine's people,
   * and by nobody's clock fits, is away by about the same, it is of that machine.
   */
  #byOtherClocks(alone: readonly Unnamed[]): ReadonlyMap<Unnamed, { readonly host: string; readonly awayMs: number }> {
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
    const found = new Map<Unnamed, { host: string; awayMs: number }>()
    for (const [machine, list] of byMachine) {
      const middle = list.map(({ awayMs }) => awayMs).sort((a, b) => a - b)[list.length >> 1] ?? 0
      const alike = list.filter(({ awayMs }) => Math.abs(awayMs - middle) <= ALIKE_MS)
      if (alike.length >= FEWEST && alike.length * 2 > list.length) for (const { one, awayMs } of alike) found.set(one, { host: machine, awayMs })
    }
    return found
  }

  /** Of runs of events those that go on after what was passed: they are named as one. */
  #goingOn(runs: readonly (readonly Unnamed[])[], isPassed: (ms: number) => boolean): ReadonlySet<Unnamed> {
    const isLong = this.front.passed(PASSED_MS + GOES_ON_MS)
    const begunAndOn = runs.filter(
      ([first, ...more]) => first && !isLong(first.observation.timeMs) && more.some(({ observation }) => !isPassed(observation.timeMs)),
    )
    return new Set(begunAndOn.flat())
  }

  /** Of each run of events: whoever was first seen on that machine when it began. What is nobody's alone by its own moment is theirs then, too. */
  #together(runs: readonly (readonly Unnamed[])[]): Map<Unnamed, string> {
    const names = new Map<Unnamed, string>()
    for (const run of runs) {
      const name = run.length > 1 ? this.#beganWith(run) : null
      if (name !== null) for (const one of run) names.set(one, name)
    }
    return names
  }

  /** Whether the logon of somebody who was seen on a machine was over before a moment. */
  #wasOver(computer: string, { timeMs, short }: Moment, atMs: number): boolean {
    if (timeMs > atMs) return false
    for (const over of this.#over.near(keyOf(computer, short), atMs, NEAR_MS)) if (over.timeMs >= timeMs && over.timeMs < atMs) return true
    return false
  }

  #beganWith(run: readonly Unnamed[]): string | null {
    const [first] = run
    if (!first) return null
    const beganMs = first.observation.timeMs
    const seen = new Map<string, Moment>()
    for (const moment of this.#byMachine.near(first.computer.toLowerCase(), beganMs, NEAR_MS))
      if (moment.timeMs < (seen.get(moment.short)?.timeMs ?? Infinity) && !this.#wasOver(first.computer, moment, beganMs))
        seen.set(moment.short, moment)
    const away = ({ timeMs }: Moment) => Math.abs(timeMs - beganMs)
    const near = [...seen.values()].filter((one) => away(one) <= AT_ONCE_MS)
    const went = near.length > 1 ? this.#wentWith(run, near) : null
    if (went !== null) return went
    const [best, next] = [...seen.values()].sort((a, b) => away(a) - away(b))
    return best && (!next || away(next) >= Math.max(FIRST_APART_MS, 2 * away(best))) ? best.name : null
  }

  /** Of several who were logging on: the one whose own events are next to those that follow each other, each time, as nobody else's are. */
  #wentWith(run: readonly Unnamed[], candidates: readonly Moment[]): string | null {
    if (run.length < FEWEST_BESIDE) return null
    const nearestTo = ({ short }: Moment, { computer, observation: { timeMs } }: Unnamed) => {
      let awayMs = BESIDE_MS
      for (const moment of this.#byMachine.near(computer.toLowerCase(), timeMs, BESIDE_MS))
        if (moment.short === short) awayMs = Math.min(awayMs, Math.abs(moment.timeMs - timeMs))
      return awayMs
    }
    const middles = candidates.map((candidate) => {
      const awayMs = Float64Array.from(run, (one) => nearestTo(candidate, one)).sort()
      return { name: candidate.name, middleMs: awayMs[awayMs.length >> 1] ?? BESIDE_MS }
    })
    const [best, next] = middles.sort((a, b) => a.middleMs - b.middleMs)
    return best && next && best.middleMs < BESIDE_MS && best.middleMs * MUCH_CLOSER <= next.middleMs ? best.name : null
  }

  /**
   * Whoever was logging on on that machine around that moment: the only one, or the one who was much closer to it than anybody else. What has a person's SID is of nobody
   * who is known by another.
   */
  #only({ computer, observation, sid }: Unnamed): string | null {
    const own = sid === null || isMachineSid(sid) ? null : sid.toUpperCase()
    const closest = new Map<string, { awayMs: number; name: string }>()
    for (const moment of this.#byMachine.near(computer.toLowerCase(), observation.timeMs, NEAR_MS)) {
      const { timeMs, name, short } = moment
      if (this.#wasOver(computer, moment, observation.timeMs)) continue
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

/** Events that are of one person, as they have something in common and follow each other. */
function runsOf(events: readonly Unnamed[]): Unnamed[][] {
  const groups = new Map<string, Unnamed[]>()
  for (const one of events) {
    if (one.together === null) continue
    const key = `${one.computer.toLowerCase()} ${one.together}`
    const group = groups.get(key)
    if (group) group.push(one)
    else groups.set(key, [one])
  }
  return [...groups.values()].flatMap(following)
}

/** Events by time, cut where nothing came for a while, and where what has begun already begins again. */
function following(events: readonly Unnamed[]): Unnamed[][] {
  const runs: Unnamed[][] = []
  let lastMs = -Infinity
  let begun = new Set<string>()
  for (const one of [...events].sort((a, b) => a.observation.timeMs - b.observation.timeMs)) {
    const { timeMs, kind, phase, part } = one.observation
    const begins = kind === 'phase-begin' ? `${phase} ${part}` : null
    if (timeMs - lastMs > NEAR_MS || (begins !== null && begun.has(begins))) {
      runs.push([])
      begun = new Set()
    }
    if (begins !== null) begun.add(begins)
    runs.at(-1)?.push(one)
    lastMs = timeMs
  }
  return runs
}

const keyOf = (computer: string, short: string): string => `${computer.toLowerCase()} ${short}`

/** A refusal is told, and something that a host tells of a session is of a session that begins. */
const mayBeOfReturn = ({ phase, kind, code }: Observation): boolean => BEFORE_SESSION.includes(phase) && kind !== 'end' && code === undefined

/** The system itself, services, and the accounts of windows and fonts ([MS-DTYP] 2.4.2.4): never a person. */
const isMachineSid = (sid: string): boolean => /^S-1-(0-0|5-(18|19|20)|5-(80|82|83|90|96)-.*)$/i.test(sid)
