import { once } from 'node:events'
import { readdir, readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { OrgFile } from '../contract/org'
import { EventLog, type Fault } from '../core/formats'
import { EMPTY_ORG, inOneName, readAccount } from '../core/people'
import { clockSays, type Observation } from '../core/logons'
import { textOf } from './analyse-text'
import { attemptsOf, keepStandardInput } from './attempts'
import { EVIDENCE_FORMATS, readEvidence } from '../server/logons/evidence-file'
import { chunkBytes, inStep } from '../server/logons/evidence-files'
import { readEventMapFile } from './event-map'
import { ExplainedApart } from './explain-apart'
import { UsageError } from './usage'

/** `ikebana analyse`: evidence in, one record per attempt (or per incident) out. See docs/formats/command-line.md. */
export async function analyseCommand(args: string[]): Promise<void> {
  const { positionals, values } = options(args)
  if (positionals.length === 0) throw new UsageError('no file given; try: ikebana analyse FILE…')
  const asked = { out: oneOf('out', values.out ?? 'json', ['json', 'csv', 'table']), incidents: values.incidents ?? false }
  const format = oneOf('format', values.format ?? 'auto', EVIDENCE_FORMATS)
  const org = values.context === undefined ? undefined : await readOrg(values.context)

  const rules = values.map === undefined ? [] : (await Promise.all(values.map.map(readEventMapFile))).flat()
  const oneName = inOneName(org ?? EMPTY_ORG)
  const accounts = new Map((org?.people ?? []).flatMap((person) => sidsOf(person).map((sid) => [sid, person.id] as const)))

  const input = positionals.includes('-') ? await keepStandardInput() : null
  const named = (await Promise.all(positionals.map(filesIn))).flat()
  const files = named.map((file) => (file === '-' && input ? input.path : file))
  const faults = new Faults(new Map(files.map((file, i) => [file, named[i] ?? file])))
  const apart = new ExplainedApart(asked, org)
  try {
    const gathered = await attemptsOf(async (observation) => {
      const again = faults.readBefore
      const sinkOf = (file: string) => ({
        observation: (one: Observation) => {
          faults.records++
          observation(oneName(one))
        },
        fault: (fault: Fault) => {
          if (!again) faults.add(file, fault)
        },
      })
      // Event logs of several machines and channels belong together: one names whom the others speak of.
      const events = new EventLog(sinkOf(''), rules, accounts, true)
      await inStep(files, (file, turn) =>
        readEvidence(file, format, sinkOf(file), { events, chunkBytes: chunkBytes(files.length), progress: (_, ms) => turn(ms) }),
      )
      events.end()
      if (again) return
      faults.end()
      sayOfNameless(events.namedBySid.size)
    }, apart)
    faults.nothingRead()
    if (gathered.followed) {
      const { pieces, clocks } = await apart.told()
      clocks.forEach(sayOfClock)
      await put(pieces)
    } else
      await put(
        textOf(gathered.attempts, asked, org, (clocks) => {
          for (const offset of clocks.values()) sayOfClock(clockSays(offset))
        }),
      )
    gathered.dispose()
  } finally {
    apart.stop()
    input?.dispose()
  }
}

/** The security identifiers of a person: given as such, or among their accounts. */
function sidsOf({ sid, accounts = [] }: OrgFile['people'][number]): string[] {
  return [...(sid ? [sid] : []), ...accounts.filter((account) => readAccount(account).form === 'sid')].map((one) => one.toUpperCase())
}

/** A file is itself; a folder is the files in it, by name. */
async function filesIn(path: string): Promise<string[]> {
  const found = path === '-' ? null : await stat(path).catch(() => null)
  if (!found?.isDirectory()) return [path]
  const entries = await readdir(path, { withFileTypes: true })
  const files = entries.filter((entry) => entry.isFile() && !entry.name.startsWith('.')).map((entry) => join(path, entry.name))
  if (files.length === 0) throw new UsageError(`${path}: the folder has no files in it`)
  return files.sort()
}

/** What was refused: the first ones are said, all are counted. */
class Faults {
  readBefore = false
  count = 0
  /** What was not refused. */
  records = 0
  #first: Fault | null = null

  constructor(private readonly names: ReadonlyMap<string, string>) {}

  add(file: string, fault: Fault): void {
    this.#first ??= fault
    if (++this.count <= MOST_SAID)
      process.stderr.write(`${file === '' ? '' : `${this.names.get(file) ?? file}${fault.line === null ? '' : `:${fault.line}`}: `}${fault.reason}\n`)
  }

  end(): void {
    this.readBefore = true
    if (this.count > MOST_SAID) process.stderr.write(`… and ${this.count - MOST_SAID} more records refused\n`)
  }

  /** Says so where no record could be read. */
  nothingRead(): void {
    if (this.records > 0) return
    if (!this.#first) process.stderr.write('there are no records in it\n')
    else
      throw new UsageError(
        `nothing could be read: ${this.count === 1 ? 'the one record was refused' : `${this.count} records were refused, the first`} because ${this.#first.reason}`,
      )
  }
}
const MOST_SAID = 20

function options(args: string[]) {
  try {
    return parseArgs({
      args,
      allowPositionals: true,
      options: {
        context: { type: 'string' },
        format: { type: 'string' },
        out: { type: 'string' },
        incidents: { type: 'boolean' },
        map: { type: 'string', multiple: true },
      },
    })
  } catch (error) {
    throw new UsageError(error instanceof Error ? error.message : 'options not understood')
  }
}

function oneOf<T extends string>(name: string, value: string, allowed: readonly T[]): T {
  const found = allowed.find((one) => one === value)
  if (found === undefined) throw new UsageError(`--${name} is ${value}; expected ${allowed.join(', ')}`)
  return found
}

async function readOrg(path: string): Promise<OrgFile> {
  let value: unknown
  try {
    value = JSON.parse(await readFile(path, 'utf8'))
  } catch (error) {
    throw new UsageError(`${path}: ${error instanceof SyntaxError ? 'not valid JSON' : 'cannot be read'}`)
  }
  const parsed = OrgFile.safeParse(value)
  if (parsed.success) return parsed.data
  const issue = parsed.error.issues[0]
  throw new UsageError(`${path}: ${issue?.path.join('.') ?? ''} ${issue?.message ?? 'not as expected'}`)
}

function sayOfNameless(people: number): void {
  if (people > 0)
    process.stderr.write(
      `${people === 1 ? '1 person goes' : `${people} people go`} by the SID: a log that names them, as that of security, or --context, would say who they are\n`,
    )
}

const sayOfClock = (said: string) => process.stderr.write(`${said}: what it timed was put right\n`)

async function put(pieces: Iterable<Uint8Array> | AsyncIterable<Uint8Array>): Promise<void> {
  for await (const piece of pieces) if (piece.length > 0 && !process.stdout.write(piece)) await once(process.stdout, 'drain')
}
