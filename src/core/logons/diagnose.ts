import { approvalWithin } from './approval'
import { endedWell, isUnusual, withApproval, withMild, type Measured } from './analyse'
import type { Around } from './around'
import { CAUSES, type Cause, type Clue, type Remedy } from './causes'
import { sumOf } from './causes/cause'
import { factsOf } from './facts'
import { neighbourOf } from './neighbour'
import { approvalLateBy, isAsPeopleTake, SIGN_ON_WITH_FACTOR, type OrdinaryModel } from './ordinary'
import type { Org } from '../people/org'

/** Below this, nothing is said to be the cause. */
const SAYABLE = 0.4
/**
 * The odds of "something else" when belief is told. By the trials of the tuning family, belief that was shared out with odds of 1 was too small: of what was
 * said with 65 % over 90 % was right.
 */
const SOMETHING_ELSE = 0.3
/** Below this, it is not worth a line under "what it could be instead". */
const MENTIONABLE = 0.01

export interface Finding {
  readonly id: string
  readonly title: string
  /** 0 to 1: the share of belief that this cause takes against all others in the catalogue and "something else". */
  readonly confidence: number
  readonly sentence: string
  readonly toPerson: string
  readonly evidence: readonly Clue[]
  readonly remedy: Remedy | null
  /** The part of a phase that it is about, where it is about one. */
  readonly part?: string
  /** How the confidence came about: log odds before the evidence, and after it. */
  readonly logOdds: { readonly prior: number; readonly withEvidence: number }
}

export interface Diagnosis {
  readonly cause: Finding | null
  /** @property beside of those that are there as well as the cause, in phases of their own; the rest could be instead of it */
  readonly others: readonly { readonly id: string; readonly title: string; readonly confidence: number; readonly beside?: boolean }[]
}

export interface Explained extends Measured {
  readonly diagnosis: Diagnosis
}

const WRONG_PROFILE: Clue = { for: false, weight: 9, sentence: 'They did not get their own profile: that is more than being slow.' }

/** A clue of this weight or more shows the cause itself, not only that something took long. */
const SHOWS = 4
/** Clues of this weight together point at a cause. */
const POINTS = 3
/** And a cause that is said with this confidence is certain enough without one. */
const CERTAIN = 0.97

/**
 * What is said of an attempt. One that is unusual by itself is diagnosed. One that only took more than usual is, too, where the evidence shows
 * a cause all the same: others at the same place have it, or a reported figure is far out; else it is how logons vary.
 */
export function conclude(machines: Measured, around: Around, org: Org, ordinary: OrdinaryModel): Explained {
  const late = endedWell(machines) ? approvalLateBy(machines, ordinary) : null
  const measured = late === null ? machines : withApproval(machines, late)
  if (isHowLongPeopleTake(measured, around, ordinary)) return explainedBy(measured, NOTHING_UNUSUAL, { excess: [], lostMs: 0 })
  if (isUnusual(measured)) return explainedBy(measured, diagnose(measured, around, org, ordinary))
  const wider = endedWell(measured) ? withMild(measured) : null
  if (wider && !isHowLongPeopleTake(wider, around, ordinary)) {
    const diagnosis = diagnose(wider, around, org, ordinary)
    if (diagnosis.cause && isShown(diagnosis.cause)) return explainedBy(measured, diagnosis, wider)
  }
  return explainedBy(measured, NOTHING_UNUSUAL)
}

/** What conclude() says of an attempt whatever is known around it, as of most: that nothing was unusual. Null where others have a say. */
export function concludeAlone(measured: Measured): Explained | null {
  const othersHaveASay = isUnusual(measured) || (endedWell(measured) && (approvalWithin(measured.attempt) !== null || withMild(measured) !== null))
  return othersHaveASay ? null : explainedBy(measured, NOTHING_UNUSUAL)
}

/** Where so many of the nearest waited in sign-on, it was no person. */
const WAITED_TOO = 0.4

/**
 * Where nobody says how long the approval took, all of the sign-on stands for it: whether nothing else was beyond its usual, and that only as it now and then is, unless others
 * about then had to wait as well.
 */
function isHowLongPeopleTake(measured: Measured, around: Around, ordinary: OrdinaryModel): boolean {
  if (!maybeHowLongPeopleTake(measured)) return false
  const approval = ordinary.of(measured.attempt, SIGN_ON_WITH_FACTOR)
  if (approval === null || approval.value <= 0.6 * (measured.excess[0]?.ms ?? 0) || !isAsPeopleTake(approval)) return false
  const { n, hit } = around.anywhere(neighbourOf(measured), 'sign-on')
  return hit < WAITED_TOO * n
}

const maybeHowLongPeopleTake = ({ outcome, excess }: Measured): boolean =>
  outcome === 'ready' && excess.length === 1 && excess[0]?.phase === 'sign-on'

/** Named one by one: this is done for every attempt, and objects put together from parts are slow. */
function explainedBy(measured: Measured, diagnosis: Diagnosis, { excess, lostMs }: Pick<Measured, 'excess' | 'lostMs'> = measured): Explained {
  const { attempt, outcome, blame, usual, mild, ran, slowMs } = measured
  return { attempt, outcome, blame, usual, excess, mild, ran, lostMs, slowMs, diagnosis }
}

/** Whether the evidence shows a cause where nothing was far out: a clue that shows it by itself, or several that hardly leave a doubt together. */
function isShown({ evidence, confidence }: Finding): boolean {
  return confidence >= CERTAIN || (confidence >= 0.83 && evidence.some((one) => one.for && one.weight >= SHOWS))
}

const NOTHING_UNUSUAL: Diagnosis = { cause: null, others: [] }

/**
 * Weighs every cause of the catalogue against the evidence: each clue adds its weight to the cause's log odds, and the odds of all causes
 * and of "none of these" (odds 1) are normalised (to say anything at all; belief is told with odds of 0.3 for it, see SOMETHING_ELSE). Bayes' rule with independent clues; the weights are the catalogue authors' judgement.
 */
function diagnose(measured: Measured, around: Around, org: Org, ordinary: OrdinaryModel): Diagnosis {
  if (!isUnusual(measured)) return NOTHING_UNUSUAL
  const facts = factsOf(measured, around, org, ordinary)
  const wrongProfile = measured.outcome === 'degraded'
  const weighed: Weighed[] = []
  for (const cause of CAUSES) {
    const looked = cause.look(facts)
    if (looked?.some((clue) => clue.for)) weighed.push(weigh(cause, cause.about === 'slow' && wrongProfile ? [...looked, WRONG_PROFILE] : looked))
  }
  const together = sideBySide(weighed)
  const causes = weighed.reduce((sum, { odds }) => sum + odds, 0)
  const all = SOMETHING_ELSE + causes
  weighed.sort((a, b) => b.odds - a.odds || (a.cause.id < b.cause.id ? -1 : 1))
  mainFirst(weighed, together)
  const best = weighed[0]
  // Where several are shown beside each other, none takes the others' belief.
  const believed: readonly Weighed[] = best === undefined ? [] : together?.includes(best) ? together : [best]
  const belief = believed.reduce((sum, { odds }) => sum + odds, 0)
  const said = best !== undefined && belief / (1 + causes) >= SAYABLE
  const rest = said ? weighed.slice(1) : weighed
  const part = best?.cause.part?.(facts) ?? null
  const isBeside = (one: Weighed) => said && believed.includes(one)
  const confidenceIn = (one: Weighed) => one.odds / (isBeside(one) ? all - belief + one.odds : all)
  return {
    cause: !said
      ? null
      : {
          id: best.cause.id,
          title: best.cause.title,
          confidence: rounded(confidenceIn(best)),
          sentence: best.cause.sentence(facts),
          toPerson: best.cause.toPerson,
          evidence: [...best.evidence].sort((a, b) => Number(b.for) - Number(a.for) || b.weight - a.weight),
          remedy: best.cause.remedy(facts),
          ...(part === null ? {} : { part }),
          logOdds: { prior: best.cause.prior, withEvidence: rounded(best.logOdds) },
        },
    others: rest
      .filter((one) => confidenceIn(one) >= MENTIONABLE)
      .slice(0, 5)
      .map((one) => ({
        id: one.cause.id,
        title: one.cause.title,
        confidence: rounded(confidenceIn(one)),
        ...(isBeside(one) ? { beside: true } : {}),
      })),
  }
}

function weigh(cause: Cause, evidence: readonly Clue[]): Weighed {
  const logOdds = cause.prior + sumOf(evidence)
  return { cause, evidence, logOdds, odds: Math.exp(logOdds) }
}

/** So much of the excess causes that are told together must explain; and so many they are at most. */
const NEARLY_ALL = 0.85
const MOST_TOGETHER = 3

/** A cause that explains a part of the excess, as one of its clues says. */
interface Part {
  readonly one: Weighed
  readonly part: Clue
  readonly explains: number
}

/**
 * Several troubles at once, each shown, in phases of their own: that one explains no more than its part does not speak against it where the others explain the rest. Says which, if any: as few as do.
 */
function sideBySide(weighed: readonly Weighed[]): readonly Weighed[] | null {
  const partly = weighed.flatMap((one): Part[] => {
    const part = one.evidence.find((clue) => !clue.for && clue.explains !== undefined)
    return part?.explains !== undefined && weightFor(one) >= POINTS ? [{ one, part, explains: part.explains }] : []
  })
  partly.sort((a, b) => b.one.odds - a.one.odds || b.explains - a.explains)
  for (let most = 2; most <= MOST_TOGETHER; most++) {
    const found = explainingAll(partly, most)
    if (!found) continue
    for (const { one, part, explains } of found) {
      const others = found.flatMap((other) => (other.one === one ? [] : other.one.cause.title.toLowerCase())).join(', and ')
      const sentence = `It explains ${Math.round(100 * explains)} % of the time beyond the usual; for the rest there is: ${others}.`
      Object.assign(
        one,
        weigh(
          one.cause,
          one.evidence.map((clue) => (clue === part ? { ...part, weight: 0.2, sentence } : clue)),
        ),
      )
    }
    return found.map(({ one }) => one)
  }
  return null
}

/** The first so many of some that explain nearly all together, and no more than there is; null where none do. */
function explainingAll(partly: readonly Part[], most: number, explained = 0): readonly Part[] | null {
  for (const [i, one] of partly.entries()) {
    const all = explained + one.explains
    if (all > 1) continue
    if (most === 1) {
      if (all >= NEARLY_ALL) return [one]
      continue
    }
    const rest = explainingAll(partly.slice(i + 1), most - 1, all)
    if (rest) return [one, ...rest]
  }
  return null
}

interface Weighed {
  readonly cause: Cause
  evidence: readonly Clue[]
  logOdds: number
  odds: number
}

const weightFor = ({ evidence }: Weighed): number => evidence.reduce((sum, one) => (one.for ? sum + one.weight : sum), 0)

/**
 * Two troubles at once: where the likeliest explains less than half of the excess, the next that is shown as well and that explains more is the
 * main one; of those that are told together, the one that explains most. They change their odds: a clue of each says so, so that the scores still add up.
 */
function mainFirst(weighed: Weighed[], together: readonly Weighed[] | null): void {
  const [first] = weighed
  const explains = ({ evidence }: Weighed) => Math.min(...evidence.map((one) => one.explains ?? 1))
  if (!first || explains(first) >= 0.5) return
  const more = weighed.filter((one) => explains(one) > explains(first) && weightFor(one) >= POINTS)
  const [next] = more
  const other = next && together?.includes(next) ? more.filter((one) => together.includes(one)).sort((a, b) => explains(b) - explains(a))[0] : next
  if (!other) return
  const apart = first.logOdds - other.logOdds
  const clue = (speaksFor: boolean, sentence: string): Clue => ({ for: speaksFor, weight: rounded(apart), sentence })
  other.evidence = [...other.evidence, clue(true, `It explains more of the time than what is shown as well: ${first.cause.title.toLowerCase()}.`)]
  first.evidence = [...first.evidence, clue(false, `What is shown as well explains more of the time: ${other.cause.title.toLowerCase()}.`)]
  ;[first.logOdds, other.logOdds] = [other.logOdds, first.logOdds]
  ;[first.odds, other.odds] = [other.odds, first.odds]
  weighed.splice(weighed.indexOf(other), 1)
  weighed.unshift(other)
}

const rounded = (x: number) => Math.round(x * 1000) / 1000
