import { z } from 'zod'
import { Moment } from './basic'

const ShareLoad = z.object({
  path: z.string(),
  zone: z.string().nullable(),
  totalBytes: z.number(),
  usedBytes: z.number(),
  limitBytes: z.number(),
  containers: z.number(),
  peakIops: z.number(),
  peakSlot: z.number(),
  bearsIops: z.number().nullable(),
})
export type ShareLoad = z.infer<typeof ShareLoad>

const Paths = z
  .string()
  .max(5000)
  .default('')
  .transform((text) => (text === '' ? [] : text.split('|')))
/** What a plan shall bring about; several shares are told with `|` between them. */
export const RoomQuery = z.object({
  fullTo: z.coerce.number().min(0.05).max(1).default(0.8),
  zones: z.enum(['any', 'same']).default('any'),
  empty: Paths,
  logonIops: z.coerce.number().min(0).max(10_000).default(50),
  steadyIops: z.coerce.number().min(0).max(10_000).default(10),
})

export const Wave = z.object({
  id: z.string(),
  title: z.string(),
  author: z.string(),
  fromMs: z.number(),
  untilMs: z.number(),
  moves: z.number(),
  bytes: z.number(),
  keepDays: z.number(),
  state: z.enum(['waiting', 'running', 'done', 'cancelled']),
  job: z.string().nullable(),
  /** What came of it so far. */
  note: z.string().nullable(),
})
export type Wave = z.infer<typeof Wave>

export const RoomPage = z.object({
  shares: z.array(ShareLoad.extend({ id: z.string(), redundancy: z.string().nullable() })),
  after: z.array(ShareLoad),
  moves: z.array(
    z.object({
      id: z.string(),
      file: z.string(),
      person: z.string().nullable(),
      name: z.string().nullable(),
      from: z.string(),
      to: z.string(),
      bytes: z.number(),
      because: z.enum(['room', 'load', 'empty']),
      /** When that person usually logs on, as a slot of five minutes of the day. */
      slot: z.number().nullable(),
      inUse: z.boolean(),
    }),
  ),
  bytes: z.number(),
  atLeastBytes: z.number(),
  notMet: z.array(z.string()),
  /** Of how many containers it is known when their person logs on. */
  known: z.number(),
  containers: z.number(),
  waves: z.array(Wave),
})
export type RoomPage = z.infer<typeof RoomPage>

export const LossQuery = z.object({
  lost: Paths,
  mode: z.enum(['in-order', 'mirrored']).optional(),
  required: z.coerce.number().int().min(1).max(20).optional(),
})
export const LossPage = z.object({
  shares: z.array(z.object({ path: z.string(), zone: z.string().nullable() })),
  locations: z.array(z.object({ location: z.string(), share: z.string().nullable() })),
  mode: z.enum(['in-order', 'mirrored']),
  required: z.number(),
  onFailure: z.enum(['refuse', 'temporary']),
  sessionsHit: z.number(),
  fates: z.array(z.object({ fate: z.string(), people: z.number(), sentence: z.string() })),
  pools: z.array(z.object({ pool: z.string(), people: z.number(), hit: z.number() })),
  left: z.array(ShareLoad),
  tooMuch: z.array(z.string()),
  onlyThere: z.object({ containers: z.number(), bytes: z.number() }),
})
export type LossPage = z.infer<typeof LossPage>

export const NewWave = z.object({
  moves: z
    .array(z.object({ id: z.string().min(1).max(900), to: z.string().max(300) }))
    .min(1)
    .max(20_000),
  keepDays: z.number().int().min(0).max(90),
  fromMs: Moment,
  untilMs: Moment,
})
export type NewWave = z.infer<typeof NewWave>
