import { z } from 'zod'
import { Measure, Moment, VersionNumber } from './basic'
import type { Changes, Effective, HealthFinding, PolicySet, PromiseVerdict, SetDifference, SetFault, Simplification, WhyNot } from '../core/policies'

/** What core computes goes over the wire as it is: made here and nowhere else, so it is not checked again on its way out. */
export const computed = <T>() => z.any() as z.ZodType<T>

/** A set of policies from outside is read by core (readSet), which tells every fault with its place. */
export const SetBody = z.record(z.string(), z.unknown())
export const Facts = z.record(z.string(), z.unknown())

export const ReportedAdmin = z.object({
  account: z.string().max(300),
  kind: z.enum(['person', 'group']),
  people: Measure.optional(),
  sinceMs: Moment,
})
/** A session as its host reports it: with the facts on which its policies were decided, and what is in force. */
export const SessionReport = z.object({
  person: z.string().max(200),
  session: z.string().max(200),
  sinceMs: Moment,
  state: z.string().max(100),
  /** Since when it is disconnected, and when its host will log it off for that. */
  disconnectedMs: Moment.nullish(),
  endsMs: Moment.nullish(),
  facts: z.record(z.string(), z.unknown()).optional(),
  policy: z.object({ version: VersionNumber, values: z.record(z.string(), z.unknown()) }).optional(),
})
export type SessionReport = z.infer<typeof SessionReport>

export const Rollout = z.object({
  version: z.number(),
  previous: z.number(),
  author: z.string(),
  state: z.enum(['going', 'paused', 'done', 'back']),
  waves: z.array(z.object({ title: z.string(), hosts: z.array(z.string()), groups: z.array(z.string()) })),
  /** How many waves have it. */
  reached: z.number(),
  pauseMs: z.number(),
  nextMs: z.number().nullable(),
  startedMs: z.number(),
  endedMs: z.number().nullable(),
  /** Logons since it began, of those who have it and of the others. */
  logons: z.object({ with: z.lazy(() => LogonCount), without: z.lazy(() => LogonCount) }),
})
const LogonCount = z.object({ count: z.number(), failed: z.number(), slow: z.number(), medianMs: z.number().nullable() })
export type Rollout = z.infer<typeof Rollout>

const Draft = z.object({
  set: computed<PolicySet>(),
  basedOn: z.number(),
  author: z.string(),
  updatedMs: z.number(),
  /** Who asked for a review; null: still being written. */
  review: z.string().nullable(),
})
export const PoliciesPage = z.object({
  version: z.number(),
  publishedMs: z.number(),
  author: z.string(),
  set: computed<PolicySet>(),
  draft: Draft.nullable(),
  rollout: Rollout.nullable(),
  /** Names to choose from. */
  known: z.record(z.string(), z.array(z.string())),
  people: z.number(),
})
export type PoliciesPage = z.infer<typeof PoliciesPage>

/** What is to be said of a draft, or of what is in force. */
export const SetLook = z.object({
  faults: computed<readonly SetFault[]>(),
  differences: computed<readonly SetDifference[]>(),
  changes: computed<Changes>(),
  promises: computed<readonly PromiseVerdict[]>(),
  findings: computed<readonly HealthFinding[]>(),
  simpler: computed<readonly Simplification[]>(),
  /** How many people each policy can apply to, by its id. */
  reach: z.record(z.string(), z.number()),
  /** A promise is broken and not waived, or an entry is wrong: it cannot be published. */
  stopped: z.string().nullable(),
})
export type SetLook = z.infer<typeof SetLook>

export const TryBody = z.object({ facts: Facts, draft: z.boolean().default(false) })
export const TryResult = z.object({ version: z.number().nullable(), facts: Facts, effective: computed<Effective>() })
export type TryResult = z.infer<typeof TryResult>
export const WhyNotBody = TryBody.extend({ policy: z.string().max(200), setting: z.string().max(200).nullable().default(null) })
export const WhyNotResult = computed<WhyNot>()

export const PublishBody = z.object({
  note: z.string().max(1000).default(''),
  /** Without waves it reaches everybody at once. */
  waves: z.enum(['at once', 'zones', 'few first']).default('at once'),
  /** A group whose people get it first, wherever they are. */
  firstGroup: z.string().max(200).nullish(),
  pauseMinutes: z
    .number()
    .min(0)
    .max(7 * 24 * 60)
    .default(30),
})
export const VersionLine = z.object({
  version: z.number(),
  publishedMs: z.number(),
  author: z.string(),
  note: z.string().nullable(),
  state: z.string(),
  differences: computed<readonly SetDifference[]>(),
})
export type VersionLine = z.infer<typeof VersionLine>

/** A stretch of a session in which somebody was connected. */
export const Stretch = z.object({
  session: z.string().max(200),
  person: z.string().max(200),
  pool: z.string().max(200),
  host: z.string().max(200),
  onMs: Moment,
  offMs: Moment.nullable(),
  ended: z.enum(['logged off', 'disconnected', 'limit']).nullable(),
  network: z.string().max(100).nullish(),
  clientKind: z.string().max(100).nullish(),
  clientVersion: z.string().max(100).nullish(),
  address: z.string().max(100).nullish(),
  rttMs: Measure.nullish(),
  kbps: Measure.nullish(),
})
export type Stretch = z.infer<typeof Stretch>
/**
 * Sessions of some days: a line for each person and pool, its stretches in order, as text with commas: whole seconds since `fromMs` (end: -1 while it goes on), how
 * each ended (o: logged off, d: disconnected, l: by a limit, -: not yet), places in `networks` and `clients`, round trip (ms) and bandwidth (kbit/s), -1 where not
 * measured. So compact because there are hundreds of thousands.
 */
export const StretchLines = z.object({
  networks: z.array(z.string()),
  /** Kind and version of clients, a blank between them. */
  clients: z.array(z.string()),
  fromMs: z.number(),
  untilMs: z.number(),
  lines:
    computed<
      readonly {
        readonly person: string
        readonly pool: string
        readonly on: string
        readonly off: string
        readonly ended: string
        readonly network: string
        readonly client: string
        readonly rtt: string
        readonly kbps: string
      }[]
    >(),
})
export type StretchLines = z.infer<typeof StretchLines>
/** Limits of each person on each pool: place of the person, of the pool, minutes (null: none). */
export const LimitsOf = z.object({
  version: z.number().nullable(),
  disconnected: z.array(z.tuple([z.number(), z.number(), z.number().nullable()])),
  session: z.array(z.tuple([z.number(), z.number(), z.number().nullable()])),
  /** Groups of people, for suggestions: name and places of people. */
  groups: z.array(z.object({ group: z.string(), people: z.array(z.number()) })),
})
export type LimitsOf = z.infer<typeof LimitsOf>

/** For one session: what should be in force, what its host reports, and the difference. */
export const SessionProof = z.object({
  session: z.string(),
  host: z.string(),
  person: z.string(),
  sinceMs: z.number(),
  state: z.string(),
  endsMs: z.number().nullable(),
  reportedMs: z.number().nullable(),
  facts: Facts,
  version: z.number(),
  reportedVersion: z.number().nullable(),
  verdict: z.enum(['as it should be', 'differs', 'not yet fetched', 'from the next logon on', 'restart needed', 'never reported']),
  effective: computed<Effective>(),
  differences: z.array(z.object({ setting: z.string(), title: z.string(), should: z.string(), reported: z.string(), takesEffect: z.string() })),
  /** Which way its last logon went, against what the policy says of it; null where no evidence tells. */
  way: z
    .object({
      attempt: z.string(),
      went: z.string(),
      verdict: z.enum(['as the policy says', 'second choice', 'against the policy']),
      sentence: z.string(),
    })
    .nullable(),
})
export type SessionProof = z.infer<typeof SessionProof>

export const AdminLine = z.object({
  host: z.string(),
  pool: z.string(),
  assigned: z.string().nullable(),
  state: z.string(),
  sentence: z.string(),
  now: z.array(z.object({ account: z.string(), untilMs: z.number().nullable() })),
  wide: z.array(z.string()),
})
export type AdminLine = z.infer<typeof AdminLine>
export const LimitProof = z.object({
  id: z.string(),
  pool: z.string(),
  person: z.string(),
  author: z.string(),
  atMs: z.number(),
  limitMs: z.number().nullable(),
  tookMs: z.number().nullable(),
  ok: z.boolean().nullable(),
  sentence: z.string().nullable(),
})
export type LimitProof = z.infer<typeof LimitProof>
