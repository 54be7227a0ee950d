import { parseDocument } from 'yaml'
import { complaintsOf } from '../../contract/event-map'
import type { EventRule } from '../../core/formats'

/** An event map from its text: YAML, or JSON, which is YAML too. */
export function readEventMap(text: string): { rules: readonly EventRule[]; complaints: { path: string; sentence: string }[] } {
  const document = parseDocument(text, { maxAliasCount: 20, prettyErrors: true } as object)
  const [error] = document.errors
  if (error)
    return { rules: [], complaints: [{ path: `line ${error.linePos?.[0].line ?? '?'}`, sentence: error.message.split('\n')[0] ?? 'not valid YAML' }] }
  let value: unknown
  try {
    value = document.toJS({ maxAliasCount: 20 })
  } catch (thrown) {
    return { rules: [], complaints: [{ path: 'the file', sentence: thrown instanceof Error ? thrown.message : 'not valid YAML' }] }
  }
  const { map, complaints } = complaintsOf(value)
  return { rules: map?.rules ?? [], complaints }
}
