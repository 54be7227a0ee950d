/** So many files are open at once. */
const MOST_OPEN = 200
/** Of one file so much is read at once, and of many files together. */
const MOST_BYTES = 1 << 20
const LEAST_BYTES = 1 << 15
const TOGETHER_BYTES = 1 << 22

/** How much of each of so many files is read at once. */
export const chunkBytes = (files: number): number => Math.max(LEAST_BYTES, Math.min(MOST_BYTES, Math.floor(TOGETHER_BYTES / files)))

/**
 * Reads files of one evidence beside each other, one at a time: always the one goes on that is furthest back in time, so that what several machines wrote of one moment comes
 * together, however many days they tell of.
 * @param read reads a file; it asks for its turn after each piece, with the moment that the piece reached
 * @throws what one of them throws: the others are stopped at their next turn
 */
export async function inStep<F>(files: readonly F[], read: (file: F, turn: (ms: number) => Promise<void>) => Promise<void>): Promise<void> {
  const waiting: { readonly ms: number; readonly go: () => void; readonly stop: (why: Error) => void }[] = []
  // At first all are, up to their first turn.
  let reading = 0
  let failed: Error | null = null
  const done = () => {
    const [one] = waiting
    if (--reading > 0 || !one) return
    const first = waiting.reduce((back, other) => (other.ms < back.ms ? other : back), one)
    waiting.splice(waiting.indexOf(first), 1)
    reading++
    first.go()
  }
  const turn = (ms: number) =>
    new Promise<void>((go, stop) => {
      if (failed) return stop(failed)
      waiting.push({ ms, go, stop })
      done()
    })
  const left = [...files]
  const readOne = async () => {
    for (let file = left.shift(); file !== undefined && !failed; file = left.shift()) {
      reading++
      try {
        await read(file, turn)
      } catch (error) {
        // The others are not left waiting with their files open.
        failed ??= error instanceof Error ? error : new Error(String(error))
        for (const one of waiting.splice(0)) one.stop(failed)
      }
      done()
    }
  }
  await Promise.all(Array.from({ length: Math.min(MOST_OPEN, files.length) }, readOne))
  if (failed) throw failed as Error
}
