import type { Attrs, Observation } from '../../core/logons/observation'
import type { HostPlan, Staff } from '../directory/larkmere'
import type { Random } from '../random'

type Writable<T> = { -readonly [Name in keyof T]: T[Name] }

/** What a logon meets. Durations follow from these, not from dice alone. */
export interface Conditions {
  readonly first: boolean
  readonly containers: boolean
  readonly onFailure: 'refuse' | 'temporary'
  readonly shareLatencyMs: number
  readonly shareFreeBytes: number
  readonly shareDown: boolean
  readonly hostCold: boolean
  readonly hostCpu: number
  readonly hostSessions: number
  /** Who else has the container, if anybody. */
  readonly holder: { readonly host: string; readonly session: string; readonly alive: boolean } | null
  /** The hold ends while the person waits. */
  readonly heldBriefly: boolean
  readonly gatewayTimeoutMs: number
  readonly slowPart: { readonly part: string; readonly ms: number } | null
  readonly wrongPassword: boolean
  readonly settingsMissing: boolean
  readonly brokerRefuses: Attrs | null
}

export interface Simulated {
  readonly observations: Observation[]
  readonly totalMs: number
  readonly outcome: 'ready' | 'failed' | 'degraded'
}

const RETRY_MS = 9000

/** One logon from the click to its end, as observations. @param id the attempt's id (a trace id) */
export function simulateLogon(random: Random, id: string, staff: Staff, host: HostPlan, atMs: number, c: Conditions): Simulated {
  const out: Observation[] = []
  const [person, session] = [`LARKMERE\\${staff.id}`, `${host.id}-${id.slice(0, 6)}`]
  // Field by field: a month of logons is a million of these, and objects that are put together from others are slow to make and slow to write.
  const observed = (kind: Observation['kind'], atMs: number): Writable<Observation> => ({
    attempt: id,
    person,
    pool: staff.pool,
    host: host.id,
    session,
    kind,
    timeMs: Math.round(atMs),
  })
  const observedPhase = (name: string, fromMs: number, ms: number, code?: string, part?: string): Observation => {
    const one = observed('phase', fromMs)
    one.phase = name
    if (part !== undefined) one.part = part
    one.durationMs = Math.round(ms)
    if (code !== undefined) one.code = code
    return one
  }
  const attrs: Record<string, string | number | boolean> = {
    first: c.first,
    network: staff.network,
    image: host.image,
    zone: host.zone,
    hostSessions: c.hostSessions,
    hostCpu: Math.round(c.hostCpu * 100) / 100,
    agentVersion: '1.4.0',
    clientKind: staff.network === 'home' ? 'laptop' : 'terminal',
    transport: staff.network === 'office' ? 'direct' : 'relay',
  }
  let t = atMs
  const busy = c.hostCpu > 0.85 ? 2.6 : 1
  const phase = (name: string, ms: number, code?: string) => {
    out.push(observedPhase(name, t, ms, code))
    t += ms
  }
  const finish = (outcome: Simulated['outcome'], code?: string): Simulated => {
    const end = observed('end', t)
    end.outcome = outcome
    if (code !== undefined) end.code = code
    const begin = observed('begin', atMs)
    begin.attrs = attrs
    return { observations: [begin, ...out, end], totalMs: Math.round(t - atMs), outcome }
  }
  const mark = (code: string, phaseName: string) => {
    const one = observed('mark', t)
    one.code = code
    one.phase = phaseName
    out.push(one)
  }

  phase('broker', random.around(550, 0.3))
  if (c.brokerRefuses) {
    Object.assign(attrs, c.brokerRefuses)
    return finish('failed', 'broker.refused')
  }
  if (c.hostCold) {
    attrs['uptimeS'] = 60
    phase('power', random.around(62_000, 0.15))
  } else attrs['uptimeS'] = 86_400 + random.below(500_000)
  t += random.around(80, 0.4)
  const rtt = staff.network === 'ship' ? random.around(210, 0.5) : staff.network === 'home' ? random.around(32, 0.5) : random.around(3, 0.3)
  attrs['rttMs'] = Math.round(rtt)
  attrs['bandwidthKbps'] = Math.round(
    staff.network === 'ship' ? random.around(900, 0.6) : staff.network === 'home' ? random.around(40_000, 0.5) : 1_000_000,
  )
  phase('connect', random.around(700, 0.25) + rtt * 9)
  t += random.around(60, 0.4)
  const signOn = signOnMs(random, staff, c, attrs)
  phase('sign-on', signOn.ms, signOn.code ?? undefined)
  if (signOn.code) return finish('failed', signOn.code)
  t += random.around(150, 0.4)
  let degraded = false
  if (c.settingsMissing && c.containers) {
    mark('settings.missing', 'profile')
    attrs['profileType'] = 'temporary'
    degraded = true
  } else if (c.containers) {
    attrs['share'] = staff.share
    attrs['shareLatencyMs'] = Math.round(c.shareLatencyMs * 10) / 10
    attrs['shareFreeBytes'] = c.shareFreeBytes
    attrs['profileType'] = 'container'
    const failure = containerPhase()
    if (failure && c.onFailure === 'refuse') return finish('failed', failure)
    if (failure) {
      attrs['profileType'] = 'temporary'
      mark('profile.temporary', 'profile')
      degraded = true
    }
  } else attrs['profileType'] = 'local'
  const slowShare = c.containers ? Math.max(1, c.shareLatencyMs / 6) : 1
  phase('profile', random.around(c.first ? 9500 : 1100, 0.25) * busy * (c.first ? 1 : slowShare))
  const policyStart = t
  policyPhase()
  const policyEnd = t
  t = policyStart + random.around(120, 0.3)
  attrs['packages'] = 4 + random.below(9)
  phase('packages', random.around(2300, 0.25) * busy)
  const packagesEnd = t
  t = policyEnd
  phase('scripts', random.around(1300, 0.35) * busy)
  t = Math.max(t, packagesEnd) + random.around(40, 0.3)
  attrs['autostart'] = 2 + random.below(4)
  phase('shell', random.around(c.first ? 7500 : 3900, 0.22) * busy)
  return finish(degraded ? 'degraded' : 'ready')

  function containerPhase(): string | null {
    const attach = random.around(420, 0.25) + c.shareLatencyMs * random.around(190, 0.2)
    if (c.shareDown) {
      const start = t
      for (let i = 0; i < 3; i++) {
        t += 7000
        mark('STATUS_BAD_NETWORK_PATH', 'container')
      }
      out.push(observedPhase('container', start, t - start, 'STATUS_BAD_NETWORK_PATH'))
      return 'STATUS_BAD_NETWORK_PATH'
    }
    if (!c.holder) {
      phase('container', attach)
      return null
    }
    Object.assign(attrs, { holderHost: c.holder.host, holderSession: c.holder.session, holderAlive: c.holder.alive })
    const start = t
    const tries = c.heldBriefly ? 2 + random.below(2) : 5
    t += 1500
    for (let i = 0; i < tries; i++) {
      mark('0xC0000043', 'container')
      t += RETRY_MS
    }
    if (c.heldBriefly) t += attach
    attrs['retries'] = tries
    out.push(observedPhase('container', start, t - start, c.heldBriefly ? undefined : '0xC0000043'))
    return c.heldBriefly ? null : '0xC0000043'
  }

  function policyPhase(): void {
    const start = t
    const parts: [string, number][] = [
      ['security', random.around(500, 0.3)],
      ['drive maps', random.around(600, 0.3)],
      ['printers', random.around(750, 0.35)],
      ['start layout', random.around(350, 0.3)],
    ]
    for (const [part, usual] of parts) {
      const ms = (c.slowPart?.part === part ? c.slowPart.ms + random.around(300, 0.3) : usual) * busy
      // This agent names a part only when it takes a while.
      if (ms > 900) out.push(observedPhase('policy', t, ms, undefined, part))
      t += ms
    }
    out.push(observedPhase('policy', start, t - start))
  }
}

function signOnMs(
  random: Random,
  staff: Staff,
  c: Conditions,
  attrs: Record<string, string | number | boolean>,
): { ms: number; code: string | null } {
  const base = random.around(2500, 0.25)
  attrs['accountForm'] = 'domain'
  if (c.wrongPassword) return { ms: base + 1200, code: '0xC000006A' }
  if (staff.network !== 'home') {
    attrs['factor'] = 'none'
    return { ms: base, code: null }
  }
  const approval = random.around(11_000, 0.45)
  Object.assign(attrs, { factor: 'push', approvalMs: Math.round(approval), gatewayTimeoutMs: c.gatewayTimeoutMs })
  return approval > c.gatewayTimeoutMs ? { ms: base + c.gatewayTimeoutMs, code: 'factor.timeout' } : { ms: base + approval, code: null }
}
