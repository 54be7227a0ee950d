// npm run demo: installs what is missing, builds, and starts server and stand-ins on one printed address.
//   -- --trouble held-container,storm,…   makes the stand-ins misbehave · --port 4040 · --fresh forgets the data of earlier runs
import { randomBytes } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { build, install, ROOT, start } from './shared.mjs'

const { values } = parseArgs({
  options: {
    trouble: { type: 'string' },
    port: { type: 'string', default: '4040' },
    fresh: { type: 'boolean' },
    data: { type: 'string', default: join(ROOT, '.data', 'demo') },
    people: { type: 'string', default: '2600' },
    days: { type: 'string', default: '30' },
    floor: { type: 'string', default: '6' },
  },
})
install()
build()
const begun = Date.now()
if (values.fresh) rmSync(values.data, { recursive: true, force: true })
mkdirSync(values.data, { recursive: true })
const tokenFile = join(values.data, 'token')
if (!existsSync(tokenFile)) writeFileSync(tokenFile, randomBytes(24).toString('base64url'), { mode: 0o600 })
const token = readFileSync(tokenFile, 'utf8')
const done = join(values.data, 'history-done')
// A start that was cut off before its history was there goes on with that one: another, of another moment, would come on top of it.
const untilFile = join(values.data, 'history-until')
if (!existsSync(untilFile)) writeFileSync(untilFile, String(begun))
const port = Number(values.port)
const shared = { IKEBANA_TOKEN: token, IKEBANA_DEMO: '1', IKEBANA_TIME_ZONE: 'Europe/Copenhagen' }
const children = []
let stopping = false
const stop = (code) => {
  if (stopping) return
  stopping = true
  let left = children.length
  const gone = () => {
    if (--left <= 0) process.exit(code)
  }
  for (const child of children) {
    if (child.exitCode !== null) gone()
    else {
      child.once('exit', gone)
      child.kill('SIGTERM')
    }
  }
  setTimeout(() => process.exit(code), 8000).unref()
}
process.on('SIGINT', () => stop(0))
process.on('SIGTERM', () => stop(0))
const watched = (child, name) => {
  children.push(child)
  child.once('exit', (code) => {
    if (!stopping) {
      console.error(`${name} ended (${code})`)
      stop(1)
    }
  })
}

watched(
  start(
    'server',
    ['--enable-source-maps', 'dist/server/main.js'],
    { ...shared, PORT: String(port), IKEBANA_DATA: values.data, IKEBANA_FLEET: `http://127.0.0.1:${port + 1}` },
    (line) => {
      if (!line.includes('listens on')) return
      watched(
        start(
          'stand-ins',
          ['--enable-source-maps', 'dist/standins/main.js'],
          {
            ...shared,
            IKEBANA_URL: `http://127.0.0.1:${port}`,
            STANDINS_PORT: String(port + 1),
            STANDINS_DATA: join(values.data, 'standins'),
            STANDINS_TROUBLE: values.trouble ?? '',
            STANDINS_PEOPLE: values.people,
            STANDINS_DAYS: values.days,
            STANDINS_FLOOR: values.floor,
            ...(existsSync(done) ? { STANDINS_HISTORY: 'none' } : { STANDINS_HISTORY_UNTIL: readFileSync(untilFile, 'utf8') }),
          },
          (line) => {
            if (line.startsWith('history complete')) writeFileSync(done, '')
            if (!line.startsWith('stand-ins ready')) return
            console.log(`ready after ${((Date.now() - begun) / 1000).toFixed(1)} s (without installing and building)\n\n  http://127.0.0.1:${port}\n`)
            if (!existsSync(done) && Number(values.days) > 3)
              console.log('The last four days are there; the days before them are being read, as Logons shows under Evidence files.')
          },
        ),
        'stand-ins',
      )
    },
  ),
  'server',
)
