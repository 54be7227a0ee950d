import { z } from 'zod'
import { ACCESS_ROUTES } from './access'
import { Moment, MomentText, VersionNumber } from './basic'
import { ContainerJob, ContainerJobs, ContainerLine, ContainerPage, ContainerQuery, SetAsideLine, ShareLine } from './containers'
import type { Permission, Route } from './route'
import { ReportedAdmin, SessionReport } from './policies'
import { POLICY_ROUTES } from './policy-routes'
import { InventoryLine } from './files'
import { LOGON_ROUTES } from './logon-routes'
import { OrgFile, OrgGiven, OrgListLook } from './org'
import { Leftover, PoolJob, PoolsPage } from './pools'
import { LossPage, LossQuery, NewWave, RoomPage, RoomQuery, Wave } from './room'
import { NamingTried, ShareAccess, SharePage } from './shares'
import { FoundThing, HostSettings, Job, JournalLine, Me, PersonLine, PersonPage, PolicyPage, PolicyPreview, Role, Settings } from './other'

export type { Permission, Route } from './route'

const Id = z.object({ id: z.string().min(1).max(200) })
/** Its id is share and path, as the host writes it. */
const Container = z.object({ id: z.string().min(1).max(900) })
const Done = z.object({ ok: z.literal(true) })

/** The whole API. The server registers from it, the web client infers from it, and /api/openapi.json is made from it. */
export const ROUTES = {
  signInOffer: {
    method: 'GET',
    path: '/api/sign-in',
    permission: 'anybody',
    sentence: 'The organisation, and the demo accounts where this is a demo.',
    response: z.object({
      organisation: z.string(),
      /** There is no account yet: the first one is made with the code that the server printed. */
      first: z.boolean(),
      demoAccounts: z.array(z.object({ name: z.string(), fullName: z.string(), role: Role, password: z.string() })),
    }),
  },
  signIn: {
    method: 'POST',
    path: '/api/sign-in',
    permission: 'anybody',
    sentence: 'Signs in and sets the session cookie.',
    body: z.object({ name: z.string().max(200), password: z.string().max(1000) }),
    response: Me,
  },
  signOut: { method: 'POST', path: '/api/sign-out', permission: 'viewer', sentence: 'Ends the session.', response: Done },
  me: { method: 'GET', path: '/api/me', permission: 'viewer', sentence: 'Who is signed in.', response: Me },
  events: { method: 'GET', path: '/api/events', permission: 'viewer', sentence: 'Server-sent events: what changed, so that a page can follow.' },

  ...ACCESS_ROUTES,
  ...LOGON_ROUTES,

  find: {
    method: 'GET',
    path: '/api/find',
    permission: 'viewer',
    sentence: 'Finds a person, host, share, pool or attempt by any part of its name.',
    query: z.object({ text: z.string().min(1).max(200) }),
    response: z.object({ found: z.array(FoundThing) }),
  },
  people: {
    method: 'GET',
    path: '/api/people',
    permission: 'viewer',
    sentence: 'People, with how their logons of the last 7 days went.',
    query: z.object({ text: z.string().max(200).default('') }),
    response: z.object({ people: z.array(PersonLine), total: z.number() }),
  },
  peopleExport: {
    method: 'GET',
    path: '/api/people.csv',
    permission: 'viewer',
    sentence: 'The same list as CSV, all of it.',
    query: z.object({ text: z.string().max(200).default('') }),
  },
  person: {
    method: 'GET',
    path: '/api/people/:id',
    permission: 'viewer',
    sentence: 'One person: pools, containers, sessions, last attempts.',
    params: Id,
    response: PersonPage,
  },
  orgFileLook: {
    method: 'POST',
    path: '/api/organisation/look',
    permission: 'administrator',
    sentence: 'What giving this org.json would replace: how many are known now, how many are in the file, and who would be gone.',
    body: OrgFile,
    response: z.object({ lists: z.array(OrgListLook) }),
  },
  orgFileGive: {
    method: 'PUT',
    path: '/api/organisation',
    permission: 'administrator',
    sentence: 'The same as PUT /api/directory, by an administrator with a file at hand.',
    body: OrgFile,
    response: OrgGiven,
  },
  importOrg: {
    method: 'PUT',
    path: '/api/directory',
    permission: 'token directory',
    sentence: 'Replaces what is known of people, groups, pools and hosts (org.json).',
    body: OrgFile,
    response: OrgGiven,
  },

  containers: {
    method: 'GET',
    path: '/api/containers',
    permission: 'viewer',
    sentence: 'The disk files that lie on the shares, what should be looked at in them, and the shares.',
    query: ContainerQuery,
    response: z.object({
      containers: z.array(ContainerLine),
      shares: z.array(ShareLine),
      total: z.number(),
      scannedMs: z.number().nullable(),
      findings: z.array(z.object({ code: z.string(), title: z.string(), weight: z.enum(['now', 'soon', 'tidy']), n: z.number(), bytes: z.number() })),
    }),
  },
  scan: {
    method: 'GET',
    path: '/api/scan',
    permission: 'viewer',
    sentence:
      'How far the reading of changed files on the shares is, null where none is being read; and what the last look could not do, if anything.',
    response: z.object({ progress: z.object({ share: z.string(), read: z.number(), of: z.number() }).nullable(), remark: z.string().nullable() }),
  },
  scanNow: {
    method: 'POST',
    path: '/api/scan',
    permission: 'administrator',
    sentence: 'Looks at the shares now instead of at the next turn. Only files that changed are read.',
    response: Done,
  },
  containersExport: { method: 'GET', path: '/api/containers.csv', permission: 'viewer', sentence: 'The same list as CSV.', query: ContainerQuery },
  container: {
    method: 'GET',
    path: '/api/containers/:id',
    permission: 'viewer',
    sentence: 'One container, looked into: structures, blocks, findings, and what can be done.',
    params: Container,
    response: ContainerPage,
  },
  containerRoom: {
    method: 'GET',
    path: '/api/containers/:id/room',
    permission: 'viewer',
    sentence: 'What compaction would give back: blocks that hold only zeros, counted by reading them.',
    params: Container,
    response: z.object({ blocks: z.number(), bytes: z.number() }),
  },
  containerJob: {
    method: 'POST',
    path: '/api/containers/:id/jobs',
    permission: 'administrator',
    sentence: 'Compacts, repairs, grows, releases or sets a container aside, as a job. Never one in use.',
    params: Container,
    body: ContainerJob,
    response: Job,
  },
  containerJobs: {
    method: 'POST',
    path: '/api/containers/jobs',
    permission: 'administrator',
    sentence: 'The same for many containers, as one job.',
    body: ContainerJobs,
    response: Job,
  },
  setAside: {
    method: 'GET',
    path: '/api/set-aside',
    permission: 'viewer',
    sentence: 'Containers taken out of use, until when they are kept.',
    response: z.object({ containers: z.array(SetAsideLine) }),
  },
  setAsidePutBack: {
    method: 'POST',
    path: '/api/set-aside/:id/put-back',
    permission: 'administrator',
    sentence: 'Puts a container back where it was.',
    params: Id,
    response: Job,
  },
  setAsideDelete: {
    method: 'POST',
    path: '/api/set-aside/:id/delete',
    permission: 'administrator',
    sentence: 'Lets an archived container be deleted, after 14 days.',
    params: Id,
    response: Done,
  },
  setAsideExport: { method: 'GET', path: '/api/set-aside.csv', permission: 'viewer', sentence: 'The same list as CSV.' },

  shareAdd: {
    method: 'POST',
    path: '/api/shares',
    permission: 'administrator',
    sentence: 'Adds a share that no fleet tells of: by its path, and the folder where it is mounted on this machine.',
    body: z.object({ path: z.string().max(500), mount: z.string().max(1000), zone: z.string().max(100).nullable().default(null) }),
    response: z.object({ id: z.string() }),
  },
  shareForget: {
    method: 'DELETE',
    path: '/api/shares/:id',
    permission: 'administrator',
    sentence: 'Forgets a share that was added by hand. Nothing on it is touched.',
    params: Id,
    response: Done,
  },
  shareBears: {
    method: 'PUT',
    path: '/api/shares/:id/bears',
    permission: 'administrator',
    sentence: 'Says how many operations a second a share bears.',
    params: Id,
    body: z.object({ iops: z.number().int().min(1).max(100_000_000).nullable() }),
    response: Done,
  },
  shareNamingTry: {
    method: 'GET',
    path: '/api/shares/:id/naming',
    permission: 'viewer',
    sentence: 'What a way of naming folders would make of the containers on a share.',
    params: Id,
    query: z.object({ naming: z.string().max(300) }),
    response: NamingTried,
  },
  shareNaming: {
    method: 'PUT',
    path: '/api/shares/:id/naming',
    permission: 'administrator',
    sentence: 'Says how a share names the folders of its people: %account%, %sid%, %any%.',
    params: Id,
    body: z.object({ naming: z.string().max(300) }),
    response: Done,
  },
  room: {
    method: 'GET',
    path: '/api/room',
    permission: 'viewer',
    sentence: 'What is asked of each share, and which containers should move where so that none is too full or asked for too much.',
    query: RoomQuery,
    response: RoomPage,
  },
  roomLoss: {
    method: 'GET',
    path: '/api/room/loss',
    permission: 'viewer',
    sentence: 'What happens to everybody when shares are lost.',
    query: LossQuery,
    response: LossPage,
  },
  waveNew: {
    method: 'POST',
    path: '/api/waves',
    permission: 'administrator',
    sentence: 'Plans a wave of moves for a night.',
    body: NewWave,
    response: Wave,
  },
  waveCancel: {
    method: 'POST',
    path: '/api/waves/:id/cancel',
    permission: 'administrator',
    sentence: 'Calls a wave off. What has moved stays moved.',
    params: Id,
    response: Wave,
  },
  share: {
    method: 'GET',
    path: '/api/shares/:id',
    permission: 'viewer',
    sentence: 'One share: room and growth, permissions at both layers, and what is wrong with them.',
    params: Id,
    response: SharePage,
  },
  shareAccess: {
    method: 'GET',
    path: '/api/shares/:id/access',
    permission: 'viewer',
    sentence: 'What one person may do there, and by which entry.',
    params: Id,
    query: z.object({ person: z.string().min(1).max(200) }),
    response: ShareAccess,
  },
  shareGroup: {
    method: 'PUT',
    path: '/api/shares/:id/group',
    permission: 'administrator',
    sentence: 'Says for which group the share is.',
    params: Id,
    body: z.object({ group: z.string().max(200) }),
    response: SharePage,
  },
  sharePermissions: {
    method: 'POST',
    path: '/api/shares/:id/permissions',
    permission: 'administrator',
    sentence: 'Sets the descriptor of one layer, as a job; the old one is kept in the journal.',
    params: Id,
    body: z.object({ layer: z.enum(['share', 'root']), sddl: z.string().min(1).max(65_536) }),
    response: Job,
  },

  inventories: {
    method: 'GET',
    path: '/api/inventories',
    permission: 'viewer',
    sentence: 'What agents saw in profiles at logoff: of whom, when.',
    response: z.object({ inventories: z.array(InventoryLine) }),
  },
  inventoryLines: {
    method: 'GET',
    path: '/api/inventories/lines',
    permission: 'help-desk',
    sentence: 'Those inventories as one stream of NDJSON: path, bytes, modified, person.',
    query: z.object({ person: z.string().max(200).optional() }),
  },

  policy: {
    method: 'GET',
    path: '/api/policies/base',
    permission: 'viewer',
    sentence: 'The base policy in force, and for each host what it reports.',
    response: PolicyPage,
  },
  policyPreview: {
    method: 'POST',
    path: '/api/policies/base/preview',
    permission: 'viewer',
    sentence: 'What a draft would change, and for how many. Changes nothing.',
    body: Settings,
    response: PolicyPreview,
  },
  policyPublish: {
    method: 'POST',
    path: '/api/policies/base/publish',
    permission: 'administrator',
    sentence: 'Publishes a draft as the next version.',
    body: z.object({ settings: Settings, basedOn: VersionNumber }),
    response: PolicyPage,
  },
  agentSettings: {
    method: 'GET',
    path: '/api/agent/settings',
    permission: 'token agent',
    sentence: 'The settings that a host should have.',
    query: z.object({ host: z.string().max(200) }),
    response: z.object({ version: z.number(), settings: Settings }),
  },
  agentReport: {
    method: 'POST',
    path: '/api/agent/report',
    permission: 'token agent',
    sentence: 'What a host has in force, and its sessions.',
    body: z.object({
      host: z.string().max(200),
      pool: z.string().max(200),
      zone: z.string().max(100).optional(),
      agentVersion: z.string().max(100),
      version: VersionNumber.nullable(),
      inForce: HostSettings.partial(),
      pending: z.array(z.string().max(200)).max(1000),
      draining: z.boolean(),
      sessions: z.array(SessionReport).max(5000),
      assigned: z.string().max(200).nullish(),
      /** When the host was built, or built anew. */
      builtMs: Moment.nullish(),
      admins: z.array(ReportedAdmin).max(1000).default([]),
      leftovers: z.array(Leftover).max(5000).default([]),
    }),
    response: z.object({ ok: z.literal(true), version: z.number() }),
  },

  ...POLICY_ROUTES,

  pools: {
    method: 'GET',
    path: '/api/pools',
    permission: 'viewer',
    sentence: 'Pools, whether their hosts are ready, what is to be done on each, and how they differ.',
    response: PoolsPage,
  },
  poolJob: {
    method: 'POST',
    path: '/api/pools/:id/jobs',
    permission: 'administrator',
    sentence: 'Makes hosts of a pool ready: fetch settings, restart those that wait for it, remove local profiles.',
    params: Id,
    body: PoolJob,
    response: Job,
  },

  poolProof: {
    method: 'POST',
    path: '/api/pools/:id/proof',
    permission: 'administrator',
    sentence: 'Proves a pool with a test person: on, off, clean, on again elsewhere, the same.',
    params: Id,
    body: z.object({ person: z.string().min(1).max(200) }),
    response: Job,
  },
  poolsExport: { method: 'GET', path: '/api/pools.csv', permission: 'viewer', sentence: 'All hosts with what is to be done, as CSV.' },

  remedy: {
    method: 'POST',
    path: '/api/attempts/:id/remedy',
    permission: 'help-desk',
    sentence: 'Runs the remedy that answers the cause of an attempt, as a job.',
    params: Id,
    response: Job,
  },
  jobs: { method: 'GET', path: '/api/jobs', permission: 'viewer', sentence: 'Jobs, newest first.', response: z.object({ jobs: z.array(Job) }) },
  job: { method: 'GET', path: '/api/jobs/:id', permission: 'viewer', sentence: 'One job with its steps.', params: Id, response: Job },
  jobCancel: {
    method: 'POST',
    path: '/api/jobs/:id/cancel',
    permission: 'help-desk',
    sentence: 'Stops a job before its next step.',
    params: Id,
    response: Job,
  },
  journal: {
    method: 'GET',
    path: '/api/journal',
    permission: 'viewer',
    sentence: 'Everything that was written: who, when, what, before and after.',
    query: z.object({ text: z.string().max(200).default(''), before: MomentText.optional() }),
    response: z.object({ lines: z.array(JournalLine), next: z.number().nullable() }),
  },
  journalExport: {
    method: 'GET',
    path: '/api/journal.csv',
    permission: 'viewer',
    sentence: 'The same as CSV.',
    query: z.object({ text: z.string().max(200).default('') }),
  },
} as const satisfies Record<string, Route>

export type RouteName = keyof typeof ROUTES
type Schema<R, K extends string> = R extends Record<K, infer S extends z.ZodType> ? S : never
export type Output<N extends RouteName> = z.output<Schema<(typeof ROUTES)[N], 'response'>>
type Given<R, K extends string, As extends string> = R extends Record<K, infer S extends z.ZodType> ? Record<As, z.input<S>> : unknown
/** What a caller gives: params, query and body, as far as the route has them. */
export type Input<N extends RouteName> = Given<(typeof ROUTES)[N], 'params', 'params'> &
  Given<(typeof ROUTES)[N], 'query', 'query'> &
  Given<(typeof ROUTES)[N], 'body', 'body'>
type Taken<R, K extends string, As extends string> = R extends Record<K, infer S extends z.ZodType> ? Record<As, z.output<S>> : unknown
/** What a handler gets: the same, checked and with defaults filled in. */
export type Request<N extends RouteName> = Taken<(typeof ROUTES)[N], 'params', 'params'> &
  Taken<(typeof ROUTES)[N], 'query', 'query'> &
  Taken<(typeof ROUTES)[N], 'body', 'body'>

const RANK: Record<Role, number> = { viewer: 0, 'help-desk': 1, administrator: 2 }

/** Whether a role may call a route that asks for a role. */
export function allows(role: Role, permission: Permission): boolean {
  return permission === 'anybody' || (permission in RANK && RANK[role] >= RANK[permission as Role])
}
