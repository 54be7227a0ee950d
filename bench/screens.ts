import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { openEmbedded } from '../src/server/db/embedded'
import { migrate } from '../src/server/db/migrate'
import { DAY_MS } from '../src/server/logons/model'
import { readCohort, readPictures } from '../src/server/logons/compare'
import { listAttempts } from '../src/server/logons/store'
import { readStory } from '../src/server/logons/story'
import { readToday } from '../src/server/logons/today'
import { Intake } from '../src/server/logons/intake'
import { logonEffects } from '../src/server/policies/effects'
import { waysOf } from '../src/server/policies/ways'
import type { Changes, PolicySet } from '../src/core/policies'
import { larkmere, POOLS } from '../src/standins/directory/larkmere'
import { history } from '../src/standins/fleet/history'
import { plant } from '../src/standins/fleet/troubles'

/** The queries of the screens at many attempts: real ones of one day through the intake, then copied into the past so that a million fill 90 days. */
const wanted = Number(process.argv.find((arg) => /^\d+$/.test(arg)) ?? 1_000_000)
const folder = mkdtempSync(join(tmpdir(), 'ikebana-bench-'))
const template = 'dist/server/empty-database.tar'
const database = await openEmbedded(join(folder, 'database'), existsSync(template) ? new Blob([readFileSync(template)]) : undefined)
await migrate(database)
const now = Date.UTC(2026, 10, 23, 13)
const company = larkmere()
const intake = new Intake(database)
for (const { observations } of history(company, plant(now, company.staff, company.hosts), { fromDay: 1, toDay: 0 }, now, 'Europe/Copenhagen'))
  for (let at = 0; at < observations.length; at += 20_000) await intake.ingest(observations.slice(at, at + 20_000), now)
const [{ n: seed = 0 } = {}] = await database.query<{ n: number }>('select count(*) as n from attempts')
const copies = Math.ceil(wanted / seed) - 1
const columns = (
  await database.query<{ c: string }>(
    `select column_name as c from information_schema.columns where table_name = 'attempts' order by ordinal_position`,
  )
).map(({ c }) => c)
const shifted = columns
  .map((c) =>
    c === 'id' || c === 'thread' ? `s.${c} || '-' || k` : c === 'started_ms' || c === 'last_ms' ? `s.${c} - k::bigint * 33300000` : `s.${c}`,
  )
  .join(', ')
await database.exec(`create temporary table s as select * from attempts; create temporary table h as select * from hours`)
for (let from = 1; from <= copies; from += 20) {
  await database.query(`insert into attempts (${columns.join(', ')}) select ${shifted} from s, generate_series($1::integer, $2::integer) k`, [
    from,
    Math.min(copies, from + 19),
  ])
  await database.exec('checkpoint')
}
await database.exec(
  `insert into hours (hour_ms, n, bad, sketch, sums) select hour_ms - d * ${DAY_MS}::bigint, n, bad, sketch, sums from h, generate_series(1, 35) d on conflict do nothing; analyze attempts; analyze hours`,
)
const begun = performance.now()
const pictures = await intake.keepPictures(now)
const keptMs = performance.now() - begun
const [{ n = 0 } = {}] = await database.query<{ n: number }>('select count(*) as n from attempts')
const [{ id = '', person = '' } = {}] = await database.query<{ id: string; person: string }>(
  `select a.id, a.person from attempts a join evidence e on e.attempt = a.id where outcome = 'failed' limit 1`,
)

/** A draft that gives everybody another value of one setting. */
const draft = (setting: string, before: unknown, after: unknown): Changes => ({
  people: 2600,
  situations: 1,
  decided: true,
  groups: [
    {
      ...{ setting, title: setting, before: String(before), after: String(after), values: { before, after }, direction: 'other' },
      ...{ takesEffect: 'next logon', people: 2600, some: [], pools: POOLS.map((pool) => pool.id), only: [] },
    },
  ],
})
const NO_SET: PolicySet = { base: {}, policies: [], networks: [], promises: [] }

async function time(name: string, run: () => Promise<unknown>): Promise<[string, number]> {
  await run()
  const times: number[] = []
  for (let i = 0; i < 5; i++) {
    const begun = performance.now()
    await run()
    times.push(performance.now() - begun)
  }
  return [name, times.sort((a, b) => a - b)[2] ?? 0]
}
const [, peer] = await time('peer', () => database.query('select count(*) from attempts where total_ms > 0'))
const rows = [
  await time('Today, 24 h', () => readToday(database, intake.incidents.bind(intake), now - DAY_MS, now, now, 'Europe/Copenhagen')),
  await time('Today, 7 days', () => readToday(database, intake.incidents.bind(intake), now - 7 * DAY_MS, now, now, 'Europe/Copenhagen')),
  await time('Today, 30 days', () => readToday(database, intake.incidents.bind(intake), now - 30 * DAY_MS, now, now, 'Europe/Copenhagen')),
  await time('Logons, first page', () => listAttempts(database, { sort: 'started', limit: 100 })),
  await time('Logons, failed', () => listAttempts(database, { sort: 'started', limit: 100, outcome: 'failed' })),
  await time('Logons, one host', () => listAttempts(database, { sort: 'started', limit: 100, host: 'BO-H1-03' })),
  await time("A person's last 30", () => listAttempts(database, { sort: 'started', limit: 30, person })),
  await time('The story of a logon', () => readStory(database, id, now)),
  await time('Compared: a host, 24 h', () => readCohort(database, intake, 'host:BO-H1-03', now - DAY_MS, now)),
  await time('Compared: a pool, 24 h', () => readCohort(database, intake, 'pool:back-office', now - DAY_MS, now)),
  await time('Compared: a pool, 7 d', () => readCohort(database, intake, 'pool:back-office', now - 7 * DAY_MS, now)),
  await time('Pictures, 7 days', () => readPictures(database, now - 7 * DAY_MS, now, 'Europe/Copenhagen')),
  await time('Pictures, 30 days', () => readPictures(database, now - 30 * DAY_MS, now, 'Europe/Copenhagen')),
  await time('Ways of the last 7 d', () => waysOf(database, intake, now)),
  await time('A draft: slow after …', () => logonEffects(database, intake, draft('slowSeconds', 60, 30), NO_SET, now)),
  await time('A draft: transport', () => logonEffects(database, intake, draft('transport', 'direct-first', 'relay'), NO_SET, now)),
  await time('Incidents, 7 days', () => intake.incidents(now - 7 * DAY_MS, now)),
]
console.log(`Screens at ${n} attempts; peer: one count over all of them, ${peer.toFixed(0)} ms`)
for (const [name, ms] of rows)
  console.log(`  ${name.padEnd(22)} ${ms.toFixed(0).padStart(5)} ms  = ${(ms / peer).toFixed(2)} of the peer${ms > 100 ? '  (over 100 ms)' : ''}`)
console.log(`  pictures of ${pictures} hours were kept at ${(keptMs / pictures).toFixed(1)} ms each\n`)
await database.close()
rmSync(folder, { recursive: true, force: true })
process.exit(0)
