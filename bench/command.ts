import { spawn } from 'node:child_process'
import { createWriteStream, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { once } from 'node:events'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { larkmere } from '../src/standins/directory/larkmere'
import { history } from '../src/standins/fleet/history'
import { plant } from '../src/standins/fleet/troubles'
import { middle } from './turns'

/**
 * `ikebana analyse`, from its start to its last record, on a small and a large file. Its memory: the peer is that on the small one. Its time: the peer is a program that
 * reads the same file and parses its lines, in turns.
 */
const ROUNDS = 3
const DAY_MS = 86_400_000
const now = Date.UTC(2026, 10, 23, 13)
const company = larkmere()
const lines: string[] = []
for (const { observations } of history(company, plant(now, company.staff, company.hosts), { fromDay: 5, toDay: 0 }, now, 'Europe/Copenhagen'))
  for (const o of observations) lines.push(JSON.stringify({ time: o.timeMs, ...o, timeMs: undefined }))
const folder = mkdtempSync(join(tmpdir(), 'ikebana-bench-'))

/** Six days, over and over: other ids, six days on each time. */
async function write(path: string, megabytes: number): Promise<number> {
  const file = createWriteStream(path)
  let bytes = 0
  for (let copy = 0; bytes < megabytes * 1e6; copy++) {
    for (let at = 0; at < lines.length; at += 5000) {
      const text =
        lines
          .slice(at, at + 5000)
          .map((line) =>
            line
              .replace(/^\{"time":(\d+)/, (_, time: string) => `{"time":${Number(time) + copy * 6 * DAY_MS}`)
              .replace('"attempt":"', `"attempt":"${copy}-`),
          )
          .join('\n') + '\n'
      bytes += text.length
      if (!file.write(text)) await once(file, 'drain')
    }
  }
  file.end()
  await once(file, 'finish')
  return bytes
}

/** One program on one file, what it says going nowhere: how long it took, and its largest memory. */
async function measured(args: readonly string[]): Promise<{ mb: number; ms: number }> {
  const begun = performance.now()
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'ignore', 'inherit'] })
  let mb = 0
  const timer = setInterval(() => {
    mb = Math.max(mb, memoryOf(child.pid))
  }, 100)
  const [code] = (await once(child, 'exit')) as [number]
  clearInterval(timer)
  if (code !== 0) throw new Error(`${args.join(' ')} ended with ${code}`)
  return { mb, ms: performance.now() - begun }
}

/** The most that a process has had so far, in megabytes; 0 once it is gone. */
function memoryOf(pid: number | undefined): number {
  try {
    return Number(/VmHWM:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1000
  } catch {
    return 0
  }
}

try {
  // In megabytes; others can be given.
  const given = process.argv.slice(2).map(Number)
  const sizes = given.length > 0 ? given : [100, 1000]
  const rows: string[] = []
  let first = 0
  for (const size of sizes) {
    const path = join(folder, `${size}.ndjson`)
    const bytes = await write(path, size)
    const rounds: { mb: number; ms: number; peerMs: number }[] = []
    for (let i = 0; i < ROUNDS; i++) {
      const { ms: peerMs } = await measured(['bench/peers/parse-lines.mjs', path])
      rounds.push({ ...(await measured(['dist/cli/main.js', 'analyse', path])), peerMs })
    }
    const mb = Math.max(...rounds.map((round) => round.mb))
    const seconds = middle(rounds.map(({ ms }) => ms / 1000))
    const ratio = middle(rounds.map(({ ms, peerMs }) => peerMs / ms))
    first ||= mb
    rows.push(
      `  ${(bytes / 1e6).toFixed(0).padStart(5)} MB of evidence  ${mb.toFixed(0).padStart(4)} MB at most  = ${(mb / first).toFixed(2)} of the small one; ${seconds.toFixed(1).padStart(5)} s  = ${ratio.toFixed(2)} of the peer's speed`,
    )
    rmSync(path)
  }
  console.log(`ikebana analyse, middle of ${ROUNDS} rounds; peer: reading the file and JSON.parse of its lines\n${rows.join('\n')}\n`)
} finally {
  rmSync(folder, { recursive: true, force: true })
}
