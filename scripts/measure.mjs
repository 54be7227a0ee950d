// npm run measure:diagnosis: how often the diagnosis is right, on invented companies whose truth is known. Options: see bench/diagnosis.ts
import { bin, install, run } from './shared.mjs'

install()
process.exit(run(bin('tsx'), ['bench/diagnosis.ts', ...process.argv.slice(2)]))
