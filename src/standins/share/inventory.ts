import { existsSync } from 'node:fs'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { Random } from '../random'
import type { ShareFolder } from './share'

/** Where agents leave what they saw in a profile at logoff: one file a person, NDJSON, deflated. */
const INVENTORIES = '.inventory'
const MIB = 2 ** 20
const DAY_MS = 86_400_000

/** Folders of a profile as they are found at Larkmere: how many files, how large in the middle, how old at most. The programs are invented. */
const FOLDERS: readonly {
  readonly path: string
  readonly files: number
  readonly bytes: number
  readonly days: number
  readonly names: readonly string[]
  readonly share?: number
}[] = [
  { path: String.raw`AppData\Local\Tidewriter\Cache`, files: 120, bytes: 4 * MIB, days: 20, names: ['page-#.bin', 'glyphs-#.bin'] },
  { path: String.raw`AppData\Local\Tidewriter\Recovery`, files: 6, bytes: 3 * MIB, days: 90, names: ['recovered-#.docx'], share: 0.4 },
  { path: String.raw`AppData\Local\Larkmail\Store`, files: 3, bytes: 620 * MIB, days: 1, names: ['mailbox-#.db'] },
  { path: String.raw`AppData\Local\Larkmail\Search`, files: 40, bytes: 6 * MIB, days: 4, names: ['index-#.idx'] },
  { path: String.raw`AppData\Local\Gangway\Browser\Cache`, files: 260, bytes: 0.8 * MIB, days: 12, names: ['f_#', 'data_#'] },
  { path: String.raw`AppData\Local\Gangway\Browser\Media`, files: 30, bytes: 9 * MIB, days: 15, names: ['stream-#.ts'], share: 0.6 },
  { path: String.raw`AppData\Local\Chartroom\Tiles`, files: 90, bytes: 5 * MIB, days: 200, names: ['tile-#.png'], share: 0.3 },
  { path: String.raw`AppData\Local\Temp`, files: 70, bytes: 1.4 * MIB, days: 40, names: ['tmp#.tmp', 'setup-#.log', '~sheet#.xlsx'] },
  { path: String.raw`AppData\Local\Crash reports`, files: 4, bytes: 48 * MIB, days: 60, names: ['dump-#.dmp'], share: 0.35 },
  { path: String.raw`AppData\Roaming\Tidewriter`, files: 14, bytes: 0.1 * MIB, days: 30, names: ['settings-#.json', 'templates-#.dotx'] },
  { path: String.raw`AppData\Roaming\Gangway\Sessions`, files: 9, bytes: 0.3 * MIB, days: 6, names: ['session-#.dat'] },
  { path: 'Desktop', files: 12, bytes: 1.2 * MIB, days: 300, names: ['list #.xlsx', 'to do #.txt'] },
  { path: String.raw`Documents\Rosters`, files: 24, bytes: 0.7 * MIB, days: 220, names: ['roster week #.xlsx'] },
  { path: String.raw`Documents\Harbour notes`, files: 16, bytes: 0.5 * MIB, days: 260, names: ['note #.docx', 'berth #.pdf'] },
  { path: 'Downloads', files: 22, bytes: 11 * MIB, days: 150, names: ['timetable-#.pdf', 'installer-#.exe', 'photos-#.zip'] },
  { path: 'Pictures', files: 18, bytes: 3.4 * MIB, days: 400, names: ['ferry #.jpg'], share: 0.7 },
]

/** What an agent would list of somebody's profile; the same for the same person and day. */
export function inventoryOf(person: string, nowMs: number): string {
  const random = new Random(`inventory ${person} ${Math.floor(nowMs / DAY_MS)}`)
  const taste = new Random(`taste ${person}`)
  const lines: string[] = []
  for (const { path, files, bytes, days, names, share = 1 } of FOLDERS) {
    const size = bytes * Math.exp(0.7 * taste.normal())
    if (!taste.chance(share)) continue
    const n = Math.max(1, Math.round(files * (0.3 + 1.1 * taste.next())))
    for (let i = 1; i <= n; i++) {
      const name = random.pick(names).replace('#', String(100 + i))
      const modified = Math.round(nowMs - random.next() * days * DAY_MS)
      lines.push(
        JSON.stringify({
          path: `C:\\Users\\${person}\\${path}\\${name}`,
          bytes: Math.round(size * Math.exp(0.9 * random.normal())),
          modified: new Date(modified).toISOString(),
          person,
        }),
      )
    }
  }
  return `${lines.join('\n')}\n`
}

/** Writes it onto the share, as an agent does at logoff. */
export async function leaveInventory(share: ShareFolder, person: string, nowMs: number, again: boolean): Promise<void> {
  const path = join(share.mount, INVENTORIES, `${person}.ndjson.gz`)
  if (!again && existsSync(path)) return
  await mkdir(join(share.mount, INVENTORIES), { recursive: true })
  await writeFile(path, gzipSync(inventoryOf(person, nowMs)))
}
