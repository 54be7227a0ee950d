import { fork, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'

/**
 * Several ways to do something, each in a process of its own, so that none pays for what another left behind; and in turns, so that a machine that slows down for a
 * while slows all of them. `file` is run once for each kind, with its name as the argument: there, serve() does the work.
 */
export async function inTurns<Kind extends string, About>(
  file: string,
  kinds: readonly Kind[],
  { rounds, warm }: { readonly rounds: number; readonly warm: number },
): Promise<{ readonly about: About; readonly rounds: readonly Record<Kind, number>[] }> {
  const runs = new Map<Kind, ChildProcess>()
  let about: About | undefined
  for (const kind of kinds) {
    const run = fork(file, [kind])
    about = ((await once(run, 'message')) as [About])[0]
    runs.set(kind, run)
  }
  const told: Record<Kind, number>[] = []
  for (let i = 0; i < warm + rounds; i++) {
    const round = {} as Record<Kind, number>
    for (const [kind, run] of runs) {
      run.send('run')
      round[kind] = ((await once(run, 'message')) as [{ ms: number }])[0].ms
    }
    if (i >= warm) told.push(round)
  }
  for (const run of runs.values()) run.disconnect()
  return { about: about as About, rounds: told }
}

/** The side of one kind: does the work whenever it is asked, and says how long it took. */
export function serve(about: object, work: () => void): void {
  process.on('message', () => {
    const begun = performance.now()
    work()
    process.send?.({ ms: performance.now() - begun })
  })
  process.send?.(about)
}

export const middle = (numbers: readonly number[]): number => [...numbers].sort((a, b) => a - b)[numbers.length >> 1] ?? 0
