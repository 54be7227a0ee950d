// Makes the WebAssembly of line-scanner.as.ts, and writes it where core reads it. Run it when that file has changed.
//   --check   only says whether it was forgotten
import { readFileSync, writeFileSync } from 'node:fs'
import { compileString } from 'assemblyscript/asc'

const from = 'src/core/formats/line-scanner.as.ts'
const to = 'src/core/formats/line-scanner.wasm.ts'

const { error, stderr, binary } = await compileString(
  { 'line-scanner.ts': readFileSync(from, 'utf8') },
  { optimizeLevel: 3, shrinkLevel: 0, runtime: 'stub', enable: ['simd'], noAssert: true, initialMemory: 16 },
)
if (error || !binary) throw new Error(`${from}: ${stderr.toString()}`)
const code = `/** What scripts/wasm.mjs makes of line-scanner.as.ts. */\nexport const WASM =\n  '${Buffer.from(binary).toString('base64')}'\n`
if (!process.argv.includes('--check')) writeFileSync(to, code)
else if (readFileSync(to, 'utf8') !== code) throw new Error(`${from} has changed since ${to} was made of it: node scripts/wasm.mjs`)
