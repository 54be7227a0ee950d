import { Problem } from '../../contract/errors'
import type { Wave } from '../../contract/room'
import { bytesSay } from '../../core/containers'
import type { NewJob, Step } from '../journal/jobs'
import type { Queryable } from '../db/database'
import type { Context } from '../shell/context'
import { runAsOne } from './actions'
import { moveTo } from './moving'
import { containerRows, shareRows } from './store'

interface WaveMove {
  readonly id: string
  readonly to: string
  readonly bytes: number
}
interface WaveRow extends Omit<Wave, 'moves' | 'bytes'> {
  readonly moves: readonly WaveMove[]
}

const WAVE = 'id, title, author, from_ms as "fromMs", until_ms as "untilMs", moves, keep_days as "keepDays", state, job, note'
const asLine = ({ moves, ...wave }: WaveRow): Wave => ({ ...wave, moves: moves.length, bytes: moves.reduce((sum, { bytes }) => sum + bytes, 0) })

export async function waveLines(database: Queryable): Promise<Wave[]> {
  return (await database.query<WaveRow>(`select ${WAVE} from waves order by from_ms desc limit 50`)).map(asLine)
}

export async function waveOr404(database: Queryable, id: string): Promise<Wave> {
  const [row] = await database.query<WaveRow>(`select ${WAVE} from waves where id = $1`, [id])
  if (!row) throw new Problem('job.unknown', 'No wave has this id.')
  return asLine(row)
}

const DAY_MS = 86_400_000

/** Starts the waves whose time has come, one at a time; called every so often. */
export async function startDueWaves(context: Context): Promise<void> {
  const { database, now, jobs } = context
  // One that ran when the server stopped goes on with what is left of it.
  const rows = await database.query<WaveRow>(`select ${WAVE} from waves where state in ('waiting', 'running') and from_ms <= $1 order by from_ms`, [
    now(),
  ])
  for (const wave of rows) {
    if (wave.state === 'running' && wave.job !== null && jobs.isRunning(wave.job)) return
    await database.query(`update waves set state = 'running' where id = $1`, [wave.id])
    const job = await jobs.start(waveJob(context, wave))
    await database.query('update waves set job = $2 where id = $1', [wave.id, job.id])
    return
  }
}

/** Moves what still has to be moved, until the wave's time is over; the rest waits for the same hours of the next night. */
function waveJob(context: Context, wave: WaveRow): NewJob {
  const { database, now, live } = context
  const left = new Map(wave.moves.map((move) => [move.id, move]))
  const count = { moved: 0, bytes: 0, late: 0 }
  const says = () => `${count.moved} of ${wave.moves.length} moved, ${bytesSay(count.bytes)}${left.size ? `; ${left.size} left` : ''}`
  const step = ({ id, to, bytes }: WaveMove): Step => ({
    title: `${id} to ${to}`,
    run: async (job) => {
      if (now() >= wave.untilMs) {
        count.late++
        return 'The night is over: left for the next.'
      }
      try {
        const [[row], shares] = await Promise.all([containerRows(database, [id]), shareRows(database)])
        const target = shares.find(({ path }) => path === to)
        if (!row) {
          left.delete(id)
          return 'It is not there any more.'
        }
        if (!target) throw new Error('That share is not known any more.')
        const note = await runAsOne(moveTo(context, row, target, wave.keepDays, wave.author).steps, job)
        count.moved++
        count.bytes += bytes
        left.delete(id)
        return note
      } catch (error) {
        return `Left as it is: ${error instanceof Error ? error.message : String(error)}`
      } finally {
        await database.query('update waves set note = $2 where id = $1', [wave.id, says()])
      }
    },
  })
  return {
    kind: 'wave',
    title: wave.title,
    target: wave.title,
    author: wave.author,
    attempt: null,
    change: {
      before: `${wave.moves.length} to move, ${bytesSay(wave.moves.reduce((sum, { bytes }) => sum + bytes, 0))}`,
      get after() {
        return says()
      },
    },
    steps: [
      ...wave.moves.map(step),
      {
        title: 'See what is left',
        always: true,
        run: async (_, stopped) => {
          // Containers that were in use, or whose turn did not come, get another night; what cannot be moved at all would come again and again.
          const again = stopped === null && left.size > 0 && (count.moved > 0 || count.late > 0)
          const laterMs = again ? Math.ceil((now() + 1 - wave.fromMs) / DAY_MS) * DAY_MS : 0
          await database.query(`update waves set state = $2, moves = $3::jsonb, from_ms = $4, until_ms = $5, note = $6 where id = $1`, [
            wave.id,
            again ? 'waiting' : stopped === null ? 'done' : 'cancelled',
            JSON.stringify(again ? [...left.values()] : wave.moves),
            wave.fromMs + laterMs,
            wave.untilMs + laterMs,
            says(),
          ])
          live.tell('containers')
          return says()
        },
      },
    ],
  }
}
