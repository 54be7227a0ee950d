import { fork, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { fileURLToPath } from 'node:url'
import { explain, Gatherer, type Attempt } from '../src/core/logons'
import { NdjsonReader } from '../src/core/formats'
import { larkmere } from '../src/standins/directory/larkmere'
import { history } from '../src/standins/fleet/history'
import { plant } from '../src/standins/fleet/troubles'

/**
 * Reading and analysing NDJSON against bare JSON.parse of the same lines. Each has a process of its own, so that none pays for what another left behind, and they
 * run in turns, so that a machine that slows down for a while slows all of them.
 */
const KINDS = ['parse', 'read', 'all'] as const
type Kind = (typeof KINDS)[number]
const [ROUNDS, WARM] = [15, 3]

function evidence(): { readonly bytes: Buffer; readonly lines: number } {
  const now = Date.UTC(2026, 10, 23, 13)
  const company = larkmere()
  const lines: string[] = []
  for (const { observations } of history(company, plant(now, company.staff, company.hosts), { fromDay: 5, toDay: 0 }, now, 'Europe/Copenhagen'))
    for (const o of observations) lines.push(JSON.stringify({ ...o, time: new Date(o.timeMs).toISOString(), timeMs: undefined }))
  return { bytes: Buffer.from(lines.join('\n') + '\n'), lines: lines.length }
}

function parse(bytes: Buffer): number {
  let n = 0
  for (const line of bytes.toString('utf8').split('\n')) if (line !== '' && JSON.parse(line)) n++
  return n
}

function ours(bytes: Buffer, analyse: boolean): number {
  let read = 0
  const attempts: Attempt[] = []
  const gatherer = new Gatherer(({ attempt }) => attempts.push(attempt))
  const reader = new NdjsonReader({
    observation: (o) => {
      read++
      if (analyse) gatherer.add(o)
    },
    fault: (fault) => {
      throw new Error(fault.reason)
    },
  })
  for (let at = 0; at < bytes.length; at += 1 << 20) reader.push(bytes.subarray(at, at + (1 << 20)))
  reader.end()
  if (!analyse) return read
  gatherer.end()
  attempts.sort((a, b) => a.startedAtMs - b.startedAtMs)
  let told = 0
  for (const { diagnosis } of explain(attempts)) told += diagnosis.cause ? 1 : 0
  if (told === 0) throw new Error('nothing explained')
  return read
}

function runHere(kind: Kind): void {
  const { bytes, lines } = evidence()
  process.on('message', () => {
    const begun = performance.now()
    const read = kind === 'parse' ? parse(bytes) : ours(bytes, kind === 'all')
    if (read !== lines) throw new Error('lines lost')
    process.send?.({ ms: performance.now() - begun })
  })
  process.send?.({ lines, mb: bytes.length / 1e6 })
}

async function runInTurns(): Promise<void> {
  const runs = new Map<Kind, ChildProcess>()
  let about = { lines: 0, mb: 0 }
  for (const kind of KINDS) {
    const run = fork(fileURLToPath(import.meta.url), [kind])
    about = ((await once(run, 'message')) as [typeof about])[0]
    runs.set(kind, run)
  }
  const rounds: Record<Kind, number>[] = []
  for (let i = 0; i < WARM + ROUNDS; i++) {
    const round = { parse: 0, read: 0, all: 0 }
    for (const [kind, run] of runs) {
      run.send('run')
      round[kind] = ((await once(run, 'message')) as [{ ms: number }])[0].ms
    }
    if (i >= WARM) rounds.push(round)
  }
  for (const run of runs.values()) run.disconnect()
  const sorted = (numbers: number[]) => numbers.sort((a, b) => a - b)
  const row = (name: string, kind: Kind, aim = '') => {
    const times = sorted(rounds.map((round) => round[kind]))
    const ratios = sorted(rounds.map((round) => round.parse / round[kind]))
    const [best = 0, middle = 0] = [times[0], times[ROUNDS >> 1]]
    const least = Math.min(...rounds.map(({ parse: ms }) => ms))
    return `  ${name.padEnd(18)} ${middle.toFixed(0).padStart(5)} ms (best ${best.toFixed(0).padStart(4)})  = ${(ratios[ROUNDS >> 1] ?? 0).toFixed(2)} of its speed (best to best ${(least / best).toFixed(2)})${aim}`
  }
  console.log(`NDJSON, ${about.lines} lines, ${about.mb.toFixed(0)} MB; peer: JSON.parse of each line. Middle of ${ROUNDS} rounds
${row('JSON.parse alone', 'parse')}
${row('read and checked', 'read')}
${row('read and analysed', 'all', '; aim 0.6')}
`)
}

const kind = KINDS.find((one) => one === process.argv[2])
if (kind) runHere(kind)
else await runInTurns()
