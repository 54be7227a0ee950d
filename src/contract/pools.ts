import { z } from 'zod'
import { Bytes, Moment } from './basic'

const Weight = z.enum(['now', 'soon', 'tidy'])
export const Leftover = z.object({ person: z.string().max(200), bytes: Bytes, lastUsedMs: Moment.nullable() })

export const PoolsPage = z.object({
  version: z.number(),
  pools: z.array(
    z.object({
      id: z.string(),
      name: z.string(),
      mode: z.string().nullable(),
      verdict: z.string(),
      /** The last guided proof with a test person; `ok` is null while it runs. */
      proof: z
        .object({
          job: z.string(),
          person: z.string(),
          author: z.string(),
          atMs: z.number(),
          ok: z.boolean().nullable(),
          sentence: z.string().nullable(),
        })
        .nullable(),
      ready: z.number(),
      hosts: z.array(
        z.object({
          host: z.string(),
          zone: z.string().nullable(),
          image: z.string().nullable(),
          agentVersion: z.string().nullable(),
          version: z.number().nullable(),
          reportedMs: z.number().nullable(),
          draining: z.boolean(),
          sessions: z.number(),
          ready: z.boolean(),
          toDo: z.array(z.object({ code: z.string(), weight: Weight, sentence: z.string() })),
          leftovers: z.array(Leftover),
        }),
      ),
      unlike: z.array(z.object({ what: z.string(), values: z.array(z.object({ value: z.string(), hosts: z.array(z.string()) })) })),
    }),
  ),
})
export type PoolsPage = z.infer<typeof PoolsPage>

/** Fetch: every host of the pool fetches its settings now. Restart: those that wait for one. Leftovers: those of one host, or of all. */
export const PoolJob = z.object({ kind: z.enum(['fetch', 'restart', 'leftovers']), host: z.string().max(200).optional() })
export type PoolJob = z.infer<typeof PoolJob>
