import type { Attempt } from './attempt'
import { byTeller, handovers, inTurn, type Timed } from './clock-turns'
import type { ClockOffset } from './clocks'

/**
 * Which of the clocks that are known to be off were off in this attempt: a clock may have been set since. Where its own handing over looks as if the clock
 * were right, it is left alone.
 */
export function offIn(attempt: Timed, offsets: ReadonlyMap<string, ClockOffset>): ClockOffset[] {
  if (offsets.size === 0) return []
  const machines = new Set([...byTeller(attempt), ...attempt.marks].map(({ host }) => host))
  return [...machines].flatMap((machine) => {
    const offset = machine === null ? undefined : offsets.get(machine)
    return offset && shows(attempt, offset) ? [offset] : []
  })
}

function shows(attempt: Timed, { machine, offsetMs, typicalMs }: ClockOffset): boolean {
  if (typicalMs === null) return true
  const first = handovers(inTurn(byTeller(attempt), attempt.host)).find(({ to }) => to.host === machine)
  if (!first) return true
  const gap = first.to.startMs - first.from.endMs
  return Math.abs(gap - typicalMs - offsetMs) <= Math.abs(gap - typicalMs)
}

/**
 * An attempt as it would have been timed by clocks that agree. Nobody says by which of them its end is: by the one that puts it nearest to the end of its last phase.
 * @param off the clocks that were off in it, see offIn
 */
export function corrected(attempt: Attempt, off: readonly ClockOffset[]): Attempt {
  if (off.length === 0) return attempt
  const offsets = new Map(off.map(({ machine, offsetMs }) => [machine, offsetMs]))
  const of = (host: string | null) => (host === null ? 0 : (offsets.get(host) ?? 0))
  const told = byTeller(attempt)
  // By clocks that agree: when the first phase began, and when the last ended. Where the last clock was behind, the end may have seemed to be before the begin.
  let [beginMs, lastMs] = [Infinity, -Infinity]
  for (const { phase, startMs, endMs: phaseEndMs, host } of told) {
    if (phase === 'settle') continue
    beginMs = Math.min(beginMs, startMs - of(host))
    lastMs = Math.max(lastMs, phaseEndMs - of(host))
  }
  // Of one that failed at once there may be marks only.
  if (beginMs === Infinity) for (const { atMs, host } of attempt.marks) beginMs = Math.min(beginMs, atMs - of(host))
  if (beginMs === Infinity) beginMs = -of(attempt.host)
  const hosts = told.length > 0 ? told.map(({ host }) => host) : [attempt.host]
  const ends = hosts.map((host) => attempt.totalMs - of(host))
  const nearest = ends.reduce((best, end) => (Math.abs(end - lastMs) < Math.abs(best - lastMs) ? end : best), ends[0] ?? 0)
  const endMs = attempt.totalMs > 0 ? Math.max(lastMs, nearest) : lastMs
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
    phases: told.map((one, i) => ({ ...moved(one), host: attempt.phases[i]?.host ?? null })).sort((a, b) => a.startMs - b.startMs),
    parts: attempt.parts.map(moved).sort((a, b) => a.startMs - b.startMs),
    marks: attempt.marks.map((mark) => ({ ...mark, atMs: mark.atMs - of(mark.host) - beginMs })).sort((a, b) => a.atMs - b.atMs),
    attrs: own === undefined ? attempt.attrs : { ...attempt.attrs, clockOffsetMs: own },
    oddities: [
      ...attempt.oddities,
      ...off.map((one) => ({ code: 'clock.off' as const, sentence: `${clockSays(one)}: what it timed was put right.` })),
    ],
  }
}

/** `The clock of H-3 is 5 min 30 s ahead (± 0.2 s, by 15 logons)` */
export function clockSays({ machine, offsetMs, uncertaintyMs, n }: ClockOffset): string {
  const s = Math.abs(offsetMs) / 1000
  const by = s < 90 ? `${s.toFixed(1)} s` : `${Math.floor(s / 60)} min ${Math.round(s % 60)} s`
  return `The clock of ${machine} is ${by} ${offsetMs > 0 ? 'ahead' : 'behind'} (± ${(uncertaintyMs / 1000).toFixed(1)} s, by ${n} logons)`
}
