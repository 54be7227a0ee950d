// Who asks this thread, and what the database answers, waits while it works: between the steps of its work they have their turn.
import { setImmediate as breathe } from 'node:timers/promises'
import {
  Around,
  blame,
  ClockWatch,
  conclude,
  concludeAlone,
  corrected,
  correlateThreads,
  countsForUsual,
  DEFAULT_SLOW_MS,
  FAR_MS,
  intoThreads,
  kindOf,
  type LastSaid,
  measure,
  nameBySession,
  neighbourOf,
  offIn,
  OrdinaryModel,
  place,
  saysUsual,
  tookByItself,
  type CohortFigures,
  type CohortFilter,
  type ClockOffset,
  type Explained,
  type HitHour,
  type Measured,
  type Neighbour,
  type Observation,
  type PhaseAsk,
  type PhaseFigures,
  type Place,
} from '../../core/logons'
import { EMPTY_ORG, inOneName, newlyKnown, type Names, type Org } from '../../core/people'
import type { Database } from '../db/database'
import { changesBetween, recentChanges } from '../journal/changes'
import { IncidentDesk, type FoundSince } from './incident-desk'
import { homesMark, HOUR_MS, loadHomes, loadOrg } from './model'
import { keepClocks, recallClocks } from './clocks'
import { DaysWithLogons } from './days-with-logons'
import { FewBefore } from './few-before'
import { asked, KnownAttempts, unusualBefore, type Again } from './known'
import { dropPictures, hoursWithoutPicture, keepPicture } from './pictures'
import { recallBeginnings, recallLastSaid, recallNeighbours, recallOrdinary } from './recall'
import { rollUp, takeBackUsual, type Counted } from './roll-ups'
import { filesOf, joinsOf, keepJoined, type Joins } from './joined'
import { withShortNames } from './short-names'
import { packAttempts, removeAttempts, writeAttempts, type PackedAttempts } from './store'
import { toStored, type Worked } from './stored'
import { UsualDays } from './usual-days'

export interface Ingested {
  readonly attempts: number
  /** So many of which had been told before. */
  readonly toldBefore: number
  /** The pools that the attempts were on, for whoever follows. */
  readonly pools: readonly string[]
}

export interface Reconsidered extends Ingested {
  /** What is known since it was last asked: scans found where containers lie. */
  readonly known: Names
}

/** What is to be written of one batch. */
interface Prepared {
  /** The #start at which it was prepared, where it rests on what may not have been written by then; else null. */
  readonly restsOn: number | null
  readonly worked: readonly Worked[]
  readonly packed: readonly PackedAttempts[]
  readonly knownIds: ReadonlySet<string>
  /** Attempts that turned out to be parts of others. */
  readonly gone: readonly string[]
  readonly joins: Joins
  readonly startedBefore: readonly number[]
  /** What those that were known counted for. */
  readonly countedSoFar: readonly Counted[]
  /** The clocks that are off, where that is news. */
  readonly clocks: readonly ClockOffset[] | null
  /** Attempts that were timed by clocks of which more is known now. */
  readonly mistimed: readonly Again[]
}

/** What belongs together, timed by clocks that agree. */
type Found = Pick<Worked, 'attempt' | 'thread' | 'observations' | 'clocks'>

const NOTHING_NEW: Names = { people: [], hosts: [], homes: [] }
/** Pages are asked for by somebody who waits. */
const YIELDS = { yields: true }
/** So many attempts are packed at a time. */
const PACKED_AT_ONCE = 500
/** So many attempts are timed again at most when a clock is found to be off. */
const MOST_AGAIN = 500
/** Unusual attempts no older than this are looked at again each time; older ones as often. */
const HINDSIGHT_EVERY_MS = 10 * 60_000
/** Changes of so far back are at hand (see recentChanges); those of before are asked for. */
const MONTH_MS = 31 * 24 * HOUR_MS

/**
 * The single writer of attempts. Observations go in; when the promise is fulfilled they are in the database, with everything that follows
 * from them. Taking the same observations twice changes nothing; late ones join the attempt that they belong to.
 */
export class Intake {
  #org: Org = EMPTY_ORG
  /** What was known when it was last said what is known only now. */
  #said: Org | null = null
  #homesMark = ''
  #slow: { default: number; byPool: ReadonlyMap<string, number> } = { default: DEFAULT_SLOW_MS, byPool: new Map() }
  readonly #usual: UsualDays
  #around = new Around()
  /** From which moment on the neighbours are known. */
  #aroundFromMs = Infinity
  #ordinary: OrdinaryModel | null = null
  #clocks: ClockWatch | null = null
  #lastSaid: LastSaid | null = null
  #inOneName: { readonly people: Org['people']; readonly of: ReturnType<typeof inOneName> } | null = null
  #days: DaysWithLogons
  #newestMs = 0
  /** When it was last looked at what is unusual of some hours before. */
  #hindsightMs = 0
  #turn: Promise<unknown> = Promise.resolve()
  /** What is being written, in the order in which it was analysed. */
  #writing: Promise<unknown> = Promise.resolve()
  #desk: IncidentDesk
  readonly #known: KnownAttempts
  /** How often all was forgotten, see #startAgain: what rests on something of before then is not to be written. */
  #start = 0

  constructor(private readonly database: Database) {
    this.#desk = this.#newDesk()
    this.#days = new DaysWithLogons(database)
    this.#usual = new UsualDays(
      database,
      () => this.#writing,
      (fromMs, toMs) => this.#days.any(fromMs, toMs),
    )
    this.#known = new KnownAttempts(database, (id, atMs) => this.#desk.surelyNew(id, atMs))
  }

  #newDesk(): IncidentDesk {
    return new IncidentDesk(this.database, (work) => this.#whenWritten(work))
  }

  /** In turn, and when everything before is written. */
  #whenWritten<T>(work: () => Promise<T>): Promise<T> {
    return this.#inTurn(async () => {
      await this.#writing
      return work()
    })
  }

  /** What a cohort comes to; null where not all of its window is in memory. */
  cohort(filter: CohortFilter): Promise<CohortFigures | null> {
    return Promise.resolve(this.#desk.cohort(filter))
  }

  /** What phases come to, an answer for each question; null where not all of a window is in memory. */
  phases(asked: readonly PhaseAsk[]): Promise<PhaseFigures[][] | null> {
    return Promise.resolve(this.#desk.phases(asked))
  }

  /** The incidents of a window, and single cases. */
  async incidents(fromMs: number, toMs: number): Promise<FoundSince> {
    return this.#desk.incidents(await this.#orgThen(fromMs, toMs), fromMs, toMs)
  }

  hoursOf(scope: readonly Place[], cause: string, fromMs: number, toMs: number): Promise<HitHour[]> {
    return this.#desk.hoursOf(this.#org, scope, cause, fromMs, toMs)
  }

  /** The organisation, with the changes that a window of long ago can have suffered from. */
  async #orgThen(fromMs: number, toMs: number): Promise<Org> {
    if (fromMs > Date.now() - MONTH_MS) return this.#org
    return { ...this.#org, changes: await changesBetween(this.database, fromMs - MONTH_MS, toMs) }
  }

  /** Changes, and where containers lie, are written by other wings; they are known here half a minute later. Says what is known now that was not known before. */
  async #lookForChanges(nowMs: number): Promise<Names> {
    const mark = await homesMark(this.database)
    if (mark !== this.#homesMark) {
      this.#homesMark = mark
      this.#org = { ...this.#org, containers: await loadHomes(this.database) }
    }
    const known = this.#knownNow()
    await this.#lookForRecentChanges(nowMs)
    this.#said = this.#org
    return known
  }

  /** What is known that was not known when this was last asked. */
  #knownNow(): Names {
    const said = this.#said
    this.#said = this.#org
    return said === null || said === this.#org ? NOTHING_NEW : newlyKnown(said, this.#org)
  }

  async #lookForRecentChanges(nowMs: number): Promise<void> {
    const changes = await recentChanges(this.database, nowMs)
    const known = this.#org.changes ?? []
    if (changes.length === known.length && changes.every(({ id }, i) => known[i]?.id === id)) return
    this.#org = { ...this.#org, changes }
    this.#desk.outdate()
  }

  #inTurn<T>(work: () => Promise<T>): Promise<T> {
    const result = this.#turn.then(work)
    this.#turn = result.catch(() => undefined)
    return result
  }

  /** The directory has told of the organisation: says what is known now that was not known before. */
  async takeOrganisation(): Promise<Names> {
    await this.refresh()
    return this.#knownNow()
  }

  /** Reads again what the organisation looks like and what counts as slow. */
  async refresh(): Promise<void> {
    this.#homesMark = await homesMark(this.database)
    this.#org = { ...(await loadOrg(this.database)), containers: await loadHomes(this.database) }
    this.#said ??= this.#org
    this.#desk.outdate()
    const [policy] = await this.database.query<{ settings: { slowSeconds: number; slowSecondsByPool: Record<string, number> } }>(
      'select settings from policy_versions order by version desc limit 1',
    )
    if (policy)
      this.#slow = {
        default: policy.settings.slowSeconds * 1000,
        byPool: new Map(Object.entries(policy.settings.slowSecondsByPool).map(([pool, s]) => [pool, s * 1000])),
      }
  }

  /** @param upload the evidence file that they came from, if any */
  ingest(observations: readonly Observation[], nowMs: number, upload: string | null = null): Promise<Ingested> {
    return this.#ingest(observations.map(withShortNames), [], nowMs, upload)
  }

  /**
   * Looks again at recent attempts whose story may have changed: still open ones that fell silent, and unusual ones that have new neighbours; now and then also at
   * those of some hours before.
   */
  async reconsider(nowMs: number): Promise<Reconsidered> {
    const { rows, known } = await this.#whenWritten(async () => {
      this.#desk.forget(nowMs)
      const known = await this.#lookForChanges(nowMs)
      const rows = await this.database.query<Again>(
        `select thread, started_ms as "atMs" from attempts where (outcome = 'open' and started_ms > $1) or (lost_ms > 0 and started_ms > $2)`,
        [nowMs - 6 * HOUR_MS, nowMs - HINDSIGHT_EVERY_MS],
      )
      const isDue = nowMs >= this.#hindsightMs + HINDSIGHT_EVERY_MS
      if (isDue) this.#hindsightMs = nowMs
      return { rows: isDue ? [...rows, ...(await unusualBefore(this.database, nowMs))] : rows, known }
    })
    return { ...(await this.#ingest([], rows, nowMs, null)), known }
  }

  /** Explains attempts again with what is known now. By start, the first ones first: those say what is usual for the others. */
  explainAnew(attempts: readonly Again[], nowMs: number): Promise<Ingested> {
    return this.#ingest([], attempts, nowMs, null)
  }

  /**
   * What these attempts said of the usual is forgotten. For those that were told of piece by piece: what is known of all of them only now would be unusual for ever,
   * by what was half known of the others.
   */
  async forgetUsual(ids: readonly string[]): Promise<void> {
    await this.#whenWritten(() => this.database.transaction((handle) => takeBackUsual(handle, ids), YIELDS))
    this.#usual.clear()
    this.#known.forget()
  }

  /** Draws the hours that are over and have no picture, the newest first, one in each turn so that evidence never waits long. */
  async keepPictures(nowMs: number): Promise<number> {
    const hours = await hoursWithoutPicture(this.database, nowMs)
    for (const hour of hours) await this.#whenWritten(() => keepPicture(this.database, hour))
    return hours.length
  }

  /**
   * In turn: what is known, and the analysis. Then, in the same order, what is to be written: while that goes on, the next ones are analysed already.
   */
  async #ingest(observations: readonly Observation[], again: readonly Again[], nowMs: number, upload: string | null): Promise<Ingested> {
    const { written, mistimed, ...result } = await this.#inTurn(async () => {
      const prepared = await this.#prepare(observations, again, nowMs, upload)
      const done = this.#writing.then(() => this.#write(prepared, upload))
      this.#writing = done.catch(() => this.#startAgain())
      return {
        written: { done },
        mistimed: prepared.mistimed,
        attempts: prepared.worked.length,
        toldBefore: prepared.knownIds.size,
        pools: [...new Set(prepared.worked.map(({ attempt }) => attempt.pool ?? ''))],
      }
    })
    await written.done
    if (mistimed.length > 0) await this.#ingest([], mistimed, nowMs, null)
    return result
  }

  async #prepare(came: readonly Observation[], again: readonly Again[], nowMs: number, upload: string | null): Promise<Prepared> {
    const start = this.#start
    const observations = this.#named(came)
    const threads = asked(observations, again)
    const { attempts: known, called, counted: countedSoFar, fromMemory } = await this.#known.of(threads, this.#org, () => this.#writing)
    const all = [...known.flatMap((one) => one.observations), ...observations]
    const named = nameBySession(all)
    const timed = correlateThreads(intoThreads(named), nowMs, called)
    await breathe()
    const watch = (this.#clocks ??= new ClockWatch(await recallClocks(this.database)))
    const mistimed = observations.length > 0 ? watch.take(timed) : null
    const found = timed.map(({ attempt, thread, observations }): Found => {
      const clocks = offIn(attempt, watch.off)
      return { attempt: place(corrected(attempt, clocks), this.#org), thread, observations, clocks }
    })
    found.sort((a, b) => a.attempt.startedAtMs - b.attempt.startedAtMs || (a.attempt.id < b.attempt.id ? -1 : 1))
    this.#lastSaid ??= await recallLastSaid(this.database)
    const filled = this.#lastSaid.fillAll(found.map(({ attempt }) => attempt))
    const knownIds = new Set(known.map(({ id }) => id))
    const joins = joinsOf(found, known, named)
    const worked = await this.#analyse(
      found.map((one, i) => ({ ...one, attempt: filled[i] ?? one.attempt })),
      knownIds,
      countedSoFar,
      joins.untouched,
      came.length === 0,
    )
    const ids = new Set(worked.map(({ attempt }) => attempt.id))
    const gone = [...knownIds].filter((id) => !ids.has(id))
    this.#desk.take(worked.map(({ explained }) => explained))
    this.#desk.remove(gone)
    this.#known.take(worked, gone)
    // Packed here, while the last ones are written there.
    const packed: PackedAttempts[] = []
    for (let at = 0; at < worked.length; at += PACKED_AT_ONCE) {
      await breathe()
      const batch = worked.slice(at, at + PACKED_AT_ONCE).map((one) => toStored(one, joins.untouched.has(one.attempt.id) ? null : upload))
      const replaced = batch.map(({ id }) => id).filter((id) => knownIds.has(id))
      packed.push(packAttempts(batch, replaced))
    }
    return {
      restsOn: fromMemory ? start : null,
      worked,
      packed,
      knownIds,
      gone,
      joins,
      startedBefore: known.map(({ startedMs }) => startedMs),
      countedSoFar,
      clocks: mistimed && [...watch.off.values()],
      mistimed: mistimed?.slice(0, MOST_AGAIN) ?? [],
    }
  }

  /** Whoever has several accounts, by one of them. */
  #named(observations: readonly Observation[]): readonly Observation[] {
    const { people } = this.#org
    if (this.#inOneName?.people !== people) this.#inOneName = { people, of: inOneName(this.#org) }
    const { of } = this.#inOneName
    return people.length === 0 ? observations : observations.map((one) => of(one))
  }

  async #write({ restsOn, worked, packed, gone, joins, startedBefore, countedSoFar, clocks }: Prepared, upload: string | null): Promise<void> {
    if (worked.length + gone.length === 0) return
    if (restsOn !== null && restsOn !== this.#start) throw new Error('what came just before it could not be written')
    await this.database.transaction(async (handle) => {
      const inherited = await filesOf(handle, joins.moved)
      // All is asked for before the first answer: each of them would wait until this thread has done what it is at.
      const asked: Promise<unknown>[] = []
      const ask = (work: Promise<unknown> | false | null) => {
        if (!work) return
        work.catch(() => undefined)
        asked.push(work)
      }
      ask(gone.length > 0 && removeAttempts(handle, gone))
      for (const some of packed) ask(writeAttempts(handle, some))
      ask(keepJoined(handle, [...inherited, ...(upload === null ? [] : joins.more.map((attempt) => ({ upload, attempt })))]))
      ask(rollUp(handle, countedSoFar, worked))
      ask(clocks && keepClocks(handle, clocks, this.#newestMs))
      ask(dropPictures(handle, [...startedBefore, ...worked.map(({ attempt }) => attempt.startedAtMs)]))
      await Promise.all(asked)
    }, YIELDS)
  }

  /** What could not be written is not known here either: everything that is held in memory is read again when it is needed. */
  #startAgain(): void {
    this.#start++
    this.#known.forget()
    this.#desk = this.#newDesk()
    this.#around = new Around()
    this.#aroundFromMs = Infinity
    this.#ordinary = null
    this.#clocks = null
    this.#lastSaid = null
    this.#days = new DaysWithLogons(this.database)
    this.#usual.clear()
  }

  /**
   * @param countedSoFar what the known ones counted for
   * @param untouched those that are only looked at again: what they report is among the ordinary already
   * @param anew they all are, mostly as they were unusual
   */
  async #analyse(
    found: readonly Found[],
    known: ReadonlySet<string>,
    countedSoFar: readonly Counted[],
    untouched: ReadonlySet<string>,
    anew: boolean,
  ): Promise<Worked[]> {
    const [first, last] = [found[0], found.at(-1)]
    if (!first || !last) return []
    const ordinary = (this.#ordinary ??= await recallOrdinary(this.database))
    await this.#days.read(() => this.#writing)
    // Sources may count smaller than milliseconds, the database does not.
    const firstMs = Math.floor(first.attempt.startedAtMs)
    await this.#recallAround(firstMs, Math.ceil(last.attempt.startedAtMs))
    this.#usual.begin()
    for (const { startedMs, took, saysUsual, pool, first, network, slot } of countedSoFar)
      if (saysUsual) this.#usual.count(startedMs, { pool, first, network, slot }, Int32Array.from(took), -1)
    const all: (Omit<Worked, 'explained' | 'counted'> & {
      readonly measured: Measured
      readonly counts: boolean
      readonly alone: Explained | null
    })[] = []
    const fresh: Neighbour[] = []
    const splits = found.map(({ attempt }) => ({ attempt, split: blame(attempt) }))
    const few = new FewBefore(anew ? [] : splits)
    for (const [i, one] of found.entries()) {
      const { attempt } = one
      const day = await this.#usual.of(attempt.startedAtMs)
      const kind = kindOf(attempt)
      const usual = few.usualFor(kind, [day.before.usualFor(kind), day.today.usualFor(kind)], () =>
        this.#usual.after(attempt.startedAtMs).map((model) => model.usualFor(kind)),
      )
      const measured = measure(attempt, usual, this.#slow.byPool.get(attempt.pool ?? '') ?? this.#slow.default, splits[i]?.split)
      const neighbour = neighbourOf(measured)
      if (known.has(attempt.id)) this.#around.replace(neighbour)
      else fresh.push(neighbour)
      if (!untouched.has(attempt.id)) ordinary.add(attempt)
      const counts = countsForUsual(measured) && !few.isIll(attempt)
      const alone = concludeAlone(measured)
      if (counts && alone) this.#usual.count(attempt.startedAtMs, kind, tookByItself(attempt, measured.blame))
      if (counts && alone && !untouched.has(attempt.id)) ordinary.parts.add(attempt)
      this.#newestMs = Math.max(this.#newestMs, Math.ceil(attempt.startedAtMs))
      all.push({ ...one, neighbour, measured, counts, alone })
    }
    // Only when all of them are each other's neighbours.
    this.#around.addAll(fresh)
    await breathe()
    const worked: Worked[] = []
    const org = await this.#orgThen(firstMs, Math.ceil(last.attempt.startedAtMs))
    for (const { attempt } of found) this.#days.add(attempt.startedAtMs)
    for (const { measured, counts, alone, ...one } of all) {
      const explained = alone ?? conclude(measured, this.#around, org, ordinary)
      const counted = saysUsual(explained, counts)
      worked.push({ ...one, explained, counted })
      // Those that may be ill are counted only now: too many would pass for usual to those after them until they are found to be.
      const { attempt } = one
      if (counted && !alone) this.#usual.count(attempt.startedAtMs, kindOf(attempt), tookByItself(attempt, explained.blame))
      if (counted && !alone && !untouched.has(attempt.id)) ordinary.parts.add(attempt)
    }
    if (this.#around.size > MOST_AROUND) this.#forgetAround(Math.max(firstMs, this.#newestMs) - FAR_MS)
    // Some days more: files that are read at the same time, and what is explained once more at the end of each, lie days apart.
    else this.#forgetAround(Math.min(firstMs, this.#newestMs) - 4 * FAR_MS)
    return worked
  }

  /** Neighbours that this thread has not seen itself, because it was started since or because older evidence comes later. */
  async #recallAround(firstMs: number, lastMs: number): Promise<void> {
    const fromMs = firstMs - FAR_MS
    if (fromMs >= this.#aroundFromMs) return
    if (this.#aroundFromMs === Infinity && this.#days.any(0, firstMs)) {
      await this.#writing
      this.#around.addBeginnings(await recallBeginnings(this.database, firstMs))
    }
    const toMs = Math.min(this.#aroundFromMs, lastMs + FAR_MS)
    if (this.#days.any(fromMs, toMs)) {
      await this.#writing
      this.#around.addAll(await recallNeighbours(this.database, fromMs, toMs))
    }
    this.#aroundFromMs = fromMs
  }

  #forgetAround(beforeMs: number): void {
    this.#around.forget(beforeMs)
    this.#aroundFromMs = Math.max(this.#aroundFromMs, beforeMs)
  }
}

/** More neighbours than these are not kept, however far apart evidence is. */
const MOST_AROUND = 200_000
