import type { MirrorDay } from '../../core/containers'
import { size } from '../kit/format'

export interface MirrorDrawn {
  readonly width: number
  readonly height: number
  readonly rows: readonly {
    readonly name: string
    readonly y: number
    readonly pieces: readonly { from: number; to: number; state: 'current' | 'behind' | 'lost'; words: string }[]
  }[]
  readonly sessionY: number
  readonly sessions: readonly { from: number; to: number; own: boolean; words: string }[]
  readonly marks: readonly { x: number; n: number }[]
}

const ROW = 34

/** A day as strokes over time: a row for each location, one for the session, a mark for each step with its number. */
export function drawMirror({ steps }: MirrorDay, locations: readonly string[], width: number): MirrorDrawn {
  const end = Math.max(60, ...steps.map(({ atMin }) => atMin)) * 1.04
  const x = (atMin: number) => Math.round((atMin / end) * (width - 20) * 10) / 10 + 8
  const spans = steps.map((step, i) => ({ step, from: x(step.atMin), to: x(steps[i + 1]?.atMin ?? end) }))
  const before = { from: x(0), to: spans[0]?.from ?? x(end) }
  const rows = locations.map((name, i) => ({
    name,
    y: 24 + i * ROW,
    pieces: [
      ...(before.to > before.from ? [{ ...before, state: 'current' as const, words: 'has everything' }] : []),
      ...spans.flatMap(({ step, from, to }) => {
        const place = step.places.find(({ location }) => location === name)
        if (!place) return []
        const state = !place.reachable ? ('lost' as const) : place.behindBytes > 0 ? ('behind' as const) : ('current' as const)
        return [
          {
            from,
            to,
            state,
            words: `${state === 'lost' ? 'cannot be reached' : 'can be reached'}${place.behindBytes > 0 ? `, lacks ${size(place.behindBytes)}` : ''}`,
          },
        ]
      }),
    ],
  }))
  const sessionY = 24 + locations.length * ROW
  return {
    width,
    height: sessionY + 30,
    rows,
    sessionY,
    sessions: spans.flatMap(({ step, from, to }) =>
      step.session === 'none' ? [] : [{ from, to, own: step.session === 'own profile', words: step.session }],
    ),
    marks: spans.map(({ from }, i) => ({ x: from, n: i + 1 })),
  }
}
