import { Problem } from '../../contract/errors'
import type { LossPage, RoomPage, Wave } from '../../contract/room'
import {
  cannotMoveKind,
  DEMAND,
  loseShares,
  SLOT_MINUTES,
  shareLoads,
  shareOfLocation,
  type BalanceAim,
  type LossContainer,
  type RoomShare,
} from '../../core/containers'
import { current } from '../policies/routes'
import { writeJournal } from '../journal/store'
import type { Context, Handlers } from '../shell/context'
import { zoneOffsetMs } from '../../core/stats/zone'
import type { Database } from '../db/database'
import { NOBODY_TELLS } from './moving'
import { shareRows, type ShareRow } from './store'
import { waveLines, waveOr404 } from './waves'

const DAY_MS = 86_400_000
/** When people usually log on is seen in so many days. */
const HABIT_DAYS = 14
/** What a new, empty profile takes until it is filled: the middle of what the smallest tenth of containers takes is a fair guess; at least this. */
const NEW_PROFILE_BYTES = 2 ** 30

interface RoomFacts {
  readonly shares: readonly (RoomShare & { readonly id: string; readonly redundancy: string | null })[]
  readonly containers: readonly (LossContainer & { readonly file: string; readonly name: string | null })[]
}

interface ContainerFactsRow {
  id: string
  share: string
  file: string
  person: string | null
  name: string | null
  kind: string
  bytes: number
  held: boolean
}

interface Habit {
  readonly person: string
  readonly slot: number
  readonly pool: string | null
}
/** When people log on changes little within minutes, and counting it reads all attempts of two weeks. */
const HABITS_FOR_MS = 10 * 60_000
const habitsKnown = new WeakMap<Database, { readonly atMs: number; readonly habits: Promise<Map<string, Habit>> }>()

/** When people usually log on, and to which pool. */
function habitsOf({ database, config, now }: Pick<Context, 'database' | 'config' | 'now'>): Promise<Map<string, Habit>> {
  const known = habitsKnown.get(database)
  if (known && known.atMs > now() - HABITS_FOR_MS && known.atMs <= now()) return known.habits
  const habits = database
    .query<Habit>(
      `select person, mode() within group (order by floor(mod(started_ms + $2, ${DAY_MS}) / ${SLOT_MINUTES * 60_000}))::integer as slot, mode() within group (order by pool) as pool
        from attempts where started_ms > $1 and person is not null and outcome in ('ready', 'slow', 'degraded') group by person`,
      [now() - HABIT_DAYS * DAY_MS, zoneOffsetMs(config.timeZone, now())],
    )
    .then((rows) => new Map(rows.map((row) => [row.person, row])))
  habitsKnown.set(database, { atMs: now(), habits })
  habits.catch(() => habitsKnown.delete(database))
  return habits
}

/** Shares and containers as plans need them: what each takes, and when its person usually logs on. */
async function roomFacts(context: Pick<Context, 'database' | 'config' | 'now'>): Promise<RoomFacts> {
  const [rows, habits, [row]] = await Promise.all([
    shareRows(context.database),
    habitsOf(context),
    context.database.query<{ list: ContainerFactsRow[] | null }>(
      `select json_agg(json_build_object('id', c.id, 'share', c.share, 'file', c.file, 'person', c.person, 'name', p.name, 'kind', c.kind, 'bytes', c.file_bytes, 'held', c.holder_host is not null) order by c.id) as list
        from containers c left join people p on p.id = c.person`,
    ),
  ])
  const shares = rows.map(asRoomShare)
  const closed = new Set(shares.filter(({ takes }) => !takes).map(({ path }) => path))
  return {
    shares,
    containers: (row?.list ?? []).map(({ kind, held, ...one }) => {
      const { slot = null, pool = null } = habits.get(one.person ?? '') ?? {}
      return { ...one, slot, pool, inUse: held, stays: closed.has(one.share) ? NOBODY_TELLS : cannotMoveKind(kind) }
    }),
  }
}

const asRoomShare = ({ id, path, zone, totalBytes, freeBytes, bearsIops, addedBy, redundancy }: ShareRow) => ({
  id,
  path,
  zone,
  totalBytes,
  usedBytes: totalBytes - freeBytes,
  bearsIops,
  takes: addedBy === null,
  redundancy,
})

async function readRoom(
  context: Context,
  query: { fullTo: number; zones: 'any' | 'same'; empty: string[]; logonIops: number; steadyIops: number },
): Promise<RoomPage> {
  const { shares, containers } = await roomFacts(context)
  const aim: BalanceAim = {
    fullTo: query.fullTo,
    zones: query.zones,
    empty: query.empty,
    demand: { ...DEMAND, logonIops: query.logonIops, steadyIops: query.steadyIops },
  }
  const [plan, waves] = await Promise.all([context.disks.plan(shares, containers, aim), waveLines(context.database)])
  const byId = new Map(containers.map((one) => [one.id, one]))
  const byPath = new Map(shares.map((share) => [share.path, share]))
  return {
    shares: plan.before.map((one) => ({ ...one, id: byPath.get(one.path)?.id ?? one.path, redundancy: byPath.get(one.path)?.redundancy ?? null })),
    after: [...plan.after],
    moves: plan.moves.map(({ id, from, to, bytes, because }) => {
      const { file = id, person = null, name = null, slot = null, inUse = false } = byId.get(id) ?? {}
      return { id, file, person, name, from, to, bytes, because, slot, inUse }
    }),
    bytes: plan.bytes,
    atLeastBytes: plan.atLeastBytes,
    notMet: [...plan.notMet],
    known: containers.filter(({ slot }) => slot !== null).length,
    containers: containers.length,
    waves,
  }
}

async function readLoss(
  context: Context,
  query: { lost: string[]; mode?: 'in-order' | 'mirrored' | undefined; required?: number | undefined },
): Promise<LossPage> {
  const [{ shares, containers }, { settings }] = await Promise.all([roomFacts(context), current(context.database)])
  const unknown = query.lost.find((path) => !shares.some((one) => one.path === path))
  if (unknown !== undefined) throw new Problem('share.unknown', `No share has the path ${unknown}.`)
  const rule = {
    locations: settings.locations,
    mode: query.mode ?? settings.locationsMode,
    required: query.required ?? settings.locationsRequired,
    onFailure: settings.onFailure,
  }
  const aim: BalanceAim = { fullTo: 1, zones: 'any', empty: [], demand: DEMAND }
  const result = loseShares(shares, containers, query.lost, rule, aim, newProfileBytes(containers))
  return {
    shares: shares.map(({ path, zone }) => ({ path, zone })),
    locations: rule.locations.map((location) => ({ location, share: shareOfLocation(location, shares) })),
    mode: rule.mode,
    required: rule.required,
    onFailure: rule.onFailure,
    sessionsHit: result.sessionsHit,
    fates: [...result.fates],
    pools: [...result.pools],
    left: query.lost.length === 0 ? shareLoads(shares, containers, aim) : [...result.left],
    tooMuch: [...result.tooMuch],
    onlyThere: result.onlyThere,
  }
}

/** The middle of the smallest tenth: what somebody has who has just begun. */
function newProfileBytes(containers: readonly { readonly bytes: number }[]): number {
  const sizes = containers.map(({ bytes }) => bytes).sort((a, b) => a - b)
  return Math.max(NEW_PROFILE_BYTES, sizes[Math.floor(sizes.length / 20)] ?? 0)
}

export function roomHandlers(context: Context): Handlers<'room' | 'roomLoss' | 'waveNew' | 'waveCancel' | 'shareBears'> {
  const { database, now } = context
  return {
    room: ({ input }) => readRoom(context, input.query),
    roomLoss: ({ input }) => readLoss(context, input.query),
    async waveNew({ input: { body }, caller }): Promise<Wave> {
      if (body.untilMs <= body.fromMs || body.untilMs <= now())
        throw new Problem('request.invalid', 'The wave must end after it begins, and not in the past.')
      const known = await database.query<{ id: string; bytes: number; share: string }>(
        'select id, file_bytes as bytes, share from containers where id = any($1)',
        [body.moves.map(({ id }) => id)],
      )
      const byId = new Map(known.map((one) => [one.id, one]))
      const paths = new Set((await shareRows(database)).map(({ path }) => path))
      const moves = body.moves.flatMap(({ id, to }) => {
        const one = byId.get(id)
        return one && one.share !== to && paths.has(to) ? [{ id, to, bytes: one.bytes }] : []
      })
      if (moves.length === 0) throw new Problem('container.unknown', 'None of these containers can be moved there.')
      const id = crypto.randomUUID()
      const title = `Move ${moves.length === 1 ? 'a container' : `${moves.length} containers`} to ${[...new Set(moves.map(({ to }) => to))].join(', ')}`
      await database.query(`insert into waves values ($1, $2, $3, $4, $5, $6::jsonb, $7, 'waiting', null, null)`, [
        id,
        title,
        caller.name,
        body.fromMs,
        body.untilMs,
        JSON.stringify(moves),
        body.keepDays,
      ])
      await writeJournal(database, {
        atMs: now(),
        who: caller.name,
        what: 'planned a wave',
        target: title,
        before: null,
        after: `${new Date(body.fromMs).toISOString()} to ${new Date(body.untilMs).toISOString()}`,
      })
      return waveOr404(database, id)
    },
    async waveCancel({ input, caller }): Promise<Wave> {
      const wave = await waveOr404(database, input.params.id)
      if (wave.state === 'running' && wave.job !== null) context.jobs.cancel(wave.job)
      if (wave.state === 'waiting' || wave.state === 'running') {
        await database.query(`update waves set state = 'cancelled' where id = $1`, [wave.id])
        await writeJournal(database, {
          atMs: now(),
          who: caller.name,
          what: 'called a wave off',
          target: wave.title,
          before: wave.state,
          after: 'cancelled; what has moved stays moved',
        })
      }
      return waveOr404(database, wave.id)
    },
    async shareBears({ input: { params, body }, caller }) {
      const share = (await shareRows(database)).find(({ id }) => id === params.id)
      if (!share) throw new Problem('share.unknown')
      await database.query('update shares set bears_iops = $2 where id = $1', [params.id, body.iops])
      const says = (iops: number | null) => (iops === null ? 'not said' : `${iops} operations a second`)
      await writeJournal(database, {
        atMs: now(),
        who: caller.name,
        what: 'said what a share bears',
        target: share.path,
        before: says(share.bearsIops),
        after: says(body.iops),
      })
      return { ok: true as const }
    },
  }
}
