import type { SessionFacts } from './facts'

export type ContextReading = { readonly ok: true; readonly facts: SessionFacts } | { readonly ok: false; readonly sentence: string }

const TEXTS = ['person', 'pool', 'host', 'zone', 'image', 'clientKind', 'clientName', 'clientVersion', 'address', 'network'] as const
const NUMBERS = ['rttMs', 'bandwidthKbps'] as const
const FACTORS = ['none', 'push', 'code', 'key'] as const

/** Reads the facts of one session as they come from outside; unknown keys are ignored. @param fallbackMs the moment, where none is given */
export function readContext(given: unknown, fallbackMs?: number): ContextReading {
  const bad = (sentence: string): ContextReading => ({ ok: false, sentence })
  if (typeof given !== 'object' || given === null || Array.isArray(given)) return bad('A context is an object of facts.')
  const from = given as Record<string, unknown>
  const facts: Record<string, unknown> = {}
  for (const key of TEXTS) {
    const value = from[key]
    if (value === undefined || value === null) continue
    if (typeof value !== 'string' || value.length > 500) return bad(`${key} is a text.`)
    facts[key] = value
  }
  for (const key of NUMBERS) {
    const value = from[key]
    if (value === undefined || value === null) continue
    if (typeof value !== 'number' || !(value >= 0)) return bad(`${key} is a number from 0 on.`)
    facts[key] = value
  }
  const { groups, at, factor, first } = from
  if (groups !== undefined && groups !== null) {
    if (!Array.isArray(groups) || !groups.every((group) => typeof group === 'string')) return bad('groups is a list of names.')
    facts['groups'] = groups
  }
  if (factor !== undefined && factor !== null) {
    if (!FACTORS.some((one) => one === factor)) return bad(`factor is one of ${FACTORS.join(', ')}.`)
    facts['factor'] = factor
  }
  if (first !== undefined && first !== null) {
    if (typeof first !== 'boolean') return bad('first is true or false.')
    facts['first'] = first
  }
  const atMs = at === undefined || at === null ? fallbackMs : typeof at === 'number' ? at : typeof at === 'string' ? Date.parse(at) : NaN
  if (atMs !== undefined && !Number.isFinite(atMs))
    return bad('at is a moment with its offset, such as 2026-11-24T05:40:00+01:00, or epoch milliseconds.')
  return { ok: true, facts: { ...facts, ...(atMs === undefined ? {} : { atMs }) } }
}
