import { accessHandlers, firstCode } from '../admins/access-routes'
import { adminHandlers } from '../admins/routes'
import { prepareDemo } from '../admins/demo-accounts'
import { containerHandlers } from '../containers/routes'
import { inventoryHandlers } from '../containers/inventories'
import { roomHandlers } from '../containers/room'
import { shareHandlers } from '../containers/shares'
import { startDisks } from '../containers/disks'
import { Scanning, scanShares } from '../containers/scan'
import { forgetSizes } from '../containers/store'
import { deleteOutdated } from '../containers/set-aside'
import { startDueWaves } from '../containers/waves'
import { sweepHalfWritten } from '../containers/sweep'
import { openDatabase } from '../db/open'
import { Jobs } from '../journal/jobs'
import { journalHandlers } from '../journal/routes'
import { startEvidence } from '../logons/evidence'
import { logonHandlers } from '../logons/routes'
import { Uploads } from '../logons/uploads'
import { explainAnewQuietly, goOnExplaining } from '../people/explain-anew'
import { peopleHandlers } from '../people/routes'
import { policyHandlers, FIRST_SETTINGS } from '../policies/routes'
import { closeLimitProofs } from '../policies/limit-proof'
import { tellEndedWaivers } from '../policies/waivers'
import { stepDueRollouts } from '../policies/rollouts'
import { endAdminRights, giveRightsAtBuild, sessionHandlers } from '../policies/session-routes'
import { setHandlers } from '../policies/set-routes'
import { lookDesk } from '../policies/look-desk'
import { demoSet } from '../policies/demo-set'
import { fleetOver } from '../pools/fleet'
import { finishProofs } from '../pools/proof'
import { poolHandlers } from '../pools/routes'
import { valuesOf } from '../../core/policies'
import { Settings } from '../../contract/other'
import { keepVersion } from '../policies/sets'
import { makeApp } from './app'
import { CannotStart, reasonOf } from './cannot-start'
import type { Config, Context } from './context'
import { Live } from './live'

export interface StartOptions {
  readonly config: Config
  readonly port: number
  readonly host: string
  readonly databaseUrl?: string | undefined
  readonly fleetUrl: string
  /** What we present to the fleet, and what the demo's stand-ins present to us. */
  readonly token: string
  readonly webFolder: string | null
}

export interface Started {
  readonly address: string
  /** The code for the first account, where there is none yet. */
  readonly code: string | null
  close(): Promise<void>
}

/** Starts the whole server; `close` stops it in order. */
export async function startServer(options: StartOptions): Promise<Started> {
  const { config } = options
  const now = () => Date.now()
  const { database, link, attention } = await openDatabase(config.dataFolder, options.databaseUrl)
  const first = Settings.parse({ ...FIRST_SETTINGS, ...(config.demo ? DEMO_SETTINGS : {}) })
  const set = config.demo ? demoSet(first, now()) : { base: valuesOf(first), policies: [], networks: [], promises: [] }
  await keepVersion(database, 1, set, 'Ikebana', now(), null)
  const live = new Live()
  const uploads: { current: Uploads | null } = { current: null }
  const running: { jobs: Jobs | null } = { jobs: null }
  const [evidence, disks] = await Promise.all([
    startEvidence(link(), (progress) => uploads.current?.progress(progress)),
    startDisks(({ job, done, total }) => running.jobs?.tellProgress(job, done, total)),
    config.demo ? prepareDemo(database, options.token) : null,
  ])
  const jobs = new Jobs(database, live, now, (job) => void disks.cancel(job))
  running.jobs = jobs
  await jobs.closeOrphans()
  await closeLimitProofs(database)
  const context: Context = {
    config,
    database,
    attention,
    evidence,
    live,
    fleet: fleetOver(options.fleetUrl, options.token),
    disks,
    scanning: new Scanning(),
    jobs,
    now,
  }
  const desk = lookDesk(database, now)
  const taken = new Uploads(context)
  uploads.current = taken
  await taken.takeUp()
  await goOnExplaining(context)
  const code = await firstCode(context)
  const app = await makeApp(
    context,
    {
      ...adminHandlers(context),
      ...accessHandlers(context, code),
      ...logonHandlers(context, taken),
      ...peopleHandlers(context, () => void taken.readAgain()),
      ...containerHandlers(context),
      ...shareHandlers(context),
      ...roomHandlers(context),
      ...inventoryHandlers(context),
      ...policyHandlers(context, desk),
      ...setHandlers(context, desk),
      ...sessionHandlers(context),
      ...poolHandlers(context),
      ...journalHandlers(context),
    },
    options.webFolder,
    true,
  )
  const address = await app.listen({ port: options.port, host: options.host }).catch((error: unknown) => {
    throw new CannotStart(`Nothing can listen on port ${options.port} of ${options.host}: ${reasonOf(error)}. PORT and HOST choose another.`, error)
  })
  // What a stop left is put in order as soon as the fleet answers, which may be later than this.
  const startedMs = now()
  let inOrder = false
  let lookedAt = false
  const timers = [
    // Server and fleet may be started together: until then nobody should have to wait for the next turn to find a share.
    every(
      () => (lookedAt || now() - startedMs > 60_000 ? 20_000 : 2000),
      async () => {
        if (!inOrder)
          inOrder = await sweepHalfWritten(context, startedMs)
            .then(() => finishProofs(context, startedMs))
            .then(
              () => true,
              () => false,
            )
        // Until all is in order, and where no fleet is at all, only what was added by hand can be looked at.
        await scanShares(context)
        lookedAt = true
      },
    ),
    every(60_000, () => deleteOutdated(context)),
    every(3_600_000, () => forgetSizes(database, now() - 30 * 86_400_000)),
    every(20_000, () => startDueWaves(context)),
    every(5000, () => stepDueRollouts(context)),
    every(60_000, () => endAdminRights(context)),
    every(60_000, () => tellEndedWaivers(context)),
    every(20_000, () => giveRightsAtBuild(context)),
    every(30_000, async () => {
      const { attempts, known } = await evidence.reconsider(now())
      if (attempts) live.tell('attempts')
      await explainAnewQuietly(context, known)
    }),
  ]
  return {
    address,
    code,
    async close() {
      for (const stop of timers) stop()
      live.close()
      await app.close()
      jobs.leave()
      await jobs.settle()
      await evidence.close()
      await disks.close()
      await desk.close()
      await database.close()
    },
  }
}

const DEMO_SETTINGS = { locations: [String.raw`\\quay-fs1\profiles`, String.raw`\\hill-fs1\profiles`], slowSecondsByPool: { 'naval-drawing': 90 } }

/** Runs work now and then, never twice at once; a failure waits for the next turn. */
function every(ms: number | (() => number), work: () => Promise<void>): () => void {
  let stopped = false
  let timer: NodeJS.Timeout | null = null
  const turn = async () => {
    await work().catch(() => undefined)
    if (!stopped) timer = setTimeout(() => void turn(), typeof ms === 'number' ? ms : ms()).unref()
  }
  timer = setTimeout(() => void turn(), 1000).unref()
  return () => {
    stopped = true
    if (timer) clearTimeout(timer)
  }
}
