// npm run demo: installs what is missing, builds, and starts server and stand-ins on one printed address.
//   -- --trouble held-container,storm,…   makes the stand-ins misbehave · --port 4040 · --fresh forgets the data of earlier runs
import { randomBytes } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, rmSync, statSync, utimesSync, writeFileSync } from 'node:fs'
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
const DAY_MS = 86_400_000
/** What is told of the past: until when, since when (null: as many days as are asked for), by which moment troubles are planted, and whether all of it is told. */
const historyFile = join(values.data, 'history.json')
/** Touched while the fleet lives: a later start tells what has been since. */
const livedFile = join(values.data, 'lived')
/** How folders of before say that they have all of it. */
const oldFile = join(values.data, 'history-done')
const known = existsSync(historyFile) ? JSON.parse(readFileSync(historyFile, 'utf8')) : null
const past = pastOf(known ?? (existsSync(oldFile) ? { plantedMs: begun, isTold: true } : null))
writeFileSync(historyFile, JSON.stringify(past))

function pastOf(before) {
  if (before === null) return { sinceMs: null, untilMs: begun, plantedMs: begun, isTold: false }
  // A start that was cut off before its history was there goes on with that one: another, of another moment, would come on top of it.
  if (!before.isTold) return before
  const sinceMs = existsSync(livedFile) ? Math.round(statSync(livedFile).mtimeMs) : begun
  // After days, what was wrong then is how things are: other troubles have begun since.
  return { sinceMs, untilMs: begun, plantedMs: begun - sinceMs > 3 * DAY_MS ? begun : before.plantedMs, isTold: false }
}

function told() {
  writeFileSync(livedFile, '')
  writeFileSync(historyFile, JSON.stringify({ ...past, isTold: true }))
  setInterval(() => utimesSync(livedFile, new Date(), new Date()), 5000).unref()
}
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
  setTimeout(() => {
    for (const child of children) child.kill('SIGKILL')
    process.exit(code)
  }, 8000).unref()
}
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => stop(0))
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
            STANDINS_PLANTED: String(past.plantedMs),
            STANDINS_HISTORY_UNTIL: String(past.untilMs),
            ...(past.sinceMs === null ? {} : { STANDINS_HISTORY_SINCE: String(past.sinceMs) }),
          },
          (line) => {
            if (line.startsWith('history complete')) told()
            if (!line.startsWith('stand-ins ready')) return
            console.log(`ready after ${((Date.now() - begun) / 1000).toFixed(1)} s (without installing and building)\n\n  http://127.0.0.1:${port}\n`)
            if (past.sinceMs === null && Number(values.days) > 3)
              console.log('The last four days are there; the days before them are being read, as Logons shows under Evidence files.')
            else if (past.sinceMs !== null && begun - past.sinceMs > DAY_MS / 24)
              console.log('What was while it stood still is being read, as Logons shows under Evidence files.')
          },
        ),
        'stand-ins',
      )
    },
  ),
  'server',
)
