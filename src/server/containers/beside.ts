import { spawnSync } from 'node:child_process'
import { closeSync, constants, fchmodSync, fchownSync, fsyncSync, openSync, rmSync, statfsSync, type Stats } from 'node:fs'
import { dirname } from 'node:path'

/** While a file is being written it stands beside its place under this name; nothing else ever has it. */
export const REWRITING = '.rewriting'
/** Files are read and written in pieces of this size. */
export const SLICE = 1 << 20

/**
 * Makes a new file beside a place, with mode, owner, access list and other attributes of another. What an earlier try left there goes.
 * @param original the file that it is like
 * @returns its path, and the open file
 */
export function openBeside(place: string, original: string, like: Stats): { path: string; file: number } {
  const path = place + REWRITING
  rmSync(path, { force: true })
  const file = openSync(path, constants.O_RDWR | constants.O_CREAT | constants.O_EXCL, like.mode)
  fchmodSync(file, like.mode)
  if (like.uid !== process.getuid?.() || like.gid !== process.getgid?.()) fchownSync(file, like.uid, like.gid)
  // Access lists are attributes of which Node.js knows nothing; where the share does not let them be set, the folder's own are inherited.
  spawnSync('cp', ['--attributes-only', '--preserve=all', '--', original, path], { stdio: 'ignore' })
  return { path, file }
}

/** Whether so many bytes fit where a file lies. */
export function fits(path: string, bytes: number): boolean {
  const { bavail, bsize } = statfsSync(dirname(path))
  return bavail * bsize >= bytes
}

/** Whether two looks at a file show the same: nobody wrote into it, or put another in its place. */
export const unchanged = (before: Stats, after: Stats): boolean =>
  before.mtimeMs === after.mtimeMs && before.size === after.size && before.ino === after.ino

/** Makes a rename in a folder durable. */
export function syncFolder(folder: string): void {
  const handle = openSync(folder, constants.O_RDONLY)
  try {
    fsyncSync(handle)
  } finally {
    closeSync(handle)
  }
}
