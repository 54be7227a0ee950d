import { contrastGain } from '../../stats/significance'
import { criticalPath } from '../blame'
import type { PhasePart } from '../attempt'
import type { Facts } from '../facts'
import { against, clue, seconds, sumOf, tell, type Cause, type Clue } from './cause'
import { longestPart, ownParts } from '../parts'
import { allGrew, growthOf, tookOrdinarily, type Growth } from './parts'
import { isFarAbove, RELAYED } from '../ordinary'
import { beganWithImage, changeBefore, isImageThePools, notSinceImage, onlyTheirs, onSomeHosts, sitsAt, sitsAtOrEverywhere } from './where'

/** Of one package alone, that it took all of the time tells nothing. */
const isOnlyPackage = ({ attempt }: Facts, { phase }: PhasePart): boolean =>
  phase === 'packages' && attempt.parts.filter((part) => part.phase === phase).length < 2

/** How much of a time it is, in a word. */
export const mostOf = (ms: number, tookMs: number): string => (ms >= 0.8 * tookMs ? 'nearly all' : 'most')

/**
 * A cause that explains some phases explains little where most of the excess is in others.
 * @param exceptMs so much of what is in its phases is something else's
 */
export function otherPhase(facts: Facts, phases: readonly string[], exceptMs = 0): Clue[] {
  const all = facts.measured.excess.reduce((sum, { ms }) => sum + ms, 0)
  const inPhases = facts.measured.excess.filter(({ phase }) => phases.includes(phase)).reduce((sum, { ms }) => sum + ms, 0)
  const explained = Math.max(0, inPhases - exceptMs)
  if (all === 0 || explained >= 0.7 * all) return []
  const worst = facts.measured.excess[0]
  const why = worst && !phases.includes(worst.phase) ? `: ${worst.phase} alone was ${seconds(worst.ms)} beyond its usual` : ' beyond the usual'
  return [
    { ...against(explained < 0.4 * all ? 5 : 2, `It explains only ${seconds(explained)} of ${seconds(all)}${why}.`), explains: explained / all },
  ]
}

export const firstLogon: Cause = {
  id: 'first-logon',
  about: 'slow',
  title: 'First logon of a person',
  at: [],
  prior: -2,
  toPerson: 'It was your first logon here; the next ones are quicker.',
  look(facts) {
    if (facts.failed || facts.attempt.attrs['first'] !== true) return null
    if (facts.measured.outcome !== 'slow' && facts.measured.usual?.basis.first !== false && (facts.measured.usual?.n ?? 0) >= 20) return null
    // Held against first logons from anywhere, the way there and the approval say only where somebody was.
    const anywhere = facts.measured.usual?.basis.network === null
    const apart = anywhere ? ['profile', 'shell', 'connect', 'sign-on'] : ['profile', 'shell']
    const beyond = facts.measured.excess.filter(({ phase }) => !apart.includes(phase))
    if (facts.measured.excess.length === 0) return [clue(5, 'It was their first logon here, and no slower than first ones are.', 'first = true')]
    return beyond.length === 0
      ? [
          clue(
            4,
            `It was their first logon here, and only ${anywhere ? 'profile, shell, and what depends on where they were' : 'profile and shell'} took longer.`,
            'first = true',
          ),
        ]
      : [
          clue(1, 'It was their first logon here.', 'first = true'),
          against(2, 'It was slower than first ones are.'),
          ...otherPhase(facts, ['profile', 'shell']),
        ]
  },
  sentence: () => 'A new profile was made: first logons take longer.',
  remedy: () => tell('Nothing is broken', 'First logons are only compared with first logons.'),
}

const MUCH_IN_IT = { times: 3, ofHigh: 1.2, enough: 6 }

export const bloatedProfile: Cause = {
  id: 'bloated-profile',
  about: 'slow',
  title: 'Profile with very much in it',
  at: ['person'],
  prior: -4,
  toPerson: 'Your profile holds very many files.',
  look(facts) {
    const excess = facts.excess('profile')
    const type = facts.text('profileType')
    const bytes = facts.ordinary('profileBytes')
    const files = facts.ordinary('profileFiles')
    const [size, number] = [facts.number('profileBytes'), facts.number('profileFiles')]
    if (facts.failed || !excess) return null
    // A lead, never enough to say it, as of programs that start at logon.
    if (size === null && number === null)
      return type === 'files'
        ? [clue(2, 'Files are copied at logon; how many, nobody records.'), ...onlyTheirs(facts, 'profile'), ...otherPhase(facts, ['profile'])]
        : null
    if (type === 'container')
      return [clue(0.1, 'Its size was reported.'), against(6, 'The profile comes in a container: its size does not matter much.')]
    const clues: Clue[] = [clue(1, 'Files are copied at logon.', `profileType = ${type ?? 'not reported'}`)]
    const gib = (value: number) => `${(value / 2 ** 30).toFixed(value < 2 ** 30 ? 2 : 1)} GiB`
    if (size !== null)
      clues.push(
        bytes && isFarAbove(bytes, MUCH_IN_IT)
          ? clue(4, `${gib(size)} to copy; others have ${gib(bytes.median)}.`, `profileBytes = ${size}`)
          : !bytes && size > 1.5e9
            ? clue(3, `${gib(size)} to copy.`, `profileBytes = ${size}`)
            : against(4, `${gib(size)} to copy${bytes ? `; others have ${gib(bytes.median)}` : ''}.`),
      )
    if (number !== null)
      clues.push(
        files && isFarAbove(files, MUCH_IN_IT)
          ? clue(2, `${number} files to copy; others have ${Math.round(files.median)}.`, `profileFiles = ${number}`)
          : !files && number > 20_000
            ? clue(2, `${number} files to copy.`, `profileFiles = ${number}`)
            : against(1, `Only ${number} files to copy.`),
      )
    return [...clues, ...onlyTheirs(facts, 'profile'), ...otherPhase(facts, ['profile'])]
  },
  sentence: () => 'The profile holds so much that copying it takes long.',
  remedy: () => tell('Leave folders out of the profile', 'Or use a container, where size does not matter.'),
}

export const packagesSlow: Cause = {
  id: 'packages-slow',
  about: 'slow',
  title: 'Attaching packages takes long',
  at: ['package', 'pool', 'image'],
  prior: -3,
  toPerson: 'Attaching your applications took longer than it should.',
  look(facts) {
    const excess = facts.excess('packages')
    if (facts.failed || !excess) return null
    const clues: Clue[] = [clue(3, `Packages took ${seconds(excess.tookMs)}, usual ${seconds(excess.usualMs)}.`)]
    const longest = longestPart(facts.attempt.parts, 'packages')
    const growth = growthOf(facts, 'packages')
    if (longest && longest.ownMs > 0.5 * excess.tookMs && !(growth && allGrew(growth)))
      clues.push(clue(2, `“${longest.part.part}” alone took ${seconds(longest.ownMs)}.`))
    const number = facts.ordinary('packages')
    if (number && isFarAbove(number, { times: 2, ofHigh: 1, enough: 4 }))
      clues.push(clue(2, `${number.value} packages were attached; ordinarily ${Math.round(number.median)}.`))
    else if (number && longest === null)
      clues.push(
        against(1.5, `${number.value} packages were attached, as ordinarily: ${Math.round(number.median)}.`),
        ...sitsAtOrEverywhere(facts, 'packages', ['pool', 'group', 'network+pool', 'zone+pool']).filter((one) => one.for),
      )
    else if (facts.number('packages') !== null) clues.push(clue(0.5, `${facts.number('packages')} packages were attached.`))
    // What one package of several takes, it takes on whatever image.
    const isOnePackage = longest && longest.ownMs > 0.7 * excess.tookMs && !isOnlyPackage(facts, longest.part)
    return [
      ...clues,
      ...sitsElsewhere(facts, 'packages', ['host', 'zone', 'site', ...(isOnePackage ? [] : ['image'])]),
      ...otherPhase(facts, ['packages']),
    ]
  },
  sentence(facts) {
    const longest = longestPart(facts.attempt.parts, 'packages')
    return longest && longest.ownMs > 0.5 * (facts.excess('packages')?.tookMs ?? Infinity)
      ? `Package “${longest.part.part}” takes ${mostOf(longest.ownMs, facts.excess('packages')?.tookMs ?? 0)} of the time in packages.`
      : 'Attaching application packages took longer than it should.'
  },
  remedy: () => tell('Look at the packages of this pool', 'About 76 applications in 4 s is what to expect (common practice, no published source).'),
}

/** Against, where the trouble sits at another kind of place. */
export function sitsElsewhere(facts: Facts, phase: string, dimensions: readonly string[]): Clue[] {
  const elsewhere = isImageThePools(facts) ? dimensions.filter((dimension) => dimension !== 'image') : dimensions
  return sitsAt(facts, phase, elsewhere).flatMap((one) => (one.for ? [against(Math.min(2, one.weight), one.sentence)] : []))
}

/** Lines that are poor whatever others have. (common practice, no published source) */
const POOR_RTT_MS = 150
const POOR_KBPS = 512
/** And where others have many times that. */
const PLAINLY_POOR_KBPS = 1500

/** The phases that wait for what goes over the line. */
const OVER_THE_LINE: readonly string[] = ['connect', 'shell', 'sign-on', 'broker']

const isMeasured = (facts: Facts): boolean => facts.number('rttMs') !== null || facts.number('bandwidthKbps') !== null

/** Where nobody measures lines: one that all of a network share shows by all who come from it. That somebody is relayed explains it itself. */
function lineOfAll(facts: Facts): Clue[] | null {
  if (!facts.excess('connect') || facts.text('transport') === 'relay') return null
  const here = sitsAt(facts, 'connect', ['network'], 4)
  return here.some((one) => one.for) ? [...here, ...otherPhase(facts, OVER_THE_LINE)] : null
}

export const poorLine: Cause = {
  id: 'poor-line',
  about: 'slow',
  title: 'Poor line',
  at: ['person', 'network'],
  prior: -3,
  toPerson: 'Your line is slower than a desktop needs.',
  look(facts) {
    const excess = facts.excess('connect') ?? facts.excess('shell')
    const rtt = facts.number('rttMs')
    const kbps = facts.number('bandwidthKbps')
    if (facts.failed || !excess) return null
    if (!isMeasured(facts)) return lineOfAll(facts)
    const clues: Clue[] = []
    const usualRtt = facts.ordinary('rttMs')
    if (rtt !== null) {
      // Where more than one in twenty have a poor line, the high end is theirs: far beyond the middle is high all the same.
      const high = usualRtt
        ? rtt > Math.max(60, Math.min(Math.max(3 * usualRtt.median, 1.3 * usualRtt.high), Math.max(5 * usualRtt.median, POOR_RTT_MS))) ||
          // Where most from there have a poor line by now, the best of them tell what it can be.
          (rtt > POOR_RTT_MS && rtt > 8 * usualRtt.low)
        : rtt > POOR_RTT_MS
      const than = usualRtt ? `; ordinarily ${Math.round(usualRtt.median)} ms` : ''
      clues.push(
        high ? clue(4, `Round trip ${Math.round(rtt)} ms${than}.`, 'rttMs') : against(3, `Round trip ${Math.round(rtt)} ms${than}.`, 'rttMs'),
      )
    }
    const usualKbps = facts.ordinary('bandwidthKbps')
    if (kbps !== null) {
      const low = usualKbps
        ? kbps < Math.max(Math.min(usualKbps.median / 3, usualKbps.low * 0.8, 4000), Math.min(usualKbps.median / 8, PLAINLY_POOR_KBPS))
        : kbps < POOR_KBPS
      // Clients may report only what is poor: that it is ordinary, then, says nothing.
      const saysNothing = kbps < POOR_KBPS || (kbps < PLAINLY_POOR_KBPS && clues.some((one) => one.for))
      if (low)
        clues.push(
          clue(3, `Bandwidth ${Math.round(kbps)} kbit/s${usualKbps ? `; ordinarily ${Math.round(usualKbps.median)}` : ''}.`, 'bandwidthKbps'),
        )
      else if (!saysNothing) clues.push(against(2, `Bandwidth ${Math.round(kbps)} kbit/s is as it is ordinarily.`, 'bandwidthKbps'))
    }
    return [...clues, ...otherPhase(facts, OVER_THE_LINE)]
  },
  sentence(facts) {
    const network = facts.text('network')
    return isMeasured(facts)
      ? `The person's line is poor${network ? ` (${network})` : ''}.`
      : `Connecting is slow for those who come from ${network ?? 'one network'}: the line that they share is poor, or what they connect through.`
  },
  remedy: (facts) =>
    isMeasured(facts)
      ? tell('Look at their line', 'Round trip and bandwidth over their last logons tell whether it is always so.')
      : tell(`Look at the line of ${facts.text('network') ?? 'that network'}`, 'Measure the round trip from there, and through what they connect.'),
}

/** From this gain on two ways differ beyond doubt (about one in 200 by chance). */
const CLEAR_GAIN = 8

export const relayPath: Cause = {
  id: 'relay-path',
  about: 'slow',
  title: 'Relayed where a direct way is possible',
  at: ['network+clientVersion', 'network', 'clientVersion', 'pool'],
  prior: -3,
  toPerson: 'Your connection takes a detour. We are working on it.',
  look(facts) {
    const excess = facts.excess('connect') ?? facts.excess('shell')
    if (facts.failed || !excess || facts.text('transport') !== 'relay') return null
    const clues: Clue[] = [clue(1, 'The connection was relayed.', 'transport = relay')]
    const network = facts.text('network')
    const ways = facts.contrast('transport', excess.phase, network === null ? [] : ['network'])
    const direct = ways.outside
    const n = ways.inside.n + direct.n
    const clear = contrastGain(ways) >= CLEAR_GAIN
    // Where hardly anybody goes direct any more, two or three who do tell as well, if none of them was slow.
    const few = direct.n >= 5 ? direct.hit * 5 < direct.n || (direct.hit * 3 < direct.n && clear) : direct.n >= 2 && direct.hit === 0 && clear
    // Where the other relayed ones are as quick as those who go direct, it is not the way.
    const alike = ways.inside.n >= 8 && ways.inside.hit * direct.n < 2 * (direct.hit + 0.1 * direct.n) * ways.inside.n
    if (few && alike) clues.push(against(2, `Of the others who were relayed, ${ways.inside.hit} of ${ways.inside.n} were slow in ${excess.phase}.`))
    else if (few)
      clues.push(
        clue(3, `Others ${network ? `from ${network} ` : ''}went direct: ${direct.hit} of ${direct.n} of them were slow in ${excess.phase}.`),
      )
    else if (n >= 10 && direct.n * 10 < n) {
      const ordinarily = facts.ordinary(RELAYED)
      if (ordinarily?.median === 0)
        clues.push(clue(3.5, `Most ${network ? `from ${network} ` : ''}go direct ordinarily; now ${ways.inside.n} of the ${n} others were relayed.`))
      else if (network === 'office') clues.push(clue(2, 'From the office a direct way is to be expected.'))
      else clues.push(against(4, `Nearly everybody${network ? ` from ${network}` : ''} is relayed.`))
    }
    const { gain = 0, ...located } = facts.located(excess.phase).find(({ at }) => at.some(({ dimension }) => dimension === 'transport')) ?? {}
    if (gain >= 8 && 'inside' in located)
      clues.push(clue(1, `${located.inside?.hit ?? 0} of ${located.inside?.n ?? 0} relayed ones were slow in ${excess.phase}.`))
    return [...clues, ...otherPhase(facts, OVER_THE_LINE)]
  },
  sentence: (facts) => `The connection is relayed although ${facts.text('network') ? `from ${facts.text('network')} ` : ''}a direct way is possible.`,
  remedy: () => tell('Open the direct way', 'Look at the firewall between these clients and the hosts, and at the setting for transport.'),
}

/** Fewer programs than this are few, whatever others have. */
const FEWEST_PROGRAMS = 6

export const autostartHeavy: Cause = {
  id: 'autostart-heavy',
  about: 'slow',
  title: 'Many programs start at logon',
  at: ['person', 'group', 'pool'],
  prior: -3,
  toPerson: 'Many programs start with your desktop.',
  look(facts) {
    const excess = facts.excess('shell')
    const n = facts.number('autostart')
    const ordinary = facts.ordinary('autostart')
    if (facts.failed || !excess) return null
    // A lead, never enough to say it: what starts with somebody's desktop is theirs, and so may other things be.
    if (n === null)
      return [clue(1, 'How many programs start at logon, nobody records.'), ...onlyTheirs(facts, 'shell'), ...otherPhase(facts, ['shell'])]
    const many = ordinary ? n >= FEWEST_PROGRAMS && isFarAbove(ordinary, { times: 2, ofHigh: 1.3, enough: 4 }) : n >= 8
    const than = ordinary ? `; ordinarily ${Math.round(ordinary.median)}` : ''
    return [
      many ? clue(4, `${n} programs start at logon${than}.`, 'autostart') : against(3, `${n} programs start at logon${than}.`, 'autostart'),
      ...otherPhase(facts, ['shell']),
    ]
  },
  sentence: (facts) => `${facts.number('autostart')} programs start before the desktop is usable.`,
  remedy: () => tell('Start fewer programs', 'Delay what need not be there at once.'),
}

/** Where nobody tells of sites, the share that people have their profiles on, which has no part in sign-on and policy, may stand for theirs (that others on it are fine says nothing), or the hosts themselves. */
function atOneSite(facts: Facts, phase: string): Clue[] {
  const { zone, site } = facts.self.places
  const told = sitsAtOrEverywhere(facts, phase, ['zone', 'site', 'zone+pool'], 3, 4)
  if (zone !== '' || site !== '') return told
  const share = sitsAt(facts, phase, ['share'], 3).filter((one) => one.for)
  if (share.length > 0) return share
  const hosts = told.some((one) => one.for) ? [] : onSomeHosts(facts, phase)
  return hosts.length > 0 ? hosts : told
}

/** A directory that is slow makes all parts of policy slow, and none more than the others. */
function partsOfPolicy(facts: Facts, growth: Growth | null): Clue[] {
  const parts = ownParts(facts.attempt.parts, 'policy').map(({ ownMs }) => ownMs)
  if (growth && allGrew(growth))
    return [clue(2, `All ${parts.length} parts of policy took long, none stands out: ${growth.rest.times.toFixed(1)} times as long as ordinarily.`)]
  if (growth?.standsOut)
    return growth.rest.ms > 0
      ? [clue(1.5, `Beside “${growth.most.name}” the rest of policy took long as well: ${growth.rest.times.toFixed(1)} times as long as ordinarily.`)]
      : [against(4, `One part of policy, ${tookOrdinarily(growth.most)}.`)]
  if (parts.length < 3) return []
  const sum = parts.reduce((total, ms) => total + ms, 0)
  const longest = parts.reduce((most, ms) => Math.max(most, ms), 0)
  return [
    longest < 0.5 * sum
      ? clue(2, `All ${parts.length} parts of policy took long, none stands out.`)
      : against(4, `One part of policy took ${seconds(longest)} of ${seconds(sum)}.`),
  ]
}

export const directorySlow: Cause = {
  id: 'directory-slow',
  about: 'slow',
  title: 'Directory answers slowly',
  at: ['site', 'zone'],
  prior: -3,
  toPerson: 'The directory answers slowly. We are working on it.',
  look(facts) {
    const [signOn, policy] = [facts.excess('sign-on'), facts.excess('policy')]
    if (facts.failed || (!signOn && !policy)) return null
    const clues: Clue[] = []
    if (signOn && policy)
      clues.push(clue(3, `Sign-on and policy were both slow: ${seconds(signOn.ms)} and ${seconds(policy.ms)} beyond their usual.`))
    const growth = policy && growthOf(facts, 'policy')
    if (policy) clues.push(...partsOfPolicy(facts, growth))
    // Where both were slow, the one that tells more: how long sign-on takes is also up to the person.
    const where = [policy, signOn].flatMap((one) => (one ? [atOneSite(facts, one.phase)] : []))
    clues.push(...where.reduce((best, one) => (sumOf(one) > sumOf(best) ? one : best)))
    const phase = policy && (!signOn || policy.ms >= signOn.ms) ? 'policy' : 'sign-on'
    if (phase === 'sign-on' && signOn && facts.lateApproval !== null && facts.lateApproval > 0.6 * signOn.ms)
      clues.push(against(4, `The approval took ${seconds(facts.lateApproval)} longer than people take: most of what sign-on took beyond its usual.`))
    clues.push(
      ...changeBefore(facts, ['directory'], ['zone', 'site']),
      ...otherPhase(facts, ['sign-on', 'policy', 'scripts'], growth?.standsOut ? growth.most.ownMs - growth.most.ordinaryMs : 0),
    )
    return clues
  },
  sentence(facts) {
    const site = facts.text('site') ?? facts.text('zone')
    return `The directory answers ${site ? `the hosts of ${site} ` : ''}slowly: each question takes long.`
  },
  remedy: () => tell('Look at the directory server of this site', 'Which one the hosts ask, whether it is up, and how far away it is.'),
}

/** Against, where many hosts on the image are fine: what a version brings, all of them have. */
export function halfOfImage(facts: Facts, phase: string): Clue[] {
  const { inside } = facts.contrast('image', phase)
  return inside.n >= 8 && inside.hit < 0.6 * inside.n
    ? [against(1.5, `Only ${inside.hit} of ${inside.n} other logons with image ${facts.text('image') ?? ''} had it.`)]
    : []
}

export const imageRegression: Cause = {
  id: 'image-regression',
  about: 'slow',
  title: 'Slow since an image version',
  at: ['image'],
  prior: -3,
  toPerson: 'The last update made logging on slower. We are working on it.',
  look(facts) {
    const worst = facts.measured.excess[0]
    const image = facts.text('image')
    if (facts.failed || !worst || !image) return null
    // Those around it tell, or those when the image came: whichever says more.
    const [sits, began] = [sitsAt(facts, worst.phase, ['image'], 5), beganWithImage(facts, worst.phase)]
    const clues = sumOf(sits) <= 0 ? [...sits, ...began] : sumOf(began) > sumOf(sits) ? [...began] : [...sits]
    if (clues.some((one) => one.for))
      clues.push(...changeBefore(facts, ['image'], ['image']), ...halfOfImage(facts, worst.phase), ...notSinceImage(facts, worst.phase))
    const longest = longestPart(facts.attempt.parts, worst.phase)
    const growth = growthOf(facts, worst.phase)
    if (longest && longest.ownMs > 0.7 * worst.tookMs && !isOnlyPackage(facts, longest.part) && !(growth && allGrew(growth)))
      clues.push(against(1.5, `One part, “${longest.part.part}”, took nearly all of it.`))
    // What else was slow may be the image's as well, but only where it sits there, too.
    const own = facts.measured.excess.filter(({ phase }) => phase === worst.phase || sitsAt(facts, phase, ['image']).some((one) => one.for))
    return [
      ...clues,
      ...otherPhase(
        facts,
        own.map(({ phase }) => phase),
      ),
    ]
  },
  sentence(facts) {
    const phase = facts.measured.excess[0]?.phase
    const slow = `Hosts with image ${facts.text('image') ?? ''} are slow${phase ? ` in ${phase}` : ''};`
    return phase && beganWithImage(facts, phase).length > 0 ? `${slow} before this image came they were not.` : `${slow} others are not.`
  },
  remedy: () => tell('Roll the image version back', 'Hosts on the older version are fine: go back to it, then compare what was altered.'),
}

export const unknownWait: Cause = {
  id: 'unknown-wait',
  about: 'slow',
  title: 'A wait without any record',
  at: ['pool', 'host', 'image', 'zone', 'network', 'share'],
  prior: -3,
  toPerson: 'Your logon waited for something that we do not see yet.',
  look(facts) {
    const share = facts.measured.blame.shares.find(({ phase }) => phase === 'unrecorded')
    const excess = facts.excess('unrecorded')
    if (facts.failed || !share || !excess) return null
    return [clue(5, `${seconds(share.ms)} have no record; usual ${seconds(excess.usualMs)}.`), ...otherPhase(facts, ['unrecorded'])]
  },
  sentence(facts) {
    const path = criticalPath(facts.attempt)
    const gap = path
      .filter(({ phase }) => phase === 'unrecorded')
      .reduce<{ fromMs: number; toMs: number } | null>((best, s) => (!best || s.toMs - s.fromMs > best.toMs - best.fromMs ? s : best), null)
    const before = gap ? path.findLast((s) => s.toMs <= gap.fromMs && s.phase !== 'unrecorded') : undefined
    const after = gap ? path.find((s) => s.fromMs >= gap.toMs && s.phase !== 'unrecorded') : undefined
    return `Nothing was recorded for ${seconds(gap ? gap.toMs - gap.fromMs : 0)}${before ? ` after ${before.phase}` : ''}${after ? `, before ${after.phase}` : ''}: a record of what ran there is needed.`
  },
  remedy: () => tell('Record what is missing', 'Add a source that reports the phase between the two that are known.'),
}
