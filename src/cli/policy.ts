import { once } from 'node:events'
import { createReadStream } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { createInterface } from 'node:readline'
import { parseArgs } from 'node:util'
import { parse } from 'yaml'
import { OrgFile } from '../contract/org'
import {
  checkPromises,
  compareSets,
  compile,
  factsOf,
  healthOf,
  readContext,
  readSet,
  resolve,
  setSchema,
  simplify,
  whatWouldChange,
  type PolicySet,
} from '../core/policies'
import { EMPTY_ORG, type Org } from '../core/people'
import { UsageError } from './usage'

const USAGE =
  'try: ikebana policy check|diff|effective --set set.json [--with other.json] [--org org.json] [--contexts contexts.ndjson] [--at 2026-11-24T05:40:00+01:00]'

/** `ikebana policy`: reads a set of policies (JSON or YAML) and checks it, compares it with another, or says what results for contexts. */
export async function policyCommand(args: string[]): Promise<void> {
  const [what, ...rest] = args
  if (what === 'schema') return print(setSchema())
  const { values } = options(rest)
  if (what !== 'check' && what !== 'diff' && what !== 'effective')
    throw new UsageError(what === undefined ? USAGE : `policy ${what} is not known; ${USAGE}`)
  if (values.set === undefined) throw new UsageError(`--set is missing; ${USAGE}`)
  const nowMs = values.at === undefined ? Date.now() : Date.parse(values.at)
  if (!Number.isFinite(nowMs)) throw new UsageError('--at: expected a moment such as 2026-11-24T05:40:00+01:00')
  const org = values.org === undefined ? EMPTY_ORG : await readOrg(values.org)
  if (what === 'check') return check(values.set, org, nowMs)
  const set = await readWhole(values.set)
  if (what === 'diff') {
    if (values.with === undefined) throw new UsageError(`--with is missing; ${USAGE}`)
    const other = await readWhole(values.with)
    const { groups, people, decided } = whatWouldChange(set, other, org, { nowMs })
    return print({ differences: compareSets(set, other), effect: { decided, people, groups } })
  }
  if (values.contexts === undefined) throw new UsageError(`--contexts is missing; ${USAGE}`)
  await effective(set, org, values.contexts, nowMs)
}

async function check(file: string, org: Org, nowMs: number): Promise<void> {
  const { set, faults, leftOut } = readSet(await readAny(file))
  print({
    ok: faults.every(({ weight }) => weight !== 'wrong'),
    faults,
    leftOut,
    promises: checkPromises(set, org, nowMs),
    findings: healthOf(set, org, nowMs),
    simpler: simplify(set, org, nowMs).map(({ sentence, policy }) => ({ policy, sentence })),
  })
  if (faults.some(({ weight }) => weight === 'wrong')) process.exitCode = 1
}

/** One record per context; what is no context is told with its line, and loses nothing around it. */
async function effective(set: PolicySet, org: Org, file: string, nowMs: number): Promise<void> {
  const compiled = compile(set)
  const ready = factsOf(org)
  const source = file === '-' ? process.stdin : createReadStream(file)
  const failed = once(source, 'error').then(([error]: Error[]) => {
    throw new UsageError(`${file}: ${error?.message ?? 'cannot be read'}`)
  })
  let line = 0
  const read = async () => {
    for await (const text of createInterface({ input: source, crlfDelay: Infinity })) {
      line++
      if (text.trim() === '') continue
      const context = json(text)
      const reading = context === undefined ? { ok: false as const, sentence: 'This is no JSON.' } : readContext(context, nowMs)
      if (!reading.ok) {
        process.stderr.write(`${file}:${line}: ${reading.sentence}\n`)
        continue
      }
      const { settings } = resolve(compiled, ready(reading.facts))
      const record = {
        context,
        settings: Object.fromEntries(
          settings.map(({ setting, value, winner, parts, losers, idle }) => [
            setting,
            {
              value,
              winner,
              ...(parts.length > 1 ? { parts } : {}),
              losers: losers.map(({ policy, reason }) => ({ policy, reason: reason.code, sentence: reason.sentence })),
              ...(idle ? { idle: idle.sentence } : {}),
            },
          ]),
        ),
      }
      if (!process.stdout.write(JSON.stringify(record) + '\n')) await once(process.stdout, 'drain')
    }
  }
  await Promise.race([read(), failed])
}

const print = (value: unknown) => void process.stdout.write(JSON.stringify(value, null, 2) + '\n')

function json(text: string): unknown {
  try {
    return JSON.parse(text) as unknown
  } catch {
    return undefined
  }
}

/** A file as JSON, or as YAML where that is what it is. */
async function readAny(file: string): Promise<unknown> {
  const text = await readFile(file, 'utf8').catch((error: Error) => {
    throw new UsageError(`${file}: ${error.message}`)
  })
  const found = json(text)
  if (found !== undefined) return found
  try {
    return parse(text) as unknown
  } catch (error) {
    throw new UsageError(`${file}: neither JSON nor YAML: ${error instanceof Error ? (error.message.split('\n')[0] ?? '') : ''}`)
  }
}

/** A set in which nothing is wrong; unknown settings are told and kept. */
async function readWhole(file: string): Promise<PolicySet> {
  const { set, faults } = readSet(await readAny(file))
  const wrong = faults.filter(({ weight }) => weight === 'wrong')
  if (wrong[0])
    throw new UsageError(
      `${file}: ${wrong[0].path}: ${wrong[0].sentence}${wrong.length > 1 ? ` And ${wrong.length - 1} more: see ikebana policy check.` : ''}`,
    )
  for (const { path, sentence } of faults) process.stderr.write(`${file}: ${path}: ${sentence}\n`)
  return set
}

async function readOrg(file: string): Promise<Org> {
  const reading = OrgFile.safeParse(await readAny(file))
  if (reading.success) return reading.data
  const [issue] = reading.error.issues
  throw new UsageError(`${file}: ${issue?.path.join('.') ?? ''}: ${issue?.message ?? 'not as expected'}`)
}

function options(args: string[]) {
  try {
    return parseArgs({
      args,
      options: { set: { type: 'string' }, with: { type: 'string' }, org: { type: 'string' }, contexts: { type: 'string' }, at: { type: 'string' } },
    })
  } catch (error) {
    throw new UsageError(error instanceof Error ? error.message : 'options not understood')
  }
}
