import type { Story } from '../../contract/logons'
import { longestPart } from '../../core/logons/parts'
import { duration } from '../kit/format'

export interface Stroke {
  readonly startMs: number
  readonly endMs: number
  readonly ended: boolean
  readonly beside: boolean
}
export interface DrawnRow {
  readonly phase: string
  readonly startMs: number
  readonly endMs: number
  readonly strokes: readonly Stroke[]
  readonly marks: readonly { atMs: number; fails: boolean; words: string }[]
  readonly usualMs: number
  readonly excess: { ms: number } | null
  readonly label: string
  readonly labelBefore: boolean
}
export interface Drawing {
  readonly spanMs: number
  readonly rows: readonly DrawnRow[]
  readonly blame: readonly { phase: string; fromMs: number; toMs: number; late: boolean; label: string }[]
  readonly gaps: readonly { fromMs: number; toMs: number }[]
  readonly sum: string
  /** What the ghosts show; null where there are none. */
  readonly ghosts: string | null
  readonly words: string
}

/** Gaps shorter than this are not worth a line of their own in the drawing. */
const GAP_MS = 1000

/** What the drawing of a story shows, worked out apart from how it is drawn. */
export function drawPhases(story: Story): Drawing {
  const spanMs = Math.max(1000, story.totalMs, ...story.phases.map(({ endMs }) => endMs))
  const names = [...new Set(story.phases.map(({ phase }) => phase))]
  const rows = names.map((phase) => row(story, phase, spanMs))
  const excess = new Map(story.excess.map((one) => [one.phase, one]))
  const blame = story.blame.map(({ phase, fromMs, toMs }) => {
    const late = excess.get(phase)
    return {
      phase,
      fromMs,
      toMs,
      late: late !== undefined,
      label: late ? `${phase} ${duration(toMs - fromMs)}, ${duration(late.ms)} more than usual` : `${phase} ${duration(toMs - fromMs)}`,
    }
  })
  const unrecorded = story.shares.find(({ phase }) => phase === 'unrecorded')?.ms ?? 0
  const sum = `${unrecorded === 0 ? 'nothing unrecorded' : `${duration(unrecorded)} without any record`} · all ${duration(story.totalMs)} accounted for`
  return {
    spanMs,
    rows,
    blame,
    gaps: story.blame.filter(({ phase, fromMs, toMs }) => phase === 'unrecorded' && toMs - fromMs >= GAP_MS),
    sum,
    ghosts: ghostsOf(story),
    words: `Phases: ${rows.map(({ phase, label }) => `${phase} ${label}`).join('; ')}. ${sum}.`,
  }
}

function ghostsOf(story: Story): string | null {
  if (!story.usual) return null
  const late = story.excess.some((one) => one.phase === 'sign-on' && !isWithoutApproval(story, one))
  const asLong = story.approvalMs !== null && !late ? '; of sign-on, with the approval as long as it was' : ''
  return `Ghosts show the usual: the median of ${story.usual.sentence}${asLong}.`
}

/** What stretches of a phase took together, whether the end waited for them or not. */
export const tookIn = (own: readonly Story['phases'][number][]): number => own.reduce((sum, one) => sum + one.endMs - one.startMs, 0)

/** Whether an excess is of what sign-on took by itself; of an approval that came late, it is of all of it. */
export const isWithoutApproval = ({ approvalMs, phases }: Story, { phase, tookMs }: Story['excess'][number]): boolean =>
  approvalMs !== null && phase === 'sign-on' && tookMs < tookIn(phases.filter((one) => one.phase === phase)) - 1

function row(story: Story, phase: string, spanMs: number): DrawnRow {
  const own = story.phases.filter((one) => one.phase === phase)
  const blamed = story.blame.filter((one) => one.phase === phase)
  const strokes = own.flatMap((one): Stroke[] => cut(one, blamed))
  const startMs = Math.min(...own.map((one) => one.startMs))
  const endMs = Math.max(...own.map((one) => one.endMs))
  const excess = story.excess.find((one) => one.phase === phase) ?? null
  const tookMs = tookIn(own)
  const approvalMs = phase === 'sign-on' ? story.approvalMs : null
  const ofMachines = !excess || isWithoutApproval(story, excess)
  const medianMs = story.usual?.series[phase]?.medianMs ?? 0
  // How long the person takes is as usual, unless it is that which was unusual.
  const usualMs = approvalMs === null || medianMs === 0 ? medianMs : ofMachines ? medianMs + approvalMs : excess.usualMs
  const marks = story.marks.filter((mark) => mark.phase === phase)
  const codes = [...new Set(marks.filter(({ code }) => code).map(({ says }) => says))]
  const longest = excess ? longestPart(story.parts, phase) : null
  // One of several that took about as long is not what it was.
  const alone = longest && 2 * longest.ownMs >= tookMs ? longest : null
  const label = [
    duration(tookMs) + (excess ? ` · usual ${duration(approvalMs === null ? excess.usualMs : usualMs)}` : ''),
    ...(approvalMs !== null ? [`${duration(approvalMs)} of it the approval`] : []),
    ...(alone ? [`“${alone.part.part}” alone ${duration(alone.ownMs)}`] : []),
    ...codes.map((says) => {
      const n = marks.filter((mark) => mark.says === says).length
      return n > 1 ? `${n} × ${says}` : says
    }),
  ].join(' · ')
  return {
    phase,
    startMs,
    endMs,
    strokes,
    usualMs,
    excess,
    label,
    labelBefore: endMs / spanMs > 0.62,
    marks: marks.map(({ atMs, number, code, says }) => ({
      atMs: Math.max(0, atMs),
      fails: code !== null && code !== 'factor.approved',
      words: [says, number ?? code].filter(Boolean).join(', '),
    })),
  }
}

/** A phase as strokes: what the end waited for in ink, what ran beside in stone. */
function cut(phase: Story['phases'][number], blamed: Story['blame']): Stroke[] {
  const edges = [phase.startMs, phase.endMs, ...blamed.flatMap(({ fromMs, toMs }) => [fromMs, toMs])]
    .filter((ms) => ms >= phase.startMs && ms <= phase.endMs)
    .sort((a, b) => a - b)
  const strokes: Stroke[] = []
  for (let i = 0; i + 1 < edges.length; i++) {
    const [startMs, endMs] = [edges[i] ?? 0, edges[i + 1] ?? 0]
    if (endMs <= startMs) continue
    const middle = (startMs + endMs) / 2
    strokes.push({ startMs, endMs, ended: phase.ended, beside: !blamed.some(({ fromMs, toMs }) => fromMs <= middle && middle < toMs) })
  }
  return strokes.length ? strokes : [{ startMs: phase.startMs, endMs: phase.endMs, ended: phase.ended, beside: false }]
}
