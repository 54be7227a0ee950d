import { StepStopped, type Step } from '../journal/jobs'
import type { Context } from '../shell/context'

export interface Place {
  readonly share: string
  readonly file: string
}

/** Steps that run while containers are held, so that no session gets them meanwhile. Given back whatever happens. */
export function held({ fleet, database }: Pick<Context, 'fleet' | 'database'>, places: readonly Place[], steps: readonly Step[]): Step[] {
  const taken: (Place & { name: string })[] = []
  const giveBack = async () => {
    for (let one = taken.pop(); one; one = taken.pop()) await fleet.giveBack(one.share, one.file, one.name)
  }
  return [
    {
      title: 'Take the container, so that no session gets it meanwhile',
      run: async (job) => {
        let said = ''
        for (const { share, file } of places) {
          const answer = await fleet.take(share, file, job)
          if (!answer.taken) {
            await giveBack()
            throw new StepStopped(`It is in use: ${answer.reason}. Nothing was changed.`)
          }
          taken.push({ share, file, name: job })
          said = answer.reason
        }
        return said
      },
    },
    ...steps.map((step): Step => ({
      title: step.title,
      run: async (job) => {
        try {
          return await step.run(job, null)
        } catch (error) {
          await giveBack()
          throw error
        }
      },
    })),
    {
      title: 'Give it back',
      run: async () => {
        await giveBack()
        for (const { share, file } of places)
          await database.query(
            'update containers set holder_host = null, holder_session = null, held_since_ms = null, holder_alive = null where share = $1 and file = $2',
            [share, file],
          )
        return 'free'
      },
    },
  ]
}
