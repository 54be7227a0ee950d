import { finderOf, grantOf } from '../../people/finder'
import type { Facts } from '../facts'
import { against, clue, tell, type Cause, type Clue } from './cause'

const REFUSED = ['broker.refused', 'broker.no-free-desktop', 'broker.all-draining']

/** Where it is not said of this one how many of how many hosts were draining: of those refused about then on the pool, some said that all were. */
function othersDrain(facts: Facts): string | null {
  const pool = facts.attempt.pool
  if (pool === null || (facts.number('drainingHosts') !== null && facts.number('hosts') !== null)) return null
  const { n, byThese } = facts.around.failing(facts.self, 'pool', ['broker.all-draining'], 24)
  return byThese >= 3 && byThese * 8 >= n ? `Of the ${n} nearest logons on pool ${pool}, ${byThese} failed as every host was draining.` : null
}

export const poolExhausted: Cause = {
  id: 'pool-exhausted',
  about: 'failure',
  title: 'No free desktop',
  at: ['pool'],
  prior: -4,
  toPerson: 'All desktops are in use. Please try again in a few minutes.',
  look(facts) {
    const free = facts.number('freeDesktops')
    if (!facts.failed || !(facts.has('broker.refused', 'broker.no-free-desktop') || (free === 0 && !facts.ran('sign-on')))) return null
    const clues: Clue[] = []
    if (facts.has('broker.no-free-desktop')) clues.push(clue(6, 'The broker had no free desktop.', 'broker.no-free-desktop'))
    else if (facts.has('broker.refused')) clues.push(clue(2, 'The broker refused, without saying why.', 'broker.refused'))
    if (free !== null) clues.push(free === 0 ? clue(4, '0 desktops were free.', 'freeDesktops = 0') : against(6, `${free} desktops were free.`))
    const disconnected = facts.number('disconnected')
    if (disconnected !== null && disconnected > 0) clues.push(clue(1, `${disconnected} were held by disconnected sessions.`))
    const draining = facts.number('drainingHosts')
    const hosts = facts.number('hosts')
    if (draining !== null && hosts !== null && draining >= hosts) clues.push(against(6, `All ${hosts} hosts were draining.`))
    const others = facts.has('broker.no-free-desktop') ? null : othersDrain(facts)
    if (others) clues.push(against(6, others))
    return clues
  },
  sentence(facts) {
    const disconnected = facts.number('disconnected')
    return `No desktop of ${facts.attempt.pool ?? 'the pool'} was free${disconnected ? `; ${disconnected} were held by disconnected sessions` : ''}.`
  },
  remedy: () => tell('Free desktops', 'Log off disconnected sessions, or add hosts; then look at the disconnect timer.'),
}

export const allDraining: Cause = {
  id: 'all-draining',
  about: 'failure',
  title: 'Every host is draining',
  at: ['pool'],
  prior: -4,
  toPerson: 'Your desktops are being serviced. We are bringing them back.',
  look(facts) {
    const draining = facts.number('drainingHosts')
    const hosts = facts.number('hosts')
    const all = draining !== null && hosts !== null && hosts > 0 && draining >= hosts
    const known = facts.pool ? finderOf(facts.org).hostsOf(facts.pool) : []
    const allKnown = draining === null && known.length > 0 && known.every((host) => host.draining)
    const others = facts.has('broker.no-free-desktop') ? null : othersDrain(facts)
    if (!facts.failed || !facts.has(...REFUSED) || !(all || allKnown || others !== null || facts.has('broker.all-draining'))) return null
    const clues: Clue[] = []
    if (facts.has('broker.all-draining')) clues.push(clue(6, 'The broker said that every host refuses new sessions.', 'broker.all-draining'))
    if (all) clues.push(clue(5, `${draining} of ${hosts} hosts were draining.`))
    else if (allKnown) clues.push(clue(4, `All ${known.length} hosts of the pool are draining, as far as is known.`))
    else if (others) clues.push(clue(5, others))
    else if (draining !== null && hosts !== null) clues.push(against(5, `Only ${draining} of ${hosts} hosts were draining.`))
    return clues
  },
  sentence: (facts) => `Every host of ${facts.attempt.pool ?? 'the pool'} refuses new sessions.`,
  remedy: (facts) => ({
    kind: 'stop-draining',
    label: `Let the hosts of ${facts.attempt.pool ?? 'the pool'} take sessions again`,
    target: facts.attempt.pool,
    explanation: 'Ends draining on every host of the pool. Running sessions are not touched.',
  }),
}

function grant(facts: Facts) {
  return facts.attempt.person && facts.attempt.pool ? grantOf(facts.org, facts.attempt.person, facts.attempt.pool) : null
}

export const notGranted: Cause = {
  id: 'not-granted',
  about: 'failure',
  title: 'Pool not granted',
  at: ['person', 'group', 'pool'],
  prior: -4,
  toPerson: 'You do not have this desktop. Please ask for it.',
  look(facts) {
    const path = grant(facts)
    if (!facts.failed || !facts.has('broker.refused') || !path) return null
    if (path.inCopy || path.atSource) return null
    return [clue(2, 'The broker refused.', 'broker.refused'), clue(6, `None of their groups has ${facts.attempt.pool}.`, 'no grant path')]
  },
  sentence: (facts) => `None of the person's groups was granted ${facts.attempt.pool ?? 'the pool'}.`,
  remedy: () => tell('Add the person to a group that has the pool', 'Not to the pool itself: single grants are found years later.'),
}

export const directoryLag: Cause = {
  id: 'directory-lag',
  about: 'failure',
  title: 'Directory not yet synchronised',
  at: ['person', 'group', 'pool'],
  prior: -4,
  toPerson: 'Your new access is on its way. Please try again later.',
  look(facts) {
    const path = grant(facts)
    const refused = facts.has('broker.refused', 'STATUS_NO_SUCH_USER', 'STATUS_LOGON_TYPE_NOT_GRANTED')
    if (!facts.failed || !refused || !path?.atSource || path.inCopy) return null
    const clues = [clue(2, 'The logon was refused.'), clue(6, `They have ${facts.attempt.pool} at the source of the directory, but not in its copy.`)]
    if (facts.number('freeDesktops') === 0) clues.push(against(7, 'No desktop was free anyway.', 'freeDesktops = 0'))
    return clues
  },
  sentence: () => 'The grant exists at the source of the directory but has not reached its copy.',
  remedy: () => tell('Synchronise the directory', 'Or wait for its next run.'),
}
