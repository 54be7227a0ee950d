/**
 * Sessions as they were, in columns: each row is a stretch in which somebody was connected. Rows are ordered by person, then pool, then time. A session goes on over
 * several stretches, with pauses in which it is disconnected.
 */
export interface Stretches {
  readonly person: Int32Array
  readonly pool: Int32Array
  /** When connected and when not any more; milliseconds. */
  readonly onMs: Float64Array
  readonly offMs: Float64Array
  /** 1: logged off at the end of the stretch; 0: disconnected. */
  readonly loggedOff: Uint8Array
}

/** Limits for each stretch, in milliseconds; Infinity: none. */
export interface LimitColumns {
  readonly disconnectedMs: Float64Array
  readonly sessionMs: Float64Array
}

export interface ReplayOptions {
  /** Until when sessions were recorded; those without an end are cut here. */
  readonly untilMs: number
  readonly pools: number
  /** Local hour of the day, 0 to 23, of a moment that is a whole hour in UTC. */
  readonly localHour: (hourMs: number) => number
  /** Who comes back later than this did not come back to that session, but to work on another day. */
  readonly returnWithinMs?: number
}

export interface PoolReplay {
  /** The most desktops held at once, and when. */
  readonly peak: number
  readonly peakMs: number
  /** For each hour of the day: the most held in any such hour, and the mean. */
  readonly hourPeaks: readonly number[]
  readonly hourMeans: readonly number[]
  /** Time for which desktops were held, and the part of it while nobody was connected. */
  readonly heldMs: number
  readonly idleMs: number
  readonly sessions: number
}
export interface Replay {
  readonly pools: readonly PoolReplay[]
  /** Returns to a disconnected session: how many found it, and how late the others came, in milliseconds after its end. */
  readonly found: number
  readonly gone: Float64Array
  /** For each return that found nothing: the row of the stretch before it. */
  readonly goneRow: Int32Array
  /** How often somebody was put out at work by the limit of the whole session. */
  readonly interrupted: number
}

const HOUR_MS = 3_600_000
const RETURN_WITHIN_MS = 12 * HOUR_MS

/**
 * What would have been, had these limits held: who is held how long, how many desktops at once, who comes back to nothing. Exact: every session is gone through,
 * and the level is taken at every beginning and end. A return within the limit goes on in the same desktop; a later one takes a new one.
 */
export function replay(stretches: Stretches, limits: LimitColumns, options: ReplayOptions): Replay {
  const { person, pool, onMs, offMs, loggedOff } = stretches
  const { disconnectedMs, sessionMs } = limits
  const { untilMs, returnWithinMs = RETURN_WITHIN_MS } = options
  const n = onMs.length
  // A session has at most one end more than it has stretches, unless the limit of the whole session cuts it.
  let room = n + 1024
  let begins = new Float64Array(room)
  let ends = new Float64Array(room)
  let where = new Int32Array(room)
  let count = 0
  const idle = new Float64Array(options.pools)
  const gone: number[] = []
  const goneRow: number[] = []
  let found = 0
  let interrupted = 0
  const emit = (from: number, until: number, at: number) => {
    if (until <= from) return
    if (count === room) {
      room *= 2
      begins = grown(begins, room)
      ends = grown(ends, room)
      const more = new Int32Array(room)
      more.set(where)
      where = more
    }
    begins[count] = from
    ends[count] = until
    where[count++] = at
  }
  let from = -1
  for (let i = 0; i < n; i++) {
    const on = onMs[i] as number
    const off = Math.min(offMs[i] as number, untilMs)
    const home = pool[i] as number
    const most = sessionMs[i] as number
    if (from < 0) from = on
    while (off - from > most) {
      emit(from, from + most, home)
      from += most
      interrupted++
    }
    if (loggedOff[i]) {
      emit(from, off, home)
      from = -1
      continue
    }
    const limit = disconnectedMs[i] as number
    const last = Math.min(off + limit, from + most, untilMs)
    const same = i + 1 < n && person[i + 1] === person[i] && pool[i + 1] === home
    const next = same ? (onMs[i + 1] as number) : Infinity
    const back = next - off <= returnWithinMs && next < untilMs
    if (next <= last) {
      idle[home] = (idle[home] as number) + next - off
      if (back) found++
      continue
    }
    if (back) {
      gone.push(next - last)
      goneRow.push(i)
    }
    const end = Math.max(last, off)
    idle[home] = (idle[home] as number) + end - off
    emit(from, end, home)
    from = -1
  }
  // Sorted into pools in one go: each has its stretch of both columns.
  const begin = new Int32Array(options.pools + 1)
  for (let i = 0; i < count; i++) begin[(where[i] as number) + 1] = (begin[(where[i] as number) + 1] as number) + 1
  for (let at = 0; at < options.pools; at++) begin[at + 1] = (begin[at + 1] as number) + (begin[at] as number)
  const next = begin.slice()
  const starts = new Float64Array(count)
  const stops = new Float64Array(count)
  for (let i = 0; i < count; i++) {
    const home = where[i] as number
    const k = next[home] as number
    starts[k] = begins[i] as number
    stops[k] = ends[i] as number
    next[home] = k + 1
  }
  const pools = Array.from({ length: options.pools }, (_, at) => {
    const [first, last] = [begin[at] as number, begin[at + 1] as number]
    const own = (column: Float64Array) => column.subarray(first, last).sort()
    return { ...sweep(own(starts), own(stops), options.localHour), idleMs: idle[at] as number, sessions: last - first }
  })
  return { pools, found, gone: Float64Array.from(gone), goneRow: Int32Array.from(goneRow), interrupted }
}

function grown(column: Float64Array, room: number): Float64Array<ArrayBuffer> {
  const more = new Float64Array(room)
  more.set(column)
  return more
}

/** The level over time from sorted beginnings and ends. At one and the same moment an end comes before a beginning: that desktop can be taken again. */
function sweep(starts: Float64Array, stops: Float64Array, localHour: (hourMs: number) => number): Omit<PoolReplay, 'idleMs' | 'sessions'> {
  const hourPeaks = new Array<number>(24).fill(0)
  const areas = new Array<number>(24).fill(0)
  const spans = new Array<number>(24).fill(0)
  let [level, peak, peakMs, heldMs] = [0, 0, 0, 0]
  let at = starts[0] ?? 0
  let hourEnd = Math.floor(at / HOUR_MS) * HOUR_MS + HOUR_MS
  let hour = starts.length ? localHour(hourEnd - HOUR_MS) : 0
  // What the hour under way has come to, and since when it is looked at.
  let area = 0
  let since = at
  const turn = () => {
    areas[hour] = (areas[hour] as number) + area
    spans[hour] = (spans[hour] as number) + at - since
    heldMs += area
    area = 0
    since = at
  }
  const advance = (to: number) => {
    while (hourEnd <= to) {
      area += level * (hourEnd - at)
      at = hourEnd
      turn()
      hourEnd += HOUR_MS
      hour = localHour(at)
      if (level > (hourPeaks[hour] as number)) hourPeaks[hour] = level
    }
    area += level * (to - at)
    at = to
  }
  for (let a = 0, b = 0; b < stops.length;) {
    const start = a < starts.length ? (starts[a] as number) : Infinity
    const stop = stops[b] as number
    if (stop <= start) {
      advance(stop)
      level--
      b++
    } else {
      advance(start)
      level++
      a++
      if (level > (hourPeaks[hour] as number)) hourPeaks[hour] = level
      if (level > peak) {
        peak = level
        peakMs = start
      }
    }
  }
  turn()
  return { peak, peakMs, hourPeaks, hourMeans: areas.map((area, h) => ((spans[h] as number) > 0 ? area / (spans[h] as number) : 0)), heldMs }
}

/** Pauses that ended with a return to the same pool, in milliseconds, for the rows asked for. Whoever logged off did not pause. */
export function pauses(stretches: Stretches, of: (row: number) => boolean, returnWithinMs = RETURN_WITHIN_MS): Float64Array {
  const { person, pool, onMs, offMs, loggedOff } = stretches
  const found: number[] = []
  for (let i = 0; i + 1 < onMs.length; i++) {
    if (loggedOff[i] || person[i + 1] !== person[i] || pool[i + 1] !== pool[i] || !of(i)) continue
    const pause = (onMs[i + 1] as number) - (offMs[i] as number)
    if (pause > 0 && pause <= returnWithinMs) found.push(pause)
  }
  return Float64Array.from(found).sort()
}

/** Limits that people are used to, in minutes. */
const USUAL_LIMITS = [10, 15, 30, 60, 120, 240, 480, 720] as const

export interface LimitSuggestion {
  /** Null where too few came back to say anything. */
  readonly minutes: number | null
  /** How many of the returns would have found their session. */
  readonly found: number
  readonly returns: number
}

/** The smallest usual limit with which at least this part of the returns would have found their session. @param sorted pauses in milliseconds */
export function suggestLimit(sorted: Float64Array, part = 0.95, fewest = 20): LimitSuggestion {
  if (sorted.length < fewest) return { minutes: null, found: 0, returns: sorted.length }
  for (const minutes of USUAL_LIMITS) {
    const found = within(sorted, minutes * 60_000)
    if (found >= part * sorted.length) return { minutes, found, returns: sorted.length }
  }
  return { minutes: 720, found: within(sorted, 720 * 60_000), returns: sorted.length }
}

function within(sorted: Float64Array, limit: number): number {
  let [low, high] = [0, sorted.length]
  while (low < high) {
    const middle = (low + high) >>> 1
    if ((sorted[middle] as number) <= limit) low = middle + 1
    else high = middle
  }
  return low
}
