import { z } from 'zod'

/** What an agent saw in somebody's profile at logoff, lying on a share. */
export const InventoryLine = z.object({ person: z.string(), name: z.string().nullable(), share: z.string(), atMs: z.number(), bytes: z.number() })
export type InventoryLine = z.infer<typeof InventoryLine>
