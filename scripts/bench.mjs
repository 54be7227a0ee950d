// npm run bench: every benchmark as a ratio against a peer in the same run.
import { spawnSync } from 'node:child_process'
import { cpus } from 'node:os'
import { bin, build, install, ROOT } from './shared.mjs'

install()
build()
console.log(`${cpus()[0]?.model ?? 'processor'}, ${cpus().length} cores, Node.js ${process.version}\n`)
for (const file of [
  'bench/analyse.ts',
  'bench/events.ts',
  'bench/incidents.ts',
  'bench/memory.ts',
  'bench/inspect.ts',
  'bench/access.ts',
  'bench/folders.ts',
  'bench/scan.ts',
  'bench/policies.ts',
  'bench/screens.ts',
])
  spawnSync(bin('tsx'), ['--expose-gc', file, ...process.argv.slice(2)], { cwd: ROOT, stdio: 'inherit' })
