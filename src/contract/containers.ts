import { z } from 'zod'

/** Something to look at in a container; codes and weights in core/containers/upkeep.ts. */
const UpkeepFinding = z.object({ code: z.string(), weight: z.enum(['now', 'soon', 'tidy']), sentence: z.string() })

export const ContainerLine = z.object({
  id: z.string(),
  share: z.string(),
  file: z.string(),
  person: z.string().nullable(),
  name: z.string().nullable(),
  format: z.string(),
  kind: z.string(),
  state: z.string(),
  virtualBytes: z.number(),
  fileBytes: z.number(),
  allocatedBytes: z.number(),
  diskBytes: z.number(),
  lastUsedMs: z.number().nullable(),
  holderHost: z.string().nullable(),
  holderSession: z.string().nullable(),
  heldSinceMs: z.number().nullable(),
  holderAlive: z.boolean().nullable(),
  findings: z.array(z.string()),
  upkeep: z.array(UpkeepFinding),
  /** How much larger its file is than on the first day that is remembered, at most about 30 days ago. */
  grewBytes: z.number().nullable(),
  grewSinceMs: z.number().nullable(),
})
export type ContainerLine = z.infer<typeof ContainerLine>
export const ShareLine = z.object({
  id: z.string(),
  path: z.string(),
  zone: z.string().nullable(),
  totalBytes: z.number(),
  freeBytes: z.number(),
  latencyMs: z.number().nullable(),
  /** How it survives the loss of a disk or a room, as its fleet says. */
  redundancy: z.string().nullable(),
  containers: z.number(),
  allocatedBytes: z.number(),
  held: z.number(),
})
export type ShareLine = z.infer<typeof ShareLine>

export const ContainerQuery = z.object({
  text: z.string().max(200).default(''),
  share: z.string().max(300).optional(),
  held: z.enum(['all', 'held', 'stale']).default('all'),
  finding: z.string().max(40).optional(),
})

const ContainerAction = z.enum(['compact', 'repair', 'grow', 'release', 'set-aside', 'move', 'archive', 'copy'])

/** A file looked into: its structures with every value and its place, and what lies where. */
export const ContainerPage = z.object({
  container: ContainerLine,
  owner: z.object({ name: z.string(), enabled: z.boolean() }).nullable(),
  blockBytes: z.number(),
  parent: z.string().nullable(),
  modifiedMs: z.number(),
  structures: z.array(
    z.object({
      name: z.string(),
      offset: z.number(),
      bytes: z.number(),
      checksum: z.enum(['fits', 'does not fit', 'none']),
      values: z.array(z.object({ name: z.string(), offset: z.number(), value: z.string(), meaning: z.string() })),
    }),
  ),
  findings: z.array(z.object({ code: z.string(), offset: z.number(), sentence: z.string() })),
  /** Stretches of the file by offset. */
  layout: z.array(z.object({ what: z.string(), offset: z.number(), bytes: z.number() })),
  /** The disk as the host sees it: runs of blocks that are in the file, or are not. */
  blocks: z.array(z.object({ present: z.boolean(), count: z.number() })),
  /** Other shares, for moving it there. */
  otherShares: z.array(z.object({ id: z.string(), path: z.string(), freeBytes: z.number() })),
  /** The file could not be read just now, and why. */
  unreadable: z.string().nullable(),
  /** What can be done, and why not what cannot. */
  actions: z.array(z.object({ kind: ContainerAction, title: z.string(), sentence: z.string(), whyNot: z.string().nullable() })),
})
export type ContainerPage = z.infer<typeof ContainerPage>

export const ContainerJob = z.object({
  kind: ContainerAction,
  virtualBytes: z.number().int().positive().optional(),
  /** For move, archive and copy: the id of the share it goes to. */
  toShare: z.string().max(200).optional(),
  /** For move: how many days the old one is kept. */
  keepDays: z.number().int().min(0).max(90).optional(),
})
export type ContainerJob = z.infer<typeof ContainerJob>

/** The same for many: one job, each container for itself; what cannot be done to one does not stop the others. */
export const ContainerJobs = z.object({
  kind: z.enum(['compact', 'repair', 'release', 'set-aside', 'move', 'archive']),
  toShare: z.string().max(200).optional(),
  keepDays: z.number().int().min(0).max(90).optional(),
  ids: z.array(z.string().min(1).max(900)).min(1).max(5000),
})
export type ContainerJobs = z.infer<typeof ContainerJobs>

export const SetAsideLine = z.object({
  id: z.string(),
  share: z.string(),
  file: z.string(),
  person: z.string().nullable(),
  bytes: z.number(),
  author: z.string(),
  atMs: z.number(),
  /** The share where it is kept. */
  keptOn: z.string(),
  /** Until when; null: archived, until somebody has it deleted. */
  untilMs: z.number().nullable(),
  state: z.enum(['kept', 'put-back', 'deleted']),
})
export type SetAsideLine = z.infer<typeof SetAsideLine>
