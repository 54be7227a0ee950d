import type { RoamingEvent, RoamingWho } from '../../core/files'

/** A made-up day to begin with. */
export interface Story {
  readonly title: string
  readonly who: RoamingWho
  readonly events: readonly RoamingEvent[]
}

const PLAN = String.raw`Documents\plan.docx`
const NOTES = String.raw`Desktop\notes.txt`
const CACHE = String.raw`AppData\Local\Gangway\Browser\Cache\data_1`
const at = (time: string): number => {
  const [h = 0, m = 0] = time.split(':').map(Number)
  return h * 60 + m
}
const on = (time: string, host: string, kind: 'logon' | 'logoff'): RoamingEvent => ({ atMin: at(time), host, kind })
const write = (time: string, host: string, path: string, what: string, bytes = 180_000): RoamingEvent => ({
  atMin: at(time),
  host,
  kind: 'write',
  path,
  what,
  bytes,
})
const open = (time: string, host: string, path: string): RoamingEvent => ({ atMin: at(time), host, kind: 'open', path })
const remove = (time: string, host: string, path: string): RoamingEvent => ({ atMin: at(time), host, kind: 'remove', path })
const WHO: RoamingWho = {
  groups: ['harbour-kiosk staff'],
  adminOn: [],
  leftovers: {},
  onShare: { [PLAN]: 'the plan of yesterday', [NOTES]: 'old notes' },
  starting: { [String.raw`Desktop\welcome.txt`]: 'a word of welcome' },
}

export const STORIES: readonly Story[] = [
  {
    title: 'signed in on two hosts at once',
    who: WHO,
    events: [
      on('08:00', 'A', 'logon'),
      open('08:05', 'A', PLAN),
      on('09:00', 'B', 'logon'),
      open('09:05', 'B', PLAN),
      write('09:30', 'A', PLAN, 'the plan, as changed on A'),
      write('10:10', 'B', PLAN, 'the plan, as changed on B'),
      write('10:20', 'B', NOTES, 'notes of the meeting'),
      on('12:00', 'B', 'logoff'),
      on('16:00', 'A', 'logoff'),
    ],
  },
  {
    title: 'one host after the other',
    who: WHO,
    events: [
      on('08:00', 'A', 'logon'),
      write('08:30', 'A', PLAN, 'the plan of today'),
      write('09:00', 'A', CACHE, 'what a browser keeps', 40_000_000),
      on('10:00', 'A', 'logoff'),
      on('10:05', 'B', 'logon'),
      open('10:06', 'B', PLAN),
      remove('11:00', 'B', NOTES),
      on('15:00', 'B', 'logoff'),
    ],
  },
  {
    title: 'a profile from before lies on a host',
    who: { ...WHO, leftovers: { A: { [PLAN]: 'a plan of last year', [String.raw`Documents\only here.xlsx`]: 'a sheet that nobody else has' } } },
    events: [
      on('08:00', 'A', 'logon'),
      open('08:05', 'A', PLAN),
      on('12:00', 'A', 'logoff'),
      on('13:00', 'B', 'logon'),
      open('13:05', 'B', String.raw`Documents\only here.xlsx`),
      on('16:00', 'B', 'logoff'),
    ],
  },
  {
    title: 'somebody new',
    who: { ...WHO, onShare: {} },
    events: [
      on('08:00', 'A', 'logon'),
      write('08:30', 'A', PLAN, 'their first plan'),
      on('12:00', 'A', 'logoff'),
      on('13:00', 'B', 'logon'),
      open('13:01', 'B', PLAN),
      on('16:00', 'B', 'logoff'),
    ],
  },
  {
    title: 'a local administrator of one host',
    who: { ...WHO, adminOn: ['A'] },
    events: [
      on('08:00', 'A', 'logon'),
      write('08:30', 'A', PLAN, 'the plan, as changed on A'),
      on('12:00', 'A', 'logoff'),
      on('13:00', 'B', 'logon'),
      open('13:01', 'B', PLAN),
      on('16:00', 'B', 'logoff'),
    ],
  },
]
