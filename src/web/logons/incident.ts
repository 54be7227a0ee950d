import type { IncidentLine, IncidentPage } from '../../contract/logons'
import { ANY_FACTOR, namesOf } from '../../core/logons/observation'
import { ago, when } from '../kit/format'
import { stretchWords } from '../shell/window'

/** The dimensions in which a list of logons can be narrowed. */
export const PLACES = [
  'pool',
  'host',
  'share',
  'zone',
  'site',
  'image',
  'network',
  'transport',
  'clientKind',
  'clientVersion',
  'factor',
  'logon',
  'holderHost',
  'part',
  'package',
] as const

/** Several hosts: all of a few, else the first ones. */
function hostsWords(value: string): string {
  const names = namesOf({ dimension: 'host', value })
  const [last = ''] = names.slice(-1)
  if (names.length === 1) return value
  if (names.length <= 4) return `${names.slice(0, -1).join(', ')} and ${last}`
  return `${names.slice(0, 3).join(', ')} and ${names.length - 3} other hosts`
}

const SAYS: Record<string, (value: string) => string> = {
  logon: (value) => `${value} logons`,
  holderHost: (value) => `held by ${hostsWords(value)}`,
  part: (value) => `“${value}”`,
  package: (value) => `package “${value}”`,
  group: (value) => `people of ${value}`,
  site: (value) => `site ${value}`,
  transport: (value) => `${value} transport`,
  clientVersion: (value) => `clients ${value}`,
  clientKind: (value) => `clients of kind ${value}`,
  factor: (value) => (value === ANY_FACTOR ? 'any second factor' : `second factor ${value}`),
  host: hostsWords,
  share: (value) => value,
  zone: (value) => `zone ${value}`,
  pool: (value) => value,
  image: (value) => `image ${value}`,
  network: (value) => `from ${value}`,
}

/** Where an incident is, in a few words; empty means everywhere. */
export const incidentPlace = ({ scope }: Pick<IncidentLine, 'scope'>): string =>
  scope.map(({ dimension, value }) => SAYS[dimension]?.(value) ?? value).join(', ')

/** Since when, and whether it goes on. */
export function sinceWords({ worse, ...line }: Pick<IncidentLine, 'attempts' | 'sinceMs' | 'toMs' | 'episodes' | 'worse'>, nowMs: number): string {
  const words = timesWords(line, nowMs)
  if (!worse) return words
  const times = worse.times < 10 ? Number(worse.times.toPrecision(2)) : Math.round(worse.times)
  return `${words} · far worse since ${when(worse.sinceMs, nowMs)} (${times} times the loss per logon)`
}

function timesWords({ attempts, sinceMs, toMs, episodes }: Pick<IncidentLine, 'attempts' | 'sinceMs' | 'toMs' | 'episodes'>, nowMs: number): string {
  const goesOn = nowMs - toMs < 30 * 60_000
  if (episodes > 1) return `${episodes} times since ${when(sinceMs, nowMs)}, last ${goesOn ? 'now' : ago(toMs, nowMs)}`
  if (attempts === 1 && sinceMs === toMs) return when(sinceMs, nowMs)
  return goesOn ? `since ${when(sinceMs, nowMs)}, going on` : `${stretchWords({ fromMs: sinceMs, toMs }, nowMs)}, last ${ago(toMs, nowMs)}`
}

/** Before which onset a change was made, in a word. */
export const afterWords = ({ of }: NonNullable<IncidentLine['change']>): string => (of === 'its worsening' ? 'worse after' : 'after')

/** How much a change is suspected, in a few words. @param likely the one that most likely began it, or made it worse */
export function suspectWords({ change, of, score }: IncidentPage['suspects'][number], likely: IncidentLine['change']): string {
  if (change.id !== likely?.id) return score > 0 ? 'possible' : 'not suspected'
  return of === 'its worsening' ? 'suspected of the worsening' : 'suspected'
}

/** The query of the list that shows an incident's attempts. */
export const incidentQuery = ({ cause, scope }: Pick<IncidentLine, 'cause' | 'scope'>): Record<string, string> => ({
  cause,
  ...Object.fromEntries(scope.map(({ dimension, value }) => [dimension, value])),
})
