import { explain, Gatherer, type Attempt } from '../src/core/logons'
import { NdjsonReader } from '../src/core/formats'
import { larkmere } from '../src/standins/directory/larkmere'
import { history } from '../src/standins/fleet/history'
import { plant } from '../src/standins/fleet/troubles'

/** Reading and analysing NDJSON against bare JSON.parse of the same lines. */
const now = Date.UTC(2026, 10, 23, 13)
const company = larkmere()
const lines: string[] = []
for (const { observations } of history(company, plant(now, company.staff, company.hosts), { fromDay: 5, toDay: 0 }, now, 'Europe/Copenhagen'))
  for (const o of observations) lines.push(JSON.stringify({ ...o, time: new Date(o.timeMs).toISOString(), timeMs: undefined }))
const bytes = Buffer.from(lines.join('\n') + '\n')

function bare(): number {
  const begun = performance.now()
  let n = 0
  for (const line of bytes.toString('utf8').split('\n')) if (line !== '' && JSON.parse(line)) n++
  if (n !== lines.length) throw new Error('lines lost')
  return performance.now() - begun
}
function ours(analyse: boolean): number {
  const begun = performance.now()
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
  if (read !== lines.length) throw new Error('lines lost')
  if (analyse) {
    gatherer.end()
    attempts.sort((a, b) => a.startedAtMs - b.startedAtMs)
    let told = 0
    for (const { diagnosis } of explain(attempts)) told += diagnosis.cause ? 1 : 0
    if (told === 0) throw new Error('nothing explained')
  }
  return performance.now() - begun
}
/** In turns, so that a machine that slows down for a while slows all three. */
const rounds = Array.from({ length: 9 }, () => ({ parse: bare(), read: ours(false), all: ours(true) })).slice(2)
const middle = (numbers: number[]) => numbers.sort((a, b) => a - b)[numbers.length >> 1] ?? 0
const mb = bytes.length / 1e6
const row = (name: string, key: 'parse' | 'read' | 'all', aim = '') =>
  `  ${name.padEnd(18)} ${middle(rounds.map((r) => r[key]))
    .toFixed(0)
    .padStart(5)} ms  = ${middle(rounds.map((r) => r.parse / r[key])).toFixed(2)} of its speed${aim}`
console.log(
  `NDJSON, ${lines.length} lines, ${mb.toFixed(0)} MB; peer: JSON.parse of each line, ${((mb / middle(rounds.map((r) => r.parse))) * 1000).toFixed(0)} MB/s\n${row('JSON.parse alone', 'parse')}\n${row('read and checked', 'read')}\n${row('read and analysed', 'all', ' (aim 0.5)')}\n`,
)
