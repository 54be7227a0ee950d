import type { ShareLoad } from '../../contract/room'
import { slotSays } from '../../core/containers'
import { localHourMs } from '../../core/stats/zone'
import { count, percent, size } from '../kit/format'

/** A share in one bar: what is used, what will be, and the limit, as parts of the whole. */
export interface RoomBar {
  readonly path: string
  readonly now: number
  readonly then: number
  readonly limit: number
  readonly words: string
  readonly loadWords: string
  readonly tooFull: boolean
  readonly tooBusy: boolean
}

export function roomBars(before: readonly ShareLoad[], after: readonly ShareLoad[]): RoomBar[] {
  return before.map((one) => {
    const then = after.find(({ path }) => path === one.path) ?? one
    const same = then.usedBytes === one.usedBytes && then.peakIops === one.peakIops
    return {
      path: one.path,
      now: one.usedBytes / one.totalBytes,
      then: then.usedBytes / one.totalBytes,
      limit: one.limitBytes / one.totalBytes,
      words: `${percent(one.usedBytes / one.totalBytes)}${same ? '' : ` → ${percent(then.usedBytes / one.totalBytes)}`} of ${size(one.totalBytes)}`,
      loadWords: loadWords(one, same ? null : then),
      tooFull: one.usedBytes > one.limitBytes,
      tooBusy: one.bearsIops !== null && one.peakIops > one.bearsIops,
    }
  })
}

function loadWords(one: ShareLoad, then: ShareLoad | null): string {
  if (one.peakIops === 0 && (then?.peakIops ?? 0) === 0) return 'nobody logs on from it'
  const peak = then === null ? count(Math.round(one.peakIops)) : `${count(Math.round(one.peakIops))} → ${count(Math.round(then.peakIops))}`
  return `${peak} operations a second at ${slotSays(one.peakIops > 0 ? one.peakSlot : (then?.peakSlot ?? 0))}${one.bearsIops === null ? '' : `; it bears ${count(one.bearsIops)}`}`
}

/** The next night between two hours of the organisation's time: tonight, or the one that has begun. */
export function nextNight(nowMs: number, fromHour: number, untilHour: number, timeZone: string): { fromMs: number; untilMs: number } {
  for (let day = -1; ; day++) {
    const fromMs = localHourMs(timeZone, nowMs, day, fromHour)
    const untilMs = localHourMs(timeZone, nowMs, untilHour > fromHour ? day : day + 1, untilHour)
    if (untilMs > nowMs) return { fromMs, untilMs }
  }
}
