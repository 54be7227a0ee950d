import { parentPort, workerData, type MessagePort } from 'node:worker_threads'
import { Attention } from './attention'
import { openEmbedded } from './embedded'
import { serveDatabase } from './wire'

/** The thread that holds the embedded database, so that a long query never stops the thread that answers requests. */
const { folder, attention } = workerData as { folder: string; attention: SharedArrayBuffer }
const pages = new Attention(attention)
const port = parentPort
if (!port) throw new Error('runs only as a worker')
const database = await openEmbedded(folder)

let serve: (port: MessagePort) => void = () => undefined
serveDatabase(
  database,
  (accept) => {
    serve = accept
  },
  () => pages.any,
)
port.on('message', (message: { open: MessagePort } | { checkpoint: true } | { close: true }) => {
  if ('open' in message) serve(message.open)
  else if ('close' in message)
    void database
      .exec('checkpoint')
      .then(() => database.close())
      .finally(() => port.postMessage({ closed: true }))
})
// The embedded engine neither checkpoints nor vacuums on its own.
const care = setInterval(() => void database.exec('checkpoint').catch(() => undefined), 60_000)
const sweep = setInterval(
  () => void database.exec('vacuum hours; vacuum usual_days; vacuum hosts; vacuum containers; vacuum uploads; vacuum jobs').catch(() => undefined),
  600_000,
)
care.unref()
sweep.unref()
port.postMessage({ ready: true })
