// Event log XML: the whole analysis (reading, naming, attempts, usual, causes) against fast-xml-parser merely parsing the same bytes.
import { XMLParser } from 'fast-xml-parser'
import { EventLog } from '../src/core/formats'
import { eventXml, logonEvents, PROVIDERS, type MadeEvent } from '../src/core/formats/eventlog/fixtures/events'
import { explain, Gatherer, type Attempt } from '../src/core/logons'
import { Random } from '../src/standins/random'

const LOGONS = 6000
const random = new Random('events')
const start = Date.UTC(2026, 10, 2, 5)
const all: MadeEvent[] = []
for (let i = 0; i < LOGONS; i++) {
  const host = `TH-Q1-${String(random.below(80)).padStart(2, '0')}`
  all.push(...logonEvents(start + i * 40_000 + random.below(9000), `person.${random.below(1500)}`, host, 1000 + i))
  // What else is in such logs: network access, services, handles.
  for (let k = 0; k < 6; k++)
    all.push({
      provider: PROVIDERS.security,
      id: k < 3 ? 4624 : 5156,
      timeMs: start + i * 40_000 + k * 5000,
      computer: `${host}.larkmere.example`,
      data: {
        TargetUserSid: 'S-1-5-18',
        TargetUserName: 'SYSTEM',
        TargetDomainName: 'NT AUTHORITY',
        LogonType: 5,
        ProcessName: String.raw`C:\Windows\System32\services.exe`,
        IpAddress: '-',
      },
    })
}
all.sort((a, b) => a.timeMs - b.timeMs)
const text = `<?xml version="1.0" encoding="utf-8"?>\n<Events>${all.map(eventXml).join('\n')}</Events>`
const bytes = new TextEncoder().encode(text)

function timed<T>(work: () => T): [T, number] {
  const begun = performance.now()
  const result = work()
  return [result, performance.now() - begun]
}
const ours = () => {
  const attempts: Attempt[] = []
  const gatherer = new Gatherer(({ attempt }) => attempts.push(attempt))
  const log = new EventLog({ observation: (o) => gatherer.add(o), fault: () => undefined })
  const file = log.file()
  for (let at = 0; at < bytes.length; at += 1 << 20) file.push(bytes.subarray(at, at + (1 << 20)))
  file.end()
  log.end()
  gatherer.end()
  attempts.sort((a, b) => a.startedAtMs - b.startedAtMs)
  let n = 0
  for (const _ of explain(attempts)) n++
  return n
}
const parser = new XMLParser({ ignoreAttributes: false })
const theirs = () => (parser.parse(text) as { Events: { Event: unknown[] } }).Events.Event.length
ours()
const [n, oursMs] = timed(ours)
const [events, theirsMs] = timed(theirs)
console.log(
  `event log XML  ${(bytes.length / 1e6).toFixed(0)} MB, ${events} events, ${n} logons: analysed in ${oursMs.toFixed(0)} ms; fast-xml-parser merely parses it in ${theirsMs.toFixed(0)} ms: ${(theirsMs / oursMs).toFixed(1)} times as fast (wanted: 3)`,
)
