import { z } from 'zod'
import { Bytes } from './basic'
import { CHANGE_KINDS } from './changes'

const id = z.string().min(1).max(200)
const ids = z.array(id).max(10_000)
/** The security identifier, where the directory gives it: permissions on shares are told by it. */
const sid = z
  .string()
  .regex(/^S-1-\d+(-\d+)*$/i)
  .max(200)
  .optional()

/** org.json: what the evidence itself does not give. Everything optional, unknown fields ignored. Published in docs/formats/org.md. */
export const OrgFile = z.object({
  people: z
    .array(
      z.object({
        id,
        name: z.string().max(200).optional(),
        accounts: ids.optional(),
        groups: ids.optional(),
        groupsAtSource: ids.optional(),
        enabled: z.boolean().optional(),
        sid,
      }),
    )
    .default([]),
  groups: z.array(z.object({ id, name: z.string().max(200).optional(), memberOf: ids.optional(), sid })).default([]),
  pools: z
    .array(
      z.object({
        id,
        name: z.string().max(200).optional(),
        binding: z.enum(['fixed', 'free']).optional(),
        keep: z.enum(['all', 'nothing', 'personal']).optional(),
        seating: z.enum(['single', 'many']).optional(),
        mode: z.enum(['container', 'files', 'local']).optional(),
        grants: ids.optional(),
        slowMs: z.number().positive().max(86_400_000).optional(),
      }),
    )
    .default([]),
  hosts: z
    .array(
      z.object({
        id,
        pool: id.optional(),
        zone: z.string().max(200).optional(),
        site: z.string().max(200).optional(),
        image: z.string().max(200).optional(),
        draining: z.boolean().optional(),
      }),
    )
    .default([]),
  containers: z.array(z.object({ person: id, share: id.optional() })).optional(),
  shares: z.array(z.object({ id, path: z.string().max(500), zone: z.string().max(200).optional(), freeBytes: Bytes.optional() })).default([]),
  /** What was altered, when and where: looked at when something began. */
  changes: z
    .array(
      z
        .object({
          id,
          at: z.iso.datetime({ offset: true }),
          kind: z.enum(CHANGE_KINDS).catch('other'),
          scope: z.array(z.object({ dimension: z.string().max(50), value: z.string().max(500) })).default([]),
          sentence: z.string().max(1000).default(''),
        })
        .transform(({ at, ...change }) => ({ ...change, atMs: Date.parse(at) })),
    )
    .default([]),
})
export type OrgFile = z.infer<typeof OrgFile>
/** As it is written in the file. */
export type OrgFileText = z.input<typeof OrgFile>

export const ORG_LISTS = ['people', 'groups', 'pools', 'hosts'] as const

/** How many of each were told of. */
export const OrgGiven = z.object({
  people: z.number(),
  groups: z.number(),
  pools: z.number(),
  hosts: z.number(),
  /** The job that explains anew the logons that were read before and name what is known only now; null where there are none. */
  anew: z.object({ job: z.string(), attempts: z.number() }).nullable(),
})

/** What a file would replace of one list. */
export const OrgListLook = z.object({
  list: z.enum(ORG_LISTS),
  now: z.number(),
  then: z.number(),
  /** Those that are known now and not in the file. */
  gone: z.number(),
  /** The first of them, by id. */
  goneIds: z.array(z.string()),
})
export type OrgListLook = z.infer<typeof OrgListLook>
