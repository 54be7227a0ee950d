import type { Observation } from '../../core/logons/observation'

/** Observations of one attempt as an OTLP/HTTP JSON trace request: what a host's agent would export. */
export function otlpOf(observations: readonly Observation[], span: () => string): object {
  const nanos = (ms: number) => `${Math.floor(ms)}${String(Math.round((ms % 1) * 1e6)).padStart(6, '0')}`
  const value = (v: string | number | boolean) =>
    typeof v === 'string'
      ? { stringValue: v }
      : typeof v === 'boolean'
        ? { boolValue: v }
        : Number.isInteger(v)
          ? { intValue: String(v) }
          : { doubleValue: v }
  const attributes = (entries: Record<string, string | number | boolean | undefined>) =>
    Object.entries(entries).flatMap(([key, v]) => (v === undefined ? [] : [{ key, value: value(v) }]))
  const begin = observations.find(({ kind }) => kind === 'begin')
  const end = observations.find(({ kind }) => kind === 'end')
  const any = begin ?? observations[0]
  if (!any?.attempt) throw new RangeError('an attempt needs an id')
  const traceId = any.attempt
  const rootId = traceId.slice(0, 16)
  const identity = (o: Observation) => ({ 'user.name': o.person, 'session.id': o.session, 'logon.pool': o.pool })
  const marks = (phase: string | undefined) =>
    observations
      .filter((o) => o.kind === 'mark' && o.phase === phase)
      .map((o) => ({ timeUnixNano: nanos(o.timeMs), name: o.code ?? 'mark', attributes: attributes({ code: o.code, message: o.text }) }))
  const phaseIds = new Map<string, string>()
  const phases = observations.filter(({ kind, part }) => kind === 'phase' && part === undefined)
  for (const { phase = '' } of phases) phaseIds.set(phase, span())
  const spans: object[] = phases.map((o) => ({
    traceId,
    spanId: phaseIds.get(o.phase ?? ''),
    parentSpanId: rootId,
    name: o.phase,
    kind: 1,
    startTimeUnixNano: nanos(o.timeMs),
    endTimeUnixNano: nanos(o.timeMs + (o.durationMs ?? 0)),
    attributes: attributes({ ...identity(o), 'logon.phase': o.phase, 'error.type': o.code }),
    events: marks(o.phase),
    status: o.code ? { code: 2 } : {},
  }))
  for (const o of observations.filter(({ kind, part }) => kind === 'phase' && part !== undefined)) {
    spans.push({
      traceId,
      spanId: span(),
      parentSpanId: phaseIds.get(o.phase ?? '') ?? rootId,
      name: o.part,
      kind: 1,
      startTimeUnixNano: nanos(o.timeMs),
      endTimeUnixNano: nanos(o.timeMs + (o.durationMs ?? 0)),
      attributes: attributes({ ...identity(o), 'logon.phase': o.phase, 'logon.part': o.part }),
    })
  }
  if (begin && end) {
    const own = Object.fromEntries(Object.entries(begin.attrs ?? {}).map(([name, v]) => [`logon.${name}`, v]))
    spans.push({
      traceId,
      spanId: rootId,
      name: 'logon',
      kind: 2,
      startTimeUnixNano: nanos(begin.timeMs),
      endTimeUnixNano: nanos(end.timeMs),
      attributes: attributes({ ...identity(begin), ...own, 'logon.outcome': end.outcome, 'error.type': end.code }),
      events: marks(undefined),
      status: end.outcome === 'failed' ? { code: 2, message: end.text ?? '' } : {},
    })
  }
  const service = { 'service.name': 'larkmere-agent', 'host.name': any.host }
  return {
    resourceSpans: [{ resource: { attributes: attributes(service) }, scopeSpans: [{ scope: { name: 'larkmere.logon', version: '1.4.0' }, spans }] }],
  }
}
