import { endedWell, unusualFrom } from './analyse'
import type { Attempt } from './attempt'
import type { Blame } from './blame'
import { placesOf, type Dimension } from './places'
import { durationsOf, kindOf, SERIES, type UsualModel } from './usual'

/** Where a trouble can sit. Not by what logons differ for good: who comes from where, with what, and how they prove who they are. */
const AT: readonly Dimension[] = ['host', 'zone', 'site', 'share', 'image']
/** Of a kind with fewer logons nothing is said. */
const ENOUGH_OF_KIND = 30
/** At a place that is ill, so many of its logons take long; of all others, at most so many do. */
const ILL_FROM = 0.6
const WELL_TO = 0.1
/** And so many of those that take long are there. */
const MOSTLY = 0.8
/** What lasted longer than this part of all the time is no trouble of its time, but how it is. */
const SHORT = 0.5
/** With fewer logons inside, or outside, it may be chance. */
const FEWEST_INSIDE = 8
const FEWEST_OUTSIDE = 10

interface Learnt {
  readonly attempt: Attempt
  readonly split: Blame
}

/** Adds to a model what is usual in evidence by itself: the logons that ended well, without those that are ill. */
export function learn(model: UsualModel, list: readonly Learnt[]): void {
  const ill = illAmong(list)
  const durations = new Int32Array(SERIES.length)
  for (const { attempt, split } of list)
    if (endedWell(attempt) && !ill.has(attempt)) model.add(kindOf(attempt), durationsOf(split, attempt.totalMs, durations))
}

/**
 * Which logons of evidence are not to be learnt from: where there is nothing earlier, the evidence itself has to say what is usual, and what is ill in it all the
 * time would be among that. A phase takes long for some of a kind (less than half) and not for the others: where a host, a zone, a site, a share or an image tells the
 * ones from the others, or the time, it is ill; else it is how these logons differ, as by a second factor.
 */
export function illAmong(list: readonly Learnt[]): ReadonlySet<Attempt> {
  const kinds = new Map<string, number[]>()
  const pools = new Map<string, number[]>()
  list.forEach(({ attempt }, i) => {
    if (!endedWell(attempt)) return
    const { pool, network, first } = kindOf(attempt)
    push(kinds, `${pool}\u0000${network}\u0000${first}`, i)
    push(pools, `${pool}\u0000${first}`, i)
  })
  const columns = columnsOf(list)
  const ill = new Set<Attempt>()
  for (const [groups, atPlaces] of [
    [kinds, true],
    // A time needs no place: of networks that few come from, all of the pool tell it.
    [pools, false],
  ] as const)
    for (const group of groups.values()) if (group.length >= ENOUGH_OF_KIND) lookAt(list, columns, group, ill, atPlaces)
  return ill
}

function push(groups: Map<string, number[]>, key: string, i: number): void {
  const group = groups.get(key)
  if (group) group.push(i)
  else groups.set(key, [i])
}

/** What each took in each of SERIES but the total, a column each. */
function columnsOf(list: readonly Learnt[]): readonly Int32Array[] {
  const columns = SERIES.slice(0, -1).map(() => new Int32Array(list.length))
  const durations = new Int32Array(SERIES.length)
  list.forEach(({ attempt, split }, i) => {
    durationsOf(split, attempt.totalMs, durations)
    columns.forEach((column, series) => {
      column[i] = durations[series] ?? 0
    })
  })
  return columns
}

/** @param group who is of a kind, by their places in the list */
function lookAt(list: readonly Learnt[], columns: readonly Int32Array[], group: readonly number[], ill: Set<Attempt>, atPlaces: boolean): void {
  const n = group.length
  for (const column of columns) {
    const sorted = Int32Array.from(group, (i) => column[i] ?? 0).sort()
    const [quarter, medianMs, highMs] = [sorted[n >> 2] ?? 0, sorted[n >> 1] ?? 0, sorted[Math.floor(0.9 * n)] ?? 0]
    // Else nobody is excused: see unusualFrom.
    if (highMs <= 2.5 * Math.max(medianMs, 400)) continue
    const limitMs = unusualFrom({ medianMs, spreadMs: (medianMs - quarter) / 0.6745, lowMs: quarter, highMs: medianMs }, true, n)
    const longOnes = group.filter((i) => (column[i] ?? 0) > limitMs)
    if (longOnes.length === 0 || 2 * longOnes.length > n) continue
    const [kind, long] = [learntIn(list, group), learntIn(list, longOnes)]
    if (atPlaces) for (const at of AT) for (const attempt of illAt(kind, new Set(long), at)) ill.add(attempt)
    for (const attempt of illWhile(kind, long)) ill.add(attempt)
  }
}
const learntIn = (list: readonly Learnt[], group: readonly number[]): Learnt[] => group.flatMap((i) => list[i] ?? [])

/** Those that take long at the places that tell them from the others; none where these do not. */
function illAt(kind: readonly Learnt[], long: ReadonlySet<Learnt>, at: Dimension): Attempt[] {
  const counts = new Map<string, { n: number; long: number }>()
  for (const one of kind) {
    const place = placesOf(one)[at]
    const count = counts.get(place) ?? { n: 0, long: 0 }
    counts.set(place, count)
    count.n++
    if (long.has(one)) count.long++
  }
  const inside = { n: 0, long: 0 }
  const places = new Set<string>()
  for (const [place, count] of counts) {
    if (place === '' || count.long < ILL_FROM * count.n) continue
    places.add(place)
    inside.n += count.n
    inside.long += count.long
  }
  const outside = { n: kind.length - inside.n, long: long.size - inside.long }
  const tells = inside.n >= FEWEST_INSIDE && outside.n >= FEWEST_OUTSIDE && inside.long >= MOSTLY * long.size && outside.long <= WELL_TO * outside.n
  return tells ? [...long].filter((one) => places.has(placesOf(one)[at])).map(({ attempt }) => attempt) : []
}

/** Those that take long in the stretch of time that tells them from the others; none where they are of all times. */
function illWhile(kind: readonly Learnt[], long: readonly Learnt[]): Attempt[] {
  const times = (list: readonly Learnt[]) => Float64Array.from(list, ({ attempt }) => attempt.startedAtMs).sort()
  const [all, those] = [times(kind), times(long)]
  const fromMs = those[Math.floor(0.1 * those.length)] ?? 0
  const toMs = those[Math.ceil(0.9 * those.length) - 1] ?? 0
  if (toMs - fromMs > SHORT * ((all.at(-1) ?? 0) - (all[0] ?? 0))) return []
  const isIn = ({ attempt }: Learnt) => attempt.startedAtMs >= fromMs && attempt.startedAtMs <= toMs
  const ill = long.filter(isIn)
  const inside = kind.filter(isIn).length
  const outside = kind.length - inside
  const tells =
    inside >= FEWEST_INSIDE && outside >= FEWEST_OUTSIDE && ill.length >= ILL_FROM * inside && long.length - ill.length <= WELL_TO * outside
  return tells ? ill.map(({ attempt }) => attempt) : []
}
