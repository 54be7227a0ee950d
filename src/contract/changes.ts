import { z } from 'zod'

export const CHANGE_KINDS = ['image', 'policy', 'package', 'gateway', 'host', 'share', 'directory', 'other'] as const
export const ChangeKind = z.enum(CHANGE_KINDS)
export type ChangeKind = z.infer<typeof ChangeKind>
/** Where something is: all of these together. Empty means everywhere. */
export const Scope = z.array(z.object({ dimension: z.string().min(1).max(50), value: z.string().min(1).max(500) })).max(50)
export type Scope = z.infer<typeof Scope>

export const ChangeLine = z.object({
  id: z.string(),
  atMs: z.number(),
  kind: ChangeKind,
  scope: Scope,
  sentence: z.string(),
  who: z.string(),
  toldMs: z.number(),
})
export type ChangeLine = z.infer<typeof ChangeLine>

/** Something that was altered elsewhere, as another program or an administrator tells of it. */
export const NewChange = z.object({
  id: z.string().min(1).max(200).optional(),
  at: z.iso.datetime({ offset: true }),
  kind: ChangeKind.default('other'),
  scope: Scope.default([]),
  sentence: z.string().trim().min(3).max(1000),
})
