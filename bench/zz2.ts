import { correlate, explain, isUnusual, unusualFrom } from '../src/core/logons'
import { OrgFile } from '../src/contract/org'
import { play } from '../src/standins/trial/trial'
const seed = process.argv[2] ?? 'zh'
for (let i = 0; i < 3; i++) {
  const trial = play({ seed: `${seed}${i}`, family: 'measuring', people: 600, days: 10, fromMs: Date.UTC(2026, 2, 2), troubles: 0, healthy: true })
  const newest = trial.observations.reduce((latest, { timeMs }) => Math.max(latest, timeMs), 0)
  let [n, bad] = [0, 0]
  const by = new Map<string, number>()
  let shown = 0
  for (const one of explain(correlate(trial.observations, newest + 3_600_000).map(({ attempt }) => attempt), OrgFile.parse(trial.org))) {
    n++
    if (!isUnusual(one) || one.diagnosis.cause?.id === 'first-logon') continue
    bad++
    const e = one.excess[0]
    const k = `${one.outcome} ${e?.phase} ${one.diagnosis.cause?.id}`
    by.set(k, (by.get(k) ?? 0) + 1)
    if (e && shown++ < 6) { const s = one.usual?.series[e.phase]; console.log(one.attempt.pool, e.phase, e.blameMs, JSON.stringify(s), s && Math.round(unusualFrom(s, true, one.usual?.n)), 'n', one.usual?.n, one.usual?.basis.sentence, 'cpu', one.attempt.attrs.hostCpu, 'lost', one.lostMs) }
  }
  console.log(seed + i, n, bad, (100 * bad / n).toFixed(2), [...by].sort((a, b) => b[1] - a[1]).slice(0, 6).join(' | '))
}
