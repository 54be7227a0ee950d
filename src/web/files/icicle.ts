import type { FolderPicture } from '../../core/files'

export interface Slab {
  readonly folder: FolderPicture
  readonly depth: number
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
  /** Whether its name fits. */
  readonly named: boolean
}

const GAP = 1
const LINE = 13

/** Folders as slabs: a column for each depth, as high as they are large; what lies in a folder stands to its right. */
export function slabsOf(root: FolderPicture, width: number, height: number, depth: number): Slab[] {
  const column = width / (depth + 1)
  const slabs: Slab[] = []
  const place = (folder: FolderPicture, level: number, y: number, tall: number) => {
    if (tall < 0.5) return
    slabs.push({ folder, depth: level, x: level * column, y, width: column - GAP, height: Math.max(0.5, tall - GAP), named: tall >= LINE })
    let at = y
    for (const child of folder.children) {
      const part = folder.bytes > 0 ? (child.bytes / folder.bytes) * tall : 0
      place(child, level + 1, at, part)
      at += part
    }
  }
  place(root, 0, 0, height)
  return slabs
}
