import { size } from '../kit/format'

/** `byte 1,048,576 (1 MiB)`: a place in a file. */
export const offsetWords = (offset: number): string =>
  offset === 0 ? 'byte 0' : `byte ${offset.toLocaleString('en-GB')}${offset >= 1024 ? ` (${size(offset)})` : ''}`

/** `+1.2 GiB`: how much a file grew, or shrank. */
export const growthSays = (bytes: number): string => `${bytes < 0 ? '−' : '+'}${size(Math.abs(bytes))}`

export const weightClass = (weight: 'now' | 'soon' | 'tidy'): string => ({ now: 'madder', soon: 'ochre', tidy: 'stone' })[weight]

export interface Stretch {
  readonly what: string
  readonly offset: number
  readonly bytes: number
}
export interface Drawn extends Stretch {
  readonly x: number
  readonly width: number
}

/**
 * Stretches of a file side by side on a strip: as long as they are, but none so short that it cannot be seen.
 * @param width of the strip @param least width of a stretch
 */
export function drawStretches(stretches: readonly Stretch[], width: number, least: number): Drawn[] {
  const all = stretches.reduce((sum, { bytes }) => sum + bytes, 0)
  if (all === 0) return []
  const wanted = stretches.map(({ bytes }) => Math.max(least, (bytes / all) * width))
  // What the short ones take beyond their share, the long ones give.
  const excess = wanted.reduce((a, b) => a + b, 0) - width
  const spare = wanted.reduce((sum, w) => sum + (w - least), 0)
  let x = 0
  return stretches.map((one, i) => {
    const w = (wanted[i] ?? least) - (spare > 0 && excess > 0 ? (((wanted[i] ?? least) - least) / spare) * excess : 0)
    const drawn = { ...one, x, width: w }
    x += w
    return drawn
  })
}

/** What each kind of stretch is for, in a few words. */
export const STRETCHES: Record<string, string> = {
  identifier: 'says what the file is',
  header: 'which log counts; two copies',
  'region table': 'where table and metadata lie; two copies',
  reserved: 'left free by the format',
  log: 'what is on its way into the tables',
  metadata: 'size of the disk and of its blocks',
  'block table': 'where each block of the disk lies',
  block: 'what the disk holds',
  'sector bitmap': 'which sectors are the parent’s',
  waste: 'nothing refers to it',
  footer: 'what the disk is',
  'dynamic header': 'where the table lies',
  'parent locator': 'where the parent is',
  payload: 'what the disk holds',
}

interface Growing {
  readonly growth: {
    readonly bytesADay: number
    readonly low: number
    readonly high: number
    readonly certain: boolean
    readonly days: number
  } | null
}

/** How a share grows, with its interval; or that it does not, or that it cannot be told yet. */
export function growthWords({ growth }: Growing): string {
  if (!growth) return 'Too little has been seen to tell how it grows.'
  if (!growth.certain) return `No trend in the last ${growth.days} days.`
  const [least, most] = [Math.abs(growth.low), Math.abs(growth.high)].sort((a, b) => a - b)
  return `It ${growth.bytesADay > 0 ? 'grows' : 'shrinks'} by ${size(Math.abs(growth.bytesADay))} a day (${size(least ?? 0)} to ${size(most ?? 0)}, from the last ${growth.days} days).`
}

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']

/** On which days it stands above and below its line most; nothing where the days are alike. */
export function weekWords(week: readonly number[] | null): string {
  if (!week) return ''
  const [most, least] = [Math.max(...week), Math.min(...week)]
  const on = (bytes: number) => WEEKDAYS[week.indexOf(bytes)] ?? ''
  return `Within a week it is fullest on ${on(most)} and emptiest on ${on(least)}; ${size(most - least)} lie between.`
}

interface Room extends Growing {
  readonly totalBytes: number
  readonly freeBytes: number
  readonly samples: readonly { readonly atMs: number; readonly usedBytes: number }[]
}

const DAY_MS = 86_400_000

/** The past of a share as a line, and how it goes on with its interval, scaled so that the limit is in sight. */
export function drawRoom(share: Room, width: number, height: number, nowMs: number) {
  const firstMs = share.samples[0]?.atMs ?? nowMs
  const aheadMs = Math.max(14 * DAY_MS, nowMs - firstMs)
  const top = share.totalBytes * 1.06
  const bottom = Math.min(...share.samples.map(({ usedBytes }) => usedBytes), share.totalBytes - share.freeBytes) * 0.94
  const x = (ms: number) => ((ms - firstMs) / (nowMs + aheadMs - firstMs)) * width
  const y = (bytes: number) => height - ((Math.min(top, bytes) - bottom) / (top - bottom)) * height
  const used = share.totalBytes - share.freeBytes
  const { growth } = share
  const end = nowMs + aheadMs
  const after = (slope: number) => used + (slope * aheadMs) / DAY_MS
  const path = (points: readonly (readonly [number, number])[]) =>
    points.map(([px, py], i) => `${i ? 'L' : 'M'}${px.toFixed(1)} ${py.toFixed(1)}`).join('')
  return {
    limitY: y(share.totalBytes),
    nowX: x(nowMs),
    past: path([...share.samples.map(({ atMs, usedBytes }) => [x(atMs), y(usedBytes)] as const), [x(nowMs), y(used)]]),
    ahead: growth?.certain
      ? path([
          [x(nowMs), y(used)],
          [x(end), y(after(growth.bytesADay))],
        ])
      : '',
    cone: growth?.certain
      ? `${path([
          [x(nowMs), y(used)],
          [x(end), y(after(growth.high))],
          [x(end), y(after(growth.low))],
        ])}Z`
      : '',
    ticks: Array.from({ length: 4 }, (_, i) => firstMs + ((i + 0.5) / 4) * (end - firstMs)).map((atMs) => ({ atMs, x: x(atMs) })),
  }
}

/** The median of what was seen before; null where nothing was. */
export function usualLatency(samples: readonly { readonly latencyMs: number | null }[]): number | null {
  const seen = samples.flatMap(({ latencyMs }) => latencyMs ?? []).sort((a, b) => a - b)
  return seen[seen.length >> 1] ?? null
}
