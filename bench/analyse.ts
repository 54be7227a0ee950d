import { fileURLToPath } from 'node:url'
import { explain, Gatherer, type Attempt } from '../src/core/logons'
import { NdjsonReader } from '../src/core/formats'
import { larkmere } from '../src/standins/directory/larkmere'
import { history } from '../src/standins/fleet/history'
import { plant } from '../src/standins/fleet/troubles'
import { inTurns, middle, serve } from './turns'

/** Reading and analysing NDJSON against bare JSON.parse of the same lines. */
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
  for (const hasCause of explain(attempts, ({ diagnosis }) => diagnosis.cause !== null)) told += Number(hasCause)
  if (told === 0) throw new Error('nothing explained')
  return read
}

function runHere(kind: Kind): void {
  const { bytes, lines } = evidence()
  serve({ lines, mb: bytes.length / 1e6 }, () => {
    const read = kind === 'parse' ? parse(bytes) : ours(bytes, kind === 'all')
    if (read !== lines) throw new Error('lines lost')
  })
}

async function report(): Promise<void> {
  const { about, rounds } = await inTurns<Kind, { lines: number; mb: number }>(fileURLToPath(import.meta.url), KINDS, { rounds: ROUNDS, warm: WARM })
  const least = (kind: Kind) => Math.min(...rounds.map((round) => round[kind]))
  const row = (name: string, kind: Kind, aim = '') => {
    const ratio = middle(rounds.map((round) => round.parse / round[kind]))
    const ms = middle(rounds.map((round) => round[kind]))
    return `  ${name.padEnd(18)} ${ms.toFixed(0).padStart(5)} ms (best ${least(kind).toFixed(0).padStart(4)})  = ${ratio.toFixed(2)} of its speed (best to best ${(least('parse') / least(kind)).toFixed(2)})${aim}`
  }
  console.log(`NDJSON, ${about.lines} lines, ${about.mb.toFixed(0)} MB; peer: JSON.parse of each line. Middle of ${ROUNDS} rounds
${row('JSON.parse alone', 'parse')}
${row('read and checked', 'read')}
${row('read and analysed', 'all', '; aim 0.6')}
`)
}

const kind = KINDS.find((one) => one === process.argv[2])
if (kind) runHere(kind)
else await report()
