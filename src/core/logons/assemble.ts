import { readAccount } from '../people/account'
import type { Attempt, Mark, Oddity, Outcome, Phase, PhasePart } from './attempt'
import { canonicalCode, codeFails } from './codes'
import { SILENCE_MS } from './correlate'
import type { AttrValue, Observation } from './observation'

/** A phase longer than a day is a clock error, not a wait. */
const LONGEST_MS = 24 * 3_600_000

interface Stretch {
  phase: string
  part: string | null
  startMs: number
  endMs: number
  ended: boolean
  code: string | null
  host: string | null
}

/**
 * One attempt from the observations that belong to it.
 * @param ordered each observation once, by time (see correlate.ts)
 * @param nowMs the newest moment known, by which silence is measured
 */
export function assemble(id: string, ordered: readonly Observation[], nowMs: number): Attempt {
  const oddities: Oddity[] = []
  const stretches = stretchesOf(ordered, oddities)
  const timed = stretches.filter((stretch) => stretch.part === null && stretch.phase !== 'settle')
  const begin = ordered.find((observation) => observation.kind === 'begin')
  const firstMs = ordered[0]?.timeMs ?? 0
  if (!begin) oddities.push({ code: 'begin.missing', sentence: 'No record of the begin; the first record is taken for it.' })
  const startMs = begin ? Math.min(begin.timeMs, firstMs) : firstMs
  const end = ordered.findLast((observation) => observation.kind === 'end')
  const shellEnd = Math.max(-Infinity, ...timed.filter((s) => s.phase === 'shell' && s.ended).map((s) => s.endMs))
  const lastMs = Math.max(startMs, ...timed.map((s) => s.endMs), ...ordered.map((o) => o.timeMs))
  const closedMs = end?.timeMs ?? (Number.isFinite(shellEnd) ? shellEnd : null)
  const endMs = Math.max(startMs, closedMs ?? lastMs)
  if (end === undefined && closedMs === null) oddities.push({ code: 'end.missing', sentence: 'No record of the end.' })

  const unclosed = stretches.filter((stretch) => !stretch.ended)
  for (const stretch of unclosed) {
    stretch.endMs = Math.max(stretch.startMs, endMs)
    if (closedMs !== null) oddities.push({ code: 'phase.never-ended', sentence: `No end of ${stretch.phase} was recorded; it is drawn until the attempt's end.` })
  }
  const marks = marksOf(ordered, startMs)
  const attrs = mergeAttrs(ordered)
  const account = ordered.find((observation) => observation.person)?.person ?? null
  const toPhase = (s: Stretch): Phase => ({
    phase: s.phase, startMs: s.startMs - startMs, endMs: s.endMs - startMs, ended: s.ended, code: s.code, host: s.host,
  })
  return {
    id,
    account,
    person: account === null ? null : readAccount(account).key,
    host: last(ordered, 'host'),
    pool: last(ordered, 'pool'),
    session: last(ordered, 'session'),
    startedAtMs: startMs,
    totalMs: Math.round(endMs - startMs),
    outcome: outcomeOf({ end, closedMs, shellEnd, lastMs, nowMs, marks, timed }),
    phases: stretches.filter((s) => s.part === null).map(toPhase),
    parts: stretches.filter((s) => s.part !== null).map((s): PhasePart => ({ ...toPhase(s), part: s.part ?? '' })),
    marks,
    attrs,
    oddities,
    observations: ordered.length,
  }
}

function last(ordered: readonly Observation[], field: 'host' | 'pool' | 'session'): string | null {
  return ordered.findLast((observation) => observation[field])?.[field] ?? null
}

function mergeAttrs(ordered: readonly Observation[]): Record<string, AttrValue> {
  const attrs: Record<string, AttrValue> = {}
  for (const observation of ordered) if (observation.attrs) Object.assign(attrs, observation.attrs)
  return attrs
}

function stretchesOf(ordered: readonly Observation[], oddities: Oddity[]): Stretch[] {
  const result: Stretch[] = []
  const open = new Map<string, Stretch[]>()
  for (const o of ordered) {
    if (!o.phase) continue
    if (o.kind === 'phase') {
      const durationMs = o.durationMs ?? 0
      if (durationMs < 0 || durationMs > LONGEST_MS) {
        oddities.push({ code: 'phase.negative', sentence: `${o.phase} was reported to last ${Math.round(durationMs)} ms; it is counted as 0.` })
        result.push(stretchOf(o, o.timeMs, true))
      } else result.push(stretchOf(o, o.timeMs + durationMs, true))
    } else if (o.kind === 'phase-begin') {
      const stretch = stretchOf(o, o.timeMs, false)
      result.push(stretch)
      const key = nameOf(o)
      const waiting = open.get(key)
      if (waiting) waiting.push(stretch)
      else open.set(key, [stretch])
    } else if (o.kind === 'phase-end') {
      const stretch = open.get(nameOf(o))?.shift()
      if (stretch) {
        stretch.endMs = o.timeMs
        stretch.ended = true
        if (o.code) stretch.code = canonicalCode(o.code)
      } else {
        oddities.push({ code: 'phase.ends-before-it-begins', sentence: `The end of ${o.phase} was recorded without, or before, its begin.` })
        result.push(stretchOf(o, o.timeMs, true))
      }
    }
  }
  return result.sort((a, b) => a.startMs - b.startMs || a.endMs - b.endMs || (a.phase < b.phase ? -1 : a.phase > b.phase ? 1 : 0))
}

function stretchOf(o: Observation, endMs: number, ended: boolean): Stretch {
  return { phase: o.phase ?? '', part: o.part ?? null, startMs: o.timeMs, endMs, ended, code: o.code ? canonicalCode(o.code) : null, host: o.host ?? null }
}

const nameOf = (o: Observation): string => JSON.stringify([o.phase, o.part])

/** Marks by time. The code of a phase or of the end counts as a mark of its own only where no mark says the same. */
function marksOf(ordered: readonly Observation[], startMs: number): Mark[] {
  const marks: Mark[] = []
  const said = new Set<string>()
  for (const { kind, code } of ordered) if (kind === 'mark' && code) said.add(canonicalCode(code))
  for (const o of [...ordered.filter(({ kind }) => kind !== 'end'), ...ordered.filter(({ kind }) => kind === 'end')]) {
    if (o.kind !== 'mark') {
      const code = o.code ? canonicalCode(o.code) : null
      if (code === null ? !(o.kind === 'end' && o.text) : said.has(code)) continue
      if (code !== null) said.add(code)
    }
    const atMs = (o.kind === 'phase' ? o.timeMs + Math.max(0, o.durationMs ?? 0) : o.timeMs) - startMs
    marks.push({ atMs, code: o.code ? canonicalCode(o.code) : null, phase: o.phase ?? null, text: o.text ?? null, host: o.host ?? null })
  }
  return marks.sort((a, b) => a.atMs - b.atMs)
}

interface Ending {
  end: Observation | undefined
  closedMs: number | null
  shellEnd: number
  lastMs: number
  nowMs: number
  marks: readonly Mark[]
  timed: readonly Stretch[]
}

function outcomeOf({ end, closedMs, lastMs, nowMs, marks, timed }: Ending): Outcome {
  if (end?.outcome) return end.outcome
  const failing = marks.some((mark) => mark.code !== null && codeFails(mark.code))
  if (end) return failing && !timed.some((s) => s.phase === 'shell') ? 'failed' : 'ready'
  if (closedMs !== null) return 'ready'
  if (nowMs - lastMs <= SILENCE_MS) return 'open'
  const reachedHost = timed.some((s) => s.phase !== 'broker' && s.phase !== 'power')
  return failing || !reachedHost ? 'failed' : 'abandoned'
}
