import { Random } from '../random'
import type { ShareFolder } from './share'

const HOUR_MS = 3_600_000
const DAYS = 30
/** Towards the end of a week more lies there than at its beginning, where a share grows at all; Sunday first. */
const WEEK = [-26e9, -18e9, -6e9, 8e9, 20e9, 30e9, -8e9]

/** How full a share was in the last 30 days, every six hours: made up backwards from what lies on it now. */
export function pastOf(share: ShareFolder, nowMs: number): { atMs: number; usedBytes: number; latencyMs: number }[] {
  return Array.from({ length: DAYS * 4 }, (_, i) => {
    const atMs = Math.floor(nowMs / HOUR_MS) * HOUR_MS - (DAYS * 4 - i) * 6 * HOUR_MS
    const random = new Random(`${share.id} ${atMs}`)
    const shift = new Date(atMs).getUTCHours() < 8 ? 1.6 : 1
    return {
      atMs,
      usedBytes: Math.max(
        0,
        Math.round(
          share.usedBytes -
            (share.growthBytesADay * (nowMs - atMs)) / (24 * HOUR_MS) +
            (share.growthBytesADay > 0 ? (WEEK[new Date(atMs).getUTCDay()] ?? 0) : 0) +
            Math.min(9e9, share.usedBytes / 100) * random.normal(),
        ),
      ),
      latencyMs: Math.round(30 * share.latencyMs * shift * (1 + 0.2 * random.next())) / 30,
    }
  })
}

/** How large some folders were a month ago: of a few people, whose containers grew fast since. */
export function foldersThen(
  share: ShareFolder,
  sizes: ReadonlyMap<string, number>,
  nowMs: number,
): { folder: string; atMs: number; bytes: number }[] {
  if (share.growthBytesADay === 0) return []
  const largest = [...sizes].sort((a, b) => b[1] - a[1]).slice(0, 40)
  return largest.flatMap(([folder, bytes]) => {
    const random = new Random(`growth ${folder}`)
    return random.chance(0.3) ? [{ folder, atMs: nowMs - DAYS * 24 * HOUR_MS, bytes: Math.round(bytes * (0.35 + 0.5 * random.next())) }] : []
  })
}
