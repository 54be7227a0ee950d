import { randomUUID } from 'node:crypto'
import { createWriteStream } from 'node:fs'
import { mkdir, readdir, rm, stat } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import type { Readable } from 'node:stream'
import { Problem } from '../../contract/errors'
import type { UploadState } from '../../contract/logons'
import { countSay } from '../../core/stats/count'
import { TOKEN } from '../admins/gate'
import { writeJournal } from '../journal/store'
import type { Context } from '../shell/context'
import type { UploadProgress } from './intake-worker'
import { fileName } from './lot'

const BY_TOKEN = `author like '${TOKEN}%'`
const COLUMNS = `id, name, author, ${BY_TOKEN} as "byToken", state, bytes, bytes_read as "bytesRead", observations, refused, attempts, joined, started_ms as "startedMs", ended_ms as "endedMs", first_ms as "firstMs", last_ms as "lastMs", sentence, faults`

/** A file on its way. @property name as the sender called it; only its last part is kept */
export interface SentFile {
  readonly stream: Readable
  readonly name: string
}

const shownName = (name: string): string =>
  basename(name.replaceAll('\\', '/'))
    .replaceAll(/[^\p{L}\p{N}._ -]/gu, '_')
    .slice(0, 120) || 'evidence'

/** So many files are kept for a name to come. */
const MOST_WAITING = 20

/** Evidence files: kept on disk while they are read, told of while they are, forgotten on disk afterwards. */
export class Uploads {
  readonly #live = new Map<string, UploadProgress>()
  /** Files are read again one after another. */
  #again: Promise<void> = Promise.resolve()

  constructor(private readonly context: Pick<Context, 'config' | 'database' | 'evidence' | 'live' | 'now'>) {}

  get #folder(): string {
    return join(this.context.config.dataFolder, 'uploads')
  }

  /**
   * Reads again, from their beginning and one after another, the files that a stop of the server cut off: that changes nothing but what had not been read. Whatever else
   * lies in the folder is of no use.
   * @returns when it is known which they are; `done` when all are read
   */
  async takeUp(): Promise<{ readonly done: Promise<void> }> {
    const cut = await this.context.database.query<{ id: string; name: string; author: string }>(
      `select id, name, author from uploads where state = 'reading' order by started_ms`,
    )
    const there: string[] = await readdir(this.#folder).catch(() => [])
    const wanted = [...cut, ...(await this.#waiting())]
    for (const file of there) if (!wanted.some(({ id }) => id === file)) await rm(join(this.#folder, file), { recursive: true, force: true })
    const read = async () => {
      for (const { id, name, author } of cut)
        if (there.includes(id)) await this.#begin(join(this.#folder, id), id, name, author)
        else
          await this.#end(
            id,
            'failed',
            'Ikebana was stopped while it read this file, and the file is gone. Send it again; what had been read was kept.',
          )
    }
    return { done: read() }
  }

  /**
   * Takes files that were given together, and reads them together: event logs of several machines say of each other whom they speak of, and whose clock is off.
   * @throws where nothing was sent, or the sending broke off
   */
  async take(files: AsyncIterable<SentFile> | Iterable<SentFile>, author: string): Promise<UploadState> {
    const { database, now } = this.context
    const id = randomUUID()
    const path = join(this.#folder, id)
    await mkdir(path, { recursive: true })
    const names: string[] = []
    let size = 0
    try {
      for await (const { stream, name } of files) {
        const shown = shownName(name)
        const file = join(path, fileName(names.length, shown))
        await pipeline(stream, createWriteStream(file))
        names.push(shown)
        size += (await stat(file)).size
      }
      if (names.length === 0) throw new Problem('request.invalid', 'No file was sent.')
    } catch (error) {
      // Half a file is of no use: whoever sent it sends it again.
      await rm(path, { recursive: true, force: true })
      throw error
    }
    const shown = names.length === 1 ? (names[0] ?? '') : `${names[0]} and ${names.length - 1} more`
    await database.query(
      `insert into uploads (id, name, author, state, bytes, bytes_read, observations, refused, attempts, started_ms, faults) values ($1, $2, $3, 'reading', $4, 0, 0, 0, 0, $5, '[]')`,
      [id, shown, author, size, now()],
    )
    void this.#begin(path, id, shown, author)
    return (await this.state(id)) as UploadState
  }

  async #begin(path: string, id: string, name: string, author: string): Promise<void> {
    await this.#read(path, id, name, author).finally(() => {
      this.#live.delete(id)
      this.context.live.tell('upload', { id })
      this.context.live.tell('attempts')
    })
  }

  progress(progress: UploadProgress): void {
    this.#live.set(progress.upload, progress)
    this.context.live.tell('upload', { id: progress.upload })
  }

  async state(id: string): Promise<UploadState | null> {
    const [row] = await this.context.database.query<UploadState>(`select ${COLUMNS} from uploads where id = $1`, [id])
    const live = row?.state === 'reading' ? this.#live.get(id) : undefined
    return row
      ? {
          ...row,
          ...(live ? { bytesRead: live.bytesRead, observations: live.observations, refused: live.refused } : {}),
          faults: row.faults.slice(0, 100),
        }
      : null
  }

  async faults(id: string): Promise<UploadState['faults'] | null> {
    const [row] = await this.context.database.query<{ faults: UploadState['faults'] }>('select faults from uploads where id = $1', [id])
    return row?.faults ?? null
  }

  /** The last ones, those of people and those of tokens: a source that sends one a minute must not push aside what somebody gave. */
  async list(): Promise<UploadState[]> {
    const rows = await this.context.database.query<UploadState>(
      `select ${COLUMNS.replace('faults', `'[]'::jsonb as faults`)}
      from (select *, row_number() over (partition by ${BY_TOKEN} order by started_ms desc) as place from uploads) u where place <= 50 order by started_ms desc`,
    )
    return rows.map((row) => ({ ...row, ...(this.#live.get(row.id) ? { bytesRead: this.#live.get(row.id)?.bytesRead ?? 0 } : {}) }))
  }

  async #read(path: string, id: string, name: string, author: string): Promise<void> {
    const { database, evidence, now } = this.context
    let waits = false
    const end = (state: UploadState['state'], sentence: string) => this.#end(id, state, sentence)
    try {
      const result = await evidence.upload(path, id, now())
      const waiting = (await this.#waiting()).filter((one) => one.id !== id).length
      waits = result.unnamed > 0 && waiting < MOST_WAITING
      await database.query('update uploads set bytes_read = bytes, observations = $2, refused = $3, faults = $4::jsonb, unnamed = $5 where id = $1', [
        id,
        result.observations,
        result.refused,
        JSON.stringify(result.faults),
        waits ? result.unnamed : 0,
      ])
      await end(result.observations === 0 ? 'failed' : 'done', cameOf(result, waits))
      if (result.named > 0) void this.readAgain(id)
      await writeJournal(database, {
        atMs: now(),
        who: author,
        what: 'read evidence file',
        target: name,
        after: `${countSay(result.observations)} records read, ${countSay(result.refused)} refused`,
      })
    } catch (error) {
      const cancelled = error instanceof Error && error.message === 'cancelled'
      await database.query('update uploads set unnamed = 0 where id = $1', [id])
      await end(
        cancelled ? 'cancelled' : 'failed',
        cancelled
          ? 'Stopped on request. What had been read was kept.'
          : `Reading stopped: ${error instanceof Error ? error.message : String(error)}. What had been read was kept.`,
      )
    } finally {
      if (!waits) await rm(path, { recursive: true, force: true })
    }
  }

  async #end(id: string, state: UploadState['state'], sentence: string): Promise<void> {
    await this.context.database.query(
      `update uploads set state = $2, sentence = $3, ended_ms = $4, attempts = s.n, joined = s.joined, first_ms = s.first_ms, last_ms = s.last_ms
        from (select count(*) filter (where own) as n, count(*) filter (where not own) as joined, min(started_ms) as first_ms, max(started_ms) as last_ms
          from (select started_ms, true as own from attempts where upload = $1
            union all select a.started_ms, false from joined j join attempts a on a.id = j.attempt where j.upload = $1) told) s where id = $1`,
      [id, state, sentence, this.context.now()],
    )
  }

  /** Event logs that speak of persons whom nothing named yet. */
  async #waiting(): Promise<{ id: string; name: string; author: string }[]> {
    return this.context.database.query('select id, name, author from uploads where unnamed > 0 order by started_ms')
  }

  /**
   * Somebody was named: the files that waited for names are read again, one after another. Reading a file twice changes nothing but what is known better by now.
   * @param named the file that named them, where it was one
   */
  readAgain(named: string | null = null): Promise<void> {
    const read = async () => {
      const there: string[] = await readdir(this.#folder).catch(() => [])
      for (const { id, name, author } of await this.#waiting()) {
        if (id === named || !there.includes(id)) continue
        // A stop meanwhile: it is read at the next start.
        await this.context.database.query(`update uploads set state = 'reading', bytes_read = 0 where id = $1`, [id])
        await this.#begin(join(this.#folder, id), id, name, author)
      }
    }
    this.#again = this.#again.then(read).catch(() => undefined)
    return this.#again
  }
}

/** What came of reading a file, in a sentence or two. */
function cameOf({ observations, refused, unnamed, faults, bytesRead }: UploadProgress, waits: boolean): string {
  const waiting = waits
    ? ` ${unnamed === 1 ? 'One of its events speaks' : `${countSay(unnamed)} of its events speak`} of somebody whom nothing names yet: the file is kept, and read again when another file or the directory does.`
    : ''
  if (observations === 0) {
    const [first] = faults
    const why =
      (first && (first.file === undefined ? first.reason : `${first.file}: ${first.reason}`)) ??
      (bytesRead === 0 ? 'the file is empty' : 'nothing in it says whose logon it is of; give the logs of a machine together')
    return `Nothing could be read: ${why}.${waiting}`
  }
  const were = (n: number) => (n === 1 ? 'was' : 'were')
  return refused > 0
    ? `${countSay(observations)} ${observations === 1 ? 'record was' : 'records were'} read, ${countSay(refused)} ${were(refused)} refused.${waiting}`
    : observations === 1
      ? 'The one record was read.'
      : `All ${countSay(observations)} records were read.`
}
