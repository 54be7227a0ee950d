import { join } from 'node:path'
import { Problem } from '../../contract/errors'
import type { PoolsPage } from '../../contract/pools'
import { prove, type HostReport } from '../../core/policies'
import { StepStopped, type NewJob, type Step } from '../journal/jobs'
import type { Queryable } from '../db/database'
import { hostShould } from '../policies/should'
import type { Context } from '../shell/context'

type Need = Pick<Context, 'fleet' | 'database' | 'disks' | 'now'>
type Proof = NonNullable<PoolsPage['pools'][number]['proof']>

/** The last proof of each pool. */
export async function lastProofs(database: Queryable): Promise<Map<string, Proof>> {
  const rows = await database.query<Proof & { pool: string }>(
    'select distinct on (pool) pool, id as job, person, author, at_ms as "atMs", ok, sentence from proofs order by pool, at_ms desc',
  )
  return new Map(rows.map(({ pool, ...proof }) => [pool, proof]))
}

/** Where the mark is written that must be found again on another host. */
const MARK = 'Desktop\\proof of Ikebana.txt'
const GONE_WITHIN_MS = 30_000

/**
 * The proof that is repeated after every change: a test person logs on, their container appears under their folder; they log off, and nothing of theirs is
 * left on the host; the host is drained, they log on again, land elsewhere, and find the same; the drain is undone, whatever happens. (job.md, section 2, step 5)
 */
export async function proofJob(need: Need, pool: { id: string; mode: string | null }, person: string, author: string): Promise<NewJob> {
  const { fleet, database, now } = need
  const [known] = await database.query<{ id: string; enabled: boolean }>('select id, enabled from people where id = $1', [person.toLowerCase()])
  if (!known) throw new Problem('person.unknown')
  if (!known.enabled) throw new Problem('request.invalid', 'The account of this person is switched off.')
  if (pool.mode !== 'container')
    throw new Problem(
      'request.invalid',
      'This pool does not work with containers: what is proven here is that the same one is found on another host.',
    )
  const mark = `${author}, ${new Date(now()).toISOString()}`
  let first: { host: string; session: string } | null = null
  let second: { host: string; session: string } | null = null
  let container: string | null = null
  let drained: string | null = null
  let id = ''
  let verdict = ''

  const begin = async (): Promise<{ host: string; session: string; said: string }> => {
    const { began, host, session, seconds, reason } = await fleet.beginSession(known.id, pool.id)
    if (!began) throw new StepStopped(`The logon did not work: ${reason}.`)
    return { host, session, said: `on ${host} after ${seconds.toFixed(1)} s, ${reason}` }
  }
  const held = async (at: { host: string; session: string }) =>
    (await fleet.holds()).find(({ host, session }) => host === at.host && session === at.session)
  const leave = async (at: { host: string; session: string } | null): Promise<string> => {
    if (!at) throw new StepStopped('There is no session.')
    await fleet.endSession(at.host, at.session)
    // The disk is detached after the session has gone.
    for (const until = now() + GONE_WITHIN_MS; now() < until; await new Promise((resolve) => setTimeout(resolve, 300))) {
      const sessions = await fleet.sessions(at.host)
      if (!sessions.some(({ session }) => session === at.session) && !(await held(at))) return 'the session is gone, and the container is free'
    }
    throw new StepStopped(`After ${GONE_WITHIN_MS / 1000} s the session is still there, or still has its container.`)
  }

  const steps: Step[] = [
    {
      title: 'See that the account is free, and that two hosts take sessions',
      run: async (job) => {
        id = job
        await database.query('insert into proofs (id, pool, person, author, at_ms) values ($1, $2, $3, $4, $5)', [
          job,
          pool.id,
          known.id,
          author,
          now(),
        ])
        const open = (await fleet.hosts()).filter((host) => host.pool === pool.id && host.power === 'on' && host.answers && !host.draining)
        if (open.length < 2)
          throw new StepStopped(`${open.length === 1 ? 'Only one host' : 'No host'} of ${pool.id} takes sessions: nobody could land elsewhere.`)
        return `${open.length} hosts take sessions`
      },
    },
    {
      title: `Log ${known.id} on`,
      run: async () => {
        const { said, ...at } = await begin()
        first = at
        return said
      },
    },
    {
      title: 'See their container, under their own folder',
      run: async () => {
        if (!first) throw new StepStopped('There is no session.')
        const at = first
        const mine = (await fleet.profiles(at.host)).find((one) => one.person === known.id)
        const hold = await held(at)
        if (!hold)
          throw new StepStopped(
            `${at.host} has no container attached for this session${mine?.kind === 'local' ? ': it works on a local profile' : ''}.`,
          )
        if (hold.file.split('/')[0]?.toLowerCase() !== known.id)
          throw new StepStopped(`The container lies in the folder of somebody else: ${hold.file}.`)
        const [share] = await database.query<{ mount: string | null }>('select mount from shares where path = $1', [hold.share])
        const [read] = share?.mount ? await need.disks.inspect([join(share.mount, hold.file)]) : []
        if (!read || read.state === 'damaged' || read.state === 'unknown') throw new StepStopped(`${hold.share}\\${hold.file} is no sound disk file.`)
        container = `${hold.share}\\${hold.file.replaceAll('/', '\\')}`
        return `${container}, ${read.format.toUpperCase()}, ${read.kind}`
      },
    },
    {
      title: 'See that the host has the settings of the policy',
      run: async () => {
        if (!first) throw new StepStopped('There is no session.')
        const { settings, version } = await hostShould(database, first.host, now())
        await fleet.fetchNow(first.host)
        const [row] = await database.query<{ report: HostReport | null }>('select report from hosts where id = $1', [first.host])
        const proof = prove(settings, row?.report ?? null)
        if (proof.state !== 'as it should be')
          throw new StepStopped(
            `${first.host}: ${proof.state}. ${proof.differences.map(({ title, before, after }) => `${title}: ${before}, should be ${after}`).join('; ')}`,
          )
        return `as version ${version} says`
      },
    },
    {
      title: 'Leave a mark on their desktop',
      run: async () => {
        if (!first) throw new StepStopped('There is no session.')
        await fleet.writeIn(first, MARK, mark)
        return MARK
      },
    },
    { title: 'Log them off', run: () => leave(first) },
    {
      title: 'See that nothing of theirs is left on the host',
      run: async () => {
        const host = first?.host ?? ''
        first = null
        const left = (await fleet.profiles(host)).filter((one) => one.person === known.id)
        if (left.length > 0) throw new StepStopped(`${host} still has a local profile of ${known.id}: it would be used instead of the container.`)
        drained = host
        return `${host} is clean`
      },
    },
    {
      title: 'Drain that host',
      run: async () => {
        const host = drained ?? ''
        const state = (await fleet.hosts()).find((one) => one.host === host)
        if (state?.draining) {
          drained = null
          return 'it was draining already'
        }
        await database.query('update proofs set drained = $2 where id = $1', [id, host])
        await fleet.drain(host, true)
        return `${host} takes no new sessions`
      },
    },
    {
      title: 'Log them on again',
      run: async () => {
        const { said, ...at } = await begin()
        second = at
        if (at.host === drained) throw new StepStopped(`They landed on ${at.host} again, although it is drained.`)
        return said
      },
    },
    {
      title: 'See that it is the same',
      run: async () => {
        if (!second) throw new StepStopped('There is no session.')
        const hold = await held(second)
        const name = hold ? `${hold.share}\\${hold.file.replaceAll('/', '\\')}` : null
        if (name !== container)
          throw new StepStopped(name === null ? `${second.host} has no container attached for this session.` : `Another container: ${name}.`)
        const found = await fleet.readIn(second, MARK)
        if (found !== mark)
          throw new StepStopped(
            found === null ? 'The mark is not there: this is another profile.' : 'There is an older mark: this is an older copy of the profile.',
          )
        verdict = `The same container on ${drained ?? 'one host'} and on ${second.host}; nothing was left behind.`
        return 'the same, with the mark'
      },
    },
    {
      title: 'Log them off',
      always: true,
      run: async () => {
        const open = [first, second].filter((one) => one !== null)
        if (open.length === 0) return 'nobody is signed in'
        const said: string[] = []
        for (const one of open) said.push(await leave(one))
        return said.join('; ')
      },
    },
    {
      title: 'Undo the drain',
      always: true,
      run: async () => {
        if (drained === null) return 'nothing was drained'
        await fleet.drain(drained, false)
        return `${drained} takes sessions again`
      },
    },
    {
      title: 'Keep the result',
      always: true,
      run: async (job, stopped) => {
        const sentence = stopped ?? verdict
        await database.query('update proofs set ok = $2, sentence = $3 where id = $1', [id || job, stopped === null, sentence])
        return sentence
      },
    },
  ]
  return {
    kind: 'proof',
    title: `Prove ${pool.id} with ${known.id}`,
    target: pool.id,
    author,
    attempt: null,
    change: {
      before: 'not proven',
      get after() {
        return verdict
      },
    },
    steps,
  }
}

/** Puts back what a stop in the middle of a proof left: a drained host, and the test person's sessions. @param beforeMs only of proofs that began before this */
export async function finishProofs({ fleet, database }: Pick<Context, 'fleet' | 'database'>, beforeMs: number): Promise<void> {
  const open = await database.query<{ id: string; pool: string; person: string; drained: string | null }>(
    'select id, pool, person, drained from proofs where ok is null and at_ms < $1',
    [beforeMs],
  )
  for (const { id, pool, person, drained } of open) {
    if (drained !== null) await fleet.drain(drained, false)
    for (const { host } of (await fleet.hosts()).filter((one) => one.pool === pool && one.answers))
      for (const one of await fleet.sessions(host)) if (one.person === person) await fleet.endSession(host, one.session)
    await database.query('update proofs set ok = false, sentence = $2 where id = $1', [
      id,
      `Ikebana was stopped during the proof.${drained === null ? '' : ` ${drained} takes sessions again.`}`,
    ])
  }
}
