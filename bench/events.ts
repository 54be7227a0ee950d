import { fileURLToPath } from 'node:url'
import { XMLParser } from 'fast-xml-parser'
import { EventLog } from '../src/core/formats'
import { eventXml, logonEvents, PROVIDERS, type MadeEvent } from '../src/core/formats/eventlog/fixtures/events'
import { explain, Gatherer, type Attempt } from '../src/core/logons'
import { Random } from '../src/standins/random'
import { inTurns, middle, serve } from './turns'

/** Event log XML: the whole analysis (reading, naming, attempts, usual, causes) against fast-xml-parser merely parsing the same bytes. */
const KINDS = ['ours', 'theirs'] as const
type Kind = (typeof KINDS)[number]
const LOGONS = 3500

/** What else a host writes of a logon: what winlogon waits for, and the programs that it starts, with all the fields that nobody asks for. */
function beside(atMs: number, name: string, computer: string, process: number): MadeEvent[] {
  const winlogon = { provider: PROVIDERS.winlogon, computer, user: 'S-1-5-18', process }
  const subscribers = ['Profiles', 'GPClient', 'SessionEnv', 'TermSrv', 'Sens'].flatMap((SubscriberName, k) =>
    [811, 812].map((id, end) => ({ ...winlogon, id, timeMs: atMs + 4100 + k * 3500 + end * 1500, data: { Event: 'Logon', SubscriberName } })),
  )
  const programs = ['userinit.exe', 'explorer.exe'].map((program, k) => ({
    provider: PROVIDERS.security,
    computer,
    id: 4688,
    timeMs: atMs + 20_250 + k * 3500,
    data: {
      SubjectUserSid: 'S-1-5-18',
      SubjectUserName: `${computer.split('.')[0]}$`,
      SubjectDomainName: 'LARKMERE',
      SubjectLogonId: '0x3e7',
      NewProcessId: `0x${process.toString(16)}`,
      NewProcessName: String.raw`C:\Windows\System32\${program}`,
      TokenElevationType: '%%1936',
      ProcessId: '0x9c4',
      CommandLine: '',
      TargetUserSid: 'S-1-0-0',
      TargetUserName: name,
      TargetDomainName: 'LARKMERE',
      TargetLogonId: '0x4fa31',
      ParentProcessName: String.raw`C:\Windows\System32\winlogon.exe`,
    },
  }))
  return [...subscribers, ...programs]
}

function evidence(): string {
  const random = new Random('events')
  const start = Date.UTC(2026, 10, 2, 5)
  const all: MadeEvent[] = []
  for (let i = 0; i < LOGONS; i++) {
    const host = `TH-Q1-${String(random.below(80)).padStart(2, '0')}`
    const atMs = start + i * 40_000 + random.below(9000)
    const name = `person.${random.below(1500)}`
    all.push(...logonEvents(atMs, name, host, 1000 + i), ...beside(atMs, name, `${host}.larkmere.example`, 4000 + (i % 9000)))
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
  return `<?xml version="1.0" encoding="utf-8"?>\n<Events>${all.map(eventXml).join('\n')}</Events>`
}

function analyse(bytes: Uint8Array): number {
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
  for (const _ of explain(attempts, ({ attempt }) => attempt.id)) n++
  return n
}

function runHere(kind: Kind): void {
  // From bytes on: an own text of each, of which nothing else is left.
  const bytes = Buffer.from(evidence())
  const parser = new XMLParser({ ignoreAttributes: false })
  serve({ mb: bytes.length / 1e6 }, () => {
    if (kind === 'ours' && analyse(bytes) !== LOGONS) throw new Error('logons lost')
    if (kind === 'theirs' && (parser.parse(bytes.toString('utf8')) as { Events: { Event: unknown[] } }).Events.Event.length < LOGONS)
      throw new Error('events lost')
  })
}

async function report(): Promise<void> {
  const { about, rounds } = await inTurns<Kind, { mb: number }>(fileURLToPath(import.meta.url), KINDS, { rounds: 7, warm: 2 })
  const of = (kind: Kind) => rounds.map((round) => round[kind])
  console.log(
    `event log XML  ${about.mb.toFixed(0)} MB, ${LOGONS} logons: analysed in ${middle(of('ours')).toFixed(0)} ms; fast-xml-parser merely parses it in ${middle(of('theirs')).toFixed(0)} ms: ${middle(rounds.map(({ ours, theirs }) => theirs / ours)).toFixed(1)} times as fast, best to best ${(Math.min(...of('theirs')) / Math.min(...of('ours'))).toFixed(1)} (wanted: 3)`,
  )
}

const kind = KINDS.find((one) => one === process.argv[2])
if (kind) runHere(kind)
else await report()
