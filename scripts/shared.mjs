// What the scripts share. Node's own modules only: they run before anything is installed.
import { spawn, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const ROOT = dirname(dirname(fileURLToPath(import.meta.url)))
process.chdir(ROOT)

export function run(command, args, options = {}) {
  const result = spawnSync(command, args, { stdio: 'inherit', cwd: ROOT, ...options })
  if (result.error) throw result.error
  return result.status ?? 1
}

export function must(command, args, options) {
  const status = run(command, args, options)
  if (status !== 0) {
    console.error(`${command} ${args.join(' ')} failed (${status})`)
    process.exit(status)
  }
}

export const bin = (name) => join(ROOT, 'node_modules', '.bin', name)

const fingerprint = (files) =>
  files.reduce((hash, file) => hash.update(file).update(readFileSync(join(ROOT, file))), createHash('sha256')).digest('hex')
const seen = (file) => (existsSync(file) ? readFileSync(file, 'utf8') : '')

/** Installs the packages when they are missing or no longer those of the lock file. */
export function install() {
  const stamp = join(ROOT, 'node_modules', '.ikebana-lock')
  const wanted = fingerprint(['package-lock.json'])
  if (seen(stamp) === wanted) return
  console.log('installing packages…')
  must('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'])
  writeFileSync(stamp, wanted)
}

function sources(folder) {
  return readdirSync(join(ROOT, folder), { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    return entry.isDirectory() ? sources(path) : statSync(join(ROOT, path)).isFile() ? [path] : []
  })
}

/** How programs are bundled. */
export const COMMON = { bundle: true, platform: 'node', target: 'node20', format: 'esm', packages: 'external', logLevel: 'warning', sourcemap: true }

/** Builds when a source changed since the last build. */
export function build() {
  const stamp = join(ROOT, 'dist', '.stamp')
  const wanted = fingerprint([...sources('src'), 'package-lock.json', 'vite.config.ts', 'scripts/build.mjs'].sort())
  if (seen(stamp) === wanted) return
  console.log('building…')
  must(process.execPath, ['scripts/build.mjs'])
  mkdirSync(dirname(stamp), { recursive: true })
  writeFileSync(stamp, wanted)
}

/** Installs Debian packages of which a program is missing. Says so where that is not possible here. */
export function debian(wanted) {
  const missing = wanted.filter(
    ({ program }) =>
      spawnSync('sh', ['-c', `command -v ${program} || test -e ${program} || ls /usr/lib/postgresql/*/bin/${program}`], { stdio: 'ignore' })
        .status !== 0,
  )
  if (missing.length === 0) return
  const packages = missing.map(({ name }) => name)
  console.log(`installing from Debian: ${packages.join(' ')}`)
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
  const sudo = process.getuid?.() === 0 ? [] : ['sudo', '-n']
  const apt = (...args) => run([...sudo, 'apt-get'][0], [...[...sudo, 'apt-get'].slice(1), ...args], { env, stdio: ['ignore', 'ignore', 'inherit'] })
  apt('update', '-q')
  const got = (...names) => apt('install', '-y', '-q', '--no-install-recommends', ...names) === 0
  if (got(...packages)) return
  // One that this system does not have must not keep the others out.
  const without = packages.filter((name) => !got(name))
  if (without.length > 0) console.error(`could not install ${without.join(' ')}; the tests that need them say that they are skipped`)
}

/** Starts a process whose output is shown with a name in front. By the channel to it, it notices when this one is gone, whatever ended it. */
export function start(name, args, env, onLine) {
  const child = spawn(process.execPath, args, { cwd: ROOT, env: { ...process.env, ...env }, stdio: ['ignore', 'pipe', 'pipe', 'ipc'] })
  const show = (stream, quiet) => {
    let rest = ''
    stream.on('data', (chunk) => {
      const lines = (rest + chunk).split('\n')
      rest = lines.pop() ?? ''
      for (const line of lines) {
        onLine?.(line)
        if (!quiet) process.stderr.write(`${name}: ${line}\n`)
      }
    })
  }
  show(child.stdout, true)
  show(child.stderr, false)
  return child
}
