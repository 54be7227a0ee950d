import { accessCommand } from './access'
import { analyseCommand } from './analyse'
import { inspectCommand } from './inspect'
import { policyCommand } from './policy'
import { UsageError } from './usage'

const COMMANDS: Record<string, (args: string[]) => Promise<void>> = {
  access: accessCommand,
  analyse: analyseCommand,
  inspect: inspectCommand,
  policy: policyCommand,
}

const HELP = `ikebana: why a logon was slow or failed

  ikebana analyse FILE… [--context org.json] [--format auto|ndjson|csv|otlp] [--out json|csv|table] [--incidents]
      Reads logon evidence (also .gz; "-" is standard input) and writes one record per attempt.
  ikebana inspect FILE…
      Reads the structure of disk files and writes one JSON record a line.
  ikebana access --sddl DESCRIPTOR --sids S-1-…,S-1-… [--domain S-1-…]
      What whoever has these SIDs may do with a file or folder that has this descriptor, and why.
  ikebana policy check --set set.json [--org org.json]
      What is wrong in a set of policies (JSON or YAML), whether its promises hold, what is odd, what could be simpler.
  ikebana policy diff --set set.json --with other.json [--org org.json]
      What differs between two sets, and for whom.
  ikebana policy schema
      The JSON Schema of such a set.
  ikebana policy effective --set set.json --contexts contexts.ndjson [--org org.json]
      For each context every setting with its value, the policy that won, and why the others lost.
`

const given = process.argv.slice(2)
const [name, ...args] = given
const command = name === undefined ? undefined : COMMANDS[name]
process.stdout.on('error', (error: NodeJS.ErrnoException) => process.exit(error.code === 'EPIPE' ? 0 : 2))
/** What comes after "--" is no option, whatever it is called. */
const options = given.includes('--') ? given.slice(0, given.indexOf('--')) : given
const asksForHelp = name === undefined || name === 'help' || options.includes('--help') || options.includes('-h')
if (asksForHelp) process.stdout.write(HELP)
else if (!command) {
  process.stderr.write(`ikebana: no command is called ${name}; try: ikebana --help\n`)
  process.exitCode = 2
} else {
  try {
    await command(args)
  } catch (error) {
    process.stderr.write(`ikebana: ${error instanceof Error ? error.message : String(error)}\n`)
    if (!(error instanceof UsageError)) process.stderr.write(error instanceof Error && process.env['DEBUG'] ? `${error.stack}\n` : '')
    process.exitCode = 2
  }
}
