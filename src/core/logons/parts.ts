import type { PhasePart } from './attempt'

type Lying = Pick<PhasePart, 'phase' | 'startMs' | 'endMs'>

/** A part of a phase, and how much of its time no part inside it took. */
export interface OwnPart<T> {
  readonly part: T
  readonly ownMs: number
}

/**
 * The parts of a phase with the time that is their own: of a part that others lie in, as a step that waits for several, only what is left of it.
 * @param parts of an attempt, of any phases
 * @returns by start, the outer before the inner
 */
export function ownParts<T extends Lying>(parts: readonly T[], phase: string): OwnPart<T>[] {
  const result: { part: T; ownMs: number; takenUntilMs: number }[] = []
  const around: (typeof result)[number][] = []
  for (const part of parts.filter((one) => one.phase === phase).sort((a, b) => a.startMs - b.startMs || b.endMs - a.endMs)) {
    while ((around.at(-1)?.part.endMs ?? Infinity) < part.endMs) around.pop()
    const outer = around.at(-1)
    if (outer) {
      outer.ownMs -= Math.max(0, part.endMs - Math.max(part.startMs, outer.takenUntilMs))
      outer.takenUntilMs = Math.max(outer.takenUntilMs, part.endMs)
    }
    const one = { part, ownMs: part.endMs - part.startMs, takenUntilMs: part.startMs }
    result.push(one)
    around.push(one)
  }
  return result
}

/** The part of a phase that took longest by itself; of as long ones the first. */
export function longestPart<T extends Lying>(parts: readonly T[], phase: string): OwnPart<T> | null {
  let best: OwnPart<T> | null = null
  for (const one of ownParts(parts, phase)) if (!best || one.ownMs > best.ownMs) best = one
  return best
}
