import { StepStopped, type Step } from '../journal/jobs'
import type { Context } from '../shell/context'

export interface Place {
  readonly share: string
  readonly file: string
}

/** Steps that run while containers are held, so that no session gets them meanwhile. Given back whatever happens. */
export function held({ fleet, database }: Pick<Context, 'fleet' | 'database'>, places: readonly Place[], steps: readonly Step[]): Step[] {
  const taken: Place[] = []
  return [
    {
      title: 'Take the container, so that no session gets it meanwhile',
      run: async (job) => {
        let said = ''
        for (const place of places) {
          const { taken: mine, reason } = await fleet.take(place.share, place.file, job)
          if (!mine) throw new StepStopped(`It is in use: ${reason}. Nothing was changed.`)
          taken.push(place)
          said = reason
        }
        return said
      },
    },
    ...steps,
    {
      title: 'Give it back',
      always: true,
      run: async (job) => {
        if (taken.length === 0) return 'it was not taken'
        for (const { share, file } of taken) await fleet.giveBack(share, file, job)
        await database.query(
          `update containers c set holder_host = null, holder_session = null, held_since_ms = null, holder_alive = null from jsonb_to_recordset($1::jsonb) as r(share text, file text) where c.share = r.share and c.file = r.file`,
          [JSON.stringify(taken.map(({ share, file }) => ({ share, file })))],
        )
        taken.length = 0
        return 'free'
      },
    },
  ]
}
