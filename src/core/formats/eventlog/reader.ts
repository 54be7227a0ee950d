import type { Attrs, Observation } from '../../logons/observation'
import type { Fault } from '../fault'
import { keepable } from '../text'
import type { Sink } from '../ndjson'
import { EventScanner, type LogEvent } from './scan'
import { EventMap, fill, type EventRule } from './rule'
import { SHIPPED_RULES } from './shipped'
import { Whose, type Unnamed } from './whose'

/** RFC 4120, 7.5.9, from memory: those that say why a person was refused. */
const KERBEROS: ReadonlyMap<number, string> = new Map([
  [0x06, 'KDC_ERR_C_PRINCIPAL_UNKNOWN'],
  [0x12, 'KDC_ERR_CLIENT_REVOKED'],
  [0x17, 'KDC_ERR_KEY_EXPIRED'],
  [0x18, 'KDC_ERR_PREAUTH_FAILED'],
  [0x25, 'KRB_AP_ERR_SKEW'],
])

/** Kinds of events that no rule speaks of: more than these are only counted together. */
const MOST_KINDS = 500

/** What several files of one evidence share: the rules, who is who, and what was not understood. Use one for all of them, and `end` it after the last. */
export class EventLog {
  readonly #map: EventMap
  readonly #whose: Whose
  readonly #unknown = new Map<string, { provider: string; id: number; n: number }>()
  #others = 0
  /** Of people whom nothing names, the SIDs that they go by. */
  readonly namedBySid = new Set<string>()
  #sink: Sink

  /**
   * @param own an administrator's rules, beside the shipped ones
   * @param accounts accounts by SID, as far as the directory gives them
   * @param bySid whether whoever nothing names goes by the SID; else what is said of them is refused, and may be read again when they are known
   */
  constructor(sink: Sink, own: readonly EventRule[] = [], accounts: ReadonlyMap<string, string> = new Map(), bySid = false) {
    this.#map = new EventMap([...SHIPPED_RULES, ...own])
    this.#sink = sink
    this.#whose = new Whose(
      (observation) => this.#sink.observation(observation),
      (unnamed, sid) => {
        if (!bySid) this.#sink.fault(nobody(unnamed))
        else this.namedBySid.add(sid)
        return bySid ? sid : null
      },
      accounts,
    )
  }

  /** A reader of one file, in chunks of bytes. */
  file(): { push(chunk: Uint8Array): void; end(): void } {
    return new EventScanner({
      wanted: (provider, id) => this.#map.wants(provider, id) ?? this.#count(provider, id),
      event: (event) => this.#event(event),
      fault: (fault) => this.#sink.fault(fault),
    })
  }

  /** After the last file: what waited for a name gets one, or is refused; and what no rule speaks of is told, a kind at a time. */
  end(): void {
    this.#whose.end()
    const { named, nobodys } = this.#whose
    if (named === 0 && nobodys > 0)
      this.#sink.fault({
        line: null,
        byte: null,
        code: 'event.nobodys',
        reason: `${nobodys} event${nobodys === 1 ? ' names' : 's name'} nobody, and nothing beside ${nobodys === 1 ? 'it' : 'them'} does: give the log of sessions, or that of security, of the same machine as well`,
        excerpt: '',
      })
    for (const { provider, id, n } of [...this.#unknown.values()].sort((a, b) => b.n - a.n))
      this.#sink.fault({
        line: null,
        byte: null,
        code: 'event.unmapped',
        reason: `${n} event${n === 1 ? '' : 's'} of ${keepable(provider.slice(0, 200))} with id ${id}: no rule says what ${n === 1 ? 'it means' : 'they mean'} for a logon`,
        excerpt: '',
      })
    if (this.#others > 0)
      this.#sink.fault({
        line: null,
        byte: null,
        code: 'event.unmapped',
        reason: `${this.#others} events of still other kinds: no rule speaks of them`,
        excerpt: '',
      })
  }

  /** Accounts by SID that this evidence named. */
  get learnt(): ReadonlyMap<string, string> {
    return this.#whose.accounts
  }

  #count(provider: string, id: number): false {
    const key = `${id} ${provider}`
    const known = this.#unknown.get(key)
    if (known) known.n++
    else if (this.#unknown.size < MOST_KINDS) this.#unknown.set(key, { provider, id, n: 1 })
    else this.#others++
    return false
  }

  #event(event: LogEvent): void {
    for (const rule of this.#map.for(event.provider, event.id, event.data)) {
      if (rule.observe === 'nothing') {
        if (rule.wholeActivity === true) this.#whose.isNoLogon(event.activity)
        continue
      }
      const { person, ...observation } = observed(rule, event)
      if (person === null) continue
      if (rule.observe === 'return') {
        if (person !== undefined) this.#whose.cameBack(person, event.computer, event.timeMs)
        continue
      }
      this.#whose.take({
        observation,
        person,
        sid: rule.sid ? fill(rule.sid, event) : null,
        session: rule.session ? fill(rule.session, event) : null,
        together: rule.together ? fill(`${event.provider} ${rule.together}`, event) : null,
        activity: event.activity,
        computer: event.computer,
        elsewhere: rule.elsewhere === true,
        what: `${event.provider} ${event.id}`,
      })
    }
  }
}

/** What one event says by one rule. `person` is null where it names the system or a machine, undefined where it names nobody. */
function observed(rule: EventRule, event: LogEvent): Omit<Observation, 'person'> & { person: string | null | undefined } {
  const { data } = event
  const first = (templates: readonly string[] | undefined) => {
    for (const template of templates ?? []) {
      const text = fill(template, event)
      if (text !== null) return text
    }
    return undefined
  }
  const elapsed = rule.elapsed?.fields.map((field) => Number(data[field] ?? NaN)).find((n) => Number.isFinite(n) && n >= 0)
  return {
    timeMs: event.timeMs,
    kind: rule.observe === 'nothing' || rule.observe === 'return' ? 'mark' : rule.observe,
    person: accountOf(rule.person?.map((template) => fill(template, event)) ?? []),
    host: event.computer || undefined,
    phase: rule.phase,
    part: rule.part ? (fill(rule.part, event) ?? undefined) : undefined,
    durationMs: elapsed === undefined ? undefined : elapsed * (rule.elapsed?.unit === 's' ? 1000 : 1),
    code: codeOf(rule, first(rule.code?.filter((template) => !isZero(fill(template, event))))),
    outcome: rule.outcome,
    text: rule.text ? (fill(rule.text, event) ?? undefined) : undefined,
    attrs: attrsOf(rule, event),
  }
}

const isZero = (text: string | null): boolean => text !== null && /^0x0*$/i.test(text)

function codeOf(rule: EventRule, text: string | undefined): string | undefined {
  if (text === undefined || rule.codes !== 'kerberos') return text
  return KERBEROS.get(Number(text)) ?? `KERBEROS_${text}`
}

/** The first that names a person; null where only machines or the system itself are named. */
function accountOf(names: readonly (string | null)[]): string | null | undefined {
  let named = false
  for (const name of names) {
    if (name === null) continue
    named = true
    const short = name.slice(name.indexOf('\\') + 1)
    if (short.endsWith('$') || /^(system|local service|network service|anonymous logon|(dwm|umfd)-\d+)$/i.test(short)) continue
    return name
  }
  return named ? null : undefined
}

function attrsOf({ attrs, values }: EventRule, event: LogEvent): Attrs | undefined {
  let result: Record<string, string> | undefined
  for (const name in attrs) {
    const text = fill(attrs[name] ?? '', event)
    const value = text === null ? null : values ? (values[text.toLowerCase()] ?? null) : text
    if (value === null || (name === 'clientAddress' && /^local$/i.test(value))) continue
    ;(result ??= {})[name] = value.replace(/^::ffff:/i, '')
  }
  return result
}

function nobody({ what, computer, sid, observation }: Unnamed): Fault {
  return {
    line: null,
    byte: null,
    code: 'event.nobody',
    reason: `${what} on ${computer || 'an unnamed machine'} speaks of ${sid ? `the SID ${sid}, which nothing else in the evidence, nor the directory, names` : 'somebody whom nothing around it names'}`,
    excerpt: new Date(observation.timeMs).toISOString(),
  }
}
