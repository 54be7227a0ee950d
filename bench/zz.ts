import { correlate, explain, isUnusual } from '../src/core/logons'
import { OrgFile } from '../src/contract/org'
import { play } from '../src/standins/trial/trial'
const [want = 'share-full', said0 = 'unknown', most = '3'] = process.argv.slice(2)
let shown = 0
const per = new Map<string, number>()
for (let i = 0; i < 12; i++) {
  const trial = play({ seed: `${process.argv[5] ?? "z"}${i}`, family: 'measuring', people: 600, days: 10, fromMs: Date.UTC(2026, 2, 2), troubles: 6, healthy: false })
  const truth = new Map(trial.attempts.map((one) => [one.id, one]))
  const byStart = new Map(trial.attempts.map((one) => [`${one.person} ${one.startedAtMs}`, one]))
  const newest = trial.observations.reduce((latest, { timeMs }) => Math.max(latest, timeMs), 0)
  for (const one of explain(correlate(trial.observations, newest + 3_600_000).map(({ attempt }) => attempt), OrgFile.parse(trial.org))) {
    const t = truth.get(one.attempt.id) ?? byStart.get(`${one.attempt.person} ${one.attempt.startedAtMs}`)
    if (!t?.clear || (t.cause ?? 'none') !== want) continue
    const said = one.diagnosis.cause?.id ?? (isUnusual(one) ? 'unknown' : 'nothing')
    if (said !== said0) continue
    per.set(`z${i}`, (per.get(`z${i}`) ?? 0) + 1)
    if (shown++ < Number(most)) console.log(`z${i}`, t.lostMs, one.outcome, one.lostMs, JSON.stringify({ attrs: one.attempt.attrs, host: one.attempt.host, pool: one.attempt.pool, excess: one.excess, marks: one.attempt.marks?.slice(0, 6), parts: one.attempt.parts?.slice(0, 8) }), JSON.stringify(one.diagnosis, null, 1).slice(0, 3500))
  }
  const inc = trial.incidents.map((x) => `${x.cause} ${x.scope.map((s) => s.dimension + '=' + s.value).join('&')} n=${x.attempts}`)
  if (per.get(`z${i}`)) console.log(`z${i}`, per.get(`z${i}`), inc)
}
