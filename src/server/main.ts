import { resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { CannotStart } from './shell/cannot-start'
import { startServer } from './shell/start'

/** The server process. Its settings are environment variables, listed in docs/running.md. */
const env = process.env
const demo = env['IKEBANA_DEMO'] === '1'
const server = await startServer({
  config: {
    organisation: env['IKEBANA_ORGANISATION'] ?? (demo ? 'Larkmere Ferries' : ''),
    timeZone: env['IKEBANA_TIME_ZONE'] ?? 'Europe/Copenhagen',
    demo,
    dataFolder: resolve(env['IKEBANA_DATA'] ?? '.data'),
  },
  port: Number(env['PORT'] ?? 4040),
  host: env['HOST'] ?? '127.0.0.1',
  databaseUrl: env['DATABASE_URL'],
  fleetUrl: env['IKEBANA_FLEET'] ?? 'http://127.0.0.1:4041',
  token: env['IKEBANA_TOKEN'] ?? '',
  webFolder: fileURLToPath(new URL('../web', import.meta.url)),
}).catch((error: unknown) => {
  if (!(error instanceof CannotStart)) throw error
  process.stderr.write(`${error.message}\n`)
  process.exit(1)
})
process.stdout.write(`ikebana listens on ${server.address}\n`)
if (server.code !== null) process.stdout.write(`there is no account yet: make the first one at ${server.address}/first?code=${server.code}\n`)
let stopping = false
const stop = () => {
  if (stopping) return
  stopping = true
  server.close().then(
    () => process.exit(0),
    () => process.exit(1),
  )
}
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, stop)
// Whoever started it and listens to it is gone. (What a terminal sends that is closed is left alone: under nohup it must not stop a server.)
process.on('disconnect', stop)
if (process.channel === null) stop()
