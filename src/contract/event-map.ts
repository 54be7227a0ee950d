import { z } from 'zod'
import { OBSERVATION_KINDS } from '../core/logons/observation'

const text = z.string().min(1).max(500)
const texts = z.union([text.transform((one) => [one]), z.array(text).min(1).max(20)])

/** One rule of an event map. Published in docs/formats/event-map.md; the shape that the computation takes is EventRule (core/formats/eventlog). */
const EventRuleFile = z.strictObject({
  provider: text,
  id: z.number().int().min(0).max(65_535),
  when: z
    .record(
      z.string().max(100),
      z.union([
        z.string().transform((one) => [one]),
        z.number().transform((one) => [String(one)]),
        z.array(z.union([z.string(), z.number()]).transform(String)).max(50),
      ]),
    )
    .optional(),
  observe: z.enum([...OBSERVATION_KINDS, 'nothing', 'return']),
  wholeActivity: z.boolean().optional(),
  phase: z.string().min(1).max(100).optional(),
  part: text.optional(),
  person: texts.optional(),
  sid: text.optional(),
  session: text.optional(),
  together: text.optional(),
  code: texts.optional(),
  codes: z.enum(['kerberos']).optional(),
  outcome: z.enum(['ready', 'failed', 'abandoned', 'degraded']).optional(),
  elapsed: z.strictObject({ fields: texts, unit: z.enum(['ms', 's']) }).optional(),
  text: text.optional(),
  attrs: z.record(z.string().max(100), text).optional(),
  values: z.record(z.string().max(200), z.string().max(200)).optional(),
  elsewhere: z.boolean().optional(),
})

/** A file of rules: for one provider each, or any. */
export const EventMapFile = z.strictObject({ rules: z.array(EventRuleFile).min(1).max(500) }).superRefine(({ rules }, context) => {
  rules.forEach((rule, i) => {
    if (!rule.phase && (rule.observe === 'phase' || rule.observe === 'phase-begin' || rule.observe === 'phase-end'))
      context.addIssue({ code: 'custom', path: ['rules', i, 'phase'], message: `a rule that observes a ${rule.observe} needs a phase` })
    if (rule.observe === 'return' && !rule.person)
      context.addIssue({ code: 'custom', path: ['rules', i, 'person'], message: 'a rule that observes a return needs a person: who came back' })
    if (rule.wholeActivity && rule.observe !== 'nothing')
      context.addIssue({
        code: 'custom',
        path: ['rules', i, 'wholeActivity'],
        message: 'only a rule that observes nothing may speak of a whole activity',
      })
    if (rule.observe === 'phase' && !rule.elapsed)
      context.addIssue({
        code: 'custom',
        path: ['rules', i, 'elapsed'],
        message: 'a rule that observes a whole phase needs elapsed: how long it took',
      })
  })
})
export type EventMapFile = z.infer<typeof EventMapFile>

const Complaint = z.object({ path: z.string(), sentence: z.string() })
export const EventMapLine = z.object({ name: z.string(), yaml: z.string(), rules: z.number(), author: z.string(), atMs: z.number() })
export type EventMapLine = z.infer<typeof EventMapLine>
export const EventMapBody = z.object({ yaml: z.string().max(200_000) })
export const EventMapPreviewBody = EventMapBody.extend({ sample: z.string().max(1_000_000) })
/** What a map makes of real events. */
export const EventMapPreview = z.object({
  complaints: z.array(Complaint),
  observations: z.array(
    z.object({
      atMs: z.number(),
      kind: z.string(),
      person: z.string().nullable(),
      host: z.string().nullable(),
      phase: z.string().nullable(),
      part: z.string().nullable(),
      durationMs: z.number().nullable(),
      code: z.string().nullable(),
      text: z.string().nullable(),
      attrs: z.record(z.string(), z.union([z.string(), z.number(), z.boolean()])),
    }),
  ),
  of: z.number(),
  notUnderstood: z.array(z.string()),
})
export type EventMapPreview = z.infer<typeof EventMapPreview>

/** Complaints about a value that should be an event map: where, and what was expected. */
export function complaintsOf(value: unknown): { map: EventMapFile | null; complaints: z.infer<typeof Complaint>[] } {
  const parsed = EventMapFile.safeParse(value)
  if (parsed.success) return { map: parsed.data, complaints: [] }
  return {
    map: null,
    complaints: parsed.error.issues.slice(0, 50).map(({ path, message }) => ({ path: path.join('.') || 'the file', sentence: message })),
  }
}
