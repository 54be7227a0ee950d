import { z } from 'zod'
import { FILE_ROAMING } from '../core/policies'
import { ContainerLine } from './containers'
import { AttemptLine } from './logons'

export const Role = z.enum(['viewer', 'help-desk', 'administrator'])
export type Role = z.infer<typeof Role>
export const Me = z.object({ name: z.string(), fullName: z.string(), role: Role, csrf: z.string(), organisation: z.string(), timeZone: z.string() })
export type Me = z.infer<typeof Me>

export const FoundThing = z.object({
  kind: z.enum(['person', 'host', 'share', 'pool', 'attempt']),
  id: z.string(),
  title: z.string(),
  remark: z.string(),
})
export type FoundThing = z.infer<typeof FoundThing>

export const PersonPage = z.object({
  id: z.string(),
  name: z.string(),
  accounts: z.array(z.string()),
  groups: z.array(z.string()),
  enabled: z.boolean(),
  pools: z.array(z.object({ id: z.string(), name: z.string(), through: z.string() })),
  sessions: z.array(z.object({ host: z.string(), session: z.string(), sinceMs: z.number(), state: z.string() })),
  containers: z.array(ContainerLine),
  attempts: z.array(AttemptLine),
  verdict: z.object({ ok: z.boolean(), sentence: z.string() }),
})
export type PersonPage = z.infer<typeof PersonPage>
export const PersonLine = z.object({
  id: z.string(),
  name: z.string(),
  enabled: z.boolean(),
  groups: z.array(z.string()),
  lastMs: z.number().nullable(),
  attempts: z.number(),
  bad: z.number(),
})
export type PersonLine = z.infer<typeof PersonLine>

const PathRule = z.object({ pattern: z.string().max(400), does: z.enum(['keep', 'skip', 'mirror']) })
const FileRoaming = z.object({
  groups: z.array(z.string().max(200)).max(200),
  localAdmins: z.enum(['served', 'left out']),
  writeBack: z.enum(['at-logoff', 'during-session']),
  fetch: z.enum(['at-logon', 'on-demand']),
  existing: z.enum(['take in', 'ignore', 'remove']),
  startingProfile: z.string().max(500),
  afterLogoff: z.enum(['delete', 'leave']),
})
/** What a host may report; see core/policies/settings.ts for what each means. */
export const HostSettings = z.object({
  containers: z.enum(['on', 'off']),
  locations: z.array(z.string().max(500)).max(20),
  locationsMode: z.enum(['in-order', 'mirrored']),
  locationsRequired: z.number().int().min(1).max(20),
  sizeLimitMib: z
    .number()
    .int()
    .min(64)
    .max(4 * 1024 * 1024),
  diskFormat: z.enum(['vhdx-dynamic', 'vhdx-fixed']),
  onFailure: z.enum(['refuse', 'temporary']),
  slowSeconds: z.number().min(1).max(3600),
  slowSecondsByPool: z.record(z.string().max(200), z.number().min(1).max(3600)),
  fileRoaming: FileRoaming,
  pathRules: z.array(PathRule).max(500),
})
/** The same, complete. Settings that came later have a default, so that older versions can still be read. */
export const Settings = HostSettings.extend({
  locationsMode: HostSettings.shape.locationsMode.default('in-order'),
  locationsRequired: HostSettings.shape.locationsRequired.default(1),
  fileRoaming: FileRoaming.default({ ...FILE_ROAMING, groups: [...FILE_ROAMING.groups] }),
  pathRules: HostSettings.shape.pathRules.default([]),
})
export type Settings = z.infer<typeof Settings>
const Difference = z.object({ setting: z.string(), title: z.string(), before: z.string(), after: z.string(), needsRestart: z.boolean() })
export const PolicyPage = z.object({
  version: z.number(),
  settings: Settings,
  publishedMs: z.number(),
  author: z.string(),
  people: z.number(),
  pools: z.array(z.string()),
  hosts: z.array(
    z.object({
      host: z.string(),
      pool: z.string(),
      zone: z.string().nullable(),
      state: z.string(),
      reportedMs: z.number().nullable(),
      version: z.number().nullable(),
      agentVersion: z.string().nullable(),
      differences: z.array(Difference),
    }),
  ),
  history: z.array(z.object({ version: z.number(), publishedMs: z.number(), author: z.string(), changes: z.array(z.string()) })),
})
export type PolicyPage = z.infer<typeof PolicyPage>
export const PolicyPreview = z.object({
  ok: z.boolean(),
  faults: z.array(z.object({ path: z.string(), sentence: z.string() })),
  settings: Settings,
  changes: z.array(Difference),
  hosts: z.number(),
  hostsToRestart: z.number(),
  people: z.number(),
  /** Logons of the last 7 days that would change their name: slow or not. */
  slowBefore: z.number(),
  slowAfter: z.number(),
})
export type PolicyPreview = z.infer<typeof PolicyPreview>

const JobStep = z.object({
  title: z.string(),
  state: z.enum(['waiting', 'running', 'done', 'failed', 'skipped']),
  note: z.string().nullable(),
  atMs: z.number().nullable(),
})
export const Job = z.object({
  id: z.string(),
  kind: z.string(),
  title: z.string(),
  target: z.string().nullable(),
  state: z.enum(['running', 'done', 'failed', 'cancelled']),
  author: z.string(),
  startedMs: z.number(),
  endedMs: z.number().nullable(),
  steps: z.array(JobStep),
  /** What came of it: the person's next attempt, once there is one. */
  outcome: z.object({ sentence: z.string(), attempt: z.string().nullable() }).nullable(),
  /** How far its present step is, where that takes long: in bytes, or in what its kind of job counts. */
  progress: z.object({ done: z.number(), total: z.number() }).nullable(),
})
export type Job = z.infer<typeof Job>
export const JournalLine = z.object({
  id: z.number(),
  atMs: z.number(),
  who: z.string(),
  what: z.string(),
  target: z.string().nullable(),
  before: z.string().nullable(),
  after: z.string().nullable(),
  job: z.string().nullable(),
})
export type JournalLine = z.infer<typeof JournalLine>
