import { z } from 'zod'

export const OutcomeName = z.enum(['ready', 'slow', 'degraded', 'failed', 'abandoned', 'open'])

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
  fromMs: z.coerce.number().optional(),
  toMs: z.coerce.number().optional(),
  outcome: z.string().max(100).optional(),
  pool: z.string().max(200).optional(),
  host: z.string().max(200).optional(),
  share: z.string().max(300).optional(),
  person: z.string().max(200).optional(),
  cause: z.string().max(100).optional(),
  upload: z.string().max(40).optional(),
  sort: z.enum(['started', 'total', 'lost']).default('started'),
  before: z.string().max(100).optional(),
  limit: z.coerce.number().int().min(1).max(1000).default(100),
})
export type AttemptQuery = z.infer<typeof AttemptQuery>

export const IncidentLine = z.object({
  id: z.string(),
  cause: z.string(),
  title: z.string(),
  scope: z.array(z.object({ dimension: z.string(), value: z.string() })),
  fromMs: z.number(),
  toMs: z.number(),
  /** Since when it has been going on, also before the window. */
  sinceMs: z.number(),
  attempts: z.number(),
  failed: z.number(),
  people: z.number(),
  lostMs: z.number(),
  example: z.string(),
})
export type IncidentLine = z.infer<typeof IncidentLine>

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
  /** One entry an hour of the window: the middle 80 % of the same hour on the 14 days before. */
  band: z.array(z.object({ atMs: z.number(), lowMs: z.number(), highMs: z.number(), n: z.number() })),
  /** The attempts of the window, in columns; thinned evenly where there are very many. */
  dots: z.object({
    atMs: z.array(z.number()),
    totalMs: z.array(z.number()),
    outcome: z.array(z.number()),
    id: z.array(z.string()),
    shownOf: z.number(),
  }),
  incidents: z.array(IncidentLine),
})
export type Today = z.infer<typeof Today>

const Usual = z.object({ medianMs: z.number(), lowMs: z.number(), highMs: z.number() })
export const Clue = z.object({ for: z.boolean(), weight: z.number(), sentence: z.string(), detail: z.string().optional() })
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
  logOdds: z.object({ prior: z.number(), withEvidence: z.number() }),
})
export type Finding = z.infer<typeof Finding>
export const DiagnosisRecord = z.object({
  cause: Finding.nullable(),
  others: z.array(z.object({ id: z.string(), title: z.string(), confidence: z.number() })),
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
  usual: z.object({ n: z.number(), sentence: z.string(), series: z.record(z.string(), Usual) }).nullable(),
  excess: z.array(z.object({ phase: z.string(), ms: z.number(), usualMs: z.number(), blameMs: z.number() })),
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
  state: z.enum(['reading', 'done', 'failed', 'cancelled']),
  bytes: z.number(),
  bytesRead: z.number(),
  observations: z.number(),
  refused: z.number(),
  attempts: z.number(),
  startedMs: z.number(),
  endedMs: z.number().nullable(),
  sentence: z.string().nullable(),
  faults: z.array(z.object({ line: z.number().nullable(), byte: z.number().nullable(), code: z.string(), reason: z.string(), excerpt: z.string() })),
})
export type UploadState = z.infer<typeof UploadState>
