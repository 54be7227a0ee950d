import { analyseCommand } from './analyse'
import { inspectCommand } from './inspect'
import { UsageError } from './usage'

const COMMANDS: Record<string, (args: string[]) => Promise<void>> = { analyse: analyseCommand, inspect: inspectCommand }

const HELP = `ikebana: why a logon was slow or failed

  ikebana analyse FILE… [--context org.json] [--format auto|ndjson|otlp] [--out json|csv|table] [--incidents]
      Reads logon evidence (also .gz; "-" is standard input) and writes one record per attempt.
  ikebana inspect FILE…
      Reads the structure of disk files and writes one JSON record a line.
`

const [name, ...args] = process.argv.slice(2)
const command = name === undefined ? undefined : COMMANDS[name]
process.stdout.on('error', (error: NodeJS.ErrnoException) => process.exit(error.code === 'EPIPE' ? 0 : 2))
if (!command) {
  const asked = name === undefined || name === '--help' || name === 'help'
  process[asked ? 'stdout' : 'stderr'].write(asked ? HELP : `ikebana: no command is called ${name}; try: ikebana --help\n`)
  process.exitCode = asked ? 0 : 2
} else {
  try {
    await command(args)
  } catch (error) {
    process.stderr.write(`ikebana: ${error instanceof Error ? error.message : String(error)}\n`)
    if (!(error instanceof UsageError)) process.stderr.write(error instanceof Error && process.env['DEBUG'] ? `${error.stack}\n` : '')
    process.exitCode = 2
  }
}
