import { anatomyOf, inspect, onlyZeros, readForRewrite, type Anatomy, type Inspection } from '../../core/containers'
import { openDisk } from './open-disk'

async function on<T>(path: string, work: (disk: ReturnType<typeof openDisk>) => Promise<T>): Promise<T> {
  const disk = openDisk(path)
  try {
    return await work(disk)
  } finally {
    disk.close()
  }
}

/** Payload blocks that are present but hold only zeros, and their size. */
export async function zeroBlocks(path: string): Promise<{ blocks: number; bytes: number }> {
  return on(path, async (disk) => {
    const {
      blockOffsets,
      inspection: { blockBytes },
      content,
    } = await readForRewrite(disk)
    let blocks = 0
    for (const offset of blockOffsets) {
      if (offset < 0) continue
      let empty = true
      for (let at = 0; at < blockBytes && empty; at += 1 << 20) empty = onlyZeros(await content.read(offset + at, 1 << 20))
      if (empty) blocks++
    }
    return { blocks, bytes: blocks * blockBytes }
  })
}

/** The structure of each; null for one that could not be read. */
export const inspectAll = (paths: readonly string[]): Promise<(Inspection | null)[]> =>
  Promise.all(paths.map((path) => on(path, inspect).catch(() => null)))

export const anatomyAt = (path: string): Promise<Anatomy> => on(path, (disk) => anatomyOf(disk))
