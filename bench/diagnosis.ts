// npm run measure:diagnosis: what the diagnosis makes of invented companies whose truth is known.
//   --family tuning|measuring   --trials N   --people N   --days N   --troubles N   --confused   --seed S
import { parseArgs } from 'node:util'
import { correlate, analyseAll, findIncidents, isUnusual, Ledger, seenOf, type Explained, type Incident } from '../src/core/logons'
import { OrgFile } from '../src/contract/org'
import { play, type TrueAttempt, type TrueIncident } from '../src/standins/trial/trial'

const { values } = parseArgs({
  options: {
    family: { type: 'string', default: 'measuring' },
    trials: { type: 'string', default: '12' },
    people: { type: 'string', default: '600' },
    days: { type: 'string', default: '10' },
    troubles: { type: 'string', default: '6' },
    confused: { type: 'boolean', default: false },
    seed: { type: 'string', default: 'm' },
    only: { type: 'string' },
  },
})
const family = values.family === 'tuning' ? 'tuning' : 'measuring'
const FROM_MS = Date.UTC(2026, 2, 2)
const trialOf = (seed: string, troubles: number | string[], healthy = false) =>
  play({ seed, family, people: Number(values.people), days: Number(values.days), fromMs: FROM_MS, troubles, healthy })

function analysed(trial: ReturnType<typeof trialOf>): Explained[] {
  const newest = trial.observations.reduce((latest, { timeMs }) => Math.max(latest, timeMs), 0)
  const attempts = correlate(trial.observations, newest + 3_600_000).map(({ attempt }) => attempt)
  return analyseAll(attempts, OrgFile.parse(trial.org))
}

const share = (part: number, whole: number) => (whole === 0 ? '–' : `${((100 * part) / whole).toFixed(1)} %`)

// Attempts: what is said of each whose truth anybody could see.
const confusion = new Map<string, Map<string, number>>()
const perCause = new Map<string, { n: number; first: number; three: number }>()
const bins = Array.from({ length: 10 }, () => ({ n: 0, right: 0, said: 0 }))
let [n, first, three, quiet, alarms] = [0, 0, 0, 0, 0]
const incidentTally = { truth: 0, found: 0, exact: 0, part: 0, extra: 0, changes: 0, changesRight: 0, onsetMs: [] as number[], lost: [] as number[] }
const missed: string[] = []

function judge(one: Explained, truth: TrueAttempt): void {
  if (!truth.clear) return
  const { cause, others } = one.diagnosis
  const said = cause?.id ?? (isUnusual(one) ? 'unknown' : 'nothing')
  if (truth.cause === null) {
    quiet++
    if (said !== 'nothing') {
      alarms++
      count('(nothing)', said)
    }
    return
  }
  n++
  const own = perCause.get(truth.cause) ?? { n: 0, first: 0, three: 0 }
  perCause.set(truth.cause, own)
  own.n++
  count(truth.cause, said)
  const ranked = [...(cause ? [cause.id] : []), ...others.map(({ id }) => id)].slice(0, 3)
  if (said === truth.cause) {
    first++
    own.first++
  }
  if (ranked.includes(truth.cause)) {
    three++
    own.three++
  }
  if (cause) {
    const bin = bins[Math.min(9, Math.floor(cause.confidence * 10))]
    if (bin) {
      bin.n++
      bin.said += cause.confidence
      if (cause.id === truth.cause) bin.right++
    }
  }
}
function count(truth: string, said: string): void {
  const row = confusion.get(truth) ?? new Map<string, number>()
  confusion.set(truth, row)
  row.set(said, (row.get(said) ?? 0) + 1)
}

const key = ({ scope }: { scope: readonly { dimension: string; value: string }[] }) =>
  scope
    .map(({ dimension, value }) => `${dimension}=${value}`)
    .sort()
    .join(' ')

function judgeIncidents(found: readonly Incident[], truth: readonly TrueIncident[], seed: string): void {
  const taken = new Set<Incident>()
  for (const one of truth) {
    incidentTally.truth++
    const overlap = (other: Incident) => Math.min(one.toMs, other.toMs) - Math.max(one.fromMs, other.fromMs)
    const candidates = found.filter((other) => other.cause === one.cause && overlap(other) >= 0)
    const best = candidates.find((other) => key(other) === key(one)) ?? [...candidates].sort((a, b) => b.lostMs - a.lostMs)[0]
    if (!best) {
      missed.push(`${seed} ${one.cause} [${key(one)}] ${one.attempts} attempts: not found`)
      continue
    }
    incidentTally.found++
    taken.add(best)
    if (key(best) === key(one)) incidentTally.exact++
    else missed.push(`${seed} ${one.cause} [${key(one)}] said [${key(best)}] ${best.attempts} of ${one.attempts}`)
    incidentTally.onsetMs.push(Math.abs(best.fromMs - one.fromMs))
    incidentTally.lost.push(Math.abs(best.lostMs - one.lostMs) / Math.max(1, one.lostMs))
    if (one.change) {
      incidentTally.changes++
      if (best.change?.id === one.change) incidentTally.changesRight++
      else missed.push(`${seed} ${one.cause}: change ${one.change}, said ${best.change?.id ?? 'none'}`)
    }
  }
  // Incidents of at least five attempts that are none.
  for (const other of found)
    if (!taken.has(other) && other.attempts >= 5 && other.people >= 3 && !truth.some((one) => one.cause === other.cause)) {
      incidentTally.extra++
      missed.push(`${seed} extra: ${other.cause} [${key(other)}] ${other.attempts} attempts`)
    }
}

const begun = Date.now()
let attemptsTotal = 0
for (let i = 0; i < Number(values.trials); i++) {
  const seed = `${values.seed}${i}`
  const trial = trialOf(seed, values.only ? [values.only] : Number(values.troubles))
  const truth = new Map(trial.attempts.map((one) => [one.id, one]))
  const byStart = new Map(trial.attempts.map((one) => [`${one.person} ${one.startedAtMs}`, one]))
  const ledger = new Ledger()
  for (const one of analysed(trial)) {
    attemptsTotal++
    const match = truth.get(one.attempt.id) ?? byStart.get(`${one.attempt.person} ${one.attempt.startedAtMs}`)
    if (match) judge(one, match)
    else count('(no such attempt)', one.diagnosis.cause?.id ?? '')
    ledger.add(seenOf(one))
  }
  judgeIncidents(findIncidents(ledger, OrgFile.parse(trial.org)).incidents, trial.incidents, seed)
}
console.log(
  `${family}: ${values.trials} companies of ${values.people} people, ${values.days} days, ${values.troubles} troubles each; ${attemptsTotal} attempts, ${((Date.now() - begun) / 1000).toFixed(0)} s\n`,
)
console.log('cause                      n   first  among 3   taken for')
for (const [cause, own] of [...perCause].sort(([a], [b]) => (a < b ? -1 : 1))) {
  const others = [...(confusion.get(cause) ?? [])]
    .filter(([said]) => said !== cause)
    .sort((a, b) => b[1] - a[1])
    .slice(0, 3)
  console.log(
    `${cause.padEnd(22)} ${String(own.n).padStart(5)} ${share(own.first, own.n).padStart(8)} ${share(own.three, own.n).padStart(8)}   ${others.map(([said, times]) => `${said} ${times}`).join(', ')}`,
  )
}
const mean = (pick: 'first' | 'three') => [...perCause.values()].reduce((sum, own) => sum + own[pick] / own.n, 0) / Math.max(1, perCause.size)
console.log(
  `\nall attempts with a cause  ${n}: first ${share(first, n)}, among three ${share(three, n)}; each cause counted alike: first ${share(mean('first'), 1)}, among three ${share(mean('three'), 1)}`,
)
console.log(
  `attempts without cause     ${quiet}: something said of ${alarms} (${share(alarms, quiet)})  ${[...(confusion.get('(nothing)') ?? [])]
    .sort((a, b) => b[1] - a[1])
    .map(([said, times]) => `${said} ${times}`)
    .slice(0, 6)
    .join(', ')}`,
)
for (const [said, times] of confusion.get('(no such attempt)') ?? []) console.log(`no such attempt: ${said} ${times}`)
console.log('\ncalibration: said       cases   right')
bins.forEach(({ n: cases, right, said }, i) => {
  if (cases)
    console.log(`             ${i * 10}–${i * 10 + 10} % (${share(said, cases)})`.padEnd(32) + `${String(cases).padStart(6)}  ${share(right, cases)}`)
})
const middle = (list: number[], q: number) => [...list].sort((a, b) => a - b)[Math.floor(q * (list.length - 1))] ?? NaN
console.log(
  `\nincidents ${incidentTally.truth}: found ${share(incidentTally.found, incidentTally.truth)}, scope exactly right ${share(incidentTally.exact, incidentTally.truth)}, not there but said ${incidentTally.extra}`,
)
console.log(
  `onset: median ${(middle(incidentTally.onsetMs, 0.5) / 60_000).toFixed(1)} min off, 90 % within ${(middle(incidentTally.onsetMs, 0.9) / 60_000).toFixed(0)} min · lost time: median ${(100 * middle(incidentTally.lost, 0.5)).toFixed(1)} % off, 90 % within ${(100 * middle(incidentTally.lost, 0.9)).toFixed(0)} % · change before it: ${share(incidentTally.changesRight, incidentTally.changes)} of ${incidentTally.changes}`,
)
if (values.confused) for (const line of missed) console.log('  ' + line)

let [healthy, said] = [0, 0]
for (let i = 0; i < Math.max(1, Math.round(Number(values.trials) / 4)); i++)
  for (const one of analysed(trialOf(`${values.seed}h${i}`, 0, true))) {
    healthy++
    if (isUnusual(one) && one.diagnosis.cause?.id !== 'first-logon') said++
  }
console.log(`\nhealthy days: ${healthy} attempts, called unusual ${said} (${share(said, healthy)})`)
