// npm run bench: every benchmark as a ratio against a peer in the same run.
import { spawnSync } from 'node:child_process'
import { cpus } from 'node:os'
import { basename } from 'node:path'
import { build, COMMON, install, ROOT } from './shared.mjs'

install()
build()
const { build: esbuild } = await import('esbuild')
console.log(`${cpus()[0]?.model ?? 'processor'}, ${cpus().length} cores, Node.js ${process.version}\n`)
for (const file of [
  'bench/analyse.ts',
  'bench/events.ts',
  'bench/incidents.ts',
  'bench/command.ts',
  'bench/inspect.ts',
  'bench/access.ts',
  'bench/folders.ts',
  'bench/scan.ts',
  'bench/policies.ts',
  'bench/screens.ts',
])
  await run(file)

/** Built as the product is, and run as it is: what runs from sources is slower. */
async function run(file) {
  const outfile = `dist/server/bench-${basename(file, '.ts')}.js`
  await esbuild({ ...COMMON, entryPoints: [file], outfile })
  spawnSync(process.execPath, ['--expose-gc', outfile, ...process.argv.slice(2)], { cwd: ROOT, stdio: 'inherit' })
}
