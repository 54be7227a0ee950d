import {
  closeSync,
  existsSync,
  fsyncSync,
  ftruncateSync,
  futimesSync,
  mkdirSync,
  openSync,
  readSync,
  renameSync,
  rmdirSync,
  rmSync,
  statSync,
  writeSync,
} from 'node:fs'
import { dirname } from 'node:path'
import { setImmediate } from 'node:timers/promises'
import { bytesSay, onlyZeros } from '../../core/containers'
import { fits, openBeside, SLICE, syncFolder, unchanged } from './beside'

export interface CopyOptions {
  /** Called after each slice, with the bytes done of all that there are to read; may throw to stop. */
  progress?(done: number, total: number): Promise<void> | void
  /** Called at each step, by name; for tests that cut it off there. */
  reached?(step: string): void
}

/** Why a file was not copied, as a sentence. */
class CannotCopy extends Error {}

/**
 * Copies a file byte by byte to a place where none is; holes stay holes. It is written beside its place, made durable, compared with the original,
 * and put in its place in one step: whenever this is cut off, there is no file at the place or a whole one. The caller holds both.
 * @throws CannotCopy, with nothing at the place
 */
export async function copyFile(from: string, to: string, options: CopyOptions): Promise<{ bytes: number }> {
  const reached = (step: string) => options.reached?.(step)
  if (existsSync(to)) throw new CannotCopy(`${to} exists already.`)
  const stat = statSync(from)
  const source = openSync(from, 'r')
  const madeFrom = mkdirSync(dirname(to), { recursive: true })
  let beside: string | null = null
  let file: number | null = null
  try {
    if (!fits(to, stat.blocks * 512)) throw new CannotCopy(`There is no room for ${bytesSay(stat.blocks * 512)} at the target.`)
    const made = openBeside(to, from, stat)
    beside = made.path
    file = made.file
    ftruncateSync(file, stat.size)
    reached('made')
    const mine = new Uint8Array(SLICE)
    const theirs = new Uint8Array(SLICE)
    const filled = new Uint8Array(Math.ceil(stat.size / SLICE))
    let done = 0
    const step = async (bytes: number) => {
      done += bytes
      await options.progress?.(done, 2 * stat.size)
      await setImmediate()
    }
    for (let at = 0; at < stat.size; at += SLICE) {
      const length = Math.min(SLICE, stat.size - at)
      fill(source, mine, length, at)
      if (!onlyZeros(mine.subarray(0, length))) {
        writeSync(file, mine, 0, length, at)
        filled[at / SLICE] = 1
      }
      await step(length)
    }
    reached('copied')
    fsyncSync(file)
    reached('durable')
    for (let at = 0; at < stat.size; at += SLICE) {
      const length = Math.min(SLICE, stat.size - at)
      // A slice that was not written is a hole of a new file; it was just seen to be zeros in the original.
      if (filled[at / SLICE]) {
        fill(source, mine, length, at)
        fill(file, theirs, length, at)
        if (Buffer.compare(mine.subarray(0, length), theirs.subarray(0, length)) !== 0) throw new CannotCopy(`The copy differs at byte ${at}.`)
      }
      await step(length)
    }
    reached('compared')
    if (!unchanged(stat, statSync(from))) throw new CannotCopy('Somebody wrote into the file meanwhile.')
    futimesSync(file, stat.atimeMs / 1000, stat.mtimeMs / 1000)
    fsyncSync(file)
    if (existsSync(to)) throw new CannotCopy(`${to} was made meanwhile.`)
    renameSync(beside, to)
    reached('in place')
    syncFolder(dirname(to))
    reached('done')
    return { bytes: stat.size }
  } catch (error) {
    if (beside !== null) rmSync(beside, { force: true })
    if (madeFrom !== undefined) removeEmpty(dirname(to), madeFrom)
    throw error
  } finally {
    closeSync(source)
    if (file !== null) closeSync(file)
  }
}

/** Takes away folders that were made for a copy, up to the first of them, unless somebody has put something there. */
function removeEmpty(folder: string, first: string): void {
  for (let at = folder; at.length >= first.length; at = dirname(at)) {
    try {
      rmdirSync(at)
    } catch {
      return
    }
  }
}

function fill(file: number, into: Uint8Array, length: number, at: number): void {
  let filled = 0
  while (filled < length) {
    const n = readSync(file, into, filled, length - filled, at + filled)
    if (n === 0) throw new CannotCopy('The file became shorter while it was read.')
    filled += n
  }
}
