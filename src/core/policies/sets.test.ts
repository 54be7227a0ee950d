import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { NOW, ORG, policy, policySet, sessionFacts } from './fixtures/arbitrary'
import { whatWouldChange } from './changes'
import { compile, factsOf } from './compile'
import { healthOf, simplified, simplify } from './health'
import { checkPromises } from './promises'
import { resolve } from './resolve'
import { sayValueOf } from './value'
import { settingOf } from './catalogue'
import { EMPTY_SET, type Policy, type PolicySet } from './set'
import { namesOf, universe } from './universe'
import { whyNot } from './why-not'
import { patternOf, type SessionFacts } from './facts'

const ready = factsOf(ORG)
const valuesOf = (set: PolicySet, facts: SessionFacts) =>
  new Map(resolve(compile(set), ready(facts)).settings.map(({ setting, said }) => [setting, said]))

describe('names told apart by patterns', () => {
  it('has one for every combination of answers that some name gives', () => {
    const pattern = fc.stringMatching(/^[ab*?]{1,4}$/)
    fc.assert(
      fc.property(fc.array(pattern, { minLength: 1, maxLength: 3 }), fc.stringMatching(/^[abc]{1,6}$/), (patterns, name) => {
        const { values, complete } = namesOf(patterns)
        expect(complete).toBe(true)
        const answers = (text: string) => [...new Set(patterns.map((one) => one.toLowerCase()))].map((one) => patternOf(one).test(text)).join()
        expect(values.some((value) => value !== undefined && answers(value) === answers(name))).toBe(true)
      }),
    )
  })
})

describe('what would change', () => {
  it('names exactly those who get something else in one of the sessions looked at', () => {
    fc.assert(
      fc.property(policySet(4), policySet(4), fc.array(sessionFacts, { minLength: 1, maxLength: 3 }), (before, after, given) => {
        const situations = given.map(({ person: _, ...facts }) => ({ facts, grants: null }))
        const { groups, people, decided } = whatWouldChange(before, after, ORG, { nowMs: NOW, situations })
        expect(decided).toBe(true)
        const expected = new Set<string>()
        for (const { facts } of situations)
          for (const { id, enabled } of ORG.people) {
            if (enabled === false) continue
            const [was, is] = [valuesOf(before, { ...facts, person: id }), valuesOf(after, { ...facts, person: id })]
            for (const setting of new Set([...was.keys(), ...is.keys()])) {
              // Where one set has nothing at all, the value is the default's.
              const [a, b] = [was.get(setting), is.get(setting)]
              if (a !== undefined && b !== undefined && a !== b) expected.add(`${id} ${setting} ${a} ${b}`)
            }
          }
        const found = new Set(groups.flatMap((group) => group.some.map((id) => `${id} ${group.setting} ${group.before} ${group.after}`)))
        for (const one of expected) expect([...found]).toContain(one)
        expect(people).toBeGreaterThanOrEqual(new Set([...expected].map((one) => one.split(' ')[0])).size)
        if (JSON.stringify(before) === JSON.stringify(after)) expect(groups).toEqual([])
      }),
      { numRuns: 300 },
    )
  })

  it('says who, where, under which circumstances, and which way', () => {
    const before: PolicySet = { ...EMPTY_SET, base: { disconnectedMinutes: 240, copyTextOut: 'on' } }
    const after: PolicySet = {
      ...before,
      policies: [
        policy('short', { when: { group: ['Crew'] }, settings: { disconnectedMinutes: 30 } }),
        policy('home', { when: { network: ['home'] }, settings: { copyTextOut: 'off' } }),
      ],
    }
    const { groups, people } = whatWouldChange(before, after, ORG, { nowMs: NOW })
    expect(groups.map(({ some, ...rest }) => ({ ...rest, some: [...some].sort() }))).toEqual([
      {
        setting: 'copyTextOut',
        title: 'Copying text out',
        before: 'on',
        after: 'off',
        values: { before: 'on', after: 'off' },
        direction: 'stricter',
        takesEffect: 'at once',
        people: 4,
        some: ['anders', 'ilse', 'jonas', 'mara'],
        pools: ['halls', 'desks'],
        only: [{ fact: 'network', values: ['home'] }],
      },
      {
        setting: 'disconnectedMinutes',
        title: 'Disconnected limit',
        before: '4 h',
        after: '30 min',
        values: { before: 240, after: 30 },
        direction: 'stricter',
        takesEffect: 'at once',
        people: 3,
        some: ['anders', 'ilse', 'mara'],
        // Ilse may use both pools.
        pools: ['halls', 'desks'],
        only: [],
      },
    ])
    expect(people).toBe(4)
    expect(whatWouldChange(after, before, ORG, { nowMs: NOW }).groups.map(({ direction }) => direction)).toEqual(['looser', 'looser'])
    // Also where the one policy that differs is the only one there is.
    const strong = {
      ...before,
      policies: [policy('strong', { when: { all: [{ group: ['Crew'] }, { signOn: 'second-factor' }] }, settings: { copyTextOut: 'off' } })],
    }
    expect(whatWouldChange(before, strong, ORG, { nowMs: NOW }).groups.map(({ only }) => only)).toEqual([
      [{ fact: 'factor', values: ['push', 'key'] }],
    ])
  })
})

describe('promises', () => {
  const promise = {
    id: 'crew',
    name: 'Crew outside',
    when: { all: [{ group: ['Crew'] }, { none: [{ address: ['10.0.0.0/8'] }] }] },
    then: [{ setting: 'copyTextOut', is: ['off'] }],
  }

  it('holds over all sessions, or names one that breaks it, which really does', () => {
    fc.assert(
      fc.property(policySet(4), fc.constantFrom('off', 'on'), (set, value) => {
        const whole = {
          ...set,
          promises: [
            {
              ...promise,
              then: [
                { setting: 'copyTextOut', is: [value] },
                { setting: 'signOnStrength', atLeast: 'second-factor' },
              ],
            },
          ],
        }
        const [verdict] = checkPromises(whole, ORG, NOW)
        for (const { example, setting, found } of verdict?.broken ?? []) {
          const said = resolve(compile(whole), ready(example)).settings.find((one) => one.setting === setting)?.said
          // Where nothing sets it, it has its default.
          const known = settingOf(setting)
          expect(said ?? (known && sayValueOf(known, known.default))).toBe(found)
        }
        if (verdict?.state !== 'kept') return
        // Sampled sessions must not break what was proven.
        for (const facts of fc.sample(sessionFacts, { numRuns: 30, seed: 7 })) {
          const host = ORG.hosts.find(({ id }) => id.toLowerCase() === facts.host?.toLowerCase())
          const pool = ORG.pools.find(({ id }) => id === host?.pool)
          const groups = ready(facts).groups
          if (
            !pool?.grants?.some((group) => groups?.has(group.toLowerCase())) ||
            !groups?.has('crew') ||
            facts.address?.startsWith('10.') ||
            facts.address?.includes('10.20')
          )
            continue
          expect(valuesOf(whole, facts).get('copyTextOut') ?? 'on').toBe(value)
        }
      }),
      { numRuns: 200 },
    )
  })

  it('is kept by a policy that covers all of it, and broken with an example by one that leaves a gap', () => {
    const set = (when: Policy['when']): PolicySet => ({
      ...EMPTY_SET,
      policies: [policy('strict', { when, settings: { copyTextOut: 'off' } })],
      promises: [promise],
    })
    expect(checkPromises(set({ group: ['everybody'] }), ORG, NOW)[0]).toMatchObject({ state: 'kept', people: 3 })
    const [gap] = checkPromises(set({ none: [{ address: ['10.0.0.0/7'] }] }), ORG, NOW)
    expect(gap?.state).toBe('broken')
    expect(gap?.broken[0]).toMatchObject({
      demanded: 'Copying text out: off',
      found: 'on',
      winner: 'default',
      people: 3,
      example: { person: 'mara', address: '11.0.0.0' },
    })
    expect(checkPromises({ ...set({ all: [] }), promises: [{ ...promise, when: { group: ['nobody-is-in-it'] } }] }, ORG, NOW)[0]?.state).toBe(
      'nobody',
    )
    expect(checkPromises(set({ rttMs: { below: 4 } }), ORG, NOW, 2)[0]?.state).toBe('not decided')
  })
})

describe('why not', () => {
  it('finds the smallest change of facts, and each way it names works', () => {
    fc.assert(
      fc.property(policySet(4), sessionFacts, fc.nat(3), (set, facts, at) => {
        const compiled = compile(set)
        const answer = whyNot(compiled, ORG, facts, at, null, NOW)
        const applies = resolve(compiled, ready(facts)).policies[at]?.applies ?? false
        expect(answer.state === 'wins').toBe(applies)
        if (!compiled.policies[at] || answer.state !== 'possible' || answer.asleep) return
        const size = answer.ways[0]?.changes.length ?? 0
        expect([size > 0, answer.ways.every(({ changes }) => changes.length === size)]).toEqual([true, true])
        const appliesWith = (one: SessionFacts) => resolve(compiled, ready(one)).policies[at]?.applies
        for (const { facts: changed } of answer.ways) expect(appliesWith(changed)).toBe(true)
        // No single fact of other sessions would have been enough where more than one was named.
        if (size < 2) return
        for (const other of fc.sample(sessionFacts, { numRuns: 10, seed: 11 }))
          for (const name of ['clientKind', 'clientName', 'clientVersion', 'address', 'network', 'rttMs', 'factor', 'first', 'atMs'] as const)
            if (other[name] !== undefined) expect(appliesWith({ ...facts, [name]: other[name] })).toBe(false)
      }),
      { numRuns: 200 },
    )
  })

  it('says it in words', () => {
    const set: PolicySet = {
      ...EMPTY_SET,
      policies: [
        policy('top', { when: { zone: ['Q2'] }, settings: { idleMinutes: 5 } }),
        policy('wanted', { when: { all: [{ group: ['Office'] }, { network: ['home'] }] }, settings: { idleMinutes: 60 } }),
        policy('off', { state: 'off', settings: { idleMinutes: 1 } }),
      ],
    }
    const ask = (facts: SessionFacts, at = 1) => {
      const answer = whyNot(compile(set), ORG, facts, at, 'idleMinutes', NOW)
      return [answer.state, answer.asleep?.code ?? null, ...answer.ways.map(({ changes }) => changes.map(({ sentence }) => sentence).join(' and '))]
    }
    expect(ask({ person: 'jonas', host: 'D-1', network: 'office' })).toEqual(['possible', null, 'the network is home'])
    expect(ask({ person: 'mara', host: 'H-1', network: 'office' })).toEqual(['possible', null, 'the person is in Office and the network is home'])
    expect(ask({ person: 'jonas', host: 'H-2', network: 'home' })).toEqual(['possible', null, 'the host is H-1', 'the pool is desks, such as on D-1'])
    expect(ask({ person: 'jonas', host: 'D-1', network: 'home' })).toEqual(['wins', null])
    expect(ask({ person: 'tove', host: 'D-1' }, 2)).toEqual(['possible', 'off', ''])
    // Two groups are two changes; leaving a group means leaving the one through which one is in it.
    const two: PolicySet = {
      ...EMPTY_SET,
      policies: [
        policy('both', { when: { all: [{ group: ['Crew'] }, { group: ['Office'] }, { none: [{ person: ['tove'] }] }] } }),
        policy('no', { when: { none: [{ group: ['Crew'] }] } }),
      ],
    }
    const wanted = (person: string, at: number) =>
      whyNot(compile(two), ORG, { person }, at, null, NOW).ways.map(({ changes }) => changes.map(({ sentence }) => sentence).join(' and '))
    expect(wanted('jonas', 0)).toEqual(['the person is in Crew'])
    expect(wanted('tove', 0)).toEqual(['the person is another, in the same groups and the person is in Office and the person is in Crew'])
    expect(wanted('mara', 1)).toEqual(['the person is not in Crew'])
  })
})

describe('health of a set', () => {
  it('finds what can never win, never apply, does nothing, is expired, unknown or personal', () => {
    const set: PolicySet = {
      ...EMPTY_SET,
      base: { printing: 'off', containers: 'on', locations: [] },
      policies: [
        policy('all', { settings: { idleMinutes: 30 } }),
        policy('shadowed', { when: { group: ['Crew'] }, settings: { idleMinutes: 60 } }),
        policy('partly', { when: { group: ['Crew'] }, settings: { idleMinutes: 60, lockMinutes: 5 } }),
        policy('impossible', { when: { all: [{ pool: ['halls'] }, { host: ['D-*'] }] }, settings: { lockMinutes: 1 } }),
        policy('idle', { settings: { printersTaken: 'all' } }),
        policy('named', { when: { person: ['mara'] }, settings: { camera: 'on' }, since: '2024-03-01T00:00:00Z' }),
        policy('over', { until: '2026-01-01T00:00:00Z', settings: { camera: 'on' } }),
        policy('strange', { when: { group: ['Ghosts'] }, settings: { futureThing: 1 } }),
        policy('admins', { when: { pool: ['halls'] }, settings: { localAdministrator: 'assigned' } }),
      ],
    }
    const found = healthOf(set, ORG, NOW).map(({ code, policy: id }) => `${id ?? '–'}: ${code}`)
    expect(found.sort()).toEqual(
      [
        'shadowed: never wins',
        'partly: loses everywhere',
        'impossible: never applies',
        'idle: does nothing',
        'named: named persons',
        'over: expired',
        'strange: never applies',
        'strange: unknown name',
        'strange: unknown setting',
        'admins: many administrators',
        '–: no usable location',
      ].sort(),
    )
    expect(healthOf(set, ORG, NOW).find(({ code }) => code === 'no usable location')?.people).toBe(4)
  })

  it('calls nothing dead that decides somewhere', () => {
    fc.assert(
      fc.property(policySet(4), fc.array(sessionFacts, { minLength: 1, maxLength: 20 }), (set, sessions) => {
        const dead = new Set(
          healthOf(set, ORG, NOW).flatMap(({ code, policy: id }) => (code === 'never wins' || code === 'never applies' ? [id] : [])),
        )
        for (const facts of sessions) {
          const host = ORG.hosts.find(({ id }) => id.toLowerCase() === facts.host?.toLowerCase())
          const pool = ORG.pools.find(({ id }) => id === host?.pool)
          // Only sessions that can be: people on pools that they were granted.
          if (!pool?.grants?.some((group) => ready(facts).groups?.has(group.toLowerCase()))) continue
          for (const { policy: id, wins } of resolve(compile(set), ready(facts)).policies) if (wins.length) expect([...dead]).not.toContain(id)
        }
      }),
      { numRuns: 150 },
    )
  })

  it('says the same with less, and nobody notices', () => {
    const set: PolicySet = {
      ...EMPTY_SET,
      base: { idleMinutes: 30, lockMinutes: 5 },
      policies: [
        policy('one', { when: { group: ['Crew'] }, settings: { idleMinutes: 60 } }),
        policy('two', { when: { group: ['Office'] }, settings: { idleMinutes: 60 } }),
        policy('same', { when: { zone: ['Q1'] }, settings: { lockMinutes: 5, camera: 'on' } }),
        policy('shadow', { when: { group: ['Deck'] }, settings: { idleMinutes: 15 } }),
      ],
    }
    const found = simplify(set, ORG, NOW)
    expect(found.map(({ sentence }) => sentence)).toEqual([
      'one and two set the same: they can be one.',
      'same need not set Lock after: the same results without.',
      'shadow can go: nothing changes for anybody.',
    ])
    fc.assert(
      fc.property(sessionFacts, (facts) => {
        for (const one of found) expect(valuesOf(simplified(set, one), facts)).toEqual(valuesOf(set, facts))
      }),
    )
  })
})

describe('simplifications of random sets', () => {
  it('change nothing for anybody in any session that can be', () => {
    fc.assert(
      fc.property(policySet(5), fc.array(sessionFacts, { minLength: 1, maxLength: 12 }), (set, sessions) => {
        const whole = {
          ...set,
          base: {
            disconnectedMinutes: 'none',
            copyTextOut: 'on',
            clientDrives: 'no',
            clientSticks: 'off',
            signOnStrength: 'password',
            packages: [],
            pathRules: [],
            ...set.base,
          },
        }
        const found = simplify(whole, ORG, NOW)
        for (const facts of sessions) {
          const host = ORG.hosts.find(({ id }) => id.toLowerCase() === facts.host?.toLowerCase())
          const pool = ORG.pools.find(({ id }) => id === host?.pool)
          if (!pool?.grants?.some((group) => ready(facts).groups?.has(group.toLowerCase()))) continue
          for (const one of found) expect(valuesOf(simplified(whole, one), facts)).toEqual(valuesOf(whole, facts))
        }
      }),
      { numRuns: 50 },
    )
  })

  it('are found in time, and groups that are in each other do no harm', () => {
    const org = {
      ...ORG,
      groups: [...ORG.groups, { id: 'A', memberOf: ['B'] }, { id: 'B', memberOf: ['A'] }],
      people: [...ORG.people, { id: 'loop', groups: ['A'] }],
    }
    const set = {
      ...EMPTY_SET,
      policies: [
        policy('b', { when: { group: ['B'] }, settings: { camera: 'on' } }),
        policy('c', { when: { group: ['A'] }, settings: { camera: 'on' } }),
      ],
    }
    expect(simplify(set, org, NOW).map(({ sentence }) => sentence)).toEqual([
      'b can go: nothing changes for anybody.',
      'c can go: nothing changes for anybody.',
    ])
    expect(
      checkPromises(
        { ...set, promises: [{ id: 'p', name: 'p', when: { group: ['A'] }, then: [{ setting: 'camera', is: ['on'] }] }] },
        { ...org, pools: [{ id: 'x' }] },
        NOW,
      )[0],
    ).toMatchObject({ state: 'kept', people: 1 })
  })
})

describe('the situations of a set', () => {
  it('are few, and their number is told where they are too many', () => {
    const set: PolicySet = {
      ...EMPTY_SET,
      policies: [policy('p', { when: { all: [{ rttMs: { from: 80 } }, { zone: ['Q1'] }] }, settings: { camera: 'on' } })],
    }
    // Three places (halls in Q1 and elsewhere, desks in Q1), and a round trip below 80, from 80, not known.
    expect(universe(compile(set), ORG, { nowMs: NOW })).toMatchObject({ complete: true, count: 9 })
    expect(universe(compile(set), ORG, { nowMs: NOW, limit: 8 })).toEqual({ situations: [], complete: false, count: 9 })
  })
})
