import { analyseAll, correlate, endOf, type Observation } from '../src/core/logons'
import { NdjsonReader } from '../src/core/formats'
import { larkmere } from '../src/standins/directory/larkmere'
import { history } from '../src/standins/fleet/history'
import { plant } from '../src/standins/fleet/troubles'

/** Reading and analysing NDJSON against bare JSON.parse of the same lines. */
const now = Date.UTC(2026, 10, 23, 13)
const company = larkmere()
const lines: string[] = []
for (const { observations } of history(company, plant(now, company.staff, company.hosts), { fromDay: 5, toDay: 0 }, now, 'Europe/Copenhagen')) for (const o of observations) lines.push(JSON.stringify({ ...o, time: o.timeMs, timeMs: undefined }))
const bytes = Buffer.from(lines.join('\n') + '\n')

function bare(): number {
  const begun = performance.now()
  let n = 0
  for (const line of bytes.toString('utf8').split('\n')) if (line !== '' && JSON.parse(line)) n++
  if (n !== lines.length) throw new Error('lines lost')
  return performance.now() - begun
}
function ours(): { readMs: number; allMs: number } {
  const begun = performance.now()
  const observations: Observation[] = []
  let newest = 0
  const reader = new NdjsonReader({ observation: (o) => { observations.push(o); newest = Math.max(newest, endOf(o)) }, fault: (fault) => { throw new Error(fault.reason) } })
  for (let at = 0; at < bytes.length; at += 1 << 20) reader.push(bytes.subarray(at, at + (1 << 20)))
  reader.end()
  const readMs = performance.now() - begun
  analyseAll(correlate(observations, newest).map(({ attempt }) => attempt))
  return { readMs, allMs: performance.now() - begun }
}
bare()
ours()
const parse = Math.min(bare(), bare(), bare())
const runs = [ours(), ours(), ours()]
const read = Math.min(...runs.map(({ readMs }) => readMs))
const all = Math.min(...runs.map(({ allMs }) => allMs))
const mb = bytes.length / 1e6
console.log(`NDJSON, ${lines.length} lines, ${mb.toFixed(0)} MB\n  JSON.parse alone   ${parse.toFixed(0)} ms  (${(mb / parse * 1000).toFixed(0)} MB/s)\n  read and checked   ${read.toFixed(0)} ms  = ${(parse / read).toFixed(2)} of its speed\n  read and analysed  ${all.toFixed(0)} ms  = ${(parse / all).toFixed(2)} of its speed (aim 0.5)\n`)
