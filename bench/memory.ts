import { spawn } from 'node:child_process'
import { createWriteStream, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { once } from 'node:events'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { larkmere } from '../src/standins/directory/larkmere'
import { history } from '../src/standins/fleet/history'
import { plant } from '../src/standins/fleet/troubles'

/** The largest memory of `ikebana analyse` on a small and on a large file; the peer is the small one. */
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

async function peak(path: string): Promise<{ mb: number; seconds: number }> {
  const begun = performance.now()
  const child = spawn(process.execPath, ['dist/cli/main.js', 'analyse', path], { stdio: ['ignore', 'ignore', 'inherit'] })
  let mb = 0
  const timer = setInterval(() => {
    const found = /VmHWM:\s+(\d+) kB/.exec(
      (() => {
        try {
          return readFileSync(`/proc/${child.pid}/status`, 'utf8')
        } catch {
          return ''
        }
      })(),
    )
    if (found) mb = Math.max(mb, Number(found[1]) / 1000)
  }, 100)
  const [code] = (await once(child, 'exit')) as [number]
  clearInterval(timer)
  if (code !== 0) throw new Error(`analyse ended with ${code}`)
  return { mb, seconds: (performance.now() - begun) / 1000 }
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
    const { mb, seconds } = await peak(path)
    first ||= mb
    rows.push(
      `  ${(bytes / 1e6).toFixed(0).padStart(5)} MB of evidence  ${mb.toFixed(0).padStart(4)} MB at most  = ${(mb / first).toFixed(2)} of the small one  (${seconds.toFixed(0)} s)`,
    )
    rmSync(path)
  }
  console.log(`Memory of ikebana analyse\n${rows.join('\n')}\n`)
} finally {
  rmSync(folder, { recursive: true, force: true })
}
