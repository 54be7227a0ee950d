import { twoClasses } from '../stats/two-classes'
import { endedWell, unusualFrom } from './analyse'
import type { Attempt } from './attempt'
import type { Blame } from './blame'
import { placesOf, type Dimension, type Places } from './places'
import { kindOf, SERIES, tookByItself, UsualModel } from './usual'

/** Two between which a way is. */
const PAIRS = [
  ['zone', 'share'],
  ['site', 'share'],
] as const
/** Where a trouble can sit, also on the way between two. Not by what logons differ for good: who comes from where, with what, and how they prove who they are. */
const AT: readonly (readonly Dimension[])[] = [['host'], ['zone'], ['site'], ['share'], ['image'], ...PAIRS]
/** Where more than these take long, it is how they are, also on some ways and not on others. */
const MOST_CROSSING = 0.8
/** So many quick ones show that a place does well. */
const FEWEST_QUICK = 5
/** Of a kind with fewer logons nothing is said. */
const ENOUGH_OF_KIND = 30
/** A pool of so many tells its ways by itself. */
const MANY_OF_POOL = 100
/** At a place that is ill, so many of its logons take long; of all others, at most so many do. */
const ILL_FROM = 0.6
const WELL_TO = 0.1
/** And so many of those that take long are there. */
const MOSTLY = 0.65
/** What lasted longer than this part of all the time is no trouble of its time, but how it is. */
const SHORT = 0.5
/** With fewer logons inside, or outside, it may be chance. */
const FEWEST_INSIDE = 8
const FEWEST_OUTSIDE = 10
/** Of what goes on to the end, so many came before it. */
const FEWEST_BEFORE = 15

/** Of what lies between the first and the last tenth, so much more lies before, and after. */
const EDGE = 1 / 8

interface Learnt {
  readonly attempt: Attempt
  readonly split: Blame
}

interface Placed {
  readonly attempt: Attempt
  readonly places: Places
}

/** What evidence says of itself. */
export interface OfItself {
  /** What is usual in it: from the logons that ended well, without those that are ill. */
  readonly usual: UsualModel
  /** See illAmong: while too little came before to tell, these do not count for what is usual either. */
  readonly ill: ReadonlySet<Attempt>
}

/**
 * Learns from evidence alone, as where nothing came before it.
 * @param list attempts, and where the time of each went
 */
export function learn(list: readonly Learnt[]): OfItself {
  const ill = illAmong(list)
  const usual = new UsualModel()
  const took = new Int32Array(SERIES.length)
  for (const { attempt, split } of list) if (endedWell(attempt) && !ill.has(attempt)) usual.add(kindOf(attempt), tookByItself(attempt, split, took))
  return { usual, ill }
}

/**
 * Which logons of evidence are not to be learnt from: where there is nothing earlier, the evidence itself has to say what is usual, and what is ill in it all the
 * time would be among that. A phase takes long for some of a kind (less than half) and not for the others: where a host, a zone, a site, a share or an image tells the
 * ones from the others, or the time, it is ill; else it is how these logons differ, as by a second factor.
 */
export function illAmong(list: readonly Learnt[]): ReadonlySet<Attempt> {
  const kinds = new Map<string, number[]>()
  const pools = new Map<string, number[]>()
  const networks = new Map<string, number[]>()
  const all = new Map<string, number[]>()
  list.forEach(({ attempt }, i) => {
    if (!endedWell(attempt)) return
    const { pool, network, first } = kindOf(attempt)
    push(kinds, `${pool}\u0000${network}\u0000${first}`, i)
    push(pools, `${pool}\u0000${first}`, i)
    push(networks, `${network}\u0000${first}`, i)
    push(all, String(first), i)
  })
  const columns = columnsOf(list)
  const placed = list.map(({ attempt }): Placed => ({ attempt, places: placesOf({ attempt }) }))
  const ill = new Set<Attempt>()
  const few = new Set([...pools.values()].flatMap((group) => (group.length < MANY_OF_POOL ? group.flatMap((i) => list[i]?.attempt ?? []) : [])))
  const looked = new Set<string>()
  for (const [groups, asked] of [
    [kinds, 'places'],
    // Where few are of a kind, all of the pool tell it, whatever network they come from.
    [pools, 'places'],
    // Or all who come from a network tell since when, whatever pool they are on.
    [networks, 'times'],
    // Or all tell which way, of pools of which there are few.
    [all, 'ways'],
  ] as const)
    for (const group of groups.values()) {
      // All of a pool who come from one network are of one kind, which was looked at: it has the same first, and as many.
      const key = `${group[0]} ${group.length}`
      if (group.length < ENOUGH_OF_KIND || looked.has(key) || (asked === 'ways' && few.size === 0)) continue
      if (groups === kinds) looked.add(key)
      const found = new Set<Attempt>()
      lookAt(placed, columns, group, found, asked, groups === pools)
      for (const attempt of found) if (asked !== 'ways' || few.has(attempt)) ill.add(attempt)
    }
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
  const took = new Int32Array(SERIES.length)
  list.forEach(({ attempt, split }, i) => {
    tookByItself(attempt, split, took)
    columns.forEach((column, series) => {
      column[i] = took[series] ?? 0
    })
  })
  return columns
}

/** What is read from a share. */
const OF_SHARE: readonly number[] = ['container', 'profile'].map((phase) => SERIES.indexOf(phase))

/** What a group of logons is asked for: places (and times) that tell those that take long, only times, or only ways. */
type Asked = 'places' | 'times' | 'ways'

/** What depends on where people are: of a network that is seldom, it lasts long for good. */
const OF_NETWORK: readonly number[] = ['connect', 'sign-on'].map((phase) => SERIES.indexOf(phase))

/**
 * @param group who is of a kind, by their places in the list
 * @param areOfAny whether they come from any network
 */
function lookAt(
  list: readonly Placed[],
  columns: readonly Int32Array[],
  group: readonly number[],
  ill: Set<Attempt>,
  asked: Asked,
  areOfAny: boolean,
): void {
  const n = group.length
  const those = (which: readonly number[]) => which.flatMap((i) => list[i] ?? [])
  const kind = those(group)
  for (const [series, column] of columns.entries()) {
    if (asked === 'ways' && !OF_SHARE.includes(series)) continue
    const sorted = Int32Array.from(group, (i) => column[i] ?? 0).sort()
    const [quarter, medianMs, highMs] = [sorted[n >> 2] ?? 0, sorted[n >> 1] ?? 0, sorted[Math.floor(0.9 * n)] ?? 0]
    const limitMs = unusualFrom({ medianMs, spreadMs: (medianMs - quarter) / 0.6745, lowMs: quarter, highMs: medianMs }, true, n)
    // Else nobody is excused where fewer than half are ill: see unusualFrom.
    const isMixed = highMs > 2.5 * Math.max(medianMs, 400)
    for (const fromMs of new Set([limitMs, apartFrom(sorted)])) {
      const longOnes = group.filter((i) => (column[i] ?? 0) > fromMs)
      const most = 2 * longOnes.length >= n
      if (longOnes.length === 0 || !(most || isMixed)) continue
      const long = those(longOnes)
      const allLong = new Set(long)
      if ((asked === 'ways' || (asked === 'places' && most)) && longOnes.length <= MOST_CROSSING * n)
        for (const pair of PAIRS) for (const attempt of illAcross(kind, allLong, pair)) ill.add(attempt)
      if (asked === 'ways') continue
      const stretch = stretchOf(kind, long)
      if (asked === 'places' && !most) {
        const then = (some: readonly Placed[]) => some.filter(({ attempt }) => isIn(stretch, attempt))
        const [kindThen, longThen] = [then(kind), new Set(then(long))]
        for (const at of AT) for (const attempt of [...illAt(kind, allLong, at), ...illAt(kindThen, longThen, at)]) ill.add(attempt)
        if (series !== SIGN_ON) for (const attempt of illAtHours(kind, allLong)) ill.add(attempt)
        for (const attempt of illByNumber(kind, allLong, series)) ill.add(attempt)
        if (OF_PEOPLE.includes(series)) for (const attempt of illOfPeople(kind, allLong)) ill.add(attempt)
      }
      for (const attempt of illWhile(kind, long, stretch)) ill.add(attempt)
      if (areOfAny && OF_NETWORK.includes(series)) continue
      const stretches = densest(kind, allLong)
      const [one, ...others] = stretches
      if (one && others.length === 0) for (const attempt of illWhile(kind, long, one)) ill.add(attempt)
      else if (!most && series !== SIGN_ON) for (const attempt of illInAll(kind, long, stretches)) ill.add(attempt)
    }
  }
}

/** Two classes of logons lie so many times apart at least. */
const APART = 2

/**
 * Beyond which the longer of two classes takes; Infinity where they are no two. Where nearly half are ill, the spread of the others is seen too large, and hardly anybody
 * is beyond what is unusual by that.
 */
function apartFrom(sorted: Int32Array): number {
  const lower = twoClasses(Float64Array.from(sorted, (ms) => Math.log(ms + 1)))
  const [quick, long] = [sorted[lower >> 1] ?? 0, sorted[(lower + sorted.length) >> 1] ?? 0]
  return lower < sorted.length && long >= APART * quick + 1000 ? (sorted[lower - 1] ?? Infinity) : Infinity
}

/** Those that take long at the places that tell them from the others; none where these do not. */
function illAt(kind: readonly Placed[], long: ReadonlySet<Placed>, at: readonly Dimension[]): Attempt[] {
  return illWhere(kind, long, ({ places }) =>
    at.every((dimension) => places[dimension] !== '') ? at.map((dimension) => places[dimension]).join('\u0000') : '',
  )
}

/**
 * Those that take long on the way between two, where both of them do well with others: as from two zones each to the share of the other. Half of all take it or more, where
 * nobody minded which share is near: what they have in common is the way, though they are most.
 */
function illAcross(kind: readonly Placed[], long: ReadonlySet<Placed>, [from, to]: (typeof PAIRS)[number]): Attempt[] {
  const quick = kind.filter((one) => !long.has(one))
  const oftenIn = (dimension: Dimension) => {
    const counts = new Map<string, number>()
    for (const { places } of quick) counts.set(places[dimension], (counts.get(places[dimension]) ?? 0) + 1)
    return new Set([...counts].filter(([place, n]) => place !== '' && n >= FEWEST_QUICK).map(([place]) => place))
  }
  const [wellFrom, wellTo] = [oftenIn(from), oftenIn(to)]
  const ill = new Set(illAt(kind, long, [from, to]))
  return [...long].flatMap(({ attempt, places }) => (ill.has(attempt) && wellFrom.has(places[from]) && wellTo.has(places[to]) ? attempt : []))
}

/** The sign-on of people is longer at their first logon of a day: they are asked for a second factor. */
const SIGN_ON = SERIES.indexOf('sign-on')
const HALF_HOUR_MS = 1_800_000
const DAY_MS = 86_400_000
/** So many days show that it is so day after day. */
const DAYS = 3

/** Those that take long at hours of the day that tell them from the others, day after day: as while something runs every night, or every morning. */
function illAtHours(kind: readonly Placed[], long: ReadonlySet<Placed>): Attempt[] {
  const ill = illWhere(kind, long, ({ attempt }) => String(Math.floor((attempt.startedAtMs % DAY_MS) / HALF_HOUR_MS)))
  return new Set(ill.map(({ startedAtMs }) => Math.floor(startedAtMs / DAY_MS))).size >= DAYS ? ill : []
}

/** What is reported of a logon that a phase grows with. */
const DRIVERS: ReadonlyMap<number, readonly string[]> = new Map(
  (
    [
      ['shell', ['autostart']],
      ['packages', ['packages']],
      ['profile', ['profileBytes', 'profileFiles']],
      ['container', ['retries']],
    ] as const
  ).map(([phase, names]) => [SERIES.indexOf(phase), names]),
)
/** So many times what others have is much. */
const MUCH = 2.5
/** Where more logons than this part have as much, it is how they differ. */
const FEW_LOGONS = 1 / 4

/** Those that take long and have much of what the phase grows with, where it tells them from the others: as those who start many programs. */
function illByNumber(kind: readonly Placed[], long: ReadonlySet<Placed>, series: number): Attempt[] {
  return (DRIVERS.get(series) ?? []).flatMap((name) => {
    const told = kind.flatMap(({ attempt: { attrs } }) => (typeof attrs[name] === 'number' ? attrs[name] : []))
    const middle = Float64Array.from(told).sort()[told.length >> 1]
    if (middle === undefined || 2 * told.length < kind.length) return []
    const muchFrom = Math.max(1, MUCH * middle)
    if (told.filter((n) => n >= muchFrom).length > FEW_LOGONS * kind.length) return []
    return illWhere(kind, long, ({ attempt: { attrs } }) => (typeof attrs[name] === 'number' && attrs[name] >= muchFrom ? 'much' : ''))
  })
}

/** What depends on what is kept for people, not on where they are, on their line, or on how they prove who they are. */
const OF_PEOPLE: readonly number[] = ['container', 'profile', 'packages'].map((phase) => SERIES.indexOf(phase))
/** So many long ones of a person show that theirs are. */
const OF_ONE = 3
/** Where more people than this part have it, it is how their logons differ. */
const FEW_PEOPLE = 1 / 5

/** Those of a few people that take long from some moment on, while hardly any of the others' do: as where one profile holds very much. */
function illOfPeople(kind: readonly Placed[], long: ReadonlySet<Placed>): Attempt[] {
  const byPerson = new Map<string, { n: number; readonly long: Attempt[] }>()
  for (const one of [...kind].sort((a, b) => a.attempt.startedAtMs - b.attempt.startedAtMs)) {
    const person = one.attempt.account ?? one.attempt.person ?? ''
    const theirs = byPerson.get(person) ?? { n: 0, long: [] }
    byPerson.set(person, theirs)
    if (long.has(one)) theirs.long.push(one.attempt)
    if (theirs.long.length > 0) theirs.n++
  }
  const ill = [...byPerson].filter(([person, theirs]) => person !== '' && theirs.long.length >= OF_ONE && theirs.long.length >= ILL_FROM * theirs.n)
  const theirs = ill.flatMap((of) => of[1].long)
  const others = kind.length - ill.reduce((n, of) => n + of[1].n, 0)
  return ill.length <= FEW_PEOPLE * byPerson.size && long.size - theirs.length <= WELL_TO * others ? theirs : []
}

/** @param placeOf '' where it is not known */
function illWhere(kind: readonly Placed[], long: ReadonlySet<Placed>, placeOf: (one: Placed) => string): Attempt[] {
  const counts = new Map<string, { n: number; long: number }>()
  for (const one of kind) {
    const place = placeOf(one)
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
  return tells ? [...long].filter((one) => places.has(placeOf(one))).map(({ attempt }) => attempt) : []
}

interface Stretch {
  readonly fromMs: number
  readonly toMs: number
  /** Longer than half of all the time, or most of all: it goes on to the end then. */
  readonly isLasting: boolean
}
const isIn = ({ fromMs, toMs }: Stretch, { startedAtMs }: Attempt) => startedAtMs >= fromMs && startedAtMs <= toMs

/** From when to when some took long. A few may have happened to at other times: not the first and the last of them say it, but the first and last tenth. */
function stretchOf(kind: readonly Placed[], long: readonly Placed[]): Stretch {
  let [firstMs, lastMs] = [Infinity, -Infinity]
  for (const { attempt } of kind) [firstMs, lastMs] = [Math.min(firstMs, attempt.startedAtMs), Math.max(lastMs, attempt.startedAtMs)]
  const those = Float64Array.from(long, ({ attempt }) => attempt.startedAtMs).sort()
  const [first, last] = [those[Math.floor(0.1 * those.length)] ?? 0, those[Math.ceil(0.9 * those.length) - 1] ?? 0]
  const edgeMs = EDGE * (last - first)
  const isLasting = last - first > SHORT * (lastMs - firstMs) || 2 * long.length > kind.length
  return { fromMs: first - edgeMs, toMs: isLasting ? Infinity : last + edgeMs, isLasting }
}

/** Where most take long, a quick one counts against it by so much of what a long one counts for it. */
const QUICK = 2 / 3

/**
 * The stretches of time in which most take long, as many as there are: all maximal scoring subsequences of the logons in order of time (Ruzzo and Tompa, 1999, Proc. ISMB), where a
 * long one scores 1, and a quick one -QUICK. Those of too few logons are left out.
 */
function densest(kind: readonly Placed[], long: ReadonlySet<Placed>): readonly Stretch[] {
  const ordered = [...kind].sort((a, b) => a.attempt.startedAtMs - b.attempt.startedAtMs)
  const atMs = (i: number) => ordered[i]?.attempt.startedAtMs ?? 0
  /** From one to another, and what all scored together before and until then. */
  const found: { from: number; to: number; before: number; until: number }[] = []
  let score = 0
  ordered.forEach((one, i) => {
    const before = score
    if (!long.has(one)) return (score -= QUICK)
    score++
    let last = { from: i, to: i, before, until: score }
    for (;;) {
      let j = found.length - 1
      while (j >= 0 && (found[j]?.before ?? 0) >= last.before) j--
      const joined = found[j]
      if (!joined || joined.until >= last.until) break
      last = { ...joined, to: last.to, until: last.until }
      found.length = j
    }
    found.push(last)
  })
  const lasted = atMs(ordered.length - 1) - atMs(0)
  return found.flatMap(({ from, to }): Stretch[] => {
    if (to - from + 1 < FEWEST_INSIDE) return []
    const isLasting = atMs(to) - atMs(from) > SHORT * lasted || 2 * long.size > kind.length
    return [{ fromMs: atMs(from), toMs: isLasting ? Infinity : atMs(to), isLasting }]
  })
}

/** Those that take long in several stretches of time that together tell them from the others: as what came and went. */
function illInAll(kind: readonly Placed[], long: readonly Placed[], stretches: readonly Stretch[]): Attempt[] {
  const isThen = ({ attempt }: Placed) => stretches.some((one) => isIn(one, attempt))
  const ill = long.filter(isThen)
  const inside = kind.filter(isThen).length
  const outside = kind.length - inside
  const tells =
    outside >= FEWEST_OUTSIDE &&
    ill.length >= ILL_FROM * inside &&
    ill.length >= MOSTLY * long.length &&
    long.length - ill.length <= WELL_TO * outside
  return tells ? ill.map(({ attempt }) => attempt) : []
}

/** Those that take long in a stretch of time that tells them from the others; none where they are of all times. Of what goes on to the end, something better came before. */
function illWhile(kind: readonly Placed[], long: readonly Placed[], stretch: Stretch): Attempt[] {
  const ill = long.filter(({ attempt }) => isIn(stretch, attempt))
  const inside = kind.filter(({ attempt }) => isIn(stretch, attempt)).length
  const outside = kind.length - inside
  const fewest = stretch.isLasting ? FEWEST_BEFORE : FEWEST_OUTSIDE
  const tells = inside >= FEWEST_INSIDE && outside >= fewest && ill.length >= ILL_FROM * inside && long.length - ill.length <= WELL_TO * outside
  return tells ? ill.map(({ attempt }) => attempt) : []
}
