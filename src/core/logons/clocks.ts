import type { Attempt, Phase } from './attempt'
import { PHASES } from './observation'

/** How far the clock of a machine is ahead of the others (behind: negative), as the order of what it reported tells. */
export interface ClockOffset {
  readonly machine: string
  readonly offsetMs: number
  /** The offset is that, give or take this. */
  readonly uncertaintyMs: number
  /** Logons that it rests on. */
  readonly n: number
}

/** Tickets are refused beyond this difference (RFC 4120's usual default: five minutes). */
export const TICKET_LIMIT_MS = 5 * 60_000
/** Fewer logons say nothing of a clock. */
const FEWEST = 5
/** Clocks that agree within this are not worth correcting: handing over takes some time itself. */
const AGREE_MS = 2000

const RANK = new Map<string, number>(PHASES.map((phase, rank) => [phase, rank]))

/**
 * Offsets of clocks, from logons in which one machine hands over to another. What comes first must end before what follows begins: on each machine, the
 * shortest of these gaps is compared with the shortest on the others that do the same (their median). Where one machine writes inside a phase that
 * another one times (a directory server inside a sign-on), it must lie between that phase's begin and end, which bounds the offset from both sides
 * (Cristian 1989: the time of a remote clock lies between request and answer).
 */
export function clockOffsets(attempts: Iterable<Pick<Attempt, 'phases' | 'marks' | 'host'>>): Map<string, ClockOffset> {
  const gaps = new Map<string, Map<string, number[]>>()
  const inside = new Map<string, { low: number[]; high: number[] }>()
  for (const { phases, marks } of attempts) {
    const ordered = phases.filter(({ host, ended }) => host !== null && ended).sort((a, b) => rankOf(a) - rankOf(b))
    for (let i = 1; i < ordered.length; i++) {
      const [from, to] = [ordered[i - 1], ordered[i]]
      if (!from || !to || from.host === to.host) continue
      // By who hands over what to whom: each of the receiving machines is compared with the others that do the same.
      push(gaps, `${from.host ?? ''} ${from.phase} ${to.phase}`, to.host ?? '', to.startMs - from.endMs)
    }
    for (const mark of marks) {
      const around = phases.find(({ phase, host, ended }) => phase === mark.phase && ended && host !== null && host !== mark.host)
      if (!around || mark.host === null) continue
      const key = `${mark.host}\n${around.host ?? ''}`
      const bounds = inside.get(key) ?? { low: [], high: [] }
      inside.set(key, bounds)
      // The host's clock is ahead of the other by at least begin − mark, and at most end − mark.
      bounds.low.push(around.startMs - mark.atMs)
      bounds.high.push(around.endMs - mark.atMs)
    }
  }
  const found = new Map<string, ClockOffset>()
  const keep = (offset: ClockOffset) => {
    const known = found.get(offset.machine)
    if (!known || offset.uncertaintyMs < known.uncertaintyMs) found.set(offset.machine, offset)
  }
  for (const machines of gaps.values())
    compare(
      [...machines].flatMap(([machine, list]) => shortest(machine, list)),
      keep,
    )
  const byReporter = new Map<string, Shortest[]>()
  for (const [key, { low, high }] of inside) {
    const [reporter = '', machine = ''] = key.split('\n')
    if (low.length < FEWEST) continue
    // Nine in ten hold: a clock that is set in between, or a mark of another try, is no bound.
    const [least, most] = [quantile(low, 0.9), quantile(high, 0.1)]
    const list = byReporter.get(reporter) ?? []
    byReporter.set(reporter, list)
    list.push({ machine, ms: (least + most) / 2, spreadMs: Math.abs(most - least) / 2, n: low.length })
  }
  for (const list of byReporter.values()) compare(list, keep)
  return found
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

/** Machines that do the same, against their median. Of fewer than three, nobody can say which of them is wrong. */
function compare(list: readonly Shortest[], keep: (offset: ClockOffset) => void): void {
  if (list.length < 3) return
  const typical = quantile(
    list.map(({ ms }) => ms),
    0.5,
  )
  const apart = quantile(
    list.map(({ ms }) => Math.abs(ms - typical)),
    0.5,
  )
  for (const { machine, ms, spreadMs, n } of list) {
    const offsetMs = ms - typical
    const uncertaintyMs = Math.round(apart + spreadMs)
    if (Math.abs(offsetMs) > Math.max(AGREE_MS, 3 * uncertaintyMs, 4 * apart)) keep({ machine, offsetMs: Math.round(offsetMs), uncertaintyMs, n })
  }
}

/** An attempt as it would have been timed by clocks that agree. Its end is taken to be by the clock of its last phase. */
export function corrected(attempt: Attempt, offsets: ReadonlyMap<string, ClockOffset>): Attempt {
  if (offsets.size === 0) return attempt
  const of = (host: string | null) => (host === null ? 0 : (offsets.get(host)?.offsetMs ?? 0))
  if (![...attempt.phases, ...attempt.marks].some(({ host }) => of(host) !== 0)) return attempt
  // By clocks that agree: when the first phase began, and when the last ended. Where the last clock was behind, the end may have seemed to be before the begin.
  let [beginMs, lastMs, lastHost]: [number, number, string | null] = [Infinity, -Infinity, attempt.host]
  for (const { phase, startMs, endMs: phaseEndMs, host } of attempt.phases) {
    if (phase === 'settle') continue
    beginMs = Math.min(beginMs, startMs - of(host))
    if (phaseEndMs - of(host) > lastMs) [lastMs, lastHost] = [phaseEndMs - of(host), host]
  }
  if (beginMs === Infinity) beginMs = -of(attempt.host)
  const endMs = attempt.totalMs > 0 ? Math.max(lastMs, attempt.totalMs - of(lastHost)) : lastMs
  const moved = <T extends { readonly host: string | null; readonly startMs: number; readonly endMs: number }>(one: T): T => ({
    ...one,
    startMs: one.startMs - of(one.host) - beginMs,
    endMs: one.endMs - of(one.host) - beginMs,
  })
  const own = attempt.host === null ? undefined : offsets.get(attempt.host)
  return {
    ...attempt,
    startedAtMs: attempt.startedAtMs + beginMs,
    totalMs: Math.max(0, Math.round(endMs - beginMs)),
    phases: attempt.phases.map(moved),
    parts: attempt.parts.map(moved),
    marks: attempt.marks.map((mark) => ({ ...mark, atMs: mark.atMs - of(mark.host) - beginMs })),
    attrs: own ? { ...attempt.attrs, clockOffsetMs: own.offsetMs } : attempt.attrs,
  }
}

const rankOf = ({ phase }: Phase) => RANK.get(phase) ?? RANK.size

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
