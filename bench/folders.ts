import { FolderTree, InventoryReader, pictureOf, sumsOf, tryRules } from '../src/core/files'

/** The folder picture of two million inventory rows, as NDJSON; the peer only parses the same lines with JSON.parse. */
const ROWS = 2_000_000
const PEOPLE = 2500
const FOLDERS = [
  'AppData\\Local\\Tidewriter\\Cache',
  'AppData\\Local\\Gangway\\Browser\\Cache',
  'AppData\\Roaming\\Tidewriter',
  'AppData\\Local\\Temp',
  'Documents\\Rosters',
  'Desktop',
  'Downloads',
]
let seed = 11
const random = (below: number) => {
  seed = (Math.imul(seed, 1103515245) + 12345) >>> 0
  return (seed >>> 8) % below
}
const modified = '2026-11-01T08:00:00Z'
const chunks: string[] = []
let lines: string[] = []
for (let i = 0; i < ROWS; i++) {
  const person = `person${Math.floor((i * PEOPLE) / ROWS)}`
  lines.push(
    JSON.stringify({
      path: `C:\\Users\\${person}\\${FOLDERS[random(FOLDERS.length)]}\\d${random(12)}\\f${random(500)}.${['tmp', 'bin', 'docx'][random(3)]}`,
      bytes: random(5_000_000),
      modified,
      person,
    }),
  )
  if (lines.length === 2000) {
    chunks.push(`${lines.join('\n')}\n`)
    lines = []
  }
}
const bytes = chunks.reduce((sum, chunk) => sum + chunk.length, 0)
const time = <T>(work: () => T): { ms: number; value: T } => {
  const begun = performance.now()
  const value = work()
  return { ms: performance.now() - begun, value }
}
const parse = time(() => {
  let n = 0
  for (const chunk of chunks) for (const line of chunk.split('\n')) if (line !== '') n += (JSON.parse(line) as { bytes: number }).bytes
  return n
})
const tree = new FolderTree()
const read = time(() => {
  const reader = new InventoryReader('unknown', (row) => tree.add(row))
  for (const chunk of chunks) reader.push(chunk)
  reader.end()
})
const picture = time(() => pictureOf(tree, sumsOf(tree), 0, 4))
if (picture.value.bytes !== parse.value) throw new Error('the picture does not add up')
const RULES = [
  { pattern: '**\\*.tmp', does: 'skip' as const },
  { pattern: '%localappdata%\\**\\Cache', does: 'skip' as const },
  { pattern: 'Documents', does: 'mirror' as const },
]
const rules = time(() => tryRules(tree, RULES, { perFileMs: 6, bytesPerSecond: 60e6 }, Date.UTC(2026, 10, 23)))
const s = (ms: number) => `${(ms / 1000).toFixed(2)} s`
console.log(
  `Folders, ${ROWS.toLocaleString('en')} rows of ${PEOPLE} people, ${(bytes / 1e6).toFixed(0)} MB; in the browser all of it runs in a worker\n  JSON.parse alone ${s(parse.ms)}\n  reading          ${s(read.ms)}  = ${(parse.ms / read.ms).toFixed(2)} of its speed\n  the picture      ${s(picture.ms)}\n  three rules      ${s(rules.ms)}\n  heap             ${Math.round(process.memoryUsage().heapUsed / 1e6 + process.memoryUsage().arrayBuffers / 1e6)} MB, the lines themselves included\n`,
)
