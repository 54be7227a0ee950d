import { HOST_SETTINGS, prove, sayValue, SETTING_TITLES, type BaseSettings, type HostReport } from '../policies/settings'

/** A local profile left over on a host: it stands in the way of the person's container. */
export interface Leftover {
  readonly person: string
  readonly bytes: number
  readonly lastUsedMs: number | null
}

/** What is known of one host. */
export interface HostFacts {
  readonly host: string
  readonly zone: string | null
  readonly image: string | null
  readonly agentVersion: string | null
  readonly report: HostReport | null
  readonly reportedMs: number | null
  readonly draining: boolean
  readonly sessions: number
  readonly leftovers: readonly Leftover[]
}

export type ReadyCode = 'never-reported' | 'silent' | 'differs' | 'restart' | 'leftover' | 'agent' | 'image' | 'draining'

export interface ToDo {
  readonly code: ReadyCode
  /** `now`: logons on it go wrong; `soon`: they may; `tidy`: it should be known. */
  readonly weight: 'now' | 'soon' | 'tidy'
  readonly sentence: string
}

export interface HostReadiness {
  readonly host: string
  readonly ready: boolean
  readonly toDo: readonly ToDo[]
}

export interface PoolReadiness {
  readonly hosts: readonly HostReadiness[]
  readonly ready: number
  /** The pool in a sentence. */
  readonly verdict: string
  /** What is not the same on all hosts: each value with the hosts that have it, the commonest first. */
  readonly unlike: readonly { readonly what: string; readonly values: readonly { readonly value: string; readonly hosts: readonly string[] }[] }[]
}

/** A host that said nothing for so long is taken for silent: agents report about once a minute. */
const SILENT_MS = 5 * 60_000

/**
 * Whether the hosts of a pool are as they should be, what is to be done on each, and how they differ from each other.
 * @param containers whether the pool works with containers, so that leftovers stand in the way
 */
export function poolReadiness(
  hosts: readonly HostFacts[],
  should: (host: string) => BaseSettings,
  containers: boolean,
  nowMs: number,
): PoolReadiness {
  const usual = { agent: commonest(hosts.map(({ agentVersion }) => agentVersion)), image: commonest(hosts.map(({ image }) => image)) }
  const results = hosts.map((host): HostReadiness => {
    const toDo = toDoOf(host, should(host.host), containers, usual, nowMs)
    return { host: host.host, toDo, ready: !toDo.some(({ weight }) => weight !== 'tidy') }
  })
  const ready = results.filter((one) => one.ready).length
  return { hosts: results, ready, verdict: verdictOf(results, ready), unlike: unlikeOf(hosts) }
}

function toDoOf(
  host: HostFacts,
  should: BaseSettings,
  containers: boolean,
  usual: { agent: string | null; image: string | null },
  nowMs: number,
): ToDo[] {
  const toDo: ToDo[] = []
  const add = (code: ReadyCode, weight: ToDo['weight'], sentence: string) => {
    toDo.push({ code, weight, sentence })
  }
  if (host.report === null || host.reportedMs === null) {
    add('never-reported', 'now', 'It has never reported. Is the agent on it, and may it reach Ikebana?')
    return toDo
  }
  if (nowMs - host.reportedMs > SILENT_MS) add('silent', 'now', `It has said nothing for ${Math.round((nowMs - host.reportedMs) / 60_000)} minutes.`)
  const { state, differences: found } = prove(should, host.report)
  const waiting = found.filter(({ setting }) => host.report?.pending.includes(setting))
  const wrong = found.filter(({ setting }) => !host.report?.pending.includes(setting))
  if (state === 'differs') add('differs', 'now', `${wrong.map(({ title, before, after }) => `${title}: ${before}, should be ${after}`).join('; ')}.`)
  if (waiting.length > 0) add('restart', 'soon', `Fetched, but waits for a restart: ${waiting.map(({ title }) => title).join(', ')}.`)
  if (containers && host.leftovers.length > 0)
    add(
      'leftover',
      'now',
      `${host.leftovers.length === 1 ? 'A local profile stands' : `${host.leftovers.length} local profiles stand`} in the way: ${host.leftovers
        .slice(0, 3)
        .map(({ person }) => person)
        .join(', ')}${host.leftovers.length > 3 ? ' …' : ''}.`,
    )
  if (usual.agent !== null && host.agentVersion !== usual.agent)
    add('agent', 'soon', `Agent ${host.agentVersion ?? 'unknown'}; most hosts of the pool have ${usual.agent}.`)
  if (usual.image !== null && host.image !== null && host.image !== usual.image)
    add('image', 'tidy', `Image ${host.image}; most have ${usual.image}.`)
  if (host.draining) add('draining', 'tidy', 'It takes no new sessions: it is draining.')
  return toDo
}

const SAYS: Readonly<Record<ReadyCode, string>> = {
  'never-reported': 'never heard of',
  silent: 'silent',
  differs: 'unlike the policy',
  restart: 'waiting for a restart',
  leftover: 'with local profiles in the way',
  agent: 'with another agent',
  image: 'with another image',
  draining: 'draining',
}

function verdictOf(hosts: readonly HostReadiness[], ready: number): string {
  if (hosts.length === 0) return 'It has no hosts.'
  const counts = new Map<ReadyCode, number>()
  for (const { toDo } of hosts) for (const { code } of toDo) counts.set(code, (counts.get(code) ?? 0) + 1)
  const rest = [...counts].sort((a, b) => b[1] - a[1]).map(([code, n]) => `${n} ${SAYS[code]}`)
  return `${ready === hosts.length ? `All ${hosts.length} hosts are ready` : `${ready} of ${hosts.length} hosts are ready`}${rest.length ? `; ${rest.join(', ')}` : ''}.`
}

function unlikeOf(hosts: readonly HostFacts[]): PoolReadiness['unlike'] {
  const reported = hosts.filter(({ report }) => report !== null)
  const columns: [string, (host: HostFacts) => string][] = [
    ...HOST_SETTINGS.map((name): [string, (host: HostFacts) => string] => [
      SETTING_TITLES[name],
      ({ report }) => sayValue(name, report?.inForce[name]),
    ]),
    ['Agent', ({ agentVersion }) => agentVersion ?? 'unknown'],
    ['Image', ({ image }) => image ?? 'unknown'],
  ]
  return columns.flatMap(([what, valueOf]) => {
    const values = new Map<string, string[]>()
    for (const host of reported) {
      const value = valueOf(host)
      values.set(value, [...(values.get(value) ?? []), host.host])
    }
    return values.size < 2
      ? []
      : [{ what, values: [...values].map(([value, names]) => ({ value, hosts: names })).sort((a, b) => b.hosts.length - a.hosts.length) }]
  })
}

/** The value that most have; null where nobody has any. */
function commonest(values: readonly (string | null)[]): string | null {
  const counts = new Map<string, number>()
  for (const value of values) if (value !== null) counts.set(value, (counts.get(value) ?? 0) + 1)
  return [...counts].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))[0]?.[0] ?? null
}
