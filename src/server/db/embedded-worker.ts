import { parentPort, workerData, type MessagePort } from 'node:worker_threads'
import { Attention } from './attention'
import { openEmbedded } from './embedded'
import { sweep } from './sweep'
import { serveDatabase } from './wire'

/** The thread that holds the embedded database, so that a long query never stops the thread that answers requests. */
const { folder, attention } = workerData as { folder: string; attention: SharedArrayBuffer }
const pages = new Attention(attention)
const port = parentPort
if (!port) throw new Error('runs only as a worker')
const database = await openEmbedded(folder)

let serve: (port: MessagePort) => void = () => undefined
const turns = serveDatabase(
  database,
  (accept) => {
    serve = accept
  },
  () => pages.any,
)
port.on('message', (message: { open: MessagePort } | { close: true }) => {
  if ('open' in message) serve(message.open)
  else
    void database
      .exec('checkpoint')
      .then(() => database.close())
      .finally(() => port.postMessage({ closed: true }))
})
// The embedded engine neither checkpoints nor sweeps on its own.
const quietly = (work: Promise<void>) => {
  work.catch((error: unknown) => process.stderr.write(`care of the database: ${String(error)}\n`))
}
setInterval(() => quietly(turns.take(() => database.exec('checkpoint'), true)), 60_000).unref()
setInterval(() => quietly(sweep(database, turns)), 600_000).unref()
port.postMessage({ ready: true })
