import {
  beganMs,
  endOf,
  hasId,
  isNameless,
  LONGEST_MS,
  personOf,
  sessionThread,
  SILENCE_MS,
  threadKey,
  UNEXPLAINED,
  type Called,
  type Observation,
} from '../../core/logons'
import { finderOf, readAccount, type Org } from '../../core/people'
import type { Database, Queryable } from '../db/database'
import { unpackEvidence } from './pack'
import { Recent, type Held } from './recent'
import { countedBefore, type Counted } from './roll-ups'
import type { Worked } from './stored'

/** An attempt that is there already, with all that it was made of. */
export interface Known {
  readonly id: string
  readonly startedMs: number
  readonly observations: readonly Observation[]
}

/** What new observations may change, and what they may not. */
export interface Knowledge {
  readonly attempts: readonly Known[]
  /** Ids by which attempts are called already. */
  readonly called: Called
  /** What they count for in the roll-ups, to be taken back. */
  readonly counted: readonly Counted[]
  /** Some of it may not have been written yet. */
  readonly fromMemory: boolean
}

/** What is found of an attempt, here or in the database. */
type Found = Omit<Held, 'observations' | 'counted'> & { readonly observations: () => readonly Observation[] }

/** An attempt that is to be looked at again. */
export interface Again {
  readonly thread: string
  readonly atMs: number
}

/** What began so long before others is looked at again when those have come; or so long, where it could not be explained. */
const HINDSIGHT_MS = 2 * 3_600_000
const HINDSIGHT_UNEXPLAINED_MS = 24 * 3_600_000
const MOST_IN_HINDSIGHT = 500

/** Unusual attempts before a moment: who came after them may tell more of why, as the first of an incident have nobody yet to be held against. */
export const unusualBefore = (database: Queryable, beforeMs: number): Promise<Again[]> =>
  database.query<Again>(
    `select thread, started_ms as "atMs" from attempts where lost_ms > 0 and started_ms < $1 and started_ms >= $1 - ${HINDSIGHT_UNEXPLAINED_MS}
      and (cause = '${UNEXPLAINED}' or started_ms >= $1 - ${HINDSIGHT_MS}) order by started_ms desc limit ${MOST_IN_HINDSIGHT}`,
    [beforeMs],
  )

/** A thread that has something new, or that is to be looked at again, and from when to when attempts of it may change. */
interface Asked {
  readonly fresh: Observation[]
  fromMs: number
  toMs: number
}

/** Threads with what is new of each. Observations can belong to attempts, or join two of them, as far as silence does not lie between. */
export function asked(observations: readonly Observation[], again: readonly Again[]): Map<string, Asked> {
  const threads = new Map<string, Asked>()
  const ask = (thread: string, fromMs: number, toMs: number): Asked => {
    const known = threads.get(thread)
    const one = known ?? { fresh: [], fromMs: Infinity, toMs: -Infinity }
    if (!known) threads.set(thread, one)
    one.fromMs = Math.min(one.fromMs, fromMs - 2 * SILENCE_MS)
    one.toMs = Math.max(one.toMs, toMs + 2 * SILENCE_MS)
    return one
  }
  for (const { thread, atMs } of again) ask(thread, atMs, atMs)
  for (const observation of observations) ask(threadKey(observation), observation.timeMs, endOf(observation)).fresh.push(observation)
  return threads
}

/** Whether anything of a kind ever came. */
interface Came {
  /** Something without an id: while nothing did, attempts with an id need not be held against those of their person. */
  readonly without: boolean
  /** An id that two attempts have. */
  readonly idUsedAgain: boolean
}

/** Finds the attempts that new observations may change. */
export class KnownAttempts {
  /** Not asked yet: null. */
  #came: Came | null = null
  #recent = new Recent()

  constructor(
    private readonly database: Database,
    /** Whether no attempt of that id was there before. */
    private readonly surelyNew: (id: string, atMs: number) => boolean,
  ) {}

  /** These were analysed, and will be written; the others are parts of them now. */
  take(worked: readonly Worked[], gone: readonly string[]): void {
    this.#recent.take(worked, gone)
  }

  /** What was taken may not be in the database as it was, after all. */
  forget(): void {
    this.#recent = new Recent()
    this.#came = null
  }

  /**
   * Attempts that these threads already have, and those of the same people that they may meet (see meetings), as far as they can meet the new observations in time.
   * @param written waited for before the database is asked
   */
  async of(threads: ReadonlyMap<string, Asked>, org: Org, written: () => Promise<unknown>): Promise<Knowledge> {
    const without = [...threads].filter(([thread]) => !hasId(thread))
    const anyWithout = without.some(([, { fresh }]) => fresh.length > 0)
    const ids = [...threads].filter(
      ([thread, { fresh, fromMs }]) => hasId(thread) && (fresh.length === 0 || !this.surelyNew(thread.slice(3), fromMs)),
    )
    const held = without.length === 0 && this.#came?.without === false ? this.#heldOf(ids) : null
    if (held) {
      const { attempts, called } = knowledgeOf(
        threads,
        held.map((one): Found => ({ ...one, observations: () => one.observations })),
      )
      const counted = held.flatMap((one) => one.counted ?? [])
      return { attempts, called, counted, fromMemory: held.length > 0 }
    }
    await written()
    this.#came ??= await this.#everCame()
    if (anyWithout) this.#came = { ...this.#came, without: true }
    const knowledge = await this.#inDatabase(threads, ids, without, org)
    return {
      ...knowledge,
      counted: await countedBefore(
        this.database,
        knowledge.attempts.map(({ id }) => id),
      ),
      fromMemory: false,
    }
  }

  /** All of them, as they were analysed lately; null where one was not, or where another attempt may have its id. */
  #heldOf(ids: readonly (readonly [thread: string, asked: Asked])[]): Held[] | null {
    if (this.#came?.idUsedAgain || this.#recent.anyIdUsedAgain) return null
    const held: Held[] = []
    for (const [thread] of ids) {
      const one = this.#recent.get(thread.slice(3))
      if (!one) return null
      held.push(one)
    }
    return held
  }

  async #inDatabase(
    threads: ReadonlyMap<string, Asked>,
    ids: readonly (readonly [thread: string, asked: Asked])[],
    ofNobody: readonly (readonly [thread: string, asked: Asked])[],
    org: Org,
  ): Promise<Pick<Knowledge, 'attempts' | 'called'>> {
    const people = this.#came?.without ? peopleIn(threads, org) : []
    const { nameless, named } = this.#came?.without ? sessionsIn(threads) : { nameless: [], named: [] }
    const without = [...ofNobody, ...named]
    const extent = (list: readonly (readonly [string, Asked])[]) => [
      list.map(([name]) => name),
      list.map(([, { fromMs }]) => Math.floor(fromMs)),
      list.map(([, { toMs }]) => Math.ceil(toMs)),
    ]
    const query = async (sql: string, params: unknown[]): Promise<Found[]> => {
      const rows = await this.database.query<Omit<Found, 'observations'> & { body: Uint8Array }>(
        `select a.id, a.thread, a.started_ms as "startedMs", a.last_ms as "lastMs", e.body from ${sql}`,
        params,
      )
      return rows.map(({ body, ...row }) => ({ ...row, observations: () => unpackEvidence(body) }))
    }
    const [byId, again, ...others] = await Promise.all([
      ids.length ? query('attempts a join evidence e on e.attempt = a.id where a.id = any($1)', [ids.map(([thread]) => thread.slice(3))]) : [],
      ids.length
        ? query(
            `unnest($1::text[], $2::bigint[], $3::bigint[]) as asked (thread, from_ms, to_ms)
            join attempts a on a.thread = asked.thread and a.thread like 'id:%' and a.id <> substr(a.thread, 4)
              and a.started_ms <= asked.to_ms + ${LONGEST_MS} and a.last_ms >= asked.from_ms - ${LONGEST_MS}
            join evidence e on e.attempt = a.id`,
            extent(ids),
          )
        : [],
      without.length
        ? query(
            `unnest($1::text[], $2::bigint[], $3::bigint[]) as asked (thread, from_ms, to_ms)
            join attempts a on a.thread = asked.thread and a.started_ms <= asked.to_ms and a.last_ms >= asked.from_ms and a.thread not like 'id:%'
            join evidence e on e.attempt = a.id`,
            extent(without),
          )
        : [],
      people.length
        ? query(
            `unnest($1::text[], $2::bigint[], $3::bigint[]) as asked (person, from_ms, to_ms)
            join attempts a on a.person = asked.person and a.started_ms between asked.from_ms - ${LONGEST_MS} and asked.to_ms and a.last_ms >= asked.from_ms
            join evidence e on e.attempt = a.id`,
            extent(people),
          )
        : [],
      nameless.length
        ? query(
            `unnest($1::text[], $2::bigint[], $3::bigint[], $4::text[]) as asked (host, from_ms, to_ms, session)
            join attempts a on host_key(a.host) = host_key(asked.host) and a.session = asked.session
              and a.started_ms between asked.from_ms - ${LONGEST_MS} and asked.to_ms and a.last_ms >= asked.from_ms
            join evidence e on e.attempt = a.id`,
            [...extent(nameless.map(({ host, asked }) => [host, asked] as const)), nameless.map(({ session }) => session)],
          )
        : [],
    ])
    return knowledgeOf(threads, byId, again, others.flat())
  }

  async #everCame(): Promise<Came> {
    const [row] = await this.database.query<Came>(
      `select exists (select from attempts where thread not like 'id:%') or exists (select from attempts where mixed) as without,
        exists (select from attempts where thread like 'id:%' and id <> substr(thread, 4)) as "idUsedAgain"`,
    )
    return row ?? { without: true, idUsedAgain: true }
  }
}

/**
 * @param byId attempts of the ids of these threads
 * @param again others that sources call by these ids
 * @param others of the same people and sessions
 */
function knowledgeOf(
  threads: ReadonlyMap<string, Asked>,
  byId: readonly Found[],
  again: readonly Found[] = [],
  others: readonly Found[] = [],
): Pick<Knowledge, 'attempts' | 'called'> {
  // The id of an attempt long before or after may be used again: then that one is another. What has no begin of its own is of it, wherever there is no other.
  const near = new Set(again.map(({ thread }) => thread))
  const isOfThese = ({ id, thread, startedMs, lastMs }: Found) => {
    const asked = id === thread.slice(3) ? threads.get(thread) : undefined
    if (!asked || (startedMs <= asked.toMs + LONGEST_MS && lastMs >= asked.fromMs - LONGEST_MS)) return true
    return asked.fresh.length > 0 && !near.has(thread) && !asked.fresh.some(({ kind }) => kind === 'begin')
  }
  const known = new Map<string, Known>()
  const found = [...byId.filter(isOfThese), ...again, ...others]
  for (const { id, startedMs, observations } of found) if (!known.has(id)) known.set(id, { id, startedMs, observations: observations() })
  // Which logon has an id for its name; one of those that do not may have been found without it.
  const called = new Map<string, number>()
  for (const { id, thread, observations } of [...byId, ...found]) {
    const plain = hasId(thread) ? thread.slice(3) : null
    if (plain === id) called.set(id, beganMs(known.get(id)?.observations ?? observations()))
    else if (plain !== null && !called.has(plain)) called.set(plain, NaN)
  }
  return { attempts: [...known.values()], called }
}

/** The sessions of threads with something new: of which nobody is named, and, as threads that may wait for a name, those of which somebody is. */
function sessionsIn(threads: ReadonlyMap<string, Asked>): {
  readonly nameless: readonly { readonly host: string; readonly session: string; readonly asked: Asked }[]
  readonly named: readonly [thread: string, asked: Asked][]
} {
  const nameless: { host: string; session: string; asked: Asked }[] = []
  const named = new Map<string, Asked>()
  for (const asked of threads.values()) {
    const { host, session } = asked.fresh.find((one) => one.host && one.session) ?? {}
    if (!host || !session) continue
    if (asked.fresh.some(isNameless)) nameless.push({ host, session, asked })
    else named.set(sessionThread(host, session), { ...asked, fresh: [] })
  }
  return { nameless, named: [...named] }
}

/** The people of threads with something new, by the names under which their attempts may be kept: by account, or as the organisation calls them. */
function peopleIn(threads: ReadonlyMap<string, Asked>, org: Org): [person: string, asked: Asked][] {
  const find = finderOf(org)
  const people = new Map<string, Asked>()
  for (const { fresh, fromMs, toMs } of threads.values()) {
    const account = personOf(fresh)
    if (account === null) continue
    const known = find.person(account)
    for (const name of new Set([readAccount(account).key, ...(known ? [readAccount(known.id).key] : [])])) {
      const one = people.get(name)
      people.set(name, { fresh: [], fromMs: Math.min(fromMs, one?.fromMs ?? Infinity), toMs: Math.max(toMs, one?.toMs ?? -Infinity) })
    }
  }
  return [...people]
}
