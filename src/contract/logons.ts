import { z } from 'zod'
import { MomentText } from './basic'

const OutcomeName = z.enum(['ready', 'slow', 'degraded', 'failed', 'abandoned', 'open'])

export const AttemptLine = z.object({
  id: z.string(),
  person: z.string().nullable(),
  name: z.string().nullable(),
  host: z.string().nullable(),
  pool: z.string().nullable(),
  startedMs: z.number(),
  totalMs: z.number(),
  usualMs: z.number().nullable(),
  outcome: OutcomeName,
  cause: z.string().nullable(),
  causeTitle: z.string().nullable(),
  lostMs: z.number(),
})
export type AttemptLine = z.infer<typeof AttemptLine>

export const AttemptQuery = z.object({
  fromMs: MomentText.optional(),
  toMs: MomentText.optional(),
  outcome: z.string().max(100).optional(),
  pool: z.string().max(200).optional(),
  /** One, or several with a comma and a blank between them. */
  host: z.string().max(4000).optional(),
  share: z.string().max(300).optional(),
  person: z.string().max(200).optional(),
  cause: z.string().max(100).optional(),
  upload: z.string().max(40).optional(),
  zone: z.string().max(200).optional(),
  site: z.string().max(200).optional(),
  image: z.string().max(200).optional(),
  network: z.string().max(200).optional(),
  transport: z.string().max(200).optional(),
  clientKind: z.string().max(200).optional(),
  clientVersion: z.string().max(200).optional(),
  factor: z.string().max(200).optional(),
  logon: z.enum(['first', 'returning']).optional(),
  holderHost: z.string().max(4000).optional(),
  part: z.string().max(300).optional(),
  package: z.string().max(300).optional(),
  group: z.string().max(200).optional(),
  sort: z.enum(['started', 'total', 'lost']).default('started'),
  /** As the page before gave it in `next`. */
  before: z
    .string()
    .regex(/^(-?\d{1,15}~|$)/)
    .max(300)
    .optional(),
  limit: z.coerce.number().int().min(1).max(1000).default(100),
})
export type AttemptQuery = z.infer<typeof AttemptQuery>

const Scoped = z.array(z.object({ dimension: z.string(), value: z.string() }))
const Part = z.object({ hit: z.number(), n: z.number() })
const ChangeSaid = z.object({ id: z.string(), atMs: z.number(), kind: z.string(), scope: Scoped, sentence: z.string(), by: z.string().optional() })

const OnsetKind = z.enum(['its beginning', 'its worsening'])

export const IncidentLine = z.object({
  id: z.string(),
  /** Many with one cause at one place, or single cases of a cause that make no incident. */
  kind: z.enum(['incident', 'single']),
  cause: z.string(),
  title: z.string(),
  scope: Scoped,
  /** Since when it has been going on, also before the window. */
  sinceMs: z.number(),
  toMs: z.number(),
  /** How often it came and went, as far back as is looked. */
  episodes: z.number(),
  /** Those of the window. */
  attempts: z.number(),
  failed: z.number(),
  people: z.number(),
  lostMs: z.number(),
  example: z.string(),
  /** Since when far more is lost of each who logs on there than at first, and how many times as much. */
  worse: z.object({ sinceMs: z.number(), times: z.number() }).nullable(),
  /** The change that most likely began it, or made it so much worse. */
  change: ChangeSaid.extend({ of: OnsetKind }).nullable(),
})
export type IncidentLine = z.infer<typeof IncidentLine>

const Clue = z.object({ for: z.boolean(), weight: z.number(), sentence: z.string(), detail: z.string().optional() })

/** Whether something that was done helped: the same people or place, before and after it. */
export const Watch = z.object({
  sinceMs: z.number(),
  /** Who is followed, in words. */
  cohort: z.string(),
  verdict: z.enum(['waiting', 'too early', 'helped', 'worse', 'no effect']),
  sentence: z.string(),
  before: z.object({ n: z.number(), failed: z.number(), medianMs: z.number().nullable() }),
  after: z.object({ n: z.number(), failed: z.number(), medianMs: z.number().nullable(), withCause: z.number() }),
  /** The evidence so far, as log likelihood ratios, and the bound that each must reach. */
  test: z.object({ helped: z.number(), worse: z.number(), bound: z.number(), floor: z.number() }),
})
export type Watch = z.infer<typeof Watch>

export const IncidentPage = IncidentLine.extend({
  contrast: z.object({ inside: Part, outside: Part }),
  p: z.number(),
  /** Of several hosts: each of them. Empty for any other place. */
  each: z.array(z.object({ place: z.object({ dimension: z.string(), value: z.string() }), fromMs: z.number(), inside: Part })),
  alongside: z.array(z.object({ place: z.object({ dimension: z.string(), value: z.string() }), sentence: z.string() })),
  suspects: z.array(z.object({ change: ChangeSaid, of: OnsetKind, score: z.number(), reasons: z.array(Clue) })),
  /** Hour by hour at its place: how many logged on, and how many had it. */
  hours: z.array(z.object({ atMs: z.number(), n: z.number(), hit: z.number() })),
  /** What was done since it began that may have helped: jobs and changes; what was done where it sits first, then the newest. */
  done: z.array(z.object({ atMs: z.number(), sentence: z.string(), here: z.boolean() })),
  watch: Watch.nullable(),
})
export type IncidentPage = z.infer<typeof IncidentPage>

export const Today = z.object({
  fromMs: z.number(),
  toMs: z.number(),
  nowMs: z.number(),
  logons: z.number(),
  byOutcome: z.record(z.string(), z.number()),
  medianMs: z.number(),
  usualMedianMs: z.number().nullable(),
  lostMs: z.number(),
  worstFromMs: z.number().nullable(),
  worstToMs: z.number().nullable(),
  /** One entry an hour of the window: the middle 80 % of hours like it in the four weeks before, and which those are. */
  band: z.array(
    z.object({ atMs: z.number(), lowMs: z.number(), highMs: z.number(), n: z.number(), basis: z.enum(['weekday', 'like days', 'any day']) }),
  ),
  /** The attempts of the window, in columns; thinned evenly where there are very many. */
  dots: z.object({
    atMs: z.array(z.number()),
    totalMs: z.array(z.number()),
    outcome: z.array(z.number()),
    id: z.array(z.string()),
    shownOf: z.number(),
  }),
  incidents: z.array(IncidentLine),
  /** Where attempts of earlier days are still being read after a start: since when incidents are known. */
  incidentsFromMs: z.number().nullable(),
  /** When the newest logon of all began, in the window or not; null where none is known. */
  newestMs: z.number().nullable(),
})
export type Today = z.infer<typeof Today>

const Usual = z.object({ medianMs: z.number(), lowMs: z.number(), highMs: z.number() })
export const Remedy = z.object({
  kind: z.enum(['release-hold', 'stop-draining', 'restart-host', 'tell']),
  label: z.string(),
  explanation: z.string(),
  target: z.string().nullable(),
})
export const Finding = z.object({
  id: z.string(),
  title: z.string(),
  confidence: z.number(),
  sentence: z.string(),
  toPerson: z.string(),
  evidence: z.array(Clue),
  remedy: Remedy.nullable(),
  /** The part of a phase that it is about. */
  part: z.string().optional(),
  logOdds: z.object({ prior: z.number(), withEvidence: z.number() }),
})
export type Finding = z.infer<typeof Finding>
const DiagnosisRecord = z.object({
  cause: Finding.nullable(),
  others: z.array(z.object({ id: z.string(), title: z.string(), confidence: z.number(), beside: z.boolean().optional() })),
})

const PhaseRecord = z.object({
  phase: z.string(),
  startMs: z.number(),
  endMs: z.number(),
  ended: z.boolean(),
  code: z.string().nullable(),
  host: z.string().nullable(),
})
export const Story = AttemptLine.extend({
  account: z.string().nullable(),
  session: z.string().nullable(),
  attrs: z.record(z.string(), z.union([z.string(), z.number(), z.boolean()])),
  phases: z.array(PhaseRecord),
  parts: z.array(PhaseRecord.extend({ part: z.string() })),
  marks: z.array(
    z.object({
      atMs: z.number(),
      code: z.string().nullable(),
      number: z.string().nullable(),
      says: z.string(),
      phase: z.string().nullable(),
      text: z.string().nullable(),
    }),
  ),
  blame: z.array(z.object({ phase: z.string(), fromMs: z.number(), toMs: z.number() })),
  shares: z.array(z.object({ phase: z.string(), ms: z.number() })),
  /** How long the person took to approve, within sign-on; null where nobody says. What is usual of sign-on is without it. */
  approvalMs: z.number().nullable(),
  usual: z.object({ n: z.number(), sentence: z.string(), series: z.record(z.string(), Usual) }).nullable(),
  excess: z.array(z.object({ phase: z.string(), ms: z.number(), usualMs: z.number(), tookMs: z.number() })),
  slowMs: z.number(),
  diagnosis: DiagnosisRecord,
  oddities: z.array(z.object({ code: z.string(), sentence: z.string() })),
  observations: z.number(),
  colleagues: z.object({ fromMs: z.number(), toMs: z.number(), totalMs: z.array(z.number()), outcome: z.array(z.number()), id: z.array(z.string()) }),
  last: z.array(AttemptLine),
  alike: z.object({ people: z.number(), attempts: z.number() }).nullable(),
})
export type Story = z.infer<typeof Story>

export const UploadState = z.object({
  id: z.string(),
  name: z.string(),
  /** Who gave it: an administrator's name, or `token` and the name of the token. */
  author: z.string(),
  byToken: z.boolean(),
  state: z.enum(['reading', 'done', 'failed', 'cancelled']),
  bytes: z.number(),
  bytesRead: z.number(),
  observations: z.number(),
  refused: z.number(),
  attempts: z.number(),
  /** Logons that other evidence had told of before, and of which this one told more. */
  joined: z.number(),
  startedMs: z.number(),
  endedMs: z.number().nullable(),
  /** When the first and the last of both began. */
  firstMs: z.number().nullable(),
  lastMs: z.number().nullable(),
  sentence: z.string().nullable(),
  /** `file`: which of those that were given together. */
  faults: z.array(
    z.object({
      file: z.string().optional(),
      line: z.number().nullable(),
      byte: z.number().nullable(),
      code: z.string(),
      reason: z.string(),
      excerpt: z.string(),
    }),
  ),
})
export type UploadState = z.infer<typeof UploadState>

/** A clock that is off: ahead of the others, or behind (negative). */
export const ClockLine = z.object({
  machine: z.string(),
  offsetMs: z.number(),
  uncertaintyMs: z.number(),
  n: z.number(),
  /** Whether a source gave that name; else it is a broker that only names the host it chose. */
  named: z.boolean(),
  /** Tickets are refused by so much. */
  beyondTickets: z.boolean(),
  sinceMs: z.number(),
  seenMs: z.number(),
})
export type ClockLine = z.infer<typeof ClockLine>
