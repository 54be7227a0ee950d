import { isSameHost } from '../people/host'
import { betweens, byTeller, CHOOSING, handovers, inTurn, isBroker, type Timed } from './clock-turns'

/** How far the clock of a machine is ahead of the others (behind: negative), as the order of what it reported tells. */
export interface ClockOffset {
  readonly machine: string
  readonly offsetMs: number
  /** The offset is that, give or take this. */
  readonly uncertaintyMs: number
  /** Logons that it rests on. */
  readonly n: number
  /** What passes between what comes before on another machine and what follows on this one, where clocks agree; null where that is not how it was found. */
  readonly typicalMs: number | null
}

/** Tickets are refused beyond this difference (RFC 4120's usual default: five minutes). */
export const TICKET_LIMIT_MS = 5 * 60_000
/** Fewer logons say nothing of a clock. */
const FEWEST = 5
/** Clocks that agree within this are not worth correcting: handing over takes some time itself. */
const AGREE_MS = 2000
/** So often clocks are looked for among what is left. */
const ROUNDS = 3
/** Of one machine and another, nobody can say which of them is wrong. */
const SEVERAL = 2
/** Where such a part of the machines goes on before anything was handed over, clocks differ in general. */
const IMPOSSIBLE = 0.2

/**
 * Offsets of clocks, from logons in which one machine hands over to another. What comes first must end before what follows begins: on each machine, the
 * shortest of these gaps is compared with the shortest on the others that do the same (their median). Where one machine writes inside a phase that
 * another one times (a directory server inside a sign-on), it must lie between that phase's begin and end, which bounds the offset from both sides
 * (Cristian 1989: the time of a remote clock lies between request and answer); so does what it times itself between two phases of a host. Where all hosts agree on how far
 * such a machine is off, or go through what one sent them before it had even begun to, it is that one.
 */
export function clockOffsets(attempts: Iterable<Timed>): Map<string, ClockOffset> {
  return new Map([...judgeClocks(attempts)].flatMap(([machine, { off, ...offset }]) => (off ? [[machine, offset] as const] : [])))
}

/** With whether it is off by more than how well that is known. */
type Judgement = ClockOffset & { readonly off: boolean }
type Judged = ReadonlyMap<string, Judgement>
type Keep = (judgement: Judgement) => void

/**
 * The same for every machine of which anything can be said, with whether it is off by more than how well that is known. Once some are put right, what is left may show
 * others.
 */
export function judgeClocks(given: Iterable<Timed>): Judged {
  const attempts = [...given]
  let found = judgeOnce(attempts)
  for (let round = 1; round < ROUNDS && [...found.values()].some(({ off }) => off); round++) {
    const more = [...judgeOnce(attempts.map((one) => putRight(one, found)))].filter(([machine, { off }]) => off && !found.get(machine)?.off)
    if (more.length === 0) break
    // What typically passes holds between clocks that were put right: an attempt as it was timed does not show it.
    found = new Map([...found, ...more.map(([machine, offset]) => [machine, { ...offset, typicalMs: null }] as const)])
  }
  return found
}

/** As it would have been timed, had those clocks been right that were found off. */
function putRight(attempt: Timed, found: Judged): Timed {
  const ahead = (host: string | null) => {
    const one = host === null ? undefined : found.get(host)
    return one?.off ? one.offsetMs : 0
  }
  const phases = byTeller(attempt).map((one) => ({ ...one, startMs: one.startMs - ahead(one.host), endMs: one.endMs - ahead(one.host) }))
  return { host: attempt.host, pool: attempt.pool, phases, marks: attempt.marks.map((mark) => ({ ...mark, atMs: mark.atMs - ahead(mark.host) })) }
}

function judgeOnce(attempts: readonly Timed[]): Judged {
  const gaps = new Map<string, Map<string, number[]>>()
  const sent = new Map<string, Map<string, number[]>>()
  const senders = new Map<string, { readonly machine: string; readonly beganMs: number[] }>()
  const inside: Bounds = new Map()
  const between: Bounds = new Map()
  for (const attempt of attempts) {
    const { marks } = attempt
    const phases = byTeller(attempt)
    const ordered = inTurn(phases, attempt.host)
    // By who hands over what to whom: each of the receiving machines is compared with the others that do the same.
    for (const { from, to } of handovers(ordered)) {
      const key = `${from.host ?? ''} ${from.phase} ${to.phase}`
      push(gaps, key, to.host ?? '', to.startMs - from.endMs)
      push(sent, `${from.phase} ${to.host ?? ''} ${to.phase}`, from.host ?? '', to.startMs - from.endMs)
      // A host is chosen before anything goes on there; who else is asked meanwhile may have been so before.
      if (!CHOOSING.includes(from.phase) || attempt.host === null || to.host === null || !isSameHost(to.host, attempt.host)) continue
      const sender = senders.get(key) ?? { machine: from.host ?? '', beganMs: [] }
      senders.set(key, sender)
      sender.beganMs.push(to.startMs - from.startMs)
    }
    for (const { before, it, after } of betweens(ordered)) bound(between, it.host, before.host, before.endMs - it.startMs, after.startMs - it.endMs)
    for (const mark of marks) {
      const around = phases.find(({ phase, host, ended }) => phase === mark.phase && ended && host !== null && host !== mark.host)
      // It may have been cut around what it waited for.
      const last = phases.findLast(({ phase, host, ended }) => phase === mark.phase && ended && host === around?.host)
      // The host's clock is ahead of the other by at least begin − mark, and at most end − mark.
      if (around && last) bound(inside, mark.host, around.host, around.startMs - mark.atMs, Math.max(around.endMs, last.endMs) - mark.atMs)
    }
  }
  const found = new Map<string, Judgement>()
  const keep: Keep = (offset) => {
    const known = found.get(offset.machine)
    if (!known || (offset.off && !known.off) || (offset.off === known.off && offset.uncertaintyMs < known.uncertaintyMs))
      found.set(offset.machine, offset)
  }
  for (const [key, machines] of gaps) {
    const list = [...machines].flatMap(([machine, some]) => shortest(machine, some))
    const sender = senders.get(key)
    const middle = compare(list, isBroker(sender?.machine) ? 'are chosen' : 'receive', keep)
    if (!sender) continue
    // Against the middle one of those that all differ, or against all.
    if (middle) agreed(sender.machine, [middle], keep, middle.sureMs)
    else if (list.length >= SEVERAL && quantile(sender.beganMs, 0.9) < -AGREE_MS) agreed(sender.machine, list, keep)
  }
  // And each of those that send to the same one with the others.
  for (const machines of sent.values())
    compare(
      [...machines].flatMap(([machine, some]) => shortest(machine, some)),
      'send',
      keep,
    )
  for (const list of boundsOf(inside).values())
    compare(
      list.map((one) => ({ ...one, spreadMs: Math.abs(one.spreadMs) })),
      'are around',
      keep,
    )
  for (const [reporter, all] of boundsOf(between)) {
    // Where the bounds contradict each other, the phases overlap: that says nothing of clocks.
    const list = all.filter(({ spreadMs }) => spreadMs >= 0)
    compare(list, 'are around', keep)
    if (list.length >= SEVERAL) agreed(reporter, list, keep)
  }
  return found
}

/** By the machine that writes and the one that times what is around it: how far the second is ahead of the first, at least and at most. */
type Bounds = Map<string, { readonly low: number[]; readonly high: number[] }>

function bound(bounds: Bounds, reporter: string | null, machine: string | null, low: number, high: number): void {
  if (reporter === null || machine === null) return
  const key = `${reporter}\n${machine}`
  const known = bounds.get(key) ?? { low: [], high: [] }
  bounds.set(key, known)
  known.low.push(low)
  known.high.push(high)
}

/** By reporter: where the bounds of each machine meet. */
function boundsOf(bounds: Bounds): Map<string, Shortest[]> {
  const byReporter = new Map<string, Shortest[]>()
  for (const [key, { low, high }] of bounds) {
    const [reporter = '', machine = ''] = key.split('\n')
    if (low.length < FEWEST) continue
    // Nine in ten hold: a clock that is set in between, or a mark of another try, is no bound.
    const [least, most] = [quantile(low, 0.9), quantile(high, 0.1)]
    const list = byReporter.get(reporter) ?? []
    byReporter.set(reporter, list)
    list.push({ machine, ms: (least + most) / 2, spreadMs: (most - least) / 2, n: low.length })
  }
  return byReporter
}

interface Shortest {
  readonly machine: string
  readonly ms: number
  readonly spreadMs: number
  readonly n: number
}

function shortest(machine: string, list: readonly number[]): Shortest[] {
  if (list.length < FEWEST) return []
  return [{ machine, ms: quantile(list, 0.1), spreadMs: (quantile(list, 0.5) - quantile(list, 0.1)) / 2, n: list.length }]
}

/**
 * Machines that do the same, against their median. Of fewer than three, nobody can say which of them is wrong.
 * @returns that median, where they all differ, and how sure it is; else null
 */
function compare(
  list: readonly Shortest[],
  they: 'receive' | 'are chosen' | 'send' | 'are around',
  keep: Keep,
): (Shortest & { readonly sureMs: number }) | null {
  if (list.length < 3) return null
  const { typical, apart, own } = middleOf(list)
  // Nobody goes on with what is not handed over yet. Where several do so, each always by as much, there is no time that most clocks agree on: how far apart they are is
  // how far they are off.
  const tooEarly = list.filter(({ ms }) => ms < -AGREE_MS / 4).length >= IMPOSSIBLE * list.length
  const nobodyAgrees = they !== 'are around' && tooEarly && apart > Math.max(AGREE_MS / 4, 2 * own)
  // Who says that nobody but the host told how it was chosen? Only what cannot be otherwise.
  if (they === 'are chosen' && !nobodyAgrees) return null
  // The standard error of a median, of values that vary as a normal one does: 1.2533 σ / √n, with σ from their median deviation.
  const sureMs = (1.2533 * 1.4826 * apart) / Math.sqrt(list.length)
  for (const { machine, ms, spreadMs, n } of list) {
    // Whoever sends by a clock that is ahead seems to have sent late.
    const offsetMs = Math.round(they === 'send' ? typical - ms : ms - typical)
    const uncertaintyMs = Math.round((nobodyAgrees ? sureMs : apart) + spreadMs)
    const off = Math.abs(offsetMs) > (nobodyAgrees ? Math.max(AGREE_MS / 4, 3 * spreadMs) : Math.max(AGREE_MS, 3 * uncertaintyMs, 4 * apart))
    keep({ machine, offsetMs, uncertaintyMs, n, typicalMs: they === 'receive' || they === 'are chosen' ? Math.round(typical) : null, off })
  }
  return nobodyAgrees ? { machine: '', ms: typical, spreadMs: own, n: list.reduce((sum, one) => sum + one.n, 0), sureMs } : null
}

/** Of several machines the median, how far they are from it, and how much each of them varies. */
function middleOf(list: readonly Shortest[]): { readonly typical: number; readonly apart: number; readonly own: number } {
  const median = (values: readonly number[]) => quantile(values, 0.5)
  const typical = median(list.map(({ ms }) => ms))
  return { typical, apart: median(list.map(({ ms }) => Math.abs(ms - typical))), own: median(list.map(({ spreadMs }) => spreadMs)) }
}

/** A machine of which several others say how far they are from it: where they agree, and it cannot be nothing, it is that one which is off. @param sureMs how sure they are of the time */
function agreed(machine: string, list: readonly Shortest[], keep: Keep, sureMs = 0): void {
  const { typical, apart, own } = middleOf(list)
  const offsetMs = -Math.round(typical)
  const n = list.reduce((sum, one) => sum + one.n, 0)
  const off = Math.abs(typical) - own > Math.max(AGREE_MS, 4 * apart)
  keep({ machine, offsetMs, uncertaintyMs: Math.round(own + apart + sureMs), n, typicalMs: null, off })
}

function push(map: Map<string, Map<string, number[]>>, key: string, machine: string, value: number): void {
  const machines = map.get(key) ?? new Map<string, number[]>()
  map.set(key, machines)
  const list = machines.get(machine)
  if (list) list.push(value)
  else machines.set(machine, [value])
}

function quantile(values: readonly number[], q: number): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[Math.min(sorted.length - 1, Math.floor(q * sorted.length))] ?? 0
}
