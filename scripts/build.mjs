// Builds server, workers, command line, stand-ins and pages into dist/.
import { cpSync, rmSync } from 'node:fs'
import { bin, COMMON, must, ROOT } from './shared.mjs'

rmSync('dist', { recursive: true, force: true })
const { build } = await import('esbuild')
await build({
  ...COMMON,
  outdir: 'dist/server',
  entryPoints: {
    main: 'src/server/main.ts',
    'embedded-worker': 'src/server/db/embedded-worker.ts',
    'intake-worker': 'src/server/logons/intake-worker.ts',
    'look-worker': 'src/server/policies/look-worker.ts',
    'disk-worker': 'src/server/containers/disk-worker.ts',
  },
})
await build({
  ...COMMON,
  outdir: 'dist/cli',
  entryPoints: { main: 'src/cli/main.ts', 'explain-worker': 'src/cli/explain-worker.ts' },
  // With its packages in it, it starts a fifth sooner: they are a hundred files. Those that are not modules ask for what Node.js has.
  packages: 'bundle',
  banner: { js: `#!/usr/bin/env node\nimport { createRequire } from 'node:module'\nconst require = createRequire(import.meta.url)` },
})
await build({ ...COMMON, outfile: 'dist/standins/main.js', entryPoints: ['src/standins/main.ts'] })
cpSync('src/server/db/migrations', 'dist/server/migrations', { recursive: true })
// A new database folder takes many seconds to make, and its tables some more; copying one without rows takes a moment. The archive of it is for tests, which keep theirs in memory.
const { PGlite } = await import('@electric-sql/pglite')
const empty = await PGlite.create()
await build({ ...COMMON, outfile: 'dist/server/migrate.js', entryPoints: ['src/server/db/migrate.ts'] })
const { migrate } = await import(new URL('../dist/server/migrate.js', import.meta.url))
await migrate({ exec: (sql) => empty.exec(sql), query: async (sql, params) => (await empty.query(sql, params)).rows })
const tar = await empty.dumpDataDir('none')
const { writeFileSync } = await import('node:fs')
writeFileSync('dist/server/empty-database.tar', Buffer.from(await tar.arrayBuffer()))
await empty.close()
const folder = await PGlite.create({ dataDir: 'dist/server/empty-database', loadDataDir: tar })
await folder.exec('checkpoint')
await folder.close()
must(bin('vite'), ['build', '--logLevel', 'warn'], { cwd: ROOT })
