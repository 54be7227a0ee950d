import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { condition, NOW, ORG, policy, policySet, sessionFacts } from './fixtures/arbitrary'
import { oracleHolds, oracleValue } from './fixtures/oracle'
import { CATALOGUE, settingOf } from './catalogue'
import { compile, factsOf } from './compile'
import { plain } from './condition'
import { matrixOf } from './matrix'
import { combine, explain, resolve, valueResolver } from './resolve'
import { EMPTY_SET, readSet } from './set'
import { completions, readText, writeText } from './text'
import { universe } from './universe'

const ready = factsOf(ORG)

describe('conditions', () => {
  it('hold as a second evaluator says, which uses ipaddr.js and Intl', () => {
    fc.assert(
      fc.property(condition, sessionFacts, (when, facts) => {
        const set = { ...EMPTY_SET, networks: [{ id: 'far', addresses: ['10.20.0.0/16'], rttMs: { from: 100 } }] }
        const effective = resolve(compile({ ...set, policies: [policy('p', { when })] }), ready(facts))
        expect(effective.policies[0]?.applies).toBe(oracleHolds(when, facts, set, ORG))
        // What is false can be told from its parts, unless it has none.
        if (!effective.policies[0]?.applies && !hasEmptyGroup(when)) expect(explain(when, ready(facts), set.networks, true).length).toBeGreaterThan(0)
      }),
      { numRuns: 3000 },
    )
  })

  it('mean the same as text: written, read again, and in their short form', () => {
    fc.assert(
      fc.property(condition, (when) => {
        const text = writeText(when)
        const reading = readText(text)
        if (!reading.ok) throw new Error(`${text}: ${reading.sentence}`)
        expect(writeText(reading.condition)).toBe(text)
        expect(reading.condition).toEqual(plain(readAgain(when)))
      }),
      { numRuns: 1000 },
    )
  })
})

describe('what could be typed next', () => {
  const known = { group: ['halls north', 'crew'], timeZone: ['Europe/Copenhagen'] }
  it.each([
    ['', 0, ['not', '(', 'client name', 'client version', 'round trip', 'person', 'group']],
    ['gr', 0, ['group']],
    ['group ', 6, ['is']],
    ['group is "ha', 9, ['"halls north"']],
    ['group is "halls north" ', 23, ['and', 'or']],
    ['group is "halls north" and network i', 35, ['is']],
    ['group is crew and not f', 22, ['first logon']],
    ['sign-on at least ', 17, ['second-factor', 'key']],
    ['time in Mon-Fri Eu', 16, ['Europe/Copenhagen']],
    ['group is crew ) ', 16, []],
  ])('%j', (text, from, words) => {
    const found = completions(text, known)
    expect([found.from, found.words.slice(0, words.length)]).toEqual([from, words])
    if (words.length === 0) expect(found.words).toEqual([])
  })

  it('says where a text was not understood, and never throws', () => {
    expect(readText('group is crew andd pool is x')).toMatchObject({ ok: false, at: 14, expected: ['and', 'or'] })
    expect(readText('group is "crew')).toMatchObject({ ok: false, at: 9 })
    expect(readText('address in 10.0.0.300')).toMatchObject({ ok: false, sentence: expect.stringContaining('no range of addresses') })
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom(...'group is not and or ( ) "x", from below 1 time in Mon-Fri '.split(' '), ' ', 'ø') }),
        (text) => {
          readText(text)
          completions(text, known)
        },
      ),
    )
  })
})

/** Lists of days are written as runs; everything else comes back as it was. */
const readAgain = (when: Parameters<typeof plain>[0]) => {
  const reading = readText(writeText(when))
  return reading.ok ? reading.condition : when
}
/** `any: []` holds for nothing, `all: []` always: neither has a part that could be named. */
const hasEmptyGroup = (when: unknown) => /"(any|all|none)":\[\]/.test(JSON.stringify(when))

describe('one session', () => {
  const IDS = ['disconnectedMinutes', 'copyTextOut', 'clientDrives', 'packages', 'pathRules', 'signOnStrength']

  it('gets what the second evaluator finds, setting by setting', () => {
    fc.assert(
      fc.property(policySet(), sessionFacts, (set, facts) => {
        const { settings } = resolve(compile(set), ready(facts))
        for (const id of IDS) {
          const expected = oracleValue(set, ORG, facts, id)
          const found = settings.find(({ setting }) => setting === id)
          expect([found?.value ?? settingOf(id)?.default, found?.winner ?? 'default']).toEqual([expected.value, expected.winner])
        }
      }),
      { numRuns: 1500 },
    )
  })

  it('names each policy that sets something, once, as winner or loser with a reason', () => {
    fc.assert(
      fc.property(policySet(), sessionFacts, (set, facts) => {
        for (const { setting, winner, parts, losers } of resolve(compile(set), ready(facts)).settings) {
          const setters = set.policies.filter(({ settings }) => setting in settings).map(({ id }) => id)
          if (setting in set.base) setters.push('base')
          expect([...(winner === 'default' ? [] : parts), ...losers.map(({ policy: id }) => id)].sort()).toEqual(setters.sort())
          for (const { reason } of losers) expect(reason.sentence.length).toBeGreaterThan(5)
        }
      }),
    )
  })

  it('says which part of a condition was false, what was found and what was needed', () => {
    const set = {
      ...EMPTY_SET,
      policies: [
        policy('strict', { when: { all: [{ group: ['Crew'] }, { none: [{ address: ['10.0.0.0/8'] }] }] }, settings: { copyTextOut: 'off' } }),
      ],
    }
    const effective = resolve(compile(set), ready({ person: 'mara', address: '10.1.2.3' }))
    expect(effective.settings[0]?.losers[0]?.reason).toEqual({
      code: 'condition',
      sentence: 'Needed: not address in 10.0.0.0/8; found: 10.1.2.3.',
      findings: [{ part: 'address in 10.0.0.0/8', found: '10.1.2.3', needed: 'not address in 10.0.0.0/8' }],
    })
  })

  it('tells outranked from overruled, and what does nothing', () => {
    const set = {
      ...EMPTY_SET,
      base: { printing: 'off' },
      policies: [
        policy('high', { settings: { clientDrives: 'read', disconnectedMinutes: 240 } }),
        policy('low', { settings: { clientDrives: 'no', disconnectedMinutes: 30, printersTaken: 'all' } }),
      ],
    }
    const { settings } = resolve(compile(set), ready({ person: 'mara' }))
    const of = (id: string) => settings.find(({ setting }) => setting === id)
    // The higher of two orders wins: common practice, no published source.
    expect(of('disconnectedMinutes')).toMatchObject({
      winner: 'high',
      said: '4 h',
      losers: [{ policy: 'low', reason: { code: 'outranked', by: 'high' } }],
    })
    expect(of('clientDrives')).toMatchObject({ winner: 'low', losers: [{ policy: 'high', reason: { code: 'overruled', by: 'low' } }] })
    expect(of('printersTaken')?.idle?.sentence).toBe('It does nothing, because Printing is: off.')
  })
})

describe('combining rules', () => {
  const setting = (rule: string) =>
    CATALOGUE.filter(({ combine: one, stricter }) => one === rule && (rule === 'first' || rule === 'union' || stricter !== null))
  const bid = (by: number, value: unknown) => ({ by, value })

  // XACML 3.0, C.2 deny-overrides, C.4 permit-overrides, C.8 first-applicable, with Deny as off, Permit as on; values written from the text from memory.
  it.each([
    ['strictest', ['on', 'off', 'on'], 'off'],
    ['strictest', ['on', 'on'], 'on'],
    ['loosest', ['off', 'on', 'off'], 'on'],
    ['loosest', ['off', 'off'], 'off'],
    ['first', ['on', 'off'], 'on'],
    ['first', ['off', 'on'], 'off'],
  ] as const)('%s of %j is %s, as in XACML', (rule, values, expected) => {
    const copy = settingOf('copyTextOut')
    if (!copy) throw new Error('copyTextOut')
    expect(
      combine(
        { ...copy, combine: rule },
        values.map((value, by) => bid(by, value)),
        undefined,
      ).value,
    ).toBe(expected)
  })

  it('strictest, loosest and union do not care for the order; all are idempotent; the base speaks last', () => {
    const numbers = fc.array(fc.oneof(fc.integer({ min: 1, max: 9 }), fc.constant('none')), { minLength: 1, maxLength: 6 })
    const limit = settingOf('lockMinutes')
    const lists = settingOf('packages')
    if (!limit || !lists) throw new Error('catalogue')
    fc.assert(
      fc.property(numbers, fc.integer(), fc.constantFrom('strictest' as const, 'loosest' as const), (values, seed, rule) => {
        const one = { ...limit, combine: rule }
        const shuffled = [...values].sort((a, b) => Math.imul(seed, String(a).charCodeAt(0)) - Math.imul(seed, String(b).charCodeAt(0)))
        const value = combine(
          one,
          values.map((v, i) => bid(i, v)),
          5,
        ).value
        expect(
          combine(
            one,
            shuffled.map((v, i) => bid(i, v)),
            7,
          ).value,
        ).toEqual(value)
        expect(combine(one, [bid(0, value), bid(1, value)], undefined).value).toEqual(value)
      }),
    )
    const names = fc.array(fc.subarray(['a', 'b', 'c', 'd']), { maxLength: 4 })
    fc.assert(
      fc.property(names, (values) => {
        const forward = combine(
          lists,
          values.map((v, i) => bid(i, v)),
          ['z'],
        ).value
        expect(
          combine(
            lists,
            [...values].reverse().map((v, i) => bid(i, v)),
            ['z'],
          ).value,
        ).toEqual(forward)
        expect(combine(lists, [bid(0, forward), bid(1, forward)], undefined).value).toEqual(forward)
      }),
    )
    expect(combine(limit, [], 5)).toEqual({ value: 5, by: -1, parts: [-1] })
    expect(combine(limit, [], undefined)).toEqual({ value: 15, by: -2, parts: [] })
  })

  it('every rule in the catalogue can be carried out', () => {
    for (const rule of ['strictest', 'loosest'])
      for (const one of CATALOGUE.filter(({ combine: c }) => c === rule)) expect([one.id, one.stricter !== null]).toEqual([one.id, true])
    for (const rule of ['union', 'append']) for (const one of CATALOGUE.filter(({ combine: c }) => c === rule)) expect(one.type.kind).toBe('list')
    expect(setting('first').length).toBeGreaterThan(20)
  })
})

describe('values alone', () => {
  it('are those that one session gets with reasons', () => {
    fc.assert(
      fc.property(policySet(), fc.array(sessionFacts, { minLength: 1, maxLength: 5 }), (set, sessions) => {
        const compiled = compile(set)
        const values = valueResolver(compiled)
        for (const facts of sessions)
          expect(values(ready(facts))).toEqual(
            Object.fromEntries(resolve(compiled, ready(facts)).settings.map(({ setting, value }) => [setting, value])),
          )
      }),
    )
  })
})

describe('all people at once', () => {
  it('everybody gets in their class what they get alone', () => {
    fc.assert(
      fc.property(policySet(), fc.array(sessionFacts, { minLength: 1, maxLength: 4 }), (set, given) => {
        const compiled = compile(set)
        const situations = given.map(({ person: _, ...facts }) => ({ facts, grants: null }))
        const matrix = matrixOf(compiled, ORG, situations)
        for (const [s, { facts }] of situations.entries())
          for (const [c, { people }] of matrix.classes.entries())
            for (const { id } of people) {
              const alone = resolve(compiled, ready({ ...facts, person: id }))
              const result = matrix.results[matrix.cells[s]?.[c] ?? -1]
              for (const [at, setting] of matrix.settings.entries())
                expect(result?.values[at]).toEqual(alone.settings.find((one) => one.setting === setting.id)?.value)
              expect(result?.applying.filter((p) => Object.keys(set.policies[p]?.settings ?? {}).length)).toEqual(
                alone.policies.flatMap(({ applies }, p) =>
                  applies && Object.keys(set.policies[p]?.settings ?? {}).some((id) => settingOf(id)) ? [p] : [],
                ),
              )
            }
        expect(matrix.classes.flatMap(({ people }) => people.map(({ id }) => id)).sort()).toEqual(['anders', 'ilse', 'jonas', 'mara', 'tove'])
      }),
      { numRuns: 300 },
    )
  })

  it('the situations of a set hold one for every session that could be', () => {
    fc.assert(
      fc.property(policySet(2), sessionFacts, (set, facts) => {
        const compiled = compile(set)
        const host = ORG.hosts.find(({ id }) => id.toLowerCase() === facts.host?.toLowerCase())
        const found = universe(compiled, ORG, { nowMs: NOW, days: 6, limit: 400_000 })
        if (!found.complete) return
        // Some situation gives every leaf the answer that this session gives, so every policy too.
        const answers = (given: typeof facts) =>
          compiled.leaves.map(({ test }) => test(ready(given))).join() +
          compiled.policies.map(({ policy: { state }, untilMs }) => state !== 'on' || (given.atMs ?? 0) < untilMs).join()
        const wanted = answers({ ...facts, pool: host?.pool })
        expect(found.situations.some(({ facts: one }) => answers({ ...one, person: facts.person }) === wanted)).toBe(true)
      }),
      { numRuns: 400 },
    )
  })
})

describe('a set from outside', () => {
  it('is read whole, or told what is wrong where, and never throws', () => {
    fc.assert(fc.property(fc.jsonValue(), (given) => void readSet(given)))
    fc.assert(
      fc.property(policySet(), (set) => {
        const again = readSet(JSON.parse(JSON.stringify(set)))
        // A leaf list is never empty in these sets, so nothing can be wrong.
        expect(again.faults).toEqual([])
        expect(again.set).toEqual(set)
      }),
    )
    const { set, faults, leftOut } = readSet({
      base: { idleMinutes: 0, somethingNew: 1 },
      policies: [
        { id: 'good', when: { group: ['crew'] }, settings: { idleMinutes: 30 } },
        { id: 'bad', when: { group: [], pool: ['x'] }, settings: { containers: 'maybe' } },
        { id: 'good', when: { address: ['10.0.0.0/99'] } },
        { id: 'host-wide', when: { person: ['mara'] }, settings: { containers: 'off' } },
        'nothing',
      ],
    })
    expect(set.policies.map(({ id }) => id)).toEqual(['good'])
    expect(set.base).toEqual({ somethingNew: 1 })
    expect(faults.map(({ path, weight }) => `${path} ${weight}`)).toEqual([
      'base.idleMinutes wrong',
      'base.somethingNew unknown',
      'policies[1].when wrong',
      'policies[1].settings.containers wrong',
      'policies[2].id wrong',
      'policies[2].when.address wrong',
      'policies[3].settings.containers wrong',
      'policies[4] wrong',
    ])
    expect(leftOut).toEqual(['bad', 'good', 'host-wide', 'policies[4]'])
  })

  it('bears depth and number: 50 deep is read, 200 deep is refused, 10,000 policies are read', () => {
    const deep = (n: number): unknown => (n === 0 ? { pool: ['halls'] } : { none: [deep(n - 1)] })
    const one = (n: number) => readSet({ policies: [{ id: 'deep', when: deep(n), settings: {} }] })
    expect(one(50).faults).toEqual([])
    expect(resolve(compile(one(50).set), ready({ pool: 'halls' })).policies[0]?.applies).toBe(true)
    expect(one(200).faults[0]?.sentence).toContain('deep')
    const many = readSet({
      policies: Array.from({ length: 10_000 }, (_, i) => ({ id: `p${i}`, when: { pool: [`x${i}`] }, settings: { idleMinutes: 5 } })),
    })
    expect([many.faults.length, resolve(compile(many.set), ready({ pool: 'x9999' })).settings[0]?.winner]).toEqual([0, 'p9999'])
    expect(readSet({ policies: Array(10_001).fill({}) }).faults[0]?.path).toBe('policies')
  })
})
