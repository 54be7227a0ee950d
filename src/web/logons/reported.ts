import type { Story } from '../../contract/logons'
import { count, duration, percent, size } from '../kit/format'

type Value = Story['attrs'][string]

const inMs = (n: number): string => `${count(Math.round(n * 10) / 10)} ms`
const inKbps = (n: number): string => `${count(Math.round(n))} kbit/s`
const inSeconds = (n: number): string => duration(n * 1000)

/** What sources report by a name that is known: how people call it, and numbers with their unit. All else is shown as it was reported. */
const KNOWN: Readonly<Record<string, readonly [title: string, say?: (n: number) => string]>> = {
  accountForm: ['form of the account'],
  agentVersion: ['version of the agent'],
  approvalMs: ['approval took', duration],
  autostart: ['programs started at logon', count],
  bandwidthKbps: ['bandwidth', inKbps],
  clientAddress: ['address of the client'],
  clientKind: ['kind of client'],
  clientName: ['client'],
  clientVersion: ['version of the client'],
  containerBytes: ['size of the container', size],
  containerFreeBytes: ['free in the container', size],
  disconnected: ['disconnected desktops', count],
  drainingHosts: ['draining hosts', count],
  factor: ['second factor'],
  first: ['first logon here'],
  freeDesktops: ['free desktops', count],
  gatewayTimeoutMs: ['gateway waits for', duration],
  holderHost: ['held by host'],
  holderSession: ['held by session'],
  hostCpu: ['processors of the host', percent],
  hosts: ['hosts of the pool', count],
  hostSessions: ['sessions on the host', count],
  locationsRequired: ['locations required', count],
  locationsWritable: ['locations writable', count],
  packages: ['packages attached', count],
  profileBytes: ['size of the profile', size],
  profileFiles: ['files in the profile', count],
  profileType: ['kind of profile'],
  rttMs: ['round trip', inMs],
  shareFreeBytes: ['free on the share', size],
  shareLatencyMs: ['latency of the share', inMs],
  uptimeS: ['host up for', inSeconds],
}

/** How something that was reported is called. */
export const titleOf = (name: string): string => (Object.hasOwn(KNOWN, name) ? KNOWN[name]?.[0] : undefined) ?? name

/** What was reported, with its unit where it has one. */
export function sayReported(name: string, value: Value | undefined): string {
  if (value === undefined) return '–'
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  const say = typeof value === 'number' && Object.hasOwn(KNOWN, name) ? KNOWN[name]?.[1] : undefined
  return say ? say(value as number) : String(value)
}
