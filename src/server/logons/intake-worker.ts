import { workerData } from 'node:worker_threads'
import type { UploadState } from '../../contract/logons'
import type { Fault } from '../../core/formats'
import type { CohortFilter, Observation, PhaseAsk, Place } from '../../core/logons'
import { openLink } from '../db/link'
import type { DatabaseLink } from '../db/open'
import { answerQuestions } from '../shell/worker'
import { EventLog, Refusal } from '../../core/formats'
import { eventLogNeeds, keepSids } from './event-maps'
import { readEvidence } from './evidence-file'
import { chunkBytes, inStep } from './evidence-files'
import { Intake } from './intake'
import { unusualBefore, type Again } from './known'
import { filesOf } from './lot'

/** The thread in which evidence is read and analysed. One message in, one answer out; uploads report on the way. */
export type IntakeAsk =
  | { op: 'ingest'; observations: Observation[]; nowMs: number }
  | { op: 'upload'; path: string; upload: string; nowMs: number }
  | { op: 'cancel'; upload: string }
  | { op: 'reconsider'; nowMs: number }
  | { op: 'anew'; attempts: readonly Again[]; nowMs: number }
  | { op: 'incidents'; fromMs: number; toMs: number }
  | { op: 'hours'; scope: readonly Place[]; cause: string; fromMs: number; toMs: number }
  | { op: 'cohort'; filter: CohortFilter }
  | { op: 'phases'; asked: readonly PhaseAsk[] }
  | { op: 'refresh' }
  | { op: 'organisation' }

export interface UploadProgress {
  upload: string
  bytesRead: number
  observations: number
  refused: number
  attempts: number
  faults: UploadState['faults']
  /** Events of persons whom nothing named yet; and how many persons this file named. */
  unnamed: number
  named: number
}

const database = openLink((workerData as { link: DatabaseLink }).link)
const intake = new Intake(database)
await intake.refresh()
const cancelled = new Set<string>()

/** Observations taken at once from a file: large enough to be quick, small enough to leave room for live evidence in between. */
const CHUNK = 3000
/** Refused records that are kept for download; beyond them only the count goes on. */
const KEPT_FAULTS = 5_000
/** Told of before, so many logons and a twentieth are explained once more when all of a lot has been read; so many at a time. */
const MANY_AGAIN = 20
const AGAIN_AT_ONCE = 2000
/** With more logons at the time of such evidence, only those are that it told of. */
const MOST_AGAIN = 50_000
/** Evidence from the future is a wrong clock. */
const AHEAD_MS = 24 * 3_600_000

async function upload(path: string, id: string, nowMs: number): Promise<UploadProgress> {
  const progress: UploadProgress = { upload: id, bytesRead: 0, observations: 0, refused: 0, attempts: 0, faults: [], unnamed: 0, named: 0 }
  let pending: Observation[] = []
  /** @param file which of several */
  const refuse = (fault: Fault, file: string | null = null) => {
    progress.refused++
    if (fault.code === 'event.nobody') progress.unnamed++
    if (progress.faults.length < KEPT_FAULTS) progress.faults.push(file === null ? fault : { file, ...fault })
  }
  // The next records are read and analysed while the last ones are written.
  let [before, writing]: Promise<void>[] = [Promise.resolve(), Promise.resolve()]
  let [attempts, toldBefore] = [0, 0]
  const take = async () => {
    const batch = pending
    pending = []
    await before
    before = writing
    if (batch.length === 0) return
    writing = intake.ingest(batch, nowMs, id).then((came) => {
      progress.observations += batch.length
      attempts += came.attempts
      toldBefore += came.toldBefore
    })
    writing.catch(() => undefined)
  }
  const sinkOf = (file: string | null) => ({
    observation: (observation: Observation) => {
      if (observation.timeMs > nowMs + AHEAD_MS)
        refuse(
          {
            line: null,
            byte: null,
            code: 'record.future',
            reason: `time is ${new Date(observation.timeMs).toISOString()}, more than a day ahead; is a clock wrong?`,
            excerpt: JSON.stringify(observation).slice(0, 200),
          },
          file,
        )
      else pending.push(observation)
    },
    fault: (fault: Fault) => {
      refuse(fault, file)
    },
  })
  const { rules, accounts } = await eventLogNeeds(database)
  const events = new EventLog(sinkOf(null), rules, accounts)
  const files = await filesOf(path)
  await inStep(files, async (file, turn) => {
    const name = files.length > 1 ? file.name : null
    let bytesBefore = 0
    try {
      await readEvidence(file.path, 'auto', sinkOf(name), {
        events,
        chunkBytes: chunkBytes(files.length),
        progress: async (bytes, ms) => {
          stopWhereCancelled(id)
          progress.bytesRead += bytes - bytesBefore
          bytesBefore = bytes
          if (pending.length >= CHUNK) await take()
          tell({ ...progress, faults: progress.faults.slice(0, 20) })
          await turn(ms)
        },
      })
    } catch (error) {
      // One that cannot be read at all loses nothing of the others.
      if (!(error instanceof Refusal) || files.length === 1) throw error
      refuse({ line: null, byte: null, code: error.code, reason: error.message, excerpt: '' }, name)
    }
  })
  events.end()
  progress.named = await keepSids(database, events.learnt, accounts)
  await take()
  await before
  await writing
  await explainAgain(id, nowMs, toldBefore > MANY_AGAIN && toldBefore > attempts / 20)
  return progress
}

function stopWhereCancelled(id: string): void {
  if (cancelled.has(id)) throw new Error('cancelled')
}

/**
 * What was unusual is explained once more when all has been read, also of shortly before: those who came after it say as much of it as those before. Where evidence told of many logons piece
 * by piece, the first ones were explained by what was half known of the others: then all are, also those of the same time of which it told nothing. What all of these said
 * of the usual is forgotten first: a source that only some logons pass would else make them unusual for ever.
 */
async function explainAgain(id: string, nowMs: number, all: boolean): Promise<void> {
  const touched = 'select id from attempts where upload = $1 union select attempt from joined where upload = $1'
  const told = await database.query<Again & { id: string }>(
    `select a.id, a.thread, a.started_ms as "atMs" from (${touched}) t join attempts a on a.id = t.id where $2 or a.lost_ms > 0 order by a.started_ms`,
    [id, all],
  )
  const [first, last] = [told[0]?.atMs ?? 0, told.at(-1)?.atMs ?? 0]
  const theirTime = all
    ? await database.query<Again & { id: string }>(
        `select id, thread, started_ms as "atMs" from attempts where started_ms >= $1 and started_ms <= $2 order by started_ms limit ${MOST_AGAIN + 1}`,
        [first, last],
      )
    : []
  const [begun] = await database.query<{ ms: number | null }>(`select min(a.started_ms) as ms from (${touched}) t join attempts a on a.id = t.id`, [
    id,
  ])
  const before = all || !begun || begun.ms === null ? [] : await unusualBefore(database, begun.ms)
  const theirs = theirTime.length > MOST_AGAIN || theirTime.length === 0 ? told : theirTime
  for (let at = 0; all && at < theirs.length; at += AGAIN_AT_ONCE) {
    stopWhereCancelled(id)
    await intake.forgetUsual(theirs.slice(at, at + AGAIN_AT_ONCE).map((one) => one.id))
  }
  const again: readonly Again[] = [...before.reverse(), ...theirs]
  for (let at = 0; at < again.length; at += AGAIN_AT_ONCE) {
    stopWhereCancelled(id)
    await intake.explainAnew(again.slice(at, at + AGAIN_AT_ONCE), nowMs)
  }
}

let keeping = false
async function keepPictures(nowMs: number): Promise<void> {
  if (keeping) return
  keeping = true
  await intake.keepPictures(nowMs).catch(() => undefined)
  keeping = false
}

async function answer(ask: IntakeAsk): Promise<unknown> {
  if (ask.op === 'ingest') return intake.ingest(ask.observations, ask.nowMs)
  if (ask.op === 'upload') return upload(ask.path, ask.upload, ask.nowMs)
  if (ask.op === 'reconsider') {
    void keepPictures(ask.nowMs)
    return intake.reconsider(ask.nowMs)
  }
  if (ask.op === 'anew') return intake.explainAnew(ask.attempts, ask.nowMs)
  if (ask.op === 'incidents') return intake.incidents(ask.fromMs, ask.toMs)
  if (ask.op === 'hours') return intake.hoursOf(ask.scope, ask.cause, ask.fromMs, ask.toMs)
  if (ask.op === 'cohort') return intake.cohort(ask.filter)
  if (ask.op === 'phases') return intake.phases(ask.asked)
  if (ask.op === 'refresh') return intake.refresh()
  if (ask.op === 'organisation') return intake.takeOrganisation()
  cancelled.add(ask.upload)
  return null
}

const tell = answerQuestions<IntakeAsk, UploadProgress>(answer)
