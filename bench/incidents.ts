// Incidents over a million attempts: from raw (a ledger filled from nothing), and again after a live batch; against sorting the same attempts by place.
import { findIncidents, Ledger, type Seen } from '../src/core/logons'
import { Random } from '../src/standins/random'

const N = 1_000_000
const DAYS = 30
const random = new Random('incidents')
const hosts = Array.from({ length: 200 }, (_, i) => ({ host: `H-${i}`, pool: `pool-${i % 12}`, zone: `Z${i % 3}`, image: `img-${i % 12}-${i % 2}` }))
const shares = ['\\\\a\\p', '\\\\b\\p', '\\\\c\\p', '\\\\d\\p']
const CAUSES = ['wrong-password', 'second-factor-slow', 'unknown-wait', 'container-retry', 'packages-slow']
/** The attempts come as they would be analysed: a thousand at a time. */
function* batches(): Generator<Seen[]> {
  let seen: Seen[] = []
  for (let i = 0; i < N; i++) {
    seen.push(one(i))
    if (seen.length < 1000) continue
    yield seen
    seen = []
  }
}
function one(i: number): Seen {
  const host = hosts[random.below(hosts.length)]
  const person = random.below(20_000)
  const atMs = (i / N) * DAYS * 86_400_000
  const share = shares[person % 4] ?? ''
  // Ten planted troubles of two days each, one after another, at a host, a share or an image.
  const trouble = Math.floor(atMs / (3 * 86_400_000))
  const on = atMs % (3 * 86_400_000) < 2 * 86_400_000
  const hit =
    on &&
    (trouble % 3 === 0
      ? host?.host === `H-${trouble * 7}`
      : trouble % 3 === 1
        ? share === shares[trouble % 4] && random.chance(0.8)
        : host?.image === `img-${trouble}-1`)
  const cause = hit
    ? trouble % 3 === 0
      ? 'host-overloaded'
      : trouble % 3 === 1
        ? 'share-slow'
        : 'image-regression'
    : random.chance(0.006)
      ? (CAUSES[random.below(5)] ?? null)
      : null
  return {
    id: `a${i}`,
    person: `p${person}`,
    atMs,
    lostMs: cause ? 20_000 : 0,
    failed: cause === 'wrong-password',
    open: false,
    cause,
    places: {
      host: host?.host ?? '',
      pool: host?.pool ?? '',
      zone: host?.zone ?? '',
      image: host?.image ?? '',
      share,
      network: person % 3 ? 'office' : 'home',
      transport: 'direct',
      clientVersion: '7.4',
      clientKind: 'laptop',
      factor: 'none',
      site: 's',
    },
  }
}
const timed = <T>(work: () => T): [T, number] => {
  const begun = performance.now()
  const result = work()
  return [result, performance.now() - begun]
}
const ledger = new Ledger()
const columns: { host: string; atMs: number }[] = []
let fillMs = 0
let last: Seen[] = []
for (const batch of batches()) {
  fillMs += timed(() => {
    for (const seen of batch) ledger.add(seen)
  })[1]
  for (const { places, atMs } of batch) columns.push({ host: places.host ?? '', atMs })
  last = batch
}
const [, sortMs] = timed(() => [...columns].sort((a, b) => (a.host < b.host ? -1 : 1)))
const [found, rawMs] = timed(() => findIncidents(ledger))
for (let i = 0; i < 500; i++) ledger.add({ ...(last[i] as Seen), id: `new${i}`, atMs: DAYS * 86_400_000 + i * 100 })
const [, dayMs] = timed(() => findIncidents(ledger, undefined, { fromMs: (DAYS - 8) * 86_400_000 }))
const ms = (value: number) => `${(value / 1000).toFixed(2)} s`
console.log(
  `incidents      1,000,000 attempts: ledger filled ${ms(fillMs)}, ${found.incidents.length} incidents of the month ${ms(rawMs)}; after 500 more, those of eight days ${ms(dayMs)}`,
)
console.log(
  `               sorting the same attempts by host took ${ms(sortMs)}: ${((fillMs + rawMs) / sortMs).toFixed(2)} times that (wanted: under 10 s from raw, under 1 s incrementally)`,
)
