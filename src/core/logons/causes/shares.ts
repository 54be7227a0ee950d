import type { Located } from '../around'
import { TELL_OF_ALL, type Contrast } from '../contrast'
import type { Facts } from '../facts'
import { isFarAbove } from '../ordinary'
import { against, clue, seconds, tell, type Cause, type Clue } from './cause'
import { processors } from './hosts'
import { halfOfImage, otherPhase } from './slow'
import { changeBefore, contrastSentence, everywhere, onlyTheirs, sitsAt, sitsAtOrEverywhere, TELLS } from './where'

/** The phases that wait for the share. */
const SHARE_PHASES = ['container', 'profile']

/** The greater excess in the phases that wait for the share. */
const storageExcess = (facts: Facts) => (facts.failed ? null : (facts.measured.excess.find(({ phase }) => SHARE_PHASES.includes(phase)) ?? null))

/** The same where it is known which share that is. */
const shareExcess = (facts: Facts) => (facts.text('share') === null ? null : storageExcess(facts))

/** Where nobody says which share it is, those of one pool may all have one. */
const atShare = (facts: Facts): readonly string[] => (facts.text('share') === null ? ['share', 'pool'] : ['share'])

/** Up to so many times the middle, it is as ever. From there to what is far above it may be either, and says next to nothing. */
const AS_EVER = 1.25

/** Latency as the host reports it, against what it ordinarily is; null where nobody reports it. */
function latencyOf(facts: Facts): { readonly level: 'as ever' | 'between' | 'high'; readonly sentence: string } | null {
  const value = facts.number('shareLatencyMs')
  if (value === null) return null
  const ordinary = facts.ordinary('shareLatencyMs')
  const high = ordinary ? isFarAbove(ordinary, { times: 2.2, ofHigh: 1.15, enough: 3 }) : value > 15
  const level = high ? 'high' : ordinary && value > AS_EVER * ordinary.median ? 'between' : 'as ever'
  const than = ordinary ? `; ordinarily ${ordinary.median.toFixed(1)} ms` : ''
  return { level, sentence: `Latency of the share ${value.toFixed(value < 10 ? 1 : 0)} ms${than}.` }
}

/** What it says where it should be high, or should not. */
function latency(facts: Facts, expectedHigh: boolean): Clue[] {
  const found = latencyOf(facts)
  if (!found) return []
  const { level, sentence } = found
  const detail = 'shareLatencyMs'
  if (level === 'between') return expectedHigh ? [] : [clue(0.5, sentence, detail)]
  if ((level === 'high') !== expectedHigh) return [against(3, sentence, detail)]
  return [clue(expectedHigh ? 4 : 1.5, sentence, detail)]
}

/** So many in other crowds as large say that a crowd by itself does no harm, where hardly any of them were slow and many are now. */
const ENOUGH_IN_CROWDS = 12

/** Of a share that nobody names: that it is no crowd, as others as large did no harm, and this one does. (Of one that is named more is known: its latency, and who was on it.) */
function noCrowd(facts: Facts, phase: string, { n, hit }: Contrast['inside']): string | null {
  if (facts.text('share') !== null || n < 4 || hit < 0.3 * n) return null
  const others = facts.around.inOtherCrowds(facts.self, phase)
  return others.n >= ENOUGH_IN_CROWDS && others.hit * 10 <= others.n
    ? `As many at once did it no harm at other times: ${others.hit} of ${others.n} were slow in ${phase}.`
    : null
}

/** How crowded the share was, and whether only crowds were slow, or those in quiet moments too. */
function crowd(facts: Facts, phase: string, storm: boolean): Clue[] {
  const { aMinute: around, mostAMinute, medianAMinute, whenCrowded, whenQuiet } = facts.crowd(phase)
  // Who comes first or last in a crowd is slow in it, too.
  const isOfCrowds = whenCrowded.n >= 4 && whenCrowded.hit >= 0.6 * whenCrowded.n && whenQuiet.n >= 4 && whenQuiet.hit <= 0.2 * whenQuiet.n
  const aMinute = isOfCrowds ? mostAMinute : around
  // As in Crowds: four in four minutes, or twice the median.
  const crowded = aMinute >= Math.max(1, 2 * medianAMinute)
  const rate = `${aMinute < 10 ? aMinute.toFixed(1) : Math.round(aMinute)} logons a minute on ${facts.text('share') ?? 'whatever shares there are'}; the median ${medianAMinute.toFixed(1)}.`
  const clues: Clue[] = storm ? [crowded ? clue(3, rate) : against(4, rate)] : [crowded ? clue(0.3, rate) : clue(1.5, `It was quiet: ${rate}`)]
  const none = noCrowd(facts, phase, whenCrowded)
  // What was quiet lies before it began, then.
  if (none !== null) return [...clues, storm ? against(5, none) : clue(3, none)]
  if (whenQuiet.n < 4) return clues
  const quiet = `In quiet moments ${whenQuiet.hit} of ${whenQuiet.n} on it were slow in ${phase}, in crowded ones ${whenCrowded.hit} of ${whenCrowded.n}.`
  const quietRate = whenQuiet.hit / whenQuiet.n
  // A crowd leaves quiet moments alone. Where a share became slow only lately, those of before are among them.
  if (quietRate > 0.4) clues.push(storm ? against(3, quiet) : clue(2, quiet))
  else if (quietRate > 0.2) clues.push(storm ? against(2, quiet) : clue(1.5, quiet))
  else if (whenCrowded.n >= 4 && whenCrowded.hit / whenCrowded.n > Math.max(0.3, 2.5 * quietRate)) {
    // Hardly ever slow while it is quiet, and often in a crowd, over many of both: that is what a crowd does.
    const clear = whenQuiet.n >= 12 && whenCrowded.n >= 8 && quietRate < 0.1
    clues.push(storm ? clue(clear ? 4 : 2, quiet) : against(clear ? 4 : 3, quiet))
  }
  return clues
}

/** Of those on the share, those who come from the zone of this one, beside the others. */
const byZone = (facts: Facts, phase: string): Contrast => facts.contrast('zone', phase, ['share'])

/** Whether those from here are slow, and hardly anybody from elsewhere: in a sentence. */
function onlyFromHere(facts: Facts, phase: string, { inside, outside }: Contrast): string | null {
  if (inside.n < 3 || outside.n < 5 || outside.hit * 5 > outside.n) return null
  const [zone, elsewhere] = [facts.text('zone') ?? '', `${outside.hit} of ${outside.n} from elsewhere`]
  if (inside.hit >= 0.6 * inside.n) return `On it, ${inside.hit} of ${inside.n} others from zone ${zone} were slow, but ${elsewhere}.`
  // It may have begun only now, or just be over.
  const nearest = nearestOnWay(facts, phase)
  if (!haveIt(nearest)) return null
  if (inside.hit * outside.n < 4 * outside.hit * inside.n) {
    const then = facts.anywhere(phase, ['zone'], ['share'])
    if (then.n < 4 || then.hit * 4 > then.n) return null
  }
  return `On it, ${nearest.hit} of the ${nearest.n} nearest from zone ${zone} were slow, but ${elsewhere}.`
}

/** Of those who came the same way, the nearest in time: it may be slow for hours only, every night. */
const nearestOnWay = (facts: Facts, phase: string) => facts.nearest(['zone', 'share'], phase)
const haveIt = ({ n, hit }: Contrast['inside']): boolean => n >= 4 && hit >= 0.6 * n

/** That speaks against a trouble of the share itself. */
function notTheShare(facts: Facts, phase: string): Clue[] {
  const sentence = onlyFromHere(facts, phase, byZone(facts, phase))
  return sentence === null ? [] : [against(3, sentence)]
}

/** How many come to a share that nobody names is known only where all of them do. */
const isShareKnown = (facts: Facts, phase: string): boolean => facts.text('share') !== null || everywhere(facts, phase).length > 0

/** Against: those on other shares have it as well, and two shares hardly become slow at once. */
function otherShares(facts: Facts, phase: string): Clue[] {
  if (facts.text('share') === null) return []
  const { n, hit } = facts.anywhere(phase, ['share'])
  return n >= TELL_OF_ALL && hit >= 0.6 * n ? [against(1.5, `Of the ${n} nearest logons on other shares ${hit} were slow in ${phase} as well.`)] : []
}

/** So many of those nearest in time are more than happen to be slow; and on so many hosts. */
const MANY = 0.2
const MANY_AT_LEAST = 5
const MANY_HOSTS = 3

/** Where nobody says which share it is: many at once, and no place that is named tells which of them. What containers and profiles have in common is a share. */
function unnamed(facts: Facts, phase: string): Clue[] {
  if (facts.text('share') !== null || everywhere(facts, phase).length > 0) return []
  // Only those whose share nobody names, either: there may be others beside them whose shares are known.
  const best = facts.located(phase, ['share'])[0]
  if (best && best.gain >= TELLS) return []
  // Who has far more to copy than others may well wait for that alone.
  if ((facts.number('profileBytes') ?? 0) > 2 * (facts.ordinary('profileBytes')?.median ?? Infinity)) return []
  const { n, hit, hosts } = facts.anywhere(phase, [], ['share'])
  if (hit < Math.max(MANY_AT_LEAST, MANY * n) || hosts < MANY_HOSTS) return []
  // Images of several pools may be slow, and none of them tells alone: not where those on the same image as this one are well.
  const alike = facts.anywhere(phase, [], ['share', 'image'])
  if (alike.n >= TELL_OF_ALL && alike.hit < MANY * alike.n) return []
  return [clue(4.8, `Of the ${n} nearest logons whose share is not known, ${hit} on ${hosts} hosts were slow in ${phase}, at no place that tells.`)]
}

/** Where nobody says which share it is, that many others of the pool are fine speaks against none. */
function atWhichShare(facts: Facts, phase: string): Clue[] {
  const many = unnamed(facts, phase)
  return [...sitsAtOrEverywhere(facts, phase, atShare(facts), 4).filter((one) => one.for || many.length === 0), ...many]
}

export const logonStorm: Cause = {
  id: 'logon-storm',
  about: 'slow',
  title: 'Many logons at once on one share',
  at: ['share'],
  prior: -3,
  toPerson: 'Very many people are logging on right now.',
  look(facts) {
    const excess = storageExcess(facts)
    if (!excess || !isShareKnown(facts, excess.phase)) return null
    return [
      ...crowd(facts, excess.phase, true),
      ...latency(facts, true),
      ...sitsAtOrEverywhere(facts, excess.phase, atShare(facts), 3),
      ...notTheShare(facts, excess.phase),
      ...otherPhase(facts, SHARE_PHASES),
    ]
  },
  sentence: (facts) => `${facts.text('share') ?? 'The storage for profiles'} answers slowly while very many people log on at once.`,
  remedy: () => tell('Spread the load', 'Move containers to another share, or start hosts before the shift.'),
}

export const shareSlow: Cause = {
  id: 'share-slow',
  about: 'slow',
  title: 'Share answers slowly',
  at: ['share'],
  prior: -3,
  toPerson: 'The storage for profiles is slower than it should be. We are working on it.',
  look(facts) {
    const excess = storageExcess(facts)
    if (!excess) return null
    return [
      ...(isShareKnown(facts, excess.phase) ? crowd(facts, excess.phase, false) : []),
      ...latency(facts, true),
      ...atWhichShare(facts, excess.phase),
      ...notTheShare(facts, excess.phase),
      ...otherShares(facts, excess.phase),
      ...changeBefore(facts, ['share'], ['share']),
      ...otherPhase(facts, SHARE_PHASES),
    ]
  },
  sentence: (facts) => `${facts.text('share') ?? 'The storage for profiles'} answers slowly.`,
  remedy: () => tell('Look at the share', 'Its disks, its network, and what else runs on it.'),
}

/** How much it says that those from one zone are slow on a share: whether they are fine on others, where there are any. */
function weightOfWay(facts: Facts, phase: string): number {
  const { outside } = facts.contrast('share', phase, ['zone'])
  if (outside.n < 5) return 3.5
  return outside.hit * 3 < outside.n ? 4 : 2
}

/** Whether those who come the same way are slow only as part of another place, as of an image: hardly anybody of them is slow who is not there, or there is nobody. */
function isOnlyFrom(facts: Facts, phase: string, { at: [place, ...more], gain }: Located): boolean {
  if (!place || more.length > 0 || gain < 2 * TELLS || ['zone', 'site', 'share'].includes(place.dimension)) return false
  const { outside } = facts.contrast(place.dimension, phase, ['zone', 'share'])
  return outside.hit * 3 <= outside.n
}

export const farShare: Cause = {
  id: 'far-share',
  about: 'slow',
  title: 'Share is far from the host',
  at: ['zone+share', 'site+share'],
  prior: -3,
  toPerson: 'Your profile has a long way to come.',
  look(facts) {
    const excess = shareExcess(facts)
    if (!excess) return null
    const zone = facts.text('zone')
    const zoneOfShare = facts.share?.zone
    const apart = zoneOfShare !== undefined && zone !== null && zoneOfShare !== zone
    const clues: Clue[] = []
    const ways = byZone(facts, excess.phase)
    const { inside, outside } = ways
    const best = facts.located(excess.phase)[0]
    const pair = facts.located(excess.phase).find(({ at }) => at.length === 2 && at.some(({ dimension }) => dimension === 'share'))
    if (pair && best && pair.gain >= best.gain - 3) clues.push(clue(Math.min(5, 1 + pair.gain / 8), contrastSentence(pair, excess.phase)))
    else {
      const thisWay = onlyFromHere(facts, excess.phase, ways)
      if (thisWay) clues.push(clue(best && isOnlyFrom(facts, excess.phase, best) ? 1 : weightOfWay(facts, excess.phase), thisWay))
      else if (best && best.gain >= 8 && !(inside.n >= 3 && inside.hit >= 0.6 * inside.n))
        clues.push(against(2, `It sits elsewhere: ${contrastSentence(best, excess.phase)}`))
    }
    if (inside.n >= 3 && inside.hit * 5 < inside.n && !haveIt(nearestOnWay(facts, excess.phase)))
      clues.push(against(4, `Only ${inside.hit} of ${inside.n} others who came the same way, from ${zone ?? 'there'}, had it.`))
    if (outside.n >= 5 && outside.hit * 2 > outside.n)
      clues.push(against(4, `${outside.hit} of ${outside.n} others on it who came from elsewhere had it, too.`))
    if (apart) clues.push(clue(3, `The host is in ${zone}, the share in ${zoneOfShare}.`))
    else if (zoneOfShare && zone) clues.push(against(5, `Host and share are both in ${zone}.`))
    // That the share is as quick as ever says nothing of how far it is.
    if (!clues.some((one) => one.for)) return null
    // A host may count the way into what it reports as latency: then it is high for those only who come the long way.
    const answers = latency(facts, false).filter((one) => one.for || !(apart || pair === best))
    return [...answers, ...clues, ...otherPhase(facts, SHARE_PHASES)]
  },
  sentence: (facts) =>
    `The way from ${facts.text('zone') ?? 'the host'} to ${facts.text('share') ?? 'the share'} is long; others on the same share are nearer.`,
  remedy: () => tell('Move the container nearer', 'To a share in the zone of the host; or look at the line between the two.'),
}

/** Against: on a share without room every write takes long, whoever's it is. */
function fewOnIt(facts: Facts, phase: string): Clue[] {
  const { inside } = facts.contrast('share', phase)
  if (inside.n < 10 || inside.hit * 4 >= inside.n || haveIt(facts.nearest(['share'], phase))) return []
  return [against(3, `Only ${inside.hit} of ${inside.n} others on it were slow in ${phase}.`)]
}

const ROOM = 2 ** 30

/** How much room is left, as reported, and whether that is little. */
function room(facts: Facts) {
  const inside = facts.number('containerFreeBytes')
  const size = facts.number('containerBytes')
  const onShare = facts.number('shareFreeBytes') ?? facts.share?.freeBytes ?? null
  const ordinary = facts.ordinary('shareFreeBytes')
  const known = ordinary !== null && ordinary.n > 30 ? ordinary : null
  return {
    inside,
    onShare,
    littleInside: inside !== null && (inside < ROOM / 4 || (size !== null && size > 0 && inside < 0.02 * size)),
    // Not even one more container such as this one fits, and that was not always so; or hardly anything of what there is ordinarily.
    littleOnShare:
      onShare !== null &&
      (known === null
        ? onShare < Math.max(5 * ROOM, size ?? 0)
        : onShare < 0.02 * known.median || (onShare < Math.max(5 * ROOM, size ?? 0) && onShare < 0.5 * known.high)),
  }
}

export const nearFull: Cause = {
  id: 'near-full',
  about: 'slow',
  title: 'Hardly any room left',
  at: ['share', 'person'],
  prior: -3,
  toPerson: 'Your profile has hardly any room left. We are making some.',
  look(facts) {
    const { inside, onShare, littleInside, littleOnShare } = room(facts)
    // That there is little room is known of a share that nobody names, too.
    const excess = littleInside || littleOnShare ? storageExcess(facts) : shareExcess(facts)
    if (!excess) return null
    const others = otherPhase(facts, SHARE_PHASES)
    // Room that nobody reports may be short all the same: such a share looks like a slow one, such a container like nobody else's trouble.
    if (!littleInside && !littleOnShare) {
      if (onShare === null && !facts.isReported('shareFreeBytes'))
        return [
          ...sitsAt(facts, excess.phase, ['share'], 4),
          ...crowd(facts, excess.phase, false),
          // A share that answers as ever, and is slow all the same, is slow where something is written.
          ...(latencyOf(facts)?.level === 'as ever' ? latency(facts, false) : []),
          against(2, 'How much room is left on the share was not reported.'),
          ...fewOnIt(facts, excess.phase),
          ...others,
        ]
      return inside === null && !facts.isReported('containerFreeBytes')
        ? [...onlyTheirs(facts, excess.phase), against(2, 'How much room is left inside the container was not reported.'), ...others]
        : null
    }
    const mib = (bytes: number) => `${Math.round(bytes / 2 ** 20)} MiB`
    const clues: Clue[] = []
    if (inside !== null && littleInside) clues.push(clue(6, `Only ${mib(inside)} are free inside the container.`, `containerFreeBytes = ${inside}`))
    if (onShare !== null && littleOnShare)
      clues.push(
        clue(6, `Only ${mib(onShare)} are free on the share.`, `shareFreeBytes = ${onShare}`),
        // Whatever shows that the share is slow is what its want of room does.
        ...(isShareKnown(facts, excess.phase) ? crowd(facts, excess.phase, false) : []),
        ...latency(facts, true).filter((one) => one.for),
        ...(facts.text('share') === null ? unnamed(facts, excess.phase) : sitsAt(facts, excess.phase, ['share'], 4)),
      )
    if (!littleOnShare) clues.push(...onlyTheirs(facts, excess.phase))
    return [...clues, ...others]
  },
  sentence(facts) {
    const { onShare, littleInside, littleOnShare } = room(facts)
    const where = littleInside || (!littleOnShare && onShare !== null) ? 'inside the container' : `on ${facts.text('share') ?? 'the share'}`
    return littleInside || littleOnShare
      ? `Hardly any room is left ${where}: every write takes long.`
      : `Hardly any room may be left ${where}: nobody reports it.`
  },
  remedy: () => tell('Make room', 'Grow the container or the share, or archive what nobody uses, before it is full.'),
}

export const scanner: Cause = {
  id: 'scanner',
  about: 'slow',
  title: 'A scanner reads the container',
  at: ['image', 'host', 'pool'],
  prior: -3.5,
  toPerson: 'Your profile is checked while it opens. We are working on it.',
  look(facts) {
    const excess = storageExcess(facts)
    if (!excess) return null
    const said = facts.has('scanner.active')
    const place = sitsAt(facts, excess.phase, ['image', 'host'], 4)
    if (!said && (!facts.ran('container') || !place.some((one) => one.for))) return null
    const clues: Clue[] = said ? [clue(6, 'The host says that a scanner read the container.', 'scanner.active')] : []
    clues.push(...place, ...latency(facts, false), ...(said ? [] : halfOfImage(facts, excess.phase)))
    const cpu = processors(facts)
    if (cpu?.busy) clues.push(against(said ? 1 : 3, cpu.sentence))
    if (!said && !facts.measured.mild.some(({ phase }) => phase === 'container'))
      clues.push(against(2, 'Opening the container took no longer than usual.'))
    if (facts.excess('container') && otherPhase(facts, SHARE_PHASES).length === 0)
      clues.push(clue(2.5, `Only what opens the container was slow: ${seconds(facts.excess('container')?.tookMs ?? 0)}.`))
    return [...clues, ...otherPhase(facts, SHARE_PHASES)]
  },
  sentence: (facts) =>
    `A scanner reads containers while they open on ${facts.text('image') ? `hosts with image ${facts.text('image')}` : (facts.attempt.host ?? 'this host')}.`,
  remedy: () =>
    tell('Exclude containers from the scan', 'By path and by the ending of the file, on these hosts; hosts that have the exclusion are fine.'),
}

export const containerRetry: Cause = {
  id: 'container-retry',
  about: 'slow',
  title: 'Container free only after retries',
  at: ['holderHost', 'host', 'share', 'person'],
  prior: -3,
  toPerson: 'Your profile was still in use for a moment.',
  look(facts) {
    const excess = facts.excess('container')
    const retries = Math.max(
      facts.number('retries') ?? 0,
      facts.attempt.marks.filter(
        (mark) => mark.code === 'container.retry' || mark.code === 'STATUS_SHARING_VIOLATION' || mark.code === 'container.held',
      ).length,
    )
    if (facts.failed || !excess || retries === 0) return null
    return [
      clue(
        4 + Math.min(3, retries),
        `The container opened after ${retries} ${retries === 1 ? 'retry' : 'retries'}; container took ${seconds(excess.tookMs)}, usual ${seconds(excess.usualMs)}.`,
        'container.retry',
      ),
      ...otherPhase(facts, ['container']),
    ]
  },
  sentence: (facts) =>
    `The container was still held when the logon began${facts.text('holderHost') ? ` (by ${facts.text('holderHost')})` : ''} and came free while the person waited.`,
  remedy: () => tell('See why logoffs end late', 'The session before released the container only after the new one had begun.'),
}
