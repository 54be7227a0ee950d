import type { Facts } from '../facts'
import { against, clue, seconds, tell, type Cause, type Clue } from './cause'

/** The excess in the phases that wait for the share. */
function shareExcess(facts: Facts) {
  return facts.failed ? null : (facts.excess('container') ?? facts.excess('profile'))
}

function shareContrast(facts: Facts, phase: string): Clue[] {
  const { inside, outside } = facts.around.contrast(facts.self, 'share', phase)
  const clues: Clue[] = []
  if (inside.n >= 5)
    clues.push(
      inside.beyond * 3 > inside.n
        ? clue(2, `${inside.beyond} of ${inside.n} other logons on this share were slow in ${phase}.`)
        : against(3, `Only ${inside.beyond} of ${inside.n} other logons on this share were slow in ${phase}.`),
    )
  if (outside.n >= 5 && inside.n >= 5)
    clues.push(
      outside.beyond * 4 < outside.n
        ? clue(1, `On other shares ${outside.beyond} of ${outside.n}.`)
        : against(1, `On other shares ${outside.beyond} of ${outside.n} too.`),
    )
  return clues
}

/** From this many logons a minute on one share we speak of a storm. Common practice, no published source. */
const STORM_A_MINUTE = 18

export const logonStorm: Cause = {
  id: 'logon-storm',
  about: 'slow',
  title: 'Many logons at once on one share',
  prior: -3,
  toPerson: 'Very many people are logging on right now.',
  look(facts) {
    const excess = shareExcess(facts)
    const share = facts.text('share')
    if (!excess || !share) return null
    const rate = facts.around.logonsAMinute(share, facts.self.atMs)
    const clues: Clue[] = [
      rate >= STORM_A_MINUTE
        ? clue(4, `${Math.round(rate)} logons a minute on ${share}.`)
        : against(4, `Only ${rate.toFixed(1)} logons a minute on ${share}.`),
    ]
    const latency = facts.number('shareLatencyMs')
    if (latency !== null && latency > 15) clues.push(clue(1, `Latency of the share ${Math.round(latency)} ms.`, 'shareLatencyMs'))
    return [...clues, ...shareContrast(facts, excess.phase)]
  },
  sentence: (facts) => `${facts.text('share')} answers slowly while very many people log on at once.`,
  remedy: () => tell('Spread the load', 'Move containers to another share, or start hosts before the shift.'),
}

export const shareSlow: Cause = {
  id: 'share-slow',
  about: 'slow',
  title: 'Share answers slowly',
  prior: -3,
  toPerson: 'The storage for profiles is slower than it should be. We are working on it.',
  look(facts) {
    const excess = shareExcess(facts)
    const share = facts.text('share')
    if (!excess || !share) return null
    const rate = facts.around.logonsAMinute(share, facts.self.atMs)
    const clues: Clue[] = []
    const latency = facts.number('shareLatencyMs')
    if (latency !== null)
      clues.push(
        latency > 15
          ? clue(3, `Latency of the share ${Math.round(latency)} ms.`, 'shareLatencyMs')
          : against(3, `Latency of the share only ${latency.toFixed(1)} ms.`, 'shareLatencyMs'),
      )
    if (rate >= STORM_A_MINUTE) clues.push(against(3, `${Math.round(rate)} logons a minute at that time.`))
    else clues.push(clue(1, `It was quiet: ${rate.toFixed(1)} logons a minute on ${share}.`))
    return [...clues, ...shareContrast(facts, excess.phase)]
  },
  sentence: (facts) => `${facts.text('share')} answers slowly.`,
  remedy: () => tell('Look at the share', 'Its disks, its network, and what else runs on it.'),
}

export const firstLogon: Cause = {
  id: 'first-logon',
  about: 'slow',
  title: 'First logon of a person',
  prior: -2,
  toPerson: 'It was your first logon here; the next ones are quicker.',
  look(facts) {
    if (facts.failed || facts.attempt.attrs['first'] !== true || facts.measured.outcome !== 'slow') return null
    return facts.measured.excess.length === 0
      ? [clue(5, 'It was their first logon here, and no slower than first ones are.', 'first = true')]
      : [clue(1, 'It was their first logon here.', 'first = true'), against(2, 'It was slower than first ones are.')]
  },
  sentence: () => 'A new profile was made: first logons take longer.',
  remedy: () => tell('Nothing is broken', 'First logons are only compared with first logons.'),
}

export const bloatedProfile: Cause = {
  id: 'bloated-profile',
  about: 'slow',
  title: 'Profile with very much in it',
  prior: -4,
  toPerson: 'Your profile holds very many files.',
  look(facts) {
    const excess = facts.excess('profile')
    const type = facts.text('profileType')
    const bytes = facts.number('profileBytes')
    const files = facts.number('profileFiles')
    if (facts.failed || !excess || (bytes === null && files === null)) return null
    if (type === 'container') return [against(6, 'The profile comes in a container: its size does not matter much.')]
    const clues: Clue[] = [clue(2, 'Files are copied at logon.', `profileType = ${type ?? 'not reported'}`)]
    if (bytes !== null)
      clues.push(
        bytes > 1.5e9 ? clue(3, `${(bytes / 2 ** 30).toFixed(1)} GiB to copy.`) : against(3, `Only ${Math.round(bytes / 2 ** 20)} MiB to copy.`),
      )
    if (files !== null) clues.push(files > 20_000 ? clue(2, `${files} files to copy.`) : against(1, `Only ${files} files to copy.`))
    return clues
  },
  sentence: () => 'The profile holds so much that copying it takes long.',
  remedy: () => tell('Leave folders out of the profile', 'Or use a container, where size does not matter.'),
}

function longestPart(facts: Facts, phase: string) {
  const parts = facts.attempt.parts.filter((part) => part.phase === phase)
  return parts.reduce<(typeof parts)[number] | null>(
    (best, part) => (!best || part.endMs - part.startMs > best.endMs - best.startMs ? part : best),
    null,
  )
}

function partCause(id: string, phase: string, title: string, noun: string, remedy: string): Cause {
  return {
    id,
    about: 'slow',
    title,
    prior: -3,
    toPerson: 'One step of your logon takes too long. We are working on it.',
    look(facts) {
      const excess = facts.excess(phase)
      const part = longestPart(facts, phase)
      if (facts.failed || !excess || !part) return null
      const ms = part.endMs - part.startMs
      const clues: Clue[] = [
        ms > 0.6 * excess.blameMs
          ? clue(5, `${noun} “${part.part}” took ${seconds(ms)} of ${seconds(excess.blameMs)}.`)
          : against(3, `No ${noun.toLowerCase()} stands out: the longest took ${seconds(ms)} of ${seconds(excess.blameMs)}.`),
      ]
      const multiple = [30_000, 60_000, 90_000].find((timeout) => Math.abs(ms - timeout) < 1500)
      if (multiple) clues.push(clue(1, `${multiple / 1000} s is a usual time-out: something is waited for that does not answer.`))
      return clues
    },
    sentence: (facts) => `${noun} “${longestPart(facts, phase)?.part ?? ''}” takes nearly all of the time in ${phase}.`,
    remedy: () => tell(remedy, 'Who else has it is listed under the story.'),
  }
}

export const policyPartSlow = partCause('policy-part-slow', 'policy', 'One part of policy takes long', 'Part', 'Look at this part of policy')
export const scriptSlow = partCause('script-slow', 'scripts', 'One script takes long', 'Script', 'Look at this script')

export const packagesSlow: Cause = {
  id: 'packages-slow',
  about: 'slow',
  title: 'Attaching packages takes long',
  prior: -3,
  toPerson: 'Attaching your applications took longer than it should.',
  look(facts) {
    const excess = facts.excess('packages')
    if (facts.failed || !excess) return null
    const n = facts.number('packages')
    const clues: Clue[] = [clue(3, `Packages took ${seconds(excess.blameMs)}, usual ${seconds(excess.usualMs)}.`)]
    if (n !== null) clues.push(clue(1, `${n} packages were attached.`))
    return clues
  },
  sentence: () => 'Attaching application packages took longer than it should.',
  remedy: () => tell('Look at the packages of this pool', 'About 76 applications in 4 s is what to expect (common practice, no published source).'),
}

export const poorLine: Cause = {
  id: 'poor-line',
  about: 'slow',
  title: 'Poor line',
  prior: -3,
  toPerson: 'Your line is slower than a desktop needs.',
  look(facts) {
    const excess = facts.excess('connect') ?? facts.excess('shell')
    const rtt = facts.number('rttMs')
    const kbps = facts.number('bandwidthKbps')
    if (facts.failed || !excess || (rtt === null && kbps === null)) return null
    const clues: Clue[] = []
    if (rtt !== null)
      clues.push(rtt > 150 ? clue(4, `Round trip ${Math.round(rtt)} ms.`, 'rttMs') : against(3, `Round trip only ${Math.round(rtt)} ms.`, 'rttMs'))
    if (kbps !== null)
      clues.push(
        kbps < 512
          ? clue(3, `Bandwidth ${Math.round(kbps)} kbit/s.`, 'bandwidthKbps')
          : against(2, `Bandwidth ${Math.round(kbps)} kbit/s is enough.`, 'bandwidthKbps'),
      )
    return clues
  },
  sentence: (facts) => `The person's line is poor${facts.text('network') ? ` (${facts.text('network')})` : ''}.`,
  remedy: () => tell('Look at their line', 'Round trip and bandwidth over their last logons tell whether it is always so.'),
}

export const autostartHeavy: Cause = {
  id: 'autostart-heavy',
  about: 'slow',
  title: 'Many programs start at logon',
  prior: -3,
  toPerson: 'Many programs start with your desktop.',
  look(facts) {
    const excess = facts.excess('shell')
    const n = facts.number('autostart')
    if (facts.failed || !excess || n === null) return null
    return [n >= 8 ? clue(4, `${n} programs start at logon.`, 'autostart') : against(3, `Only ${n} programs start at logon.`, 'autostart')]
  },
  sentence: (facts) => `${facts.number('autostart')} programs start before the desktop is usable.`,
  remedy: () => tell('Start fewer programs', 'Delay what need not be there at once.'),
}

export const unknownWait: Cause = {
  id: 'unknown-wait',
  about: 'slow',
  title: 'A wait without any record',
  prior: -3,
  toPerson: 'Your logon waited for something that we do not see yet.',
  look(facts) {
    const share = facts.measured.blame.shares.find(({ phase }) => phase === 'unrecorded')
    const excess = facts.excess('unrecorded')
    if (facts.failed || !share || !excess) return null
    return [clue(5, `${seconds(share.ms)} have no record; usual ${seconds(excess.usualMs)}.`)]
  },
  sentence(facts) {
    const gap = facts.measured.blame.stretches
      .filter(({ phase }) => phase === 'unrecorded')
      .reduce<{ fromMs: number; toMs: number } | null>((best, s) => (!best || s.toMs - s.fromMs > best.toMs - best.fromMs ? s : best), null)
    const list = facts.measured.blame.stretches
    const before = gap ? list.findLast((s) => s.toMs <= gap.fromMs && s.phase !== 'unrecorded') : undefined
    const after = gap ? list.find((s) => s.fromMs >= gap.toMs && s.phase !== 'unrecorded') : undefined
    return `Nothing was recorded for ${seconds(gap ? gap.toMs - gap.fromMs : 0)}${before ? ` after ${before.phase}` : ''}${after ? `, before ${after.phase}` : ''}: a record of what ran there is needed.`
  },
  remedy: () => tell('Record what is missing', 'Add a source that reports the phase between the two that are known.'),
}
