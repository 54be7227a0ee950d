import { compareVersions } from './facts'

/** How good the line of a session is. */
export const LINE_CLASSES = ['low', 'medium', 'full'] as const
export type LineClass = (typeof LINE_CLASSES)[number]

/** Limits between the classes, as the settings of the same names. 256 and 512 kbit/s: common practice, no published source. */
export interface LineLimits {
  readonly lowKbps: number
  readonly mediumKbps: number
  readonly farMs: number
  readonly lineMarginPercent: number
}
export interface LineSample {
  readonly bandwidthKbps: number
  readonly rttMs: number
}

const plainClass = ({ bandwidthKbps, rttMs }: LineSample, { lowKbps, mediumKbps, farMs }: LineLimits): number =>
  Math.max(0, (bandwidthKbps < lowKbps ? 0 : bandwidthKbps < mediumKbps ? 1 : 2) - (rttMs > farMs ? 1 : 0))

/** The class of a line, given the one that it had: down at once, up only when it is better than the limit by the margin. */
export function lineClass(sample: LineSample, limits: LineLimits, before: LineClass | null): LineClass {
  const now = plainClass(sample, limits)
  const was = before === null ? -1 : LINE_CLASSES.indexOf(before)
  const name = (at: number) => LINE_CLASSES[at] ?? 'low'
  if (was < 0 || now <= was) return name(now)
  const margin = 1 + limits.lineMarginPercent / 100
  const careful = plainClass({ bandwidthKbps: sample.bandwidthKbps / margin, rttMs: sample.rttMs * margin }, limits)
  return name(Math.max(was, careful))
}

/** The classes of one line over time, and how often they changed. */
export function lineClasses(
  samples: readonly LineSample[],
  limits: LineLimits,
): { readonly classes: readonly LineClass[]; readonly changes: number } {
  const classes: LineClass[] = []
  let changes = 0
  for (const sample of samples) {
    const before = classes.at(-1) ?? null
    const now = lineClass(sample, limits, before)
    if (before !== null && now !== before) changes++
    classes.push(now)
  }
  return { classes, changes }
}

/** What direct transport, or calls at the client, need of an agent and a client. */
export interface Needs {
  readonly agent: string
  readonly client: string
}
export interface Readiness {
  readonly ready: boolean
  /** What is in the way, in sentences. */
  readonly lacks: readonly string[]
}

/** Whether a host and a client can do it, with the settings that would be in force there. @param setting what must be on, and whether it is */
export function readinessFor(
  needs: Needs,
  agent: string | null,
  client: string | null,
  setting: { readonly title: string; readonly on: boolean },
): Readiness {
  const lacks = [
    ...(setting.on ? [] : [`${setting.title} is not on.`]),
    ...(agent === null
      ? ['The agent has not reported its version.']
      : compareVersions(agent, needs.agent) < 0
        ? [`The agent is ${agent}; ${needs.agent} is needed.`]
        : []),
    ...(client === null
      ? ['The version of the client is not known.']
      : compareVersions(client, needs.client) < 0
        ? [`The client is ${client}; ${needs.client} is needed.`]
        : []),
  ]
  return { ready: lacks.length === 0, lacks }
}

export interface WayVerdict {
  readonly verdict: 'as the policy says' | 'second choice' | 'against the policy'
  readonly sentence: string
}

/** What the way that a logon really went says of the policy. @param allowed the value of the setting `transport` @returns null where nothing was recorded, or the way is one that policies do not speak of. */
export function wayVerdict(allowed: unknown, went: string | null): WayVerdict | null {
  if (went !== 'direct' && went !== 'relay') return null
  const said = went === 'direct' ? 'It goes directly' : 'It goes over the relay'
  if (allowed === 'direct-only')
    return went === 'direct'
      ? { verdict: 'as the policy says', sentence: `${said}, as the policy says.` }
      : { verdict: 'against the policy', sentence: `${said}; the policy allows direct transport only.` }
  if (allowed === 'direct-first')
    return went === 'direct'
      ? { verdict: 'as the policy says', sentence: `${said}, which the policy prefers.` }
      : { verdict: 'second choice', sentence: `${said}: the policy prefers the direct way, which was not to be had.` }
  if (allowed === 'relay')
    return went === 'relay'
      ? { verdict: 'as the policy says', sentence: `${said}, as the policy says.` }
      : { verdict: 'against the policy', sentence: `${said}; the policy wants the relay always.` }
  return null
}
