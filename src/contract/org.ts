import { z } from 'zod'

const id = z.string().min(1).max(200)
const ids = z.array(id).max(10_000)

/** org.json: what the evidence itself does not give. Everything optional, unknown fields ignored. Published in docs/formats/org.md. */
export const OrgFile = z.object({
  people: z.array(z.object({ id, name: z.string().max(200).optional(), accounts: ids.optional(), groups: ids.optional(), groupsAtSource: ids.optional(), enabled: z.boolean().optional() })).default([]),
  groups: z.array(z.object({ id, name: z.string().max(200).optional(), memberOf: ids.optional() })).default([]),
  pools: z.array(z.object({
    id, name: z.string().max(200).optional(), binding: z.enum(['fixed', 'free']).optional(), keep: z.enum(['all', 'nothing', 'personal']).optional(),
    seating: z.enum(['single', 'many']).optional(), mode: z.enum(['container', 'files', 'local']).optional(), grants: ids.optional(), slowMs: z.number().positive().optional(),
  })).default([]),
  hosts: z.array(z.object({ id, pool: id.optional(), zone: z.string().optional(), site: z.string().optional(), image: z.string().optional(), draining: z.boolean().optional() })).default([]),
  shares: z.array(z.object({ id, path: z.string(), zone: z.string().optional(), freeBytes: z.number().optional() })).default([]),
})
export type OrgFile = z.infer<typeof OrgFile>
