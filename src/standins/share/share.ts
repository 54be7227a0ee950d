import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { mkdir, open, readdir, stat, utimes, type FileHandle } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { anatomyOf, newVhdx } from '../../core/containers'
import { DOMAIN_SID, HILL, QUAY, QUAY2 } from '../directory/larkmere'
import { Random } from '../random'

export interface Hold {
  readonly share: string
  readonly file: string
  readonly host: string
  readonly session: string
  readonly sinceMs: number
}

/** Large blocks: a few for each person, so that thousands of files stay small here. */
export interface Permissions {
  readonly share: string
  readonly root: string
  readonly folders: readonly { name: string; sddl: string }[]
  readonly onDirectoryServer: boolean
}

const BLOCK = 256 * 2 ** 20
/** A block that somebody wrote into has this much in it; the rest of it is a hole. */
const WRITTEN = 4096

/** A folder that stands in for a file server: real disk files, who holds them, and how much room is left. */
export class ShareFolder {
  readonly #holds = new Map<string, Hold>()
  latencyMs = 3
  /** How much fuller it gets in a day, in the past that is made up for it. */
  readonly growthBytesADay: number
  /** Operations a second that it bears. */
  readonly iops: number
  readonly redundancy: string
  /** What its files claim, as last counted. */
  usedBytes = 0
  #countedMs = 0
  folderBytes: ReadonlyMap<string, number> = new Map()

  constructor(
    readonly id: string,
    readonly path: string,
    readonly zone: string,
    readonly mount: string,
    readonly totalBytes: number,
    past: { growthBytesADay: number; permissions: Permissions; iops: number; redundancy: string },
  ) {
    this.iops = past.iops
    this.redundancy = past.redundancy
    this.growthBytesADay = past.growthBytesADay
    this.#first = past.permissions
  }

  readonly #first: Permissions

  /** Its permissions, kept in a file beside the folder, as a file server keeps them. */
  permissions(): Permissions {
    const path = join(this.mount, '..', 'descriptors.json')
    return existsSync(path) ? (JSON.parse(readFileSync(path, 'utf8')) as Permissions) : this.#first
  }

  setPermissions(layer: 'share' | 'root', sddl: string): void {
    mkdirSync(join(this.mount, '..'), { recursive: true })
    writeFileSync(join(this.mount, '..', 'descriptors.json'), JSON.stringify({ ...this.permissions(), [layer]: sddl }, null, 2))
  }

  fileOf(person: string): string {
    return `${person}/profile.vhdx`
  }

  /** Makes a person's disk file at their first logon: dynamic, its blocks holes, so that it takes a few KiB here. */
  async ensure(person: string, sizeLimitMib: number, usedAtMs: number | null): Promise<boolean> {
    const path = join(this.mount, this.fileOf(person))
    if (existsSync(path)) return false
    const random = new Random(`disk ${person}`)
    const virtualBytes = sizeLimitMib * 2 ** 20
    const blocks = Math.ceil(virtualBytes / BLOCK)
    const used = Math.max(2, Math.min(blocks - 1, Math.round(blocks * Math.min(0.95, 0.03 + 0.09 * Math.exp(0.6 * random.normal())))))
    const present = usedAtMs === null ? [0] : Array.from({ length: used }, (_, i) => i)
    // What was written once and deleted since is zeros again.
    const written = present.filter((_, i) => i === 0 || random.chance(0.78))
    const { pieces, fileBytes, offsets } = newVhdx({
      virtualBytes,
      blockBytes: BLOCK,
      present,
      creator: 'Larkmere stand-in',
      guids: { fileWrite: random.guid(), dataWrite: random.guid(), disk: random.guid() },
    })
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
    if (usedAtMs !== null) await utimes(path, usedAtMs / 1000, usedAtMs / 1000)
    return true
  }

  /** Counts again what lies on it, at most every few seconds: others write and move files here too. */
  async count(nowMs: number): Promise<void> {
    if (nowMs - this.#countedMs < 5000) return
    this.#countedMs = nowMs
    const entries = await readdir(this.mount, { recursive: true, withFileTypes: true }).catch(() => [])
    const files = entries.filter((entry) => entry.isFile())
    const sizes = await Promise.all(files.map((entry) => stat(join(entry.parentPath, entry.name)).catch(() => null)))
    this.usedBytes = sizes.reduce((sum, one) => sum + (one?.size ?? 0), 0)
    this.folderBytes = new Map(files.map((entry, i) => [basename(entry.parentPath), sizes[i]?.size ?? 0]))
  }

  has(person: string): boolean {
    return existsSync(join(this.mount, this.fileOf(person)))
  }

  /** Writes a few words into the person's disk itself, where a host that attaches it finds them again. */
  writeWords(person: string, words: Readonly<Record<string, string>>): Promise<void> {
    return this.#inDisk(person, async (file, at) => {
      const bytes = Buffer.alloc(WRITTEN)
      bytes.write(JSON.stringify(words))
      await file.write(bytes, 0, bytes.length, at)
    })
  }

  readWords(person: string): Promise<Record<string, string>> {
    return this.#inDisk(person, async (file, at) => {
      const bytes = Buffer.alloc(WRITTEN)
      await file.read(bytes, 0, bytes.length, at)
      try {
        return JSON.parse(bytes.toString('utf8').split('\0')[0] ?? '') as Record<string, string>
      } catch {
        return {}
      }
    })
  }

  /** Opens the disk and finds the place of its first block, wherever that lies by now. */
  async #inDisk<T>(person: string, work: (file: FileHandle, at: number) => Promise<T>): Promise<T> {
    const file = await open(join(this.mount, this.fileOf(person)), 'r+')
    try {
      const { size } = await file.stat()
      const { blockOffsets } = await anatomyOf({
        sizeBytes: size,
        read: async (offset, length) => {
          const { buffer, bytesRead } = await file.read(new Uint8Array(length), 0, length, offset)
          return buffer.subarray(0, bytesRead)
        },
      })
      const first = blockOffsets[0] ?? -1
      if (first < 0) throw new RangeError(`the disk of ${person} has no first block`)
      return await work(file, first + 2 * WRITTEN)
    } finally {
      await file.close()
    }
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
  // The first group of the directory is everybody at Larkmere.
  const everybody = `${DOMAIN_SID}-1200`
  const quay: Permissions = {
    share: `D:(A;;FA;;;WD)`,
    root: `O:BAD:P(A;OICI;FA;;;BA)(A;OICI;FA;;;SY)(A;;0x1200a4;;;${everybody})(A;OICIIO;FA;;;CO)(A;OICI;0x1301bf;;;${DOMAIN_SID}-5017)`,
    onDirectoryServer: false,
    folders: [{ name: 'temp.desk04', sddl: `O:${DOMAIN_SID}-5090D:(A;OICI;FA;;;BA)(A;OICI;0x1301bf;;;${DOMAIN_SID}-5090)(A;OICI;0x1200a9;;;AU)` }],
  }
  const hill: Permissions = {
    share: `D:(A;;FA;;;BA)(A;;0x1301bf;;;${everybody})`,
    root: `O:BAD:P(A;OICI;FA;;;BA)(A;OICI;FA;;;SY)(A;OICI;0x1200af;;;${everybody})(A;OICIIO;0x1301bf;;;OW)`,
    folders: [],
    onDirectoryServer: false,
  }
  return [
    new ShareFolder('quay-fs1', QUAY, 'Q1', join(folder, 'quay-fs1', 'profiles'), 7e12, {
      growthBytesADay: 21e9,
      permissions: quay,
      iops: 16_000,
      redundancy: 'two copies in one room',
    }),
    new ShareFolder('hill-fs1', HILL, 'H1', join(folder, 'hill-fs1', 'profiles'), 6e12, {
      growthBytesADay: 0,
      permissions: hill,
      iops: 12_000,
      redundancy: 'one copy, a spare disk',
    }),
    new ShareFolder('quay-fs2', QUAY2, 'Q2', join(folder, 'quay-fs2', 'profiles'), 8e12, {
      growthBytesADay: 0,
      permissions: hill,
      iops: 16_000,
      redundancy: 'two copies in two rooms',
    }),
  ]
}

/** What a share has left, from what its files claim. */
export const freeBytesOf = (share: ShareFolder): number => Math.max(0, share.totalBytes - share.usedBytes)
