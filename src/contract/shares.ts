import { z } from 'zod'
import { ShareLine } from './containers'

const Right = z.object({
  mask: z.string(),
  words: z.string(),
  rights: z.array(z.string()),
  reasons: z.array(
    z.object({ ace: z.number(), type: z.string(), sid: z.string(), who: z.string(), mask: z.string(), effect: z.string(), sentence: z.string() }),
  ),
})

export const SharePage = ShareLine.extend({
  /** Used bytes and latency by moment, the oldest first. */
  samples: z.array(z.object({ atMs: z.number(), usedBytes: z.number(), latencyMs: z.number().nullable() })),
  /** Bytes a day, with its interval; null where there are too few samples. */
  growth: z.object({ bytesADay: z.number(), low: z.number(), high: z.number(), certain: z.boolean(), days: z.number() }).nullable(),
  /** How far it stands above its line (bytes) on each day of the week, Monday first; null where the days are alike or too few. */
  week: z.array(z.number()).length(7).nullable(),
  /** When it will be full, if it goes on so; null where it does not grow. */
  full: z.object({ atMs: z.number(), earliestMs: z.number(), latestMs: z.number().nullable() }).nullable(),
  /** By hour of the local day: logons a day from this share, and its latency, over the last 14 days. */
  hours: z.array(z.object({ hour: z.number(), logons: z.number(), latencyMs: z.number().nullable() })),
  /** Whose containers grew most in the last 30 days; `days` since when it is known. */
  drivers: z.array(
    z.object({
      id: z.string(),
      person: z.string().nullable(),
      name: z.string().nullable(),
      grewBytes: z.number(),
      bytes: z.number(),
      days: z.number(),
    }),
  ),
  bearsIops: z.number().nullable(),
  /** How its folders are named (core/containers/owner.ts). */
  naming: z.string(),
  /** Who added it by hand; null where the fleet tells of it. */
  addedBy: z.string().nullable(),
  group: z.object({ id: z.string(), sid: z.string(), members: z.number(), chosen: z.boolean() }).nullable(),
  groups: z.array(z.string()),
  layers: z.array(
    z.object({
      layer: z.enum(['share', 'root']),
      sddl: z.string(),
      sentences: z.array(z.string()),
      wanted: z.string().nullable(),
      wantedSentences: z.array(z.string()),
      asWanted: z.boolean(),
    }),
  ),
  findings: z.array(
    z.object({
      code: z.string(),
      weight: z.enum(['now', 'soon', 'tidy']),
      layer: z.string(),
      sentence: z.string(),
      why: z.string(),
      people: z.number().nullable(),
    }),
  ),
  /** Why the permissions could not be looked at, if so. */
  unread: z.string().nullable(),
})
export type SharePage = z.infer<typeof SharePage>

export const ShareAccess = z.object({
  person: z.object({ id: z.string(), name: z.string(), sid: z.string().nullable() }),
  /** At each place what both layers allow together, and each layer with its reasons. */
  places: z.array(z.object({ what: z.string(), words: z.string(), mask: z.string(), share: Right, folder: Right })),
})
export type ShareAccess = z.infer<typeof ShareAccess>

/** What a naming would make of a share's containers; `sentence` says why it cannot be read. */
export const NamingTried = z.object({
  sentence: z.string().nullable(),
  files: z.number(),
  /** Known by a SID somewhere in their path, though the naming does not fit. */
  bySid: z.number(),
  /** Of nobody whom the directory knows. */
  nobody: z.number(),
  /** Of somebody else than now, or of nobody. */
  other: z.number(),
  examples: z.array(z.object({ file: z.string(), name: z.string().nullable(), before: z.string().nullable() })),
})
export type NamingTried = z.infer<typeof NamingTried>
