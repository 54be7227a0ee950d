import type { IncidentLine } from '../../contract/logons'
import { ago, when } from '../kit/format'

const SAYS: Record<string, (value: string) => string> = {
  holderHost: (value) => `held by ${value}`,
  part: (value) => `“${value}”`,
  host: (value) => value,
  share: (value) => value,
  zone: (value) => `zone ${value}`,
  pool: (value) => value,
  image: (value) => `image ${value}`,
  network: (value) => `from ${value}`,
}

/** Where an incident is, in a few words; empty means everywhere. */
export const incidentPlace = (incident: IncidentLine): string =>
  incident.scope.map(({ dimension, value }) => SAYS[dimension]?.(value) ?? value).join(', ')

/** Since when, and whether it goes on. */
export function sinceWords({ attempts, sinceMs, toMs }: IncidentLine, nowMs: number): string {
  const goesOn = nowMs - toMs < 30 * 60_000
  if (attempts === 1 && sinceMs === toMs) return when(sinceMs, nowMs)
  return goesOn ? `since ${when(sinceMs, nowMs)}, going on` : `${when(sinceMs, nowMs)} to ${when(toMs, nowMs)}, last ${ago(toMs, nowMs)}`
}

/** The query of the list that shows an incident's attempts. */
export function incidentQuery(incident: IncidentLine): Record<string, string> {
  const query: Record<string, string> = { cause: incident.cause }
  for (const { dimension, value } of incident.scope)
    if (dimension === 'host' || dimension === 'share' || dimension === 'pool') query[dimension] = value
  return query
}
