import { canonical } from './canonical'

/** The settings of the base policy, which every host must have. */
export interface BaseSettings {
  readonly containers: 'on' | 'off'
  /** In order: the first that can be had is used. Plain form, see location.ts. */
  readonly locations: readonly string[]
  /** `mirrored`: all of them at once, through a journal on the host. */
  readonly locationsMode: 'in-order' | 'mirrored'
  /** Of mirrored locations, how many must be writable. */
  readonly locationsRequired: number
  readonly sizeLimitMib: number
  readonly diskFormat: 'vhdx-dynamic' | 'vhdx-fixed'
  /** When the container cannot be had. */
  readonly onFailure: 'refuse' | 'temporary'
  /** Seconds beyond which a logon counts as slow; by pool, and for all others. */
  readonly slowSeconds: number
  readonly slowSecondsByPool: Readonly<Record<string, number>>
  readonly fileRoaming: FileRoaming
  /** The first that matches a path counts; what none matches is kept. */
  readonly pathRules: readonly PathRule[]
}

/** What happens to a path of a profile: kept by file roaming, left out, or made the same on the share as on the host, deletions included. */
export interface PathRule {
  /** Segments between backslashes; `*` and `?` within one, `**` for any number of them; `%variables%`; letter case does not count. */
  readonly pattern: string
  readonly does: 'keep' | 'skip' | 'mirror'
}

/** How an agent copies files for people who have no container. */
export interface FileRoaming {
  /** For whom; empty: for everybody whose pool works with files. */
  readonly groups: readonly string[]
  /** Whether people who are local administrators of a host are served too. */
  readonly localAdmins: 'served' | 'left out'
  readonly writeBack: 'at-logoff' | 'during-session'
  readonly fetch: 'at-logon' | 'on-demand'
  /** When the host has a profile of the person already, from before. */
  readonly existing: 'take in' | 'ignore' | 'remove'
  /** A profile that newcomers begin with; blank: the host's own. */
  readonly startingProfile: string
  readonly afterLogoff: 'delete' | 'leave'
}

export const FILE_ROAMING: FileRoaming = {
  groups: [],
  localAdmins: 'left out',
  writeBack: 'at-logoff',
  fetch: 'on-demand',
  existing: 'take in',
  startingProfile: '',
  afterLogoff: 'delete',
}

export type SettingName = keyof BaseSettings

/** Settings that a host takes only at its next start; the others hold from the next logon on. */
const NEEDS_RESTART: ReadonlySet<SettingName> = new Set<SettingName>(['containers', 'diskFormat'])
/** Settings that hosts need; the rest is Ikebana's own. */
export const HOST_SETTINGS: readonly SettingName[] = [
  'containers',
  'locations',
  'locationsMode',
  'locationsRequired',
  'sizeLimitMib',
  'diskFormat',
  'onFailure',
  'fileRoaming',
  'pathRules',
]

export const SETTING_TITLES: Readonly<Record<SettingName, string>> = {
  containers: 'Containers',
  locations: 'Locations',
  locationsMode: 'How locations are used',
  locationsRequired: 'Mirrored locations that must be writable',
  sizeLimitMib: 'Size limit of a container',
  diskFormat: 'Disk format',
  onFailure: 'When the container cannot be had',
  slowSeconds: 'A logon is slow beyond',
  slowSecondsByPool: 'Slow beyond, by pool',
  fileRoaming: 'File roaming',
  pathRules: 'Path rules',
}

/** A value as a sentence would say it. */
export function sayValue(name: SettingName, value: unknown): string {
  if (value === undefined || value === null) return 'not set'
  if (name === 'sizeLimitMib' && typeof value === 'number') return value % 1024 === 0 ? `${value / 1024} GiB` : `${value} MiB`
  if (name === 'slowSeconds' && typeof value === 'number') return `${value} s`
  if (name === 'onFailure') return value === 'refuse' ? 'refuse the logon' : 'give a temporary profile'
  if (name === 'diskFormat') return value === 'vhdx-dynamic' ? 'VHDX, grows with use' : 'VHDX, full size at once'
  if (name === 'locationsMode') return value === 'mirrored' ? 'all at once' : 'the first that can be had'
  if (name === 'fileRoaming') return sayRoaming(value as FileRoaming)
  if (name === 'pathRules' && Array.isArray(value)) return (value as PathRule[]).map(({ pattern, does }) => `${does} ${pattern}`).join('; ') || 'none'
  if (Array.isArray(value)) return value.length === 0 ? 'none' : value.join(', then ')
  if (typeof value === 'object')
    return (
      Object.entries(value)
        .map(([pool, seconds]) => `${pool} ${String(seconds)} s`)
        .join(', ') || 'none'
    )
  return typeof value === 'string' ? value : JSON.stringify(value)
}

function sayRoaming({ groups, localAdmins, writeBack, fetch, existing, startingProfile, afterLogoff }: FileRoaming): string {
  return [
    groups.length ? `for ${groups.join(', ')}` : 'for everybody',
    `local administrators ${localAdmins}`,
    fetch === 'at-logon' ? 'all files fetched at logon' : 'files fetched when they are opened',
    writeBack === 'at-logoff' ? 'written back at logoff' : 'written back during the session',
    `an existing profile: ${existing}`,
    ...(startingProfile ? [`newcomers begin with ${startingProfile}`] : []),
    `${afterLogoff === 'delete' ? 'deleted from' : 'left on'} the host after logoff`,
  ].join(', ')
}

export interface Difference {
  readonly setting: SettingName
  readonly title: string
  readonly before: string
  readonly after: string
  readonly needsRestart: boolean
}

/** What changes from one version of the base policy to another, setting by setting. */
export function differences(
  before: Partial<BaseSettings>,
  after: Partial<BaseSettings>,
  names: readonly SettingName[] = Object.keys(SETTING_TITLES) as SettingName[],
): Difference[] {
  return names.flatMap((setting) => {
    if (canonical(before[setting]) === canonical(after[setting])) return []
    return [
      {
        setting,
        title: SETTING_TITLES[setting],
        before: sayValue(setting, before[setting]),
        after: sayValue(setting, after[setting]),
        needsRestart: NEEDS_RESTART.has(setting),
      },
    ]
  })
}

/** What a host reports as in force. */
export interface HostReport {
  readonly version: number | null
  readonly inForce: Partial<BaseSettings>
  /** Fetched, but waiting for the host's next start. */
  readonly pending: readonly SettingName[]
}

export interface Proof {
  readonly state: 'as it should be' | 'differs' | 'restart needed' | 'never reported'
  readonly differences: readonly Difference[]
}

/** Compares what a host reports with what it should have. */
export function prove(should: BaseSettings, report: HostReport | null): Proof {
  if (!report) return { state: 'never reported', differences: [] }
  const found = differences(report.inForce, should, HOST_SETTINGS)
  if (found.length === 0) return { state: 'as it should be', differences: [] }
  const waiting = found.every(({ setting }) => report.pending.includes(setting))
  return { state: waiting ? 'restart needed' : 'differs', differences: found }
}
