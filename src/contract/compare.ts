import { z } from 'zod'

export const COHORT_KINDS = [
  'host',
  'pool',
  'share',
  'zone',
  'site',
  'image',
  'network',
  'clientVersion',
  'transport',
  'person',
  'before',
  'since',
] as const
/** A cohort as it stands in an address: `host:TH-Q1-03`, `image:hall-7.2`, `before:1795412400000`. */
export const CohortId = z.string().regex(/^[a-zA-Z]+:.{1,300}$/)

export const Cohort = z.object({
  id: z.string(),
  kind: z.enum(COHORT_KINDS),
  value: z.string(),
  logons: z.number(),
  failed: z.number(),
  slow: z.number(),
  lostMs: z.number(),
  /** Of those that got in. */
  lowMs: z.number(),
  medianMs: z.number(),
  highMs: z.number(),
  phases: z.array(z.object({ phase: z.string(), medianMs: z.number() })),
  causes: z.array(z.object({ cause: z.string(), title: z.string(), n: z.number() })),
  /** How many took how long: counts by bucket, see bucketFromMs. */
  buckets: z.array(z.number()),
})
export type Cohort = z.infer<typeof Cohort>

/** Bounds of the buckets of a distribution: each 15 % wider than the one before, from 2 s on. */
export const BUCKETS = 40
export const bucketFromMs = (bucket: number): number => 2000 * 1.15 ** bucket

export const Pictures = z.object({
  fromMs: z.number(),
  toMs: z.number(),
  /** Monday 0:00 first, in the organisation's time: 168 cells. */
  week: z.array(z.object({ n: z.number(), bad: z.number(), medianMs: z.number().nullable() })),
  /** Hour by hour (joined where there are many): mean time in each phase, of those that got in. */
  phases: z.object({
    names: z.array(z.string()),
    stepMs: z.number(),
    columns: z.array(z.object({ atMs: z.number(), n: z.number(), meanMs: z.array(z.number()) })),
  }),
})
export type Pictures = z.infer<typeof Pictures>
