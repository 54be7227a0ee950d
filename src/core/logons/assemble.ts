import { readAccount } from '../people/account'
import { isSameHost } from '../people/host'
import type { Attempt, Mark, Oddity, Outcome, Phase, PhasePart } from './attempt'
import { canonicalCode, codeFails } from './codes'
import { isOnHost, type Attrs, type AttrValue, type Observation } from './observation'
import { LONGEST_MS, SILENCE_MS } from './threads'

/** A phase, or a part of one, while it is put together: timed by the clock at first, by the start of the attempt at last. */
type Stretch = { -readonly [K in keyof Phase]: Phase[K] } & Partial<Pick<PhasePart, 'part'>>

const isPart = (stretch: Stretch): stretch is Stretch & PhasePart => stretch.part !== undefined

/**
 * One attempt from the observations that belong to it.
 * @param seen each observation once, by time (see correlate.ts)
 * @param nowMs the newest moment known, by which silence is measured
 */
export function assemble(id: string, seen: readonly Observation[], nowMs: number): Attempt {
  const near = ofOneDay(seen)
  const ordered = near.some(({ within }) => within !== undefined) ? withParts(near) : near
  const oddities: Oddity[] = []
  const far = seen.length - near.length
  if (far > 0)
    oddities.push({
      code: 'clock.far-off',
      sentence: `${far === 1 ? 'One of its records is' : `${far} of its records are`} more than a day away from the others, and not counted.`,
    })
  const stretches = stretchesOf(ordered, oddities)
  const { begin, end, account, host, pool, session, latestMs } = overview(ordered)
  if (!begin) oddities.push({ code: 'begin.missing', sentence: 'No record of the begin; the first record is taken for it.' })
  const startMs = begin ? begunMs(begin, ordered, host) : firstMs(ordered, stretches)
  let shellEnd = -Infinity
  let lastMs = Math.max(startMs, latestMs)
  for (const s of stretches) {
    if (isPart(s) || s.phase === 'settle') continue
    lastMs = Math.max(lastMs, s.endMs)
    if (s.phase === 'shell' && s.ended) shellEnd = Math.max(shellEnd, s.endMs)
  }
  const closedMs = end?.timeMs ?? (Number.isFinite(shellEnd) ? shellEnd : null)
  const endMs = Math.max(startMs, closedMs ?? lastMs)
  if (end === undefined && closedMs === null) oddities.push({ code: 'end.missing', sentence: 'No record of the end.' })

  const phases: Phase[] = []
  const parts: PhasePart[] = []
  for (const s of withoutWaits(stretches)) {
    if (!s.ended) {
      s.endMs = Math.max(s.startMs, endMs)
      if (closedMs !== null)
        oddities.push({ code: 'phase.never-ended', sentence: `No end of ${s.phase} was recorded; it is drawn until the attempt's end.` })
    }
    s.startMs -= startMs
    s.endMs -= startMs
    if (isPart(s)) parts.push(s)
    else phases.push(s)
  }
  const marks = marksOf(ordered, startMs)
  const attrs = mergeAttrs(ordered)
  const outcome = outcomeOf({ begin, end, closedMs, lastMs, nowMs, marks, phases, parts })
  return {
    id,
    account,
    person: account === null ? null : readAccount(account).key,
    host,
    pool,
    session,
    startedAtMs: startMs,
    totalMs: Math.round(endMs - startMs),
    outcome: outcome === 'ready' && isOnAnother(marks, attrs) ? 'degraded' : outcome,
    phases,
    parts,
    marks,
    attrs,
    oddities,
    observations: ordered.length,
  }
}

/** The records of one day: where they are further apart, the most that are together, and of as many the earlier. */
function ofOneDay(seen: readonly Observation[]): readonly Observation[] {
  const [first, last] = [seen[0]?.timeMs ?? 0, seen.at(-1)?.timeMs ?? 0]
  if (last - first <= LONGEST_MS) return seen
  let best: readonly Observation[] = []
  for (let from = 0; from < seen.length;) {
    const untilMs = (seen[from]?.timeMs ?? 0) + LONGEST_MS
    let to = from + 1
    while (to < seen.length && (seen[to]?.timeMs ?? Infinity) <= untilMs) to++
    if (to - from > best.length) best = seen.slice(from, to)
    from = to
  }
  return best
}

/** What another machine marks before a begin that is told is no part of it. */
const begunMs = (begin: Observation, ordered: readonly Observation[], on: string | null): number =>
  Math.min(begin.timeMs, ordered.find((one) => one.kind !== 'mark' || isOwn(one, on))?.timeMs ?? Infinity)
const isOwn = ({ source, host }: Observation, on: string | null) => !source && (host === undefined || on === null || isSameHost(host, on))

/** An end that says how long it took reaches back before the first record. */
const firstMs = (ordered: readonly Observation[], stretches: readonly Stretch[]): number =>
  stretches.reduce((first, { startMs }) => Math.min(first, startMs), ordered[0]?.timeMs ?? 0)

/** Spans that were sent before the one that they are in: what they are a part of is known now, or they are phases themselves. */
function withParts(seen: readonly Observation[]): Observation[] {
  const spans = new Map<string, Observation>()
  // One that was sent twice may once have come with what it is in.
  for (const one of seen) if (one.span !== undefined && (one.within === undefined || !spans.has(one.span))) spans.set(one.span, one)
  const resolved = (one: Observation, deep = 0): Observation => {
    const above = one.within === undefined ? undefined : spans.get(one.within)
    if (!above || above.kind === 'begin' || deep > 20) return one
    const { phase } = resolved(above, deep + 1)
    return one.kind === 'mark' ? { ...one, phase } : { ...one, phase, part: one.part ?? one.phase }
  }
  return seen.filter((one) => one.kind !== 'phase' || one.span === undefined || spans.get(one.span) === one).map((one) => resolved(one))
}

/** What the observations say of the whole: the first begin and account, the last end and place. */
function overview(ordered: readonly Observation[]) {
  let begin: Observation | undefined
  let end: Observation | undefined
  let account: string | null = null
  let host: string | null = null
  let onHost: string | null = null
  let pool: string | null = null
  let session: string | null = null
  let latestMs = -Infinity
  for (const o of ordered) {
    if (o.kind === 'begin') begin ??= o
    else if (o.kind === 'end') end = o
    if (o.person && account === null) account = o.person
    if (o.host) {
      // Whoever chose the host may report the end, too.
      if (isOnHost(o.phase) && o.kind !== 'mark') onHost = o.host
      host = o.host
    }
    if (o.pool) pool = o.pool
    if (o.session) session = o.session
    if (o.timeMs > latestMs) latestMs = o.timeMs
  }
  return { begin, end, account, host: onHost ?? host, pool, session, latestMs }
}

function mergeAttrs(ordered: readonly Observation[]): Attrs {
  let merged: Record<string, AttrValue> | null = null
  let only: Attrs | null = null
  for (const { attrs } of ordered) {
    if (!attrs) continue
    if (only === null) only = attrs
    else Object.assign((merged ??= { ...only }), attrs)
  }
  return merged ?? only ?? {}
}

function stretchesOf(ordered: readonly Observation[], oddities: Oddity[]): Stretch[] {
  const result: Stretch[] = []
  let open: Map<string, Stretch[]> | null = null
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
      open ??= new Map()
      const waiting = open.get(key)
      if (waiting) waiting.push(stretch)
      else open.set(key, [stretch])
    } else if (o.kind === 'phase-end') {
      const stretch = open?.get(nameOf(o))?.shift()
      if (stretch) {
        checkElapsed(stretch, o, oddities)
        stretch.endMs = o.timeMs
        stretch.ended = true
        if (o.code) stretch.code = canonicalCode(o.code)
      } else {
        const tookMs = o.durationMs !== undefined && o.durationMs >= 0 && o.durationMs <= LONGEST_MS ? o.durationMs : null
        if (tookMs === null)
          oddities.push({ code: 'phase.ends-before-it-begins', sentence: `The end of ${o.phase} was recorded without, or before, its begin.` })
        result.push({ ...stretchOf(o, o.timeMs, true), startMs: o.timeMs - (tookMs ?? 0) })
      }
    }
  }
  return inOrder(result) ? result : result.sort(byTime)
}

const byTime = (a: Stretch, b: Stretch): number => a.startMs - b.startMs || a.endMs - b.endMs || (a.phase < b.phase ? -1 : a.phase > b.phase ? 1 : 0)

/**
 * What is known to wait for another phase that begins and ends within it: the desktop is not started before the scripts are through, nor is a profile loaded before its container is
 * there. Common practice, no published source. What begins before it, or ends after it, runs beside it.
 */
const WAITS_FOR: ReadonlyMap<string, string> = new Map([
  ['shell', 'scripts'],
  ['profile', 'container'],
])
const WAITED_FOR: ReadonlySet<string> = new Set(WAITS_FOR.values())

/** Stretches without the time that they waited for another one, by the same clock: each is cut in two around it. */
function withoutWaits(stretches: Stretch[]): Stretch[] {
  let result = stretches
  for (const inner of stretches) {
    if (isPart(inner) || !inner.ended || !WAITED_FOR.has(inner.phase) || inner.endMs <= inner.startMs) continue
    if (result.some((s) => waitsFor(s, inner)))
      result = result.flatMap((s) =>
        waitsFor(s, inner)
          ? [
              { ...s, endMs: inner.startMs },
              { ...s, startMs: inner.endMs },
            ].filter(lasts)
          : [s],
      )
  }
  return result === stretches ? stretches : result.sort(byTime)
}

const waitsFor = (s: Stretch, inner: Stretch): boolean =>
  WAITS_FOR.get(s.phase) === inner.phase && !isPart(s) && s.ended && s.host === inner.host && s.startMs <= inner.startMs && s.endMs >= inner.endMs
const lasts = ({ startMs, endMs }: Stretch): boolean => endMs > startMs

/** A source that says how long something took, and stamps its begin and end, should agree with itself (whole seconds are rounded). */
function checkElapsed(stretch: Stretch, { timeMs, durationMs, phase, part }: Observation, oddities: Oddity[]): void {
  if (durationMs === undefined) return
  const stampedMs = timeMs - stretch.startMs
  if (Math.abs(stampedMs - durationMs) > Math.max(2000, 0.2 * Math.max(stampedMs, durationMs)))
    oddities.push({
      code: 'phase.elapsed-differs',
      sentence: `${part ? `“${part}” in ${phase}` : phase} says that it took ${(durationMs / 1000).toFixed(1)} s; its time stamps say ${(stampedMs / 1000).toFixed(1)} s, which are taken.`,
    })
}

function inOrder(stretches: readonly Stretch[]): boolean {
  for (let i = 1; i < stretches.length; i++) if ((stretches[i - 1]?.startMs ?? 0) >= (stretches[i]?.startMs ?? 0)) return false
  return true
}

function stretchOf({ phase = '', part, timeMs, code: reported, source, host: on }: Observation, endMs: number, ended: boolean): Stretch {
  const code = reported ? canonicalCode(reported) : null
  const host = source ?? on ?? null
  return part === undefined ? { phase, startMs: timeMs, endMs, ended, code, host } : { phase, startMs: timeMs, endMs, ended, code, host, part }
}

const nameOf = (o: Observation): string => JSON.stringify([o.phase, o.part])

/** Marks by time. The code of a phase or of the end counts as a mark of its own only where no mark says the same. */
function marksOf(ordered: readonly Observation[], startMs: number): Mark[] {
  const marks: Mark[] = []
  if (!ordered.some(({ kind, code, text }) => kind === 'mark' || code !== undefined || (kind === 'end' && text !== undefined))) return marks
  const said = new Set<string>()
  for (const { kind, code } of ordered) if (kind === 'mark' && code) said.add(canonicalCode(code))
  for (const o of [...ordered.filter(({ kind }) => kind !== 'end'), ...ordered.filter(({ kind }) => kind === 'end')]) {
    if (o.kind !== 'mark') {
      const code = o.code ? canonicalCode(o.code) : null
      if (code === null ? !(o.kind === 'end' && o.text) : said.has(code)) continue
      if (code !== null) said.add(code)
    }
    const atMs = (o.kind === 'phase' ? o.timeMs + Math.max(0, o.durationMs ?? 0) : o.timeMs) - startMs
    marks.push({ atMs, code: o.code ? canonicalCode(o.code) : null, phase: o.phase ?? null, text: o.text ?? null, host: o.source ?? o.host ?? null })
  }
  return marks.sort((a, b) => a.atMs - b.atMs)
}

/** Who says that the desktop is ready need not know what profile it has: a temporary one, or one that was left on the host. */
const isOnAnother = (marks: readonly Mark[], attrs: Attrs): boolean =>
  attrs['profileType'] === 'temporary' ||
  marks.some(({ code }) => code === 'profile.temporary' || (code === 'leftover.found' && attrs['profileType'] === 'local'))

interface Ending {
  begin: Observation | undefined
  end: Observation | undefined
  closedMs: number | null
  lastMs: number
  nowMs: number
  marks: readonly Mark[]
  phases: readonly Phase[]
  parts: readonly PhasePart[]
}

/**
 * Whether what was recorded is over, by somebody who records no more: of event logs often only one is given, as that of policy. Whoever saw them come would
 * have seen them arrive.
 */
function isOfNoMore(marks: readonly Mark[], stretches: readonly Phase[]): boolean {
  if (stretches.length === 0) return marks.some(({ phase, code }) => phase === 'sign-on' && code === null)
  return stretches.every(({ phase, ended }) => ended && phase !== 'broker' && phase !== 'power' && phase !== 'connect')
}

function outcomeOf({ begin, end, closedMs, lastMs, nowMs, marks, phases, parts }: Ending): Outcome {
  if (end?.outcome) return end.outcome
  const failing = marks.some((mark) => mark.code !== null && codeFails(mark.code))
  if (end) return failing && !phases.some(({ phase }) => phase === 'shell') ? 'failed' : 'ready'
  if (closedMs !== null) return 'ready'
  if (nowMs - lastMs <= SILENCE_MS) return 'open'
  if (!failing && begin === undefined && isOfNoMore(marks, [...phases, ...parts])) return 'ready'
  const reachedHost = phases.some(({ phase }) => phase !== 'broker' && phase !== 'power' && phase !== 'settle')
  return failing || !reachedHost ? 'failed' : 'abandoned'
}
