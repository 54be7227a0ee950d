import { Problem } from '../../contract/errors'
import type { PoolJob, PoolsPage } from '../../contract/pools'
import { bytesSay } from '../../core/containers'
import type { HostReport } from '../../core/policies'
import { poolReadiness, type HostFacts, type Leftover } from '../../core/pools'
import { StepStopped, type NewJob, type Step } from '../journal/jobs'
import { hostsShould } from '../policies/should'
import { versionsOf } from '../policies/sets'
import type { Context } from '../shell/context'
import { lastProofs } from './proof'
import { restartSteps } from './remedies'

type Facts = HostFacts & { readonly pool: string }
type Need = Pick<Context, 'database' | 'fleet' | 'now'>

async function hostFacts({ database }: Pick<Context, 'database'>): Promise<Facts[]> {
  const rows = await database.query<{
    id: string
    pool: string | null
    zone: string | null
    image: string | null
    agent_version: string | null
    report: HostReport | null
    reported_ms: number | null
    draining: boolean
    sessions: number
    leftovers: Leftover[]
  }>(
    'select id, pool, zone, image, agent_version, report, reported_ms, draining, jsonb_array_length(sessions) as sessions, leftovers from hosts order by id',
  )
  return rows.map(({ id, pool, agent_version, reported_ms, ...row }) => ({
    ...row,
    host: id,
    pool: pool ?? '',
    agentVersion: agent_version,
    reportedMs: reported_ms,
  }))
}

export async function readPools(need: Need): Promise<PoolsPage> {
  const [hosts, versions, pools] = await Promise.all([
    hostFacts(need),
    versionsOf(need.database),
    need.database.query<{ id: string; name: string; mode: string | null }>('select id, name, mode from pools order by name'),
  ])
  const [proofs, should] = await Promise.all([
    lastProofs(need.database),
    hostsShould(
      need.database,
      hosts.map(({ host, pool, zone, image }) => ({ id: host, pool, zone, image })),
      need.now(),
    ),
  ])
  return {
    version: versions.newest.version,
    pools: pools.map((pool) => {
      const mine = hosts.filter((one) => one.pool === pool.id)
      const { hosts: results, ready, verdict, unlike } = poolReadiness(mine, (host) => should(host).settings, pool.mode === 'container', need.now())
      return {
        ...pool,
        ready,
        verdict,
        proof: proofs.get(pool.id) ?? null,
        unlike: unlike.map(({ what, values }) => ({ what, values: values.map(({ value, hosts: names }) => ({ value, hosts: [...names] })) })),
        hosts: mine.map(({ pool: _, report, ...one }, i) => ({
          ...one,
          version: report?.version ?? null,
          leftovers: [...one.leftovers],
          ready: results[i]?.ready ?? false,
          toDo: [...(results[i]?.toDo ?? [])],
        })),
      }
    }),
  }
}

/** The job that makes hosts of a pool ready. */
export async function poolJob(need: Need, pool: string, { kind, host }: PoolJob, author: string): Promise<NewJob> {
  const mine = (await hostFacts(need)).filter((one) => one.pool === pool && (host === undefined || one.host === host))
  if (mine.length === 0) throw new Problem('pool.unknown', host === undefined ? 'The pool has no hosts.' : 'No host of this pool is called so.')
  const base = { kind, target: host ?? pool, author, attempt: null }
  if (kind === 'fetch')
    return {
      ...base,
      title: `Let ${host ?? `the hosts of ${pool}`} fetch their settings`,
      change: { before: 'as fetched before', after: 'fetched' },
      steps: [fetchStep(need, mine)],
    }
  if (kind === 'leftovers') return leftoversJob(need, mine, base, pool)
  const waiting = mine.filter(({ report }) => (report?.pending.length ?? 0) > 0)
  if (waiting.length === 0) throw new Problem('remedy.none', 'No host of this pool waits for a restart.')
  return {
    ...base,
    title: `Restart ${waiting.length === 1 ? (waiting[0]?.host ?? '') : `${waiting.length} hosts of ${pool}`}`,
    change: { before: 'waiting for a restart', after: 'restarted' },
    alters: {
      kind: 'host',
      scope: [waiting.length === 1 ? { dimension: 'host', value: waiting[0]?.host ?? '' } : { dimension: 'pool', value: pool }],
    },
    steps: waiting.flatMap((one) => restartSteps(need, one.host).map((step) => ({ ...step, title: `${one.host}: ${step.title}` }))),
  }
}

function fetchStep({ fleet }: Need, hosts: readonly Facts[]): Step {
  return {
    title: `Ask ${hosts.length === 1 ? (hosts[0]?.host ?? '') : `${hosts.length} hosts`}`,
    run: async () => {
      const deaf: string[] = []
      for (const { host } of hosts) await fleet.fetchNow(host).catch(() => deaf.push(host))
      if (deaf.length === hosts.length) throw new StepStopped('None of them answers.')
      return deaf.length
        ? `${hosts.length - deaf.length} fetched and reported; no answer from ${deaf.join(', ')}`
        : `${hosts.length === 1 ? 'It' : `All ${hosts.length}`} fetched and reported.`
    },
  }
}

function leftoversJob({ fleet }: Need, hosts: readonly Facts[], base: Pick<NewJob, 'kind' | 'target' | 'author' | 'attempt'>, pool: string): NewJob {
  const found = hosts.flatMap(({ host, leftovers }) => leftovers.map((leftover) => ({ host, ...leftover })))
  if (found.length === 0) throw new Problem('remedy.none', 'No local profiles are left.')
  const bytes = found.reduce((sum, one) => sum + one.bytes, 0)
  let kept = 0
  return {
    ...base,
    title: `Remove ${found.length === 1 ? 'a local profile' : `${found.length} local profiles`} from ${base.target === pool ? `hosts of ${pool}` : (base.target ?? '')}`,
    change: {
      before: `${found
        .map(({ host, person }) => `${person} on ${host}`)
        .slice(0, 20)
        .join(', ')}: ${bytesSay(bytes)}`,
      get after() {
        return kept === 0 ? 'removed' : `${found.length - kept} removed, ${kept} kept`
      },
    },
    // One that is in use does not stop the others.
    steps: found.map(({ host, person, bytes: size }) => ({
      title: `${person} on ${host}, ${bytesSay(size)}`,
      run: async () => {
        const { removed, reason } = await fleet.removeLeftover(host, person)
        if (!removed) {
          kept++
          return `${host} kept it: ${reason}`
        }
        await fleet.fetchNow(host).catch(() => undefined)
        return reason
      },
    })),
  }
}
