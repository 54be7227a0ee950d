import type { LogEvent } from './scan'
import type { ObservationKind, ReportedOutcome } from '../../logons/observation'

/** What one kind of event means: which observation comes of it. Mapping is data; docs/formats/event-map.md says the same for people. */
export interface EventRule {
  readonly provider: string
  readonly id: number
  /** Only where these fields have one of these values (case does not matter; `*` at the beginning stands for anything before). */
  readonly when?: Readonly<Record<string, readonly string[]>> | undefined
  /**
   * `nothing`: the event is known, and says nothing about a logon. `return`: somebody came back to a session that they had already: what led there is no logon.
   */
  readonly observe: ObservationKind | 'nothing' | 'return'
  /** Of `nothing`: nor does anything else of the same activity. */
  readonly wholeActivity?: boolean | undefined
  readonly phase?: string | undefined
  /**
   * Templates: `{Field}` stands for a field of the event, `{@user}` for the SID under which it was written, `{@process}` for the number of the process that wrote it. The
   * first that is filled in counts.
   */
  readonly part?: string | undefined
  readonly person?: readonly string[] | undefined
  readonly sid?: string | undefined
  /** The number of the session on its machine: events that name both it and the person tell of whom others speak. */
  readonly session?: string | undefined
  /** Events of one machine that have this in common, shortly after one another, are of one person. */
  readonly together?: string | undefined
  readonly code?: readonly string[] | undefined
  /** `kerberos`: the code is a number of RFC 4120, 7.5.9. */
  readonly codes?: 'kerberos' | undefined
  readonly outcome?: ReportedOutcome | undefined
  /** How long it took, where the event says it. The first field that is there counts. */
  readonly elapsed?: { readonly fields: readonly string[]; readonly unit: 'ms' | 's' } | undefined
  readonly text?: string | undefined
  readonly attrs?: Readonly<Record<string, string>> | undefined
  /** What values of an attribute mean; others are left out. */
  readonly values?: Readonly<Record<string, string>> | undefined
  /** Written by another machine than the one where the person logs on, such as a directory server. */
  readonly elsewhere?: boolean | undefined
}

/** Rules by provider and id. */
export class EventMap {
  readonly #rules = new Map<string, EventRule[]>()

  constructor(rules: readonly EventRule[]) {
    for (const rule of rules) {
      const key = keyOf(rule.provider, rule.id)
      const list = this.#rules.get(key)
      if (list) list.push(rule)
      else this.#rules.set(key, [rule])
    }
  }

  /** Whether events of a kind have to be read, or are known to say nothing; null where no rule speaks of them. */
  wants(provider: string, id: number): boolean | null {
    return this.#rules.get(keyOf(provider, id))?.some(({ observe, wholeActivity }) => observe !== 'nothing' || wholeActivity === true) ?? null
  }

  /** The rules that an event fulfils: one event may give several observations. */
  for(provider: string, id: number, data: Readonly<Record<string, string>>): readonly EventRule[] {
    return (this.#rules.get(keyOf(provider, id)) ?? []).filter((rule) => fulfils(rule, data))
  }
}

const keyOf = (provider: string, id: number) => `${id} ${provider.toLowerCase()}`

function fulfils({ when }: EventRule, data: Readonly<Record<string, string>>): boolean {
  for (const field in when) {
    const value = (data[field] ?? '').toLowerCase()
    if (!when[field]?.some((wanted) => (wanted.startsWith('*') ? value.endsWith(wanted.slice(1).toLowerCase()) : value === wanted.toLowerCase())))
      return false
  }
  return true
}

/** What templates are filled in from. */
type Said = Pick<LogEvent, 'data' | 'user' | 'process'>

/** A template filled in; null where a field of it is missing, empty or `-`. */
export function fill(template: string, { data, user, process }: Said): string | null {
  let missing = false
  const text = template.replaceAll(/\{([@\w.-]+)\}/g, (_, field: string) => {
    const value = field === '@user' ? user : field === '@process' ? process : (data[field] ?? '')
    if (value === '' || value === '-') missing = true
    return value
  })
  return missing || text === '' ? null : text
}
