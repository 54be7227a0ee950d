import type { Attrs, AttrValue, Observation } from '../../core/logons/observation'
import type { Random } from '../random'
import { POLICY_PARTS, type Company, type Machine, type Member, type PoolPlan } from './company'

/** Everything that the length and the end of one logon follow from. */
export interface Conditions {
  first: boolean
  shareMs: number
  /** What the way between host and share adds to each operation. */
  distanceMs: number
  directoryMs: number
  cpu: number
  cold: boolean
  relay: boolean
  rttMs: number
  kbps: number
  factor: 'none' | 'push'
  approvalMs: number
  gatewayMs: number
  autostart: number
  profileBytes: number
  profileFiles: number
  packages: number
  slowPackage: { readonly name: string; readonly ms: number } | null
  slowPart: { readonly name: string; readonly ms: number } | null
  slowScript: { readonly name: string; readonly ms: number } | null
  /** What an image adds to one phase. */
  drag: { readonly phase: string; readonly ms: number } | null
  /** What reading everything again costs each operation on the share. */
  scanMs: number
  containerFreeBytes: number
  shareFreeBytes: number
  retries: number
  retryMs: number
  holder: { readonly host: string; readonly session: string } | null
  /** A wait that nothing records, before this phase. */
  gap: { readonly before: string; readonly ms: number } | null
  /** Where and by what the logon ends. `code` null: nothing more is heard. */
  refused: { readonly in: string; readonly code: string | null; readonly afterMs: number; readonly attrs?: Attrs; readonly tries?: number } | null
  /** The profile that they get instead of their own, and the marks that tell of it. */
  instead: { readonly type: 'local' | 'temporary'; readonly marks: readonly string[] } | null
  /** Said by the sources although it is no trouble by itself. */
  extra: Record<string, AttrValue>
}

/** Dice of one logon, thrown beforehand: the same logon can be run again under other conditions. */
export type Dice = ReadonlyMap<string, number>
const THROWN = ['broker', 'power', 'connect', 'sign-on', 'container', 'profile', 'policy', 'scripts', 'packages', 'shell', 'gap'] as const
export function throwDice(random: Random, spread: number): Dice {
  return new Map(THROWN.map((name) => [name, Math.exp(spread * random.normal())]))
}

export interface Step {
  readonly phase: string
  readonly part: string | null
  readonly startMs: number
  readonly ms: number
  readonly code: string | null
}
export interface Run {
  readonly steps: readonly Step[]
  readonly marks: readonly { readonly atMs: number; readonly code: string; readonly phase: string }[]
  readonly totalMs: number
  readonly outcome: 'ready' | 'failed' | 'degraded'
  readonly code: string | null
  /** Nothing was heard of the end. */
  readonly silent: boolean
}

/** One logon, step by step, from what it meets. */
export function run(company: Company, pool: PoolPlan, c: Conditions, dice: Dice): Run {
  const { parameters } = company
  const steps: Step[] = []
  const marks: { atMs: number; code: string; phase: string }[] = []
  let t = 0
  const die = (name: string) => dice.get(name) ?? 1
  // Work waits for a processor: M/M/1, relative to a host that is as busy as usual.
  const busy = Math.min(12, (1 - parameters.cpu) / Math.max(0.04, 1 - c.cpu))
  const operation = c.shareMs + c.distanceMs + c.scanMs
  const step = (phase: string, ms: number, code: string | null = null) => {
    const dragged = ms + (c.drag?.phase === phase ? c.drag.ms : 0)
    steps.push({ phase, part: null, startMs: t, ms: dragged, code })
    t += dragged
  }
  const gap = (before: string) => {
    t += 40 * die('gap')
    if (c.gap?.before === before) t += c.gap.ms
  }
  const over = (outcome: Run['outcome'], code: string | null, silent = false): Run => ({ steps, marks, totalMs: t, outcome, code, silent })
  const refusal = (phase: string): Run | null => {
    if (c.refused?.in !== phase) return null
    const { code, afterMs, tries = 1 } = c.refused
    if (code === null) return over('failed', null, true)
    const from = t
    for (let i = 0; i < tries; i++) {
      t += afterMs / tries
      if (tries > 1 || phase === 'container') marks.push({ atMs: t, code, phase })
    }
    steps.push({ phase, part: null, startMs: from, ms: t - from, code })
    return over('failed', code)
  }

  const brokerEnd = refusal('broker')
  if (brokerEnd) return brokerEnd
  step('broker', 450 * die('broker'))
  if (c.cold) step('power', 48_000 * die('power'))
  gap('connect')
  const connectEnd = refusal('connect')
  if (connectEnd) return connectEnd
  step('connect', (350 + 8 * c.rttMs + 1_600_000 / c.kbps + (c.relay ? 900 + 6 * c.rttMs : 0)) * die('connect'))
  gap('sign-on')
  const signOnEnd = refusal('sign-on')
  if (signOnEnd) return signOnEnd
  const asked = c.factor === 'push'
  if (asked && c.approvalMs > c.gatewayMs) {
    const from = t
    t += parameters.signOnMs * die('sign-on') + c.gatewayMs
    steps.push({ phase: 'sign-on', part: null, startMs: from, ms: t - from, code: 'factor.timeout' })
    return over('failed', 'factor.timeout')
  }
  step('sign-on', (parameters.signOnMs + 9 * c.directoryMs) * die('sign-on') + (asked ? c.approvalMs : 0))
  gap('container')
  const own = c.instead === null
  for (const code of c.instead?.marks ?? []) marks.push({ atMs: t, code, phase: 'profile' })
  if (pool.mode === 'container' && own) {
    const containerEnd = refusal('container')
    if (containerEnd) return containerEnd
    const from = t
    for (let i = 0; i < c.retries; i++) {
      marks.push({ atMs: t, code: c.holder ? 'STATUS_SHARING_VIOLATION' : 'container.retry', phase: 'container' })
      t += c.retryMs
    }
    const crowded = Math.min(c.containerFreeBytes / 2e9, c.shareFreeBytes / 4e10) < 0.05 ? 2.4 : 1
    t += (250 + parameters.attachOps * operation * crowded + (c.drag?.phase === 'container' ? c.drag.ms : 0)) * die('container')
    steps.push({ phase: 'container', part: null, startMs: from, ms: t - from, code: null })
    gap('profile')
    const profileEnd = refusal('profile')
    if (profileEnd) return profileEnd
    step('profile', (500 * busy + parameters.profileOps * operation * crowded + (c.first ? 6500 : 0)) * die('profile'))
  } else if (pool.mode === 'files' && own) {
    const profileEnd = refusal('profile')
    if (profileEnd) return profileEnd
    step('profile', (700 * busy + c.profileBytes / 70_000 + c.profileFiles * (0.15 + operation * 0.12) + (c.first ? 5500 : 0)) * die('profile'))
  } else step('profile', (own ? 900 : 3200) * busy * die('profile') + (c.first ? 5000 : 0))
  gap('policy')
  const policyStart = t
  const parts = POLICY_PARTS.map((name, i) => ({
    name,
    ms: (140 + 45 * i) * die('policy') * busy + 4 * c.directoryMs * die('policy') + (c.slowPart?.name === name ? c.slowPart.ms : 0),
  }))
  for (const { name, ms } of parts) {
    steps.push({ phase: 'policy', part: name, startMs: t, ms, code: null })
    t += ms
  }
  t += c.drag?.phase === 'policy' ? c.drag.ms : 0
  steps.push({ phase: 'policy', part: null, startMs: policyStart, ms: t - policyStart, code: null })
  const packagesMs = (200 + c.packages * parameters.packageMs * busy) * die('packages') + (c.slowPackage?.ms ?? 0)
  if (c.slowPackage) steps.push({ phase: 'packages', part: c.slowPackage.name, startMs: policyStart + 60, ms: c.slowPackage.ms, code: null })
  steps.push({ phase: 'packages', part: null, startMs: policyStart + 60, ms: packagesMs, code: null })
  const scriptsStart = t
  for (const name of pool.scripts) {
    const ms = 420 * busy * die('scripts') + (c.slowScript?.name === name ? c.slowScript.ms : 0)
    steps.push({ phase: 'scripts', part: name, startMs: t, ms, code: null })
    t += ms
  }
  steps.push({ phase: 'scripts', part: null, startMs: scriptsStart, ms: t - scriptsStart, code: null })
  t = Math.max(t, policyStart + 60 + packagesMs)
  gap('shell')
  const pictures = 3_000_000 / c.kbps + 5 * c.rttMs
  step('shell', ((parameters.shellMs + 380 * c.autostart) * busy + pictures + (c.first ? 4500 : 0)) * die('shell'))
  return over(own ? 'ready' : 'degraded', null)
}

/** What the sources of a company say of one logon. */
export function tell(
  company: Company,
  id: string,
  person: Member,
  host: Machine,
  pool: PoolPlan,
  atMs: number,
  c: Conditions,
  ran: Run,
): Observation[] {
  const { telling } = company
  const written = (code: string | null) => (code === null ? undefined : telling.hexCodes ? (HEX[code] ?? code) : code)
  const begun = ran.steps.some(({ phase }) => !['broker', 'power'].includes(phase))
  const who = { ...(telling.attemptIds ? { attempt: id } : {}), person: `CORP\\${person.id}`, pool: pool.id, host: host.id, session: `s${id}` }
  const all: Record<string, AttrValue | null> = {
    first: c.first,
    network: person.network,
    clientKind: person.clientKind,
    clientVersion: person.clientVersion,
    transport: c.relay ? 'relay' : 'direct',
    rttMs: Math.round(c.rttMs * 10) / 10,
    bandwidthKbps: Math.round(c.kbps),
    factor: c.factor,
    ...(c.factor === 'push' ? { approvalMs: Math.round(c.approvalMs), gatewayTimeoutMs: c.gatewayMs } : {}),
    ...(begun
      ? {
          image: host.image,
          zone: host.zone,
          hostCpu: Math.round(c.cpu * 100) / 100,
          uptimeS: c.cold ? 55 : 200_000,
          autostart: c.autostart,
          packages: c.packages,
          profileType: c.instead?.type ?? pool.mode,
        }
      : {}),
    ...(begun && pool.mode === 'container'
      ? {
          share: person.share,
          shareLatencyMs: Math.round((c.shareMs + c.scanMs * 0.1) * 10) / 10,
          containerBytes: person.containerBytes,
          containerFreeBytes: Math.round(c.containerFreeBytes),
          shareFreeBytes: Math.round(c.shareFreeBytes),
          retries: c.retries,
        }
      : {}),
    ...(begun && pool.mode === 'files' ? { share: person.share, profileBytes: c.profileBytes, profileFiles: c.profileFiles } : {}),
    ...(c.holder ? { holderHost: c.holder.host, holderSession: c.holder.session } : {}),
    ...c.refused?.attrs,
    ...c.extra,
  }
  const attrs = Object.fromEntries(Object.entries(all).filter(([name, value]) => value !== null && !telling.silent.has(name))) as Attrs
  const out: Observation[] = [{ ...who, kind: 'begin', timeMs: Math.round(atMs), attrs }]
  for (const { phase, part, startMs, ms, code } of ran.steps)
    out.push({
      ...who,
      kind: 'phase',
      timeMs: Math.round(atMs + startMs),
      phase,
      durationMs: Math.round(ms),
      ...(part === null ? {} : { part }),
      ...(code === null ? {} : { code: written(code) }),
    })
  for (const { atMs: at, code, phase } of ran.marks) out.push({ ...who, kind: 'mark', timeMs: Math.round(atMs + at), code: written(code), phase })
  if (!ran.silent)
    out.push({
      ...who,
      kind: 'end',
      timeMs: Math.round(atMs + ran.totalMs),
      outcome: ran.outcome,
      ...(ran.code === null ? {} : { code: written(ran.code) }),
    })
  return out
}

const HEX: Readonly<Record<string, string>> = {
  STATUS_WRONG_PASSWORD: '0xC000006A',
  STATUS_NO_SUCH_USER: '0xC0000064',
  STATUS_ACCOUNT_LOCKED_OUT: '0xC0000234',
  STATUS_ACCOUNT_DISABLED: '0xC0000072',
  STATUS_PASSWORD_EXPIRED: '0xC0000071',
  STATUS_ACCOUNT_EXPIRED: '0xC0000193',
  STATUS_INVALID_LOGON_HOURS: '0xC000006F',
  STATUS_LOGON_TYPE_NOT_GRANTED: '0xC000015B',
  STATUS_TIME_DIFFERENCE_AT_DC: '0xC0000133',
  STATUS_SHARING_VIOLATION: '0xC0000043',
  STATUS_ACCESS_DENIED: '0xC0000022',
  STATUS_DISK_FULL: '0xC000007F',
  STATUS_BAD_NETWORK_PATH: '0xC00000BE',
}
