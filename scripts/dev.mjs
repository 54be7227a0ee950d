// npm run dev: server and stand-ins from the last build on a throw-away folder, pages from source with reload on port 5173.
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { spawn } from 'node:child_process'
import { bin, build, install, ROOT } from './shared.mjs'

install()
build()
const data = mkdtempSync(join(tmpdir(), 'ikebana-dev-'))
const children = [
  spawn(process.execPath, ['scripts/demo.mjs', '--data', data, '--people', '600', '--days', '5'], { cwd: ROOT, stdio: 'inherit' }),
  spawn(bin('vite'), [], { cwd: ROOT, stdio: 'inherit' }),
]
const stop = () => {
  for (const child of children) child.kill('SIGTERM')
}
process.on('SIGINT', stop)
process.on('SIGTERM', stop)
process.on('exit', () => rmSync(data, { recursive: true, force: true }))
