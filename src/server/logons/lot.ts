import { readdir, stat } from 'node:fs/promises'
import { join } from 'node:path'

/** Files of evidence that were given together lie in a folder of their own: by number, so that their order stays, and by name. */
export const fileName = (index: number, shown: string): string => `${String(index).padStart(5, '0')} ${shown}`

/** The files of a lot, in order, with the names that they were given by. */
export async function filesOf(path: string): Promise<{ readonly path: string; readonly name: string }[]> {
  if (!(await stat(path)).isDirectory()) return [{ path, name: 'evidence' }]
  return (await readdir(path)).sort().map((file) => ({ path: join(path, file), name: file.slice(6) }))
}
