import { closeSync, createWriteStream, mkdtempSync, openSync, readSync, rmSync, writeSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { Gatherer, MOST_WAITING, personHash, sessionHash, Sessions, threadHash, type Attempt, type Given, type Observation } from '../core/logons'
import { Sorted, type Follower } from './sorted'

/** So many attempts stay in memory (about 80 MB); beyond, they go to a temporary folder. */
const MOST_IN_MEMORY = 12_000
/** Late observations are read again in so many parts, one after another. */
const PARTS = 64

type Read = (observation: (observation: Observation) => void) => Promise<void>

export interface Gathered {
  readonly attempts: Iterable<Attempt>
  /** Whether whoever follows has all of them already. */
  readonly followed: boolean
  readonly dispose: () => void
}

/**
 * The attempts of evidence of any size, by start, in bounded memory.
 * @param read reads all the evidence from its beginning; called a second time where observations of an attempt lie far apart in it
 * @param follower is told of them while more are read, where there are many and they come in order; stopped where it turns out that they do not
 * @param most attempts in memory, and observations waiting, at most; for tests
 */
export async function attemptsOf(read: Read, follower?: Follower, most = { inMemory: MOST_IN_MEMORY, waiting: MOST_WAITING }): Promise<Gathered> {
  const { path: folder, dispose } = temporaryFolder()
  try {
    const kept = new Sorted(folder, most.inMemory, follower)
    const gatherer = new Gatherer((given) => {
      kept.add(given)
    }, most.waiting)
    await read((observation) => {
      gatherer.add(observation)
      if (kept.isFull) kept.settle(gatherer.late.size > 0 ? -Infinity : gatherer.waitingFromMs())
    })
    gatherer.end()
    const { late, newestMs, unnamed, anyNameless } = gatherer
    // Of an attempt that holds what came without its id, all that is its person's is read again.
    if (late.size > 0) for (const { thread, person, mixed } of kept.all()) if (mixed && late.has(thread)) late.add(person)
    const sessions = anyNameless ? sessionsOf(kept, late, unnamed) : null
    const named: Read = sessions
      ? (take) =>
          read((one) => {
            take(sessions.name(one))
          })
      : read
    const followed = kept.end(late.size === 0)
    if (late.size > 0) await readAgain(named, late, newestMs, folder, kept)
    return { attempts: attemptsIn(kept.inOrder(), late), followed, dispose }
  } catch (error) {
    dispose()
    throw error
  }
}

/**
 * Who had which session, as the attempts tell now: for what is read again, and for what nobody was named in when it was asked. What can be named by that is late, and
 * whoever it is of.
 */
function sessionsOf(kept: Sorted, late: Set<number>, unnamed: ReadonlySet<number>): Sessions {
  const sessions = new Sessions()
  const learn = (fits: (given: Given) => boolean) => {
    for (const given of kept.all()) {
      const { account, host, session, startedAtMs, totalMs } = given.attempt
      if (fits(given)) sessions.add(account, host, session, startedAtMs, startedAtMs + totalMs)
    }
  }
  learn(({ attempt }) => unnamed.has(sessionHash(attempt)))
  for (const { attempt, thread } of kept.all()) {
    if (!unnamed.has(thread)) continue
    const person = sessions.whoHad(attempt.host ?? '', attempt.session ?? '', attempt.startedAtMs)
    if (person === null) continue
    late.add(thread)
    late.add(personHash({ person }))
  }
  // All that is theirs is read again, also what was named at once.
  learn(({ person }) => late.has(person))
  return sessions
}

/** Those that were not put together too early. */
function* attemptsIn(all: Iterable<Given>, late: ReadonlySet<number>): Generator<Attempt> {
  for (const { attempt, thread, person } of all) if (!late.has(thread) && !late.has(person)) yield attempt
}

/** All observations of the late threads, sorted into parts on disk, and each part put together for itself. What may meet is in one part. */
async function readAgain(read: Read, late: ReadonlySet<number>, newestMs: number, folder: string, kept: Sorted): Promise<void> {
  const people = new Map<number, number>()
  for (const { thread, person } of kept.all()) if (thread !== person && late.has(person)) people.set(thread, person)
  const parts = Array.from({ length: PARTS }, (_, i) => new Lines(join(folder, `part-${i}`)))
  await read((observation) => {
    const thread = threadHash(observation)
    const person = people.get(thread) ?? personHash(observation)
    const together = late.has(person) ? person : thread
    if (late.has(together)) parts[together % PARTS]?.write(JSON.stringify(observation))
  })
  for (const part of parts) {
    const whole = new Gatherer(
      (given) => {
        kept.add({ ...given, thread: READ_AGAIN, person: READ_AGAIN })
      },
      Infinity,
      newestMs,
    )
    for (const line of part.read()) {
      whole.add(JSON.parse(line) as Observation)
      if (kept.isFull) kept.settle(-Infinity)
    }
    whole.end()
  }
}

/** The hash of no thread. */
const READ_AGAIN = -2

/** A temporary file of lines: written first, then read, both through one small buffer. */
class Lines {
  #waiting: string[] = []
  #waitingLength = 0
  #begun = false

  constructor(private readonly path: string) {}

  write(line: string): void {
    this.#waiting.push(line, '\n')
    this.#waitingLength += line.length
    if (this.#waitingLength > 1 << 18) this.#flush()
  }

  *read(): Generator<string> {
    if (!this.#begun) return yield* this.#waiting.filter((line) => line !== '\n')
    this.#flush()
    const file = openSync(this.path, 'r')
    try {
      const buffer = Buffer.alloc(1 << 18)
      const decoder = new TextDecoder()
      let rest = ''
      for (let read = readSync(file, buffer); read > 0; read = readSync(file, buffer)) {
        const lines = (rest + decoder.decode(buffer.subarray(0, read), { stream: true })).split('\n')
        rest = lines.pop() ?? ''
        yield* lines
      }
    } finally {
      closeSync(file)
    }
  }

  #flush(): void {
    const file = openSync(this.path, 'a')
    writeSync(file, this.#waiting.join(''))
    closeSync(file)
    this.#waiting = []
    this.#waitingLength = 0
    this.#begun = true
  }
}

/** Standard input can be read only once: it is kept in a temporary file. */
export async function keepStandardInput(): Promise<{ readonly path: string; readonly dispose: () => void }> {
  const { path: folder, dispose } = temporaryFolder()
  const path = join(folder, 'standard-input')
  await pipeline(process.stdin, createWriteStream(path))
  return { path, dispose }
}

/** A folder that is gone when the process is: at its end, when whoever reads our output leaves, or when it is interrupted. */
function temporaryFolder(): { readonly path: string; readonly dispose: () => void } {
  let path = ''
  const remove = () => {
    // What is just being opened in it may come in between.
    if (path !== '') rmSync(path, { recursive: true, force: true, maxRetries: 3 })
  }
  const interrupted = () => process.exit(130)
  process.once('exit', remove)
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, interrupted)
  // Only now: an interruption right after it would leave it behind.
  path = mkdtempSync(join(tmpdir(), 'ikebana-'))
  return {
    path,
    dispose: () => {
      remove()
      process.off('exit', remove)
      for (const signal of ['SIGINT', 'SIGTERM'] as const) process.off(signal, interrupted)
    },
  }
}
