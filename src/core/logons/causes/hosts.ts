import { SERIES, tookByItself } from '../usual'
import type { Facts } from '../facts'
import { WRONG_PROFILE } from '../neighbour'
import { against, clue, seconds, sumOf, tell, type Cause, type Clue } from './cause'
import { otherPhase } from './slow'
import { onItsHost, sitsAt } from './where'

export const hostSilent: Cause = {
  id: 'host-silent',
  about: 'failure',
  title: 'Host does not answer',
  at: ['host', 'zone', 'image'],
  prior: -4,
  toPerson: 'The desktop that was chosen for you does not answer. Please try again.',
  look(facts) {
    if (!facts.failed) return null
    const reached = facts.attempt.phases.some((phase) => !['broker', 'power'].includes(phase.phase))
    if (facts.has('host.no-answer'))
      return [
        clue(7, `${facts.attempt.host ?? 'The host'} did not answer the broker.`, 'host.no-answer'),
        ...(reached ? [against(2, 'Later phases were recorded on the host.')] : []),
      ]
    if (!facts.ran('broker') || facts.attempt.marks.some((mark) => mark.code !== null)) return null
    // Whoever connects to it, or the gateway, may tell of that.
    const isTried = facts.attempt.phases.every((phase) => ['broker', 'power', 'connect'].includes(phase.phase))
    if (reached)
      return isTried ? [clue(2.5, 'Nothing was heard from the host: only that it was connected to.'), ...sitsAt(facts, 'failed', ['host'])] : null
    return [clue(6, 'Nothing was heard from the host after it was chosen.', 'no record after broker')]
  },
  sentence: (facts) => `${facts.attempt.host ?? 'The chosen host'} was chosen but does not answer.`,
  remedy: (facts) =>
    facts.attempt.host === null
      ? tell('Look at the host', 'No host name was recorded.')
      : {
          kind: 'restart-host',
          label: `Restart ${facts.attempt.host}`,
          target: facts.attempt.host,
          explanation: 'Sessions on it, if any, are logged off first. The broker chooses it again when it reports ready.',
        },
}

/** What shows that it is the host's and not this person's: hardly anybody got their own profile there, and hardly anybody elsewhere did not. Null where it is not so. */
function ofHost(facts: Facts): string | null {
  const [here, elsewhere] = [facts.anywhere(WRONG_PROFILE, [], ['host']), facts.anywhere(WRONG_PROFILE, ['host'])]
  if (here.hit < 3 || here.hit < 0.6 * here.n || elsewhere.n < 3 || elsewhere.hit * 5 > elsewhere.n) return null
  return `Of the ${here.n} nearest logons on ${facts.self.places.host} ${here.hit} did not get their own profile; elsewhere ${elsewhere.hit} of ${elsewhere.n}.`
}

export const hostNotConfigured: Cause = {
  id: 'host-not-configured',
  about: 'profile',
  title: 'Host not set up as it should be',
  at: ['host', 'image', 'pool'],
  prior: -3,
  toPerson: 'You got a temporary desktop. Nothing you had is lost.',
  look(facts) {
    const type = facts.text('profileType')
    if (!['degraded', 'failed'].includes(facts.measured.outcome) && type !== 'temporary' && type !== 'local') return null
    const codes = ['settings.missing', 'agent.missing', 'restart.pending'].filter((code) => facts.has(code))
    if (codes.length === 0) {
      const others = type === 'local' ? ofHost(facts) : null
      return others === null ? null : [clue(5, others)]
    }
    return [
      clue(
        6,
        `The host reports: ${codes.map((code) => ({ 'settings.missing': 'settings missing', 'agent.missing': 'no agent', 'restart.pending': 'restart pending' })[code]).join(', ')}.`,
        codes.join(' '),
      ),
    ]
  },
  sentence: (facts) => `${facts.attempt.host ?? 'The host'} does not have the settings that it should have.`,
  remedy: (facts) =>
    facts.attempt.host === null
      ? tell('Look at the host', 'No host name was recorded.')
      : {
          kind: 'restart-host',
          label: `Restart ${facts.attempt.host} so that settings take hold`,
          target: facts.attempt.host,
          explanation: 'Sessions on it are logged off first. It fetches its settings when it starts.',
        },
}

export const leftoverProfile: Cause = {
  id: 'leftover-profile',
  about: 'profile',
  title: 'Local profile stood in the way',
  at: ['host', 'pool', 'person'],
  prior: -3,
  toPerson: 'You got an older desktop of yours. Nothing is lost.',
  look(facts) {
    const local = facts.text('profileType') === 'local'
    const due = facts.pool?.mode === 'container' || facts.ran('container')
    const isWrong = facts.pool?.mode === undefined && facts.measured.outcome === 'degraded'
    if (!facts.has('leftover.found') && !(local && (due || isWrong))) return null
    const clues: Clue[] = []
    if (facts.has('leftover.found')) clues.push(clue(6, 'The host found a local profile of theirs.', 'leftover.found'))
    if (local && due) clues.push(clue(4, 'A local profile was used although a container was due.', 'profileType = local'))
    else if (local) clues.push(clue(3.5, 'A local profile was used, and is reported not to be the one they should have.', 'profileType = local'))
    const others = facts.has('leftover.found') ? null : ofHost(facts)
    if (others !== null) clues.push(against(3, others))
    if (facts.has('scope.none')) clues.push(against(5, 'No policy covers this person: no container was due.', 'scope.none'))
    if (facts.has('settings.missing', 'agent.missing', 'restart.pending')) clues.push(against(3, 'The host is not set up as it should be.'))
    return clues
  },
  sentence: (facts) => `A local profile left on ${facts.attempt.host ?? 'the host'} was used instead of the container.`,
  remedy: () => tell('Look at the leftover, then remove it', 'Check first that it holds nothing of value.'),
}

export const temporaryProfile: Cause = {
  id: 'temporary-profile',
  about: 'profile',
  title: 'Temporary profile',
  at: ['host', 'image', 'share', 'pool', 'person'],
  prior: -4,
  toPerson: 'You got a temporary desktop. Do not save work on it.',
  look(facts) {
    if (!facts.has('profile.temporary') && facts.text('profileType') !== 'temporary') return null
    return [
      ...(facts.has('settings.missing', 'agent.missing', 'restart.pending') ? [against(3, 'The host is not set up as it should be.')] : []),
      clue(
        6,
        'The profile could not be loaded, and a temporary one was used.',
        facts.has('profile.temporary') ? 'profile.temporary' : 'profileType = temporary',
      ),
    ]
  },
  sentence: () => 'The profile could not be loaded; the person works on a temporary one.',
  remedy: () => tell('Find out why the profile did not load', 'Have the person log off before they save anything.'),
}

export const notInScope: Cause = {
  id: 'not-in-scope',
  about: 'profile',
  title: 'No policy covers the person',
  at: ['group', 'pool', 'network', 'person'],
  prior: -4,
  toPerson: 'Your desktop is not set up for you yet. The service desk knows.',
  look(facts) {
    if (!facts.has('scope.none')) return null
    const clues = [clue(8, 'No policy with a place for profiles covers this person.', 'scope.none')]
    if (facts.text('profileType') === 'local' || facts.text('profileType') === 'temporary')
      clues.push(clue(1, 'They got a profile on the host instead.'))
    return clues
  },
  sentence: () => 'The condition of the policy does not cover this person, so that no container was attached.',
  remedy: () => tell('See why the policy does not apply', 'Policies, try it: with this person and host it says what would have to be otherwise.'),
}

/** The phases that work on the host; where its processors are known to be busy, those that only wait for others as a rule do so, too. */
const ON_HOST: readonly string[] = ['profile', 'policy', 'scripts', 'packages', 'shell']
const ON_BUSY_HOST: readonly string[] = ['sign-on', 'container', ...ON_HOST]

/** What the host reports of its processors, and whether that is busy. */
export function processors(facts: Facts): { readonly busy: boolean; readonly sentence: string; readonly detail: string } | null {
  const cpu = facts.number('hostCpu')
  if (cpu === null) return null
  const ordinary = facts.ordinary('hostCpu')
  const than = ordinary ? `; ordinarily ${Math.round(ordinary.median * 100)} %` : ''
  return {
    busy: cpu >= 0.85 || (ordinary !== null && cpu >= 0.7 && cpu > 1.4 * ordinary.high),
    sentence: `The host's processors were ${Math.round(cpu * 100)} % busy${than}.`,
    detail: `hostCpu = ${cpu}`,
  }
}

/** How many times as long as usual the phases took that work on the host: of those whose usual is known. */
function timesAsLong({ measured: { attempt, blame, usual } }: Facts): { readonly phase: string; readonly times: number }[] {
  const took = tookByItself(attempt, blame)
  return ON_BUSY_HOST.flatMap((phase) => {
    const [ms, usualMs] = [took[SERIES.indexOf(phase)] ?? 0, usual?.series[phase]?.medianMs ?? 0]
    return ms > 0 && usualMs > 0 ? [{ phase, times: ms / usualMs }] : []
  })
}

/** What the phases tell of processors that nobody reports: whatever works on a busy host takes several times as long, also what is short. */
function ofPhases(facts: Facts, worst: string): Clue | null {
  const all = timesAsLong(facts)
  const times = all.map((one) => one.times)
  if (times.length >= 4 && Math.min(...times) >= 1.5)
    return clue(
      2.5,
      `All ${times.length} phases on the host took longer than usual: ${Math.min(...times).toFixed(1)} to ${Math.max(...times).toFixed(1)} times.`,
    )
  const others = all.filter(({ phase }) => phase !== worst)
  return others.length >= 3 && others.every((one) => one.times < 1.4)
    ? against(2, `The other ${others.length} phases that work on the host took no longer than usual.`)
    : null
}

/** So many phases at once that only the host has in common; each more says more. */
const AT_ONCE = 3

export const hostOverloaded: Cause = {
  id: 'host-overloaded',
  about: 'slow',
  title: 'Host overloaded',
  at: ['host'],
  prior: -4,
  toPerson: 'The machine you are on is busier than it should be.',
  look(facts) {
    const { excess, mild } = facts.measured
    const worst = excess[0]
    if (facts.failed || !worst || facts.attempt.host === null) return null
    const cpu = processors(facts)
    const busy = cpu?.busy === true
    const clues: Clue[] = []
    if (cpu) clues.push(busy ? clue(5, cpu.sentence, cpu.detail) : against(4, cpu.sentence))
    const told = cpu === null ? ofPhases(facts, worst.phase) : null
    const slow = excess.filter(({ phase }) => ON_HOST.includes(phase)).length
    const sits = sitsAt(facts, worst.phase, ['host'], 4)
    // Where most of a small pool have it, no place tells: then its phases do, beside a host that is well.
    const byPhases = cpu === null && (told?.for === true || slow >= AT_ONCE) ? onItsHost(facts, worst.phase) : []
    const here = sumOf(byPhases) > sumOf(sits) ? byPhases : sits
    if (cpu === null && !here.some((one) => one.for)) return null
    // What was measured on the host is not gainsaid by another trouble beside it.
    clues.push(...(busy ? here.filter((one) => one.for) : here))
    if (told) clues.push(told)
    const slower = mild.filter(({ phase }) => ON_BUSY_HOST.includes(phase)).length
    if (!told?.for && slow >= AT_ONCE)
      clues.push(clue(Math.min(3.2, 2 + 0.6 * (slow - AT_ONCE)), `${slow} phases that work on the host were slow at once.`))
    else if (busy && slower >= 4) clues.push(clue(2, `${slower} phases took more than usual at once.`))
    const sessions = facts.ordinary('hostSessions')
    if (sessions && sessions.value > Math.max(1.5 * sessions.median, sessions.high))
      clues.push(clue(1, `${sessions.value} sessions on it; ordinarily ${Math.round(sessions.median)}.`, 'hostSessions'))
    return [...clues, ...otherPhase(facts, busy || told?.for ? ON_BUSY_HOST : ON_HOST)]
  },
  sentence: (facts) => `${facts.attempt.host ?? 'The host'} was overloaded.`,
  remedy: (facts) =>
    tell('Take load off the host', `Drain ${facts.attempt.host ?? 'it'} until sessions have spread, and find what uses the processors.`),
}

export const hostCold: Cause = {
  id: 'host-cold',
  about: 'slow',
  title: 'Host had to be started',
  at: ['pool', 'host'],
  prior: -2,
  toPerson: 'A machine had to be started for you.',
  look(facts) {
    const excess = facts.excess('power')
    if (facts.failed || !excess) return null
    const clues = [clue(5, `Starting the host took ${seconds(excess.tookMs)}; usually none has to be started.`)]
    const uptime = facts.number('uptimeS')
    if (uptime !== null)
      clues.push(
        uptime < 900
          ? clue(2, `The host had been up for ${Math.round(uptime)} s.`, `uptimeS = ${uptime}`)
          : against(4, `The host had been up for ${Math.round(uptime / 3600)} h.`),
      )
    return [...clues, ...otherPhase(facts, ['power'])]
  },
  sentence: (facts) => `${facts.attempt.host ?? 'The host'} was switched off and had to be started.`,
  remedy: () => tell('Keep more desktops ready', 'Raise the ready stock of the pool before its busy hour.'),
}
