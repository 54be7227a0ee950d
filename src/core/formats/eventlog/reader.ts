import type { Attrs, Observation } from '../../logons/observation'
import type { Fault } from '../fault'
import { keepable } from '../text'
import type { Sink } from '../ndjson'
import { EventScanner, type LogEvent } from './scan'
import { Front } from './front'
import { EventMap, type EventRule, type ReadyRule } from './rule'
import { SHIPPED_RULES } from './shipped'
import { Whose, type Told, type Unnamed } from './whose'

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
  readonly #front = new Front()
  readonly #whose: Whose
  /** How often there were events that no rule speaks of, by provider and id. */
  readonly #unknown = new Map<string, Map<number, number>>()
  #unknownKinds = 0
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
      this.#front,
    )
  }

  /** Another file will be read beside those that are read now: what waits for others waits for it, too. @returns takes NaN when it is over, or is no event log */
  expect(): (ms: number) => void {
    return this.#front.open()
  }

  /**
   * A reader of one file, in chunks of bytes. Several may be read beside each other.
   * @param of takes what of it cannot be read
   * @param position takes the moment of each event, and NaN at the end: as `expect` gave it, where the file was expected
   */
  file(of: Pick<Sink, 'fault'> = this.#sink, position = this.expect()): { push(chunk: Uint8Array): void; end(): void } {
    const scanner = new EventScanner({
      wanted: (provider, id) => {
        const kind = this.#map.kind(provider, id)
        if (!kind) this.#count(provider, id)
        return kind?.fields ?? null
      },
      event: (event) => {
        position(event.timeMs)
        this.#event(event)
      },
      fault: (fault) => of.fault(fault),
    })
    return {
      push: (chunk) => {
        scanner.push(chunk)
        this.#whose.release()
      },
      end: () => {
        scanner.end()
        position(NaN)
      },
    }
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
    const unknown = [...this.#unknown].flatMap(([provider, ids]) => [...ids].map(([id, n]) => ({ provider, id, n })))
    for (const { provider, id, n } of unknown.sort((a, b) => b.n - a.n))
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

  #count(provider: string, id: number): void {
    const ids = this.#unknown.get(provider)
    const n = ids?.get(id) ?? 0
    if (n === 0 && this.#unknownKinds >= MOST_KINDS) return void this.#others++
    if (n === 0) this.#unknownKinds++
    if (ids) ids.set(id, n + 1)
    else this.#unknown.set(provider, new Map([[id, 1]]))
  }

  #event(event: LogEvent): void {
    for (const ready of this.#map.kind(event.provider, event.id)?.rules ?? []) {
      const { rule, fits } = ready
      if (!fits(event.data)) continue
      if (rule.observe === 'nothing') {
        if (rule.wholeActivity === true) this.#whose.isNoLogon(event.activity)
        continue
      }
      const person = accountOf(ready, event)
      if (person === null) continue
      if (rule.observe === 'return') {
        if (person !== undefined) this.#whose.cameBack(person, event.computer, event.timeMs)
        continue
      }
      this.#whose.take({
        observation: observed(ready, rule.observe, event),
        person,
        sid: ready.sid?.(event) ?? null,
        session: ready.session?.(event) ?? null,
        together: ready.together?.(event) ?? null,
        activity: event.activity,
        computer: event.computer,
        elsewhere: rule.elsewhere === true,
        provider: event.provider,
        id: event.id,
      })
    }
  }
}

/** What one event says by one rule, before it is known of whom. Every field is there, said or not, so that all observations have one shape. */
function observed({ rule, part, code, text, attrs }: ReadyRule, kind: Observation['kind'], event: LogEvent): Told {
  return {
    timeMs: event.timeMs,
    kind,
    attempt: undefined,
    person: undefined,
    host: event.computer || undefined,
    source: undefined,
    pool: undefined,
    session: undefined,
    phase: rule.phase,
    part: part?.(event) ?? undefined,
    durationMs: rule.elapsed && elapsedMs(rule.elapsed, event.data),
    code: code.length === 0 ? undefined : codeOf(rule, code, event),
    outcome: rule.outcome,
    text: text?.(event) ?? undefined,
    attrs: attrs.length === 0 ? undefined : attrsOf(rule, attrs, event),
  }
}

function elapsedMs({ fields, unit }: NonNullable<EventRule['elapsed']>, data: LogEvent['data']): number | undefined {
  for (const field of fields) {
    const n = Number(data[field] ?? NaN)
    if (Number.isFinite(n) && n >= 0) return unit === 's' ? n * 1000 : n
  }
  return undefined
}

/** The first that is a code: zero says that all is well. */
function codeOf({ codes }: EventRule, templates: ReadyRule['code'], event: LogEvent): string | undefined {
  for (const template of templates) {
    const text = template(event)
    if (text === null || /^0x0*$/i.test(text)) continue
    return codes === 'kerberos' ? (KERBEROS.get(Number(text)) ?? `KERBEROS_${text}`) : text
  }
  return undefined
}

/** The first that names a person; null where only machines or the system itself are named, undefined where nobody is. */
function accountOf({ person }: ReadyRule, event: LogEvent): string | null | undefined {
  let named = false
  for (const template of person) {
    const name = template(event)
    if (name === null) continue
    named = true
    if (name.endsWith('$') || /(?:^|\\)(?:system|local service|network service|anonymous logon|(?:dwm|umfd)-\d+)$/i.test(name)) continue
    return name
  }
  return named ? null : undefined
}

function attrsOf({ values }: EventRule, attrs: ReadyRule['attrs'], event: LogEvent): Attrs | undefined {
  let result: Record<string, string> | undefined
  for (const [name, template] of attrs) {
    const text = template(event)
    const value = text === null ? null : values ? (values[text.toLowerCase()] ?? null) : text
    if (value === null || (name === 'clientAddress' && /^local$/i.test(value))) continue
    ;(result ??= {})[name] = value.replace(/^::ffff:/i, '')
  }
  return result
}

function nobody({ provider, id, computer, sid, observation }: Unnamed): Fault {
  return {
    line: null,
    byte: null,
    code: 'event.nobody',
    reason: `${provider} ${id} on ${computer || 'an unnamed machine'} speaks of ${sid ? `the SID ${sid}, which nothing else in the evidence, nor the directory, names` : 'somebody whom nothing around it names'}`,
    excerpt: new Date(observation.timeMs).toISOString(),
  }
}
