import { Problem } from '../../contract/errors'
import type { Finding, Story } from '../../contract/logons'
import { whoseFiles } from '../containers/naming'
import { StepStopped, type NewJob } from '../journal/jobs'
import type { Context } from '../shell/context'

type Need = Pick<Context, 'fleet' | 'database'>

/** The job that carries out the remedy of a finding. Throws `remedy.none` where there is nothing to run. */
export function remedyJob(need: Need, story: Story, finding: Finding, author: string): NewJob {
  const remedy = finding.remedy
  if (!remedy?.target || remedy.kind === 'tell') throw new Problem('remedy.none', 'This cause has no remedy that Ikebana can run.')
  const base = { kind: remedy.kind, title: remedy.label, target: remedy.target, author, attempt: story.id }
  if (remedy.kind === 'release-hold') return { ...base, ...releaseHold(need, String(story.attrs['holderHost'] ?? 'another session'), remedy.target) }
  if (remedy.kind === 'restart-host') return { ...base, ...restartHost(need, remedy.target) }
  return { ...base, ...stopDraining(need, remedy.target) }
}

/** Released only after the holding host has said that the session is gone. */
export function releaseHold({ fleet, database }: Need, holder: string, person: string): Pick<NewJob, 'steps' | 'change'> {
  let hold: Awaited<ReturnType<typeof fleet.holds>>[number] | undefined
  const container = async () =>
    await database.query<{ share: string; file: string }>('select c.share, c.file from containers c where c.person = $1', [person])
  return {
    change: { before: `held by ${holder}`, after: 'free' },
    steps: [
      {
        title: 'Look who holds the container',
        run: async () => {
          const [files, whose] = await Promise.all([container(), whoseFiles({ database })])
          // A container that no scan has seen yet is known by its folder.
          hold = (await fleet.holds()).find(
            (one) => files.some(({ share, file }) => share === one.share && file === one.file) || whose(one.share, one.file).person === person,
          )
          if (!hold) throw new StepStopped('Nothing holds it any more. Nothing was changed.')
          return `${hold.host}, session ${hold.session}`
        },
      },
      {
        title: 'Ask the holding host whether that session lives',
        run: async () => {
          if (!hold) throw new StepStopped('No hold.')
          const { host, session } = hold
          const state = (await fleet.hosts()).find((one) => one.host === host)
          if (state && (!state.answers || state.power === 'off'))
            return `${host} is ${state.power === 'off' ? 'switched off' : 'not answering'}: no session can live there.`
          const sessions = await fleet.sessions(host)
          if (sessions.some((one) => one.session === session))
            throw new StepStopped(`Session ${session} still lives on ${host}. Nothing was released; ask the person to log off there.`)
          return `${host} lists ${sessions.length} sessions; ${session} is not among them.`
        },
      },
      {
        title: 'Release the hold',
        run: async () => {
          if (!hold) throw new StepStopped('No hold.')
          const { released, reason } = await fleet.release(hold)
          if (!released) throw new StepStopped(`The share refused: ${reason}`)
          return reason
        },
      },
      {
        title: 'See that it is free',
        run: async () => {
          const { share = '', file = '' } = hold ?? {}
          if ((await fleet.holds()).some((one) => one.share === share && one.file === file)) throw new StepStopped('It is held again.')
          await database.query(
            'update containers set holder_host = null, holder_session = null, held_since_ms = null, holder_alive = null where share = $1 and file = $2',
            [share, file],
          )
          return 'Nobody holds it. The next logon will show whether it helped.'
        },
      },
    ],
  }
}

function restartHost(need: Need, host: string): Pick<NewJob, 'steps' | 'change' | 'alters'> {
  return {
    change: { before: 'not as it should be', after: 'restarted' },
    alters: { kind: 'host', scope: [{ dimension: 'host', value: host }] },
    steps: restartSteps(need, host),
  }
}

/** Stops new sessions, restarts, and lets the host take sessions again. Running sessions are logged off. */
export function restartSteps({ fleet }: Pick<Context, 'fleet'>, host: string): NewJob['steps'] {
  let stopped = false
  return [
    {
      title: `Stop new sessions on ${host}`,
      run: async () => {
        await fleet.drain(host, true)
        stopped = true
        return 'draining'
      },
    },
    { title: 'Count the sessions that will be logged off', run: async () => `${(await fleet.sessions(host).catch(() => [])).length} sessions` },
    {
      title: 'Restart',
      run: async () => {
        await fleet.restart(host)
        return 'restart ordered'
      },
    },
    {
      title: 'Wait until it answers',
      run: async () => {
        for (let tries = 0; tries < 120; tries++) {
          const state = (await fleet.hosts()).find((one) => one.host === host)
          if (state?.answers && state.power === 'on') return `answers after ${tries * 0.5} s or less`
          await new Promise((resolve) => setTimeout(resolve, 500))
        }
        throw new StepStopped('It did not answer within a minute.')
      },
    },
    {
      // Also where somebody stopped it, or the restart was refused; but nobody is sent to a host that does not answer.
      title: 'Let it take sessions again',
      always: true,
      run: async () => {
        if (!stopped) return 'its new sessions were not stopped'
        const state = (await fleet.hosts()).find((one) => one.host === host)
        if (!state?.answers || state.power !== 'on') throw new StepStopped('It does not answer: it is left without new sessions.')
        await fleet.drain(host, false)
        return 'taking sessions'
      },
    },
  ]
}

function stopDraining({ fleet }: Need, pool: string): Pick<NewJob, 'steps' | 'change' | 'alters'> {
  return {
    alters: { kind: 'host', scope: [{ dimension: 'pool', value: pool }] },
    change: { before: 'every host draining', after: 'taking sessions' },
    steps: [
      {
        title: `End draining on the hosts of ${pool}`,
        run: async () => {
          const draining = (await fleet.hosts()).filter((one) => one.pool === pool && one.draining)
          for (const { host } of draining) await fleet.drain(host, false)
          return `${draining.length} hosts`
        },
      },
    ],
  }
}
