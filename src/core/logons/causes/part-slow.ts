import type { Excess } from '../analyse'
import type { Facts } from '../facts'
import { longestPart } from '../parts'
import { against, clue, seconds, tell, type Cause, type Clue } from './cause'
import { allGrew, growthOf, tookOrdinarily, type Grown, type Growth } from './parts'
import { mostOf, otherPhase, sitsElsewhere } from './slow'
import { beganWithImage, everywhere, sitsAt } from './where'

/** A part that takes so much of its phase stands out: the more, the more it does, as one of two has half of it on any day. */
const MOST_OF_IT = 0.6

function partCause(id: string, phase: string, title: string, noun: string, remedy: string): Cause {
  return {
    id,
    about: 'slow',
    title,
    at: ['part', 'package'],
    prior: -3,
    toPerson: 'One step of your logon takes too long. We are working on it.',
    look(facts) {
      const excess = facts.excess(phase)
      const longest = longestPart(facts.attempt.parts, phase)
      if (facts.failed || !excess) return null
      if (!longest) return [...unnamedPart(facts, phase, excess), ...otherPhase(facts, [phase])]
      const growth = growthOf(facts, phase)
      if (growth && (growth.standsOut || allGrew(growth))) return partThatGrew(facts, noun, excess, growth)
      const { part, ownMs: ms } = longest
      const clues: Clue[] = [
        ms > MOST_OF_IT * excess.tookMs
          ? clue(5 * Math.min(1, (ms / excess.tookMs - 0.4) / 0.4), `${noun} “${part.part}” took ${seconds(ms)} of ${seconds(excess.tookMs)}.`)
          : against(3, `No ${noun.toLowerCase()} stands out: the longest took ${seconds(ms)} of ${seconds(excess.tookMs)}.`),
      ]
      return [...clues, ...timeout(ms), ...otherPhase(facts, [phase])]
    },
    part: (facts) => partInQuestion(facts, phase)?.name ?? null,
    sentence(facts) {
      const part = partInQuestion(facts, phase)
      if (!part) return `Something in ${phase} takes long; which ${noun.toLowerCase()}, nobody records.`
      const { tookMs, ms } = facts.excess(phase) ?? { tookMs: 0, ms: 0 }
      return part.ordinaryMs === null || part.ownMs > MOST_OF_IT * tookMs
        ? `${noun} “${part.name}” takes ${mostOf(part.ownMs, tookMs)} of the time in ${phase}.`
        : `${noun} “${part.name}” takes ${seconds(part.ownMs - part.ordinaryMs)} more than ordinarily, of ${seconds(ms)} that ${phase} does.`
    },
    remedy: () => tell(remedy, 'Who else has it is listed under the story.'),
  }
}

/** The part that a cause is about: the one that grew apart from the others, else the longest. */
function partInQuestion(facts: Facts, phase: string): (Omit<Grown, 'ordinaryMs'> & { readonly ordinaryMs: number | null }) | null {
  const growth = growthOf(facts, phase)
  if (growth?.standsOut) return growth.most
  const longest = longestPart(facts.attempt.parts, phase)
  return longest && { name: longest.part.part, ownMs: longest.ownMs, ordinaryMs: null }
}

/** Where it is known what parts take: one grew apart from the others, or all did alike. */
function partThatGrew(facts: Facts, noun: string, excess: Excess, { most, standsOut, rest }: Growth): Clue[] {
  if (!standsOut) return [against(4, `No ${noun.toLowerCase()} stands out: the rest took ${rest.times.toFixed(1)} times as long as ordinarily, too.`)]
  const part = (most.ownMs - most.ordinaryMs) / excess.ms
  return [
    clue(5 * Math.min(1, Math.max(0.2, part / 0.6)), `${noun} ${tookOrdinarily(most)}.`),
    ...timeout(most.ownMs),
    ...otherPhase(facts, [excess.phase], rest.ms),
  ]
}

function timeout(ms: number): Clue[] {
  const multiple = [30_000, 60_000, 90_000].find((one) => Math.abs(ms - one) < 1500)
  return multiple ? [clue(1, `${multiple / 1000} s is a usual time-out: something is waited for that does not answer.`)] : []
}

/** Where no part of a phase was recorded: it took long, and does so at a place that would have such a part. */
function unnamedPart(facts: Facts, phase: string, { tookMs, usualMs }: Excess): Clue[] {
  const long = clue(2, `The phase took ${seconds(tookMs)}, usual ${seconds(usualMs)}; its parts were not recorded.`)
  // All of policy is slow where the directory is, and that has its sites.
  const ofSite = phase === 'policy' ? sitsElsewhere(facts, phase, ['zone', 'site']) : []
  if (ofSite.length > 0) return [long, ...ofSite]
  const here = sitsAt(facts, phase, ['pool', 'group', 'network+pool', 'zone+pool'], 4)
  const sinceImage = beganWithImage(facts, phase).map(({ sentence }) => against(2, `It began with an image: ${sentence}`))
  return [long, ...here, ...sinceImage, ...(phase === 'scripts' ? everywhere(facts, phase) : [])]
}

export const policyPartSlow = partCause('policy-part-slow', 'policy', 'One part of policy takes long', 'Part', 'Look at this part of policy')
export const scriptSlow = partCause('script-slow', 'scripts', 'One script takes long', 'Script', 'Look at this script')
