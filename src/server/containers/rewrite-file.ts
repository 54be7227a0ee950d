import { closeSync, fsyncSync, ftruncateSync, futimesSync, readSync, renameSync, rmSync, statSync, writeSync } from 'node:fs'
import { dirname } from 'node:path'
import { setImmediate } from 'node:timers/promises'
import { bytesSay, CannotRewrite, inspect, onlyZeros, readForRewrite, type Inspection } from '../../core/containers'
import { fits, openBeside, SLICE, syncFolder, unchanged } from './beside'
import { openDisk } from './open-disk'

export interface RewriteOptions {
  /** The new size of the disk; null keeps it. */
  readonly virtualBytes: number | null
  readonly guids: { readonly fileWrite: string; readonly dataWrite: string | null }
  /** Called after each slice, with the bytes done of all that there are to read; may throw to stop. */
  progress?(done: number, total: number): Promise<void> | void
  /** Called at each step, by name; for tests that cut it off there. */
  reached?(step: string): void
}

export interface Rewritten {
  readonly before: Inspection
  readonly after: Inspection
  readonly zeroBlocks: number
}

/**
 * Writes a container anew with the same content: without gaps, without blocks of zeros, with its log replayed and broken copies made good.
 * The new file is written beside the old one, compared with it block by block, made durable, and put in its place in one step: whenever this is
 * cut off, the old file or the new one is there, whole. The caller holds the container, so that nobody writes meanwhile.
 * @throws CannotRewrite, with the old file untouched
 */
export async function rewriteFile(path: string, options: RewriteOptions): Promise<Rewritten> {
  const reached = (step: string) => options.reached?.(step)
  const old = openDisk(path)
  const stat = statSync(path)
  let beside: string | null = null
  let file: number | null = null
  try {
    const disk = await readForRewrite(old)
    const { blockBytes } = disk.inspection
    const present = [...disk.blockOffsets].flatMap((offset, block) => (offset >= 0 ? [{ block, offset }] : []))
    const total = 3 * present.length * blockBytes
    let done = 0
    const step = async () => {
      done += SLICE
      await options.progress?.(Math.min(done, total), total)
      await setImmediate()
    }
    reached('read')
    const filled = new Set<number>()
    for (const { block, offset } of present) {
      for (let at = 0; at < blockBytes; at += SLICE) {
        if (!onlyZeros(await disk.content.read(offset + at, SLICE))) filled.add(block)
        await step()
        if (filled.has(block)) break
      }
    }
    const plan = disk.plan((block) => filled.has(block), options.guids, options.virtualBytes)
    if (!fits(path, filled.size * blockBytes))
      throw new CannotRewrite(`The share has no room for a second copy of ${bytesSay(filled.size * blockBytes)} while it is made.`)
    const made = openBeside(path, path, stat)
    beside = made.path
    file = made.file
    reached('made')
    ftruncateSync(file, plan.fileBytes)
    for (const { from, to, bytes } of plan.copies) {
      for (let at = 0; at < bytes; at += SLICE) {
        const slice = await disk.content.read(from + at, Math.min(SLICE, bytes - at))
        if (!onlyZeros(slice)) writeSync(file, slice, 0, slice.length, to + at)
        await step()
      }
      reached('copied')
    }
    for (const { offset, bytes } of plan.pieces) writeSync(file, bytes, 0, bytes.length, offset)
    reached('structured')
    fsyncSync(file)
    reached('durable')
    const after = await compared(beside, file, plan.copies, disk.content, step)
    reached('compared')
    if (!unchanged(stat, statSync(path))) throw new CannotRewrite('Somebody wrote into the file meanwhile. It was left as it is.')
    // When it was last used stays known; one millisecond later tells whoever remembers the old file that this is another.
    futimesSync(file, stat.atimeMs / 1000, (stat.mtimeMs + 1) / 1000)
    fsyncSync(file)
    renameSync(beside, path)
    reached('in place')
    syncFolder(dirname(path))
    reached('done')
    return { before: plan.before, after, zeroBlocks: present.length - filled.size }
  } catch (error) {
    if (beside !== null) rmSync(beside, { force: true })
    throw error
  } finally {
    old.close()
    if (file !== null) closeSync(file)
  }
}

async function compared(
  path: string,
  file: number,
  copies: readonly { from: number; to: number; bytes: number; block: number }[],
  old: { read(offset: number, length: number): Uint8Array | Promise<Uint8Array> },
  step: () => Promise<void>,
): Promise<Inspection> {
  const disk = openDisk(path)
  try {
    const after = await inspect(disk)
    if (after.state !== 'clean' || after.findings.length > 0)
      throw new CannotRewrite(`The new file is not sound (${after.findings[0]?.sentence ?? after.state}). The old one was left as it is.`)
    const mine = new Uint8Array(SLICE)
    for (const { block, from, to, bytes } of copies) {
      for (let at = 0; at < bytes; at += SLICE) {
        const length = Math.min(SLICE, bytes - at)
        readSync(file, mine, 0, length, to + at)
        if (Buffer.compare(await old.read(from + at, length), mine.subarray(0, length)) !== 0)
          throw new CannotRewrite(`Block ${block} differs in the new file. The old one was left as it is.`)
        await step()
      }
    }
    return after
  } finally {
    disk.close()
  }
}
