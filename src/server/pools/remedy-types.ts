import type { Finding as FindingSchema, Story as StoryRecord } from '../../contract/logons'
import type { z } from 'zod'

export type Finding = z.infer<typeof FindingSchema>
export type Story = StoryRecord
