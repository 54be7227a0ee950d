import { existsSync } from 'node:fs'
import { mkdir, open, utimes } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { newVhd, newVhdx, type NewVhdx, type Write } from '../../core/containers'
import { DOMAIN_SID, HILL, LEAVERS, QUAY, type Larkmere } from '../directory/larkmere'
import { Random } from '../random'
import type { ShareFolder } from './share'

const MIB = 2 ** 20
const DAY_MS = 86_400_000
const BLOCK = 64 * MIB

interface Troubled {
  readonly share: string
  readonly file: string
  readonly usedDaysAgo: number
  readonly disk: { pieces: readonly Write[]; fileBytes: number }
  readonly damage?: Write
}

/** Containers that somebody should look after: leavers', orphans, pairs, damaged ones. Made once, beside the healthy ones. */
export async function plantTroubled({ staff }: Larkmere, shares: readonly ShareFolder[], nowMs: number): Promise<void> {
  for (const { share: path, file, usedDaysAgo, disk, damage } of troubled(staff)) {
    const share = shares.find((one) => one.path === path)
    const target = join(share?.mount ?? '', file)
    if (!share || existsSync(target)) continue
    await mkdir(dirname(target), { recursive: true })
    const handle = await open(target, 'wx')
    try {
      for (const { offset, bytes } of damage ? [...disk.pieces, damage] : disk.pieces) await handle.write(bytes, 0, bytes.length, offset)
      await handle.truncate(disk.fileBytes)
    } finally {
      await handle.close()
    }
    const at = (nowMs - usedDaysAgo * DAY_MS) / 1000
    await utimes(target, at, at)
  }
}

function troubled(staff: Larkmere['staff']): Troubled[] {
  const random = new Random('troubled')
  const guids = () => ({ fileWrite: random.guid(), dataWrite: random.guid(), disk: random.guid() })
  const vhdx = (blocks: number, more: Partial<NewVhdx> = {}) =>
    newVhdx({
      virtualBytes: 4096 * MIB,
      blockBytes: BLOCK,
      present: Array.from({ length: blocks }, (_, i) => i),
      guids: guids(),
      creator: 'Larkmere stand-in',
      ...more,
    })
  const without = (pool: string, n: number) => staff.filter((one) => one.pool === pool)[n]?.id ?? pool
  const folder = (person: string) => `${person}/profile.vhdx`
  // Somebody whose container lies on the other share too, from before they moved.
  const moved = staff.filter(({ pool, share }) => pool === 'back-office' && share === QUAY).slice(3, 6)
  const later = vhdx(12)
  const table = later.pieces.find(({ offset }) => offset === 3 * MIB)?.bytes.subarray(0, 4096) ?? new Uint8Array(4096)
  return [
    ...LEAVERS.map(({ id }, i) => ({ share: i % 2 ? HILL : QUAY, file: folder(id), usedDaysAgo: 70 + 41 * i, disk: vhdx(9 + 4 * i) })),
    ...['temp.desk04', 'test.person', 'season2024.crew17'].map((id, i) => ({
      share: QUAY,
      file: folder(id),
      usedDaysAgo: 190 + 60 * i,
      disk: vhdx(5 + 7 * i),
    })),
    ...moved.map(({ id }, i) => ({ share: HILL, file: folder(id), usedDaysAgo: 33 + 9 * i, disk: vhdx(14 + i) })),
    // From the time when folders were named by number.
    ...staff
      .filter(({ pool, share }) => pool === 'back-office' && share === HILL)
      .slice(7, 9)
      .map((one, i) => ({ share: HILL, file: folder(`${DOMAIN_SID}-${5000 + staff.indexOf(one)}`), usedDaysAgo: 300 + 20 * i, disk: vhdx(8 + i) })),
    { share: HILL, file: folder(without('bridge-ops', 4)), usedDaysAgo: 12, disk: vhdx(6) },
    { share: QUAY, file: folder(without('harbour-kiosk', 2)), usedDaysAgo: 3, disk: vhdx(61) },
    // The table names a place far outside the file.
    {
      share: QUAY,
      file: folder(without('naval-drawing', 1)),
      usedDaysAgo: 5,
      disk: vhdx(10),
      damage: { offset: 3 * MIB + 4 * 8 + 5, bytes: Uint8Array.of(0x7f) },
    },
    {
      share: HILL,
      file: folder(without('naval-drawing', 2)),
      usedDaysAgo: 8,
      disk: vhdx(7),
      damage: { offset: 128 * 1024 + 9, bytes: Uint8Array.of(0xee) },
    },
    {
      share: HILL,
      file: folder(without('bridge-ops', 7)),
      usedDaysAgo: 1,
      disk: { ...vhdx(11, { log: { guid: random.guid(), writes: [{ offset: 3 * MIB, bytes: table }] } }), fileBytes: later.fileBytes },
    },
    {
      share: QUAY,
      file: `${without('bridge-ops', 9)}/difference.vhdx`,
      usedDaysAgo: 20,
      disk: vhdx(3, { parent: { path: '..\\golden\\base.vhdx', dataWrite: random.guid() } }),
    },
    {
      share: HILL,
      file: `${without('harbour-kiosk', 5)}/profile.vhd`,
      usedDaysAgo: 66,
      disk: newVhd({
        kind: 'dynamic',
        virtualBytes: 2048 * MIB,
        blockBytes: 2 * MIB,
        present: Array.from({ length: 90 }, (_, i) => i),
        diskId: random.guid(),
      }),
    },
  ]
}
