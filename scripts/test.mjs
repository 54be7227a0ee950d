// npm test: installs what it needs, then lint, types, architecture, what nobody uses, unit tests, build, end-to-end tests.
//   --quick leaves the end-to-end tests and the installing from Debian out (npm run check)
import { spawn, spawnSync } from 'node:child_process'
import { readFileSync, rmSync } from 'node:fs'
import { stripVTControlCharacters } from 'node:util'
import { bin, build, debian, install, ROOT } from './shared.mjs'

const quick = process.argv.includes('--quick')
install()
if (!quick)
  debian([
    { program: 'chromium', name: 'chromium' },
    { program: 'qemu-img', name: 'qemu-utils' },
    { program: 'initdb', name: 'postgresql' },
    { program: '/usr/lib/python3/dist-packages/samba', name: 'python3-samba' },
    { program: '/usr/lib/python3/dist-packages/pyvhdi.*.so', name: 'python3-libvhdi' },
  ])

const results = []
const step = (name, command, args, env = {}) => {
  console.log(`\n— ${name}`)
  const begun = Date.now()
  const { status } = spawnSync(command, args, { cwd: ROOT, stdio: 'inherit', env: { ...process.env, ...env } })
  results.push({ name, ok: status === 0, seconds: (Date.now() - begun) / 1000 })
  return status === 0
}
/** Steps of one thread each, one after another; what each says is shown when it is over, as others run beside it. */
async function lane(steps) {
  for (const [name, program, ...args] of steps) {
    const begun = Date.now()
    const child = spawn(bin(program), args, { cwd: ROOT, stdio: ['ignore', 'pipe', 'pipe'] })
    let said = ''
    for (const stream of [child.stdout, child.stderr]) stream.setEncoding('utf8').on('data', (text) => (said += text))
    const status = await new Promise((resolve) => child.on('close', resolve).on('error', resolve))
    results.push({ name, ok: status === 0, seconds: (Date.now() - begun) / 1000 })
    console.log(`\n— ${name}\n${said}`.trimEnd())
  }
}
const read = (file) => {
  try {
    return JSON.parse(readFileSync(file, 'utf8'))
  } catch {
    return null
  }
}
const counted = (report, count) => (report ? count(report) : { passed: 0, failed: 1, skipped: 0 })
rmSync('.cache/unit.json', { force: true })
rmSync('.cache/e2e.json', { force: true })
await Promise.all([
  lane([
    ['lint', 'eslint', '--cache', '--cache-location', '.cache/eslint', '--max-warnings', '0', '.'],
    ['format', 'prettier', '--check', '--log-level', 'warn', '.'],
    ['nothing unused', 'knip', '--no-progress'],
  ]),
  lane([
    ...['core', 'server', 'tools'].map((part) => [`types: ${part}`, 'tsc', '-p', `tsconfig.${part}.json`]),
    ['types: web', 'vue-tsc', '-p', 'tsconfig.web.json'],
    ['architecture', 'depcruise', '--config', '.dependency-cruiser.cjs', '--output-type', 'err', 'src'],
  ]),
])
build()
step('unit tests', bin('vitest'), ['run', '--reporter=default', '--reporter=json', '--outputFile.json=.cache/unit.json'])
if (!quick) step('end-to-end tests', bin('playwright'), ['test', '--reporter=list,json'], { PLAYWRIGHT_JSON_OUTPUT_NAME: '.cache/e2e.json' })

const unitReport = read('.cache/unit.json')
const e2eReport = quick ? null : read('.cache/e2e.json')
tellFailed()
console.log('')
for (const { name, ok, seconds } of results) console.log(`${ok ? 'ok    ' : 'FAILED'} ${name} (${seconds.toFixed(1)} s)`)
const unit = counted(unitReport, ({ numPassedTests, numFailedTests, numPendingTests }) => ({
  passed: numPassedTests,
  failed: numFailedTests,
  skipped: numPendingTests,
}))
const e2e = quick
  ? { passed: 0, failed: 0, skipped: 0 }
  : counted(e2eReport, ({ stats }) => ({ passed: stats.expected + stats.flaky, failed: stats.unexpected, skipped: stats.skipped }))
const checks = results.filter(({ name }) => !name.endsWith('tests'))
const passed = unit.passed + e2e.passed + checks.filter(({ ok }) => ok).length
const failed = Math.max(unit.failed + e2e.failed + checks.filter(({ ok }) => !ok).length, results.some(({ ok }) => !ok) ? 1 : 0)
console.log(`\n${passed} passed, ${failed} failed, ${unit.skipped + e2e.skipped} skipped`)
process.exit(failed === 0 ? 0 : 1)

/** What failed once more and in short, last: whoever sees only the end of the output learns why. */
function tellFailed() {
  const tests = (unitReport?.testResults ?? []).flatMap(({ assertionResults, name, status, message }) => {
    const failing = assertionResults
      .filter((one) => one.status === 'failed')
      .map((one) => ({ name: one.fullName, why: one.failureMessages[0] ?? '' }))
    return failing.length || status !== 'failed' ? failing : [{ name, why: message }]
  })
  const walk = (suite) => [...(suite.specs ?? []), ...(suite.suites ?? []).flatMap(walk)]
  const specs = (e2eReport?.suites ?? [])
    .flatMap(walk)
    .flatMap(({ title, file, tests: runs }) =>
      runs
        .filter(({ status }) => status === 'unexpected')
        .map(({ results: tries }) => ({ name: `${file}: ${title}`, why: tries.at(-1)?.error?.message ?? 'no message' })),
    )
  for (const { name, why } of [...tests, ...specs]) {
    const lines = stripVTControlCharacters(why).split('\n')
    console.log(
      `\nFAILED ${name}\n  ${lines
        .filter((line) => line.trim())
        .slice(0, 12)
        .join('\n  ')}`,
    )
  }
}
