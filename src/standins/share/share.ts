import { existsSync, statSync } from 'node:fs'
import { mkdir, open, utimes } from 'node:fs/promises'
import { join } from 'node:path'
import { newVhdx } from '../../core/containers'
import { HILL, QUAY } from '../directory/larkmere'
import { Random } from '../random'

export interface Hold { readonly share: string; readonly file: string; readonly host: string; readonly session: string; readonly sinceMs: number }

/** Large blocks: a few for each person, so that thousands of files stay small here. */
const BLOCK = 256 * 2 ** 20
/** A block that somebody wrote into has this much in it; the rest of it is a hole. */
const WRITTEN = 4096

/** A folder that stands in for a file server: real disk files, who holds them, and how much room is left. */
export class ShareFolder {
  readonly #holds = new Map<string, Hold>()
  latencyMs = 3
  usedBytes = 0

  constructor(readonly id: string, readonly path: string, readonly zone: string, readonly mount: string, readonly totalBytes: number) {}

  fileOf(person: string): string {
    return `${person}/profile.vhdx`
  }

  /** Makes a person's disk file at their first logon: dynamic, its blocks holes, so that it takes a few KiB here. */
  async ensure(person: string, sizeLimitMib: number, usedAtMs: number | null): Promise<boolean> {
    const path = join(this.mount, this.fileOf(person))
    if (existsSync(path)) {
      if (usedAtMs !== null) this.usedBytes += statSync(path).size
      return false
    }
    const random = new Random(`disk ${person}`)
    const virtualBytes = sizeLimitMib * 2 ** 20
    const blocks = Math.ceil(virtualBytes / BLOCK)
    const used = Math.max(2, Math.min(blocks - 1, Math.round(blocks * Math.min(0.95, 0.03 + 0.09 * Math.exp(0.6 * random.normal())))))
    const present = usedAtMs === null ? [0] : Array.from({ length: used }, (_, i) => i)
    // What was written once and deleted since is zeros again.
    const written = present.filter((_, i) => i === 0 || random.chance(0.78))
    const { pieces, fileBytes, offsets } = newVhdx({ virtualBytes, blockBytes: BLOCK, present, creator: 'Larkmere stand-in', guids: { fileWrite: random.guid(), dataWrite: random.guid(), disk: random.guid() } })
    await mkdir(join(this.mount, person), { recursive: true })
    const file = await open(path, 'wx')
    try {
      for (const { offset, bytes } of pieces) await file.write(bytes, 0, bytes.length, offset)
      await file.truncate(fileBytes)
      const content = Buffer.alloc(WRITTEN, random.below(255) + 1)
      for (const block of written) await file.write(content, 0, content.length, offsets[block] ?? 0)
    } finally {
      await file.close()
    }
    this.usedBytes += fileBytes
    if (usedAtMs !== null) await utimes(path, usedAtMs / 1000, usedAtMs / 1000)
    return true
  }

  hold(person: string, host: string, session: string, sinceMs: number): void {
    const file = this.fileOf(person)
    this.#holds.set(file, { share: this.path, file, host, session, sinceMs })
  }

  /** Opens a file for maintenance: no session gets it meanwhile. */
  take(file: string, host: string, session: string): void {
    this.#holds.set(file, { share: this.path, file, host, session, sinceMs: Date.now() })
  }

  holderOf(person: string): Hold | undefined {
    return this.#holds.get(this.fileOf(person))
  }

  letGo(file: string, session: string): boolean {
    return this.#holds.get(file)?.session === session && this.#holds.delete(file)
  }

  holds(): Hold[] {
    return [...this.#holds.values()]
  }
}

export function larkmereShares(folder: string): ShareFolder[] {
  return [new ShareFolder('quay-fs1', QUAY, 'Q1', join(folder, 'quay-fs1', 'profiles'), 8e12), new ShareFolder('hill-fs1', HILL, 'H1', join(folder, 'hill-fs1', 'profiles'), 6e12)]
}

/** What a share has left, from what its files claim. */
export const freeBytesOf = (share: ShareFolder): number => Math.max(0, share.totalBytes - share.usedBytes)
