import { remembering } from '../../stats/remembering'
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

/** What templates are filled in from. */
type Said = Pick<LogEvent, 'data' | 'user' | 'process'>

/** A template, ready to be filled in: null where a field of it is missing, empty or `-`. */
export type Template = (said: Said) => string | null

/** A rule with its templates ready. */
export interface ReadyRule {
  readonly rule: EventRule
  readonly fits: (data: LogEvent['data']) => boolean
  readonly part: Template | null
  readonly person: readonly Template[]
  readonly sid: Template | null
  readonly session: Template | null
  readonly together: Template | null
  readonly code: readonly Template[]
  readonly text: Template | null
  readonly attrs: readonly (readonly [name: string, template: Template])[]
}

/** What is done with events of one provider and id. */
export interface EventKind {
  readonly rules: readonly ReadyRule[]
  /** The fields that the rules speak of; null where all of them say that nothing is to be read. */
  readonly fields: ReadonlySet<string> | null
}

/** So many spellings of providers are remembered. */
const MOST_SPELLINGS = 1000

/** Rules by provider and id. */
export class EventMap {
  readonly #rules = new Map<string, Map<number, EventRule[]>>()
  /** By provider as it is spelt, and id. */
  readonly #kinds = remembering(MOST_SPELLINGS, (provider) => {
    const rules = [...(this.#rules.get(provider.toLowerCase()) ?? [])]
    return new Map(rules.map(([id, list]) => [id, kindOf(list)]))
  })

  constructor(rules: readonly EventRule[]) {
    for (const rule of rules) {
      const provider = rule.provider.toLowerCase()
      const byId = this.#rules.get(provider) ?? new Map<number, EventRule[]>()
      this.#rules.set(provider, byId)
      const list = byId.get(rule.id)
      if (list) list.push(rule)
      else byId.set(rule.id, [rule])
    }
  }

  /** What is known of events of a kind, whether the provider is written in capitals or not; undefined where no rule speaks of them. */
  kind(provider: string, id: number): EventKind | undefined {
    return this.#kinds(provider).get(id)
  }
}

function kindOf(rules: readonly EventRule[]): EventKind {
  const isRead = rules.some(({ observe, wholeActivity }) => observe !== 'nothing' || wholeActivity === true)
  return { rules: rules.map(ready), fields: isRead ? new Set(rules.flatMap(fieldsOf)) : null }
}

/** All fields that a rule speaks of. */
function fieldsOf(rule: EventRule): string[] {
  const { part, person = [], sid, session, together, code = [], text, attrs = {} } = rule
  const templates = [part, ...person, sid, session, together, ...code, text, ...Object.values(attrs)].filter((one) => one !== undefined)
  return [...Object.keys(rule.when ?? {}), ...(rule.elapsed?.fields ?? []), ...templates.flatMap((one) => pieces(one).fields)]
}

function ready(rule: EventRule): ReadyRule {
  const maybe = (text: string | undefined) => (text === undefined ? null : template(text))
  return {
    rule,
    fits: fitting(rule),
    part: maybe(rule.part),
    person: (rule.person ?? []).map(template),
    sid: maybe(rule.sid),
    session: maybe(rule.session),
    // Of one provider only: processes of several may have the same number.
    together: rule.together === undefined ? null : template(`${rule.provider} ${rule.together}`),
    code: (rule.code ?? []).map(template),
    text: maybe(rule.text),
    attrs: Object.entries(rule.attrs ?? {}).map(([name, text]) => [name, template(text)] as const),
  }
}

function fitting({ when = {} }: EventRule): ReadyRule['fits'] {
  const wanted = Object.entries(when).map(([field, values]) => [field, values.map((value) => value.toLowerCase())] as const)
  return (data) => {
    for (const [field, values] of wanted) {
      const value = (data[field] ?? '').toLowerCase()
      if (!values.some((one) => (one.startsWith('*') ? value.endsWith(one.slice(1)) : value === one))) return false
    }
    return true
  }
}

/** A template cut at its fields: there is one piece of text more than there are fields. */
function pieces(text: string): { readonly between: readonly string[]; readonly fields: readonly string[] } {
  const all = text.split(/\{([@\w.-]+)\}/)
  return { between: all.filter((_, i) => i % 2 === 0), fields: all.filter((_, i) => i % 2 === 1) }
}

function template(text: string): Template {
  const { between, fields } = pieces(text)
  const [only = ''] = fields
  if (fields.length === 0) return () => (text === '' ? null : text)
  if (fields.length === 1 && text.length === only.length + 2) return (said) => valueOf(said, only)
  return (said) => {
    let filled = between[0] ?? ''
    for (let i = 0; i < fields.length; i++) {
      const value = valueOf(said, fields[i] ?? '')
      if (value === null) return null
      filled += value + (between[i + 1] ?? '')
    }
    return filled
  }
}

function valueOf({ data, user, process }: Said, field: string): string | null {
  const value = field === '@user' ? user : field === '@process' ? process : (data[field] ?? '')
  return value === '' || value === '-' ? null : value
}
