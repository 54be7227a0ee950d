import { describe, expect, it } from 'vitest'
import type { ChangeGroup } from './changes'
import { effectQuestions, sayEffect, type EffectAnswer } from './effects'

const group = (setting: string, before: unknown, after: unknown): ChangeGroup => ({
  setting,
  title: setting,
  before: String(before),
  after: String(after),
  values: { before, after },
  direction: 'other',
  takesEffect: 'next logon',
  people: 12,
  some: [],
  pools: ['ticket-hall'],
  only: [],
})
const ask = (setting: string, before: unknown, after: unknown) => effectQuestions([group(setting, before, after)])
const said = (setting: string, before: unknown, after: unknown, answer: EffectAnswer) => {
  const [question] = ask(setting, before, after)
  if (!question) throw new Error('nothing was asked')
  return sayEffect(question, answer, 7)
}

describe('what changes do to logons', () => {
  it('asks only where past logons can tell', () => {
    expect(ask('copyTextOut', 'allowed', 'not')).toEqual([])
    expect(ask('locations', ['a', 'b'], ['a', 'c'])).toEqual([])
    expect(ask('transport', 'direct-first', 'direct-only')).toEqual([])
    expect(ask('signOnStrength', 'second-factor', 'key')).toEqual([])
    expect(ask('locations', ['a'], ['b', 'a'])[0]?.ask).toMatchObject({ kind: 'split', by: 'first', phase: 'total' })
    expect(ask('transport', 'relay', 'direct-first')[0]?.ask).toMatchObject({ before: { values: ['relay'] }, after: { values: ['direct'] } })
    expect(ask('heldWaitSeconds', 45, 10)[0]?.ask).toEqual({
      kind: 'beyond',
      phase: 'container',
      beforeMs: 45_000,
      afterMs: 10_000,
      cause: 'container-held',
    })
  })

  it('says by how much, and on how many logons that rests; of too few it says that it does not know', () => {
    const strong = said('signOnStrength', 'password', 'second-factor', { kind: 'split', before: { n: 900, ms: 2100 }, after: { n: 300, ms: 11_400 } })
    expect([strong.byMs, strong.sentence]).toEqual([
      9300,
      'Sign-on takes 2.1 s with a password, 11.4 s with a second factor, in the middle (900 and 300 logons in 7 days on these pools).',
    ])
    const few = said('locations', ['a'], ['b'], { kind: 'split', before: { n: 900, ms: 21_000 }, after: { n: 3, ms: 60_000 } })
    expect([few.byMs, few.sentence]).toEqual([null, 'Not known: in 7 days there were 3 logons for the first time on these pools.'])
    expect(said('slowSeconds', 45, 30, { kind: 'beyond', logons: 5000, before: 40, after: 410 }).sentence).toBe(
      'Of 5000 logons in 7 days 40 were called slow (beyond 45.0 s); 410 would be (beyond 30.0 s).',
    )
    expect(effectQuestions([group('slowSeconds', 45, 30)], ['ticket-hall'])).toEqual([])
    expect(said('heldWaitSeconds', 120, 10, { kind: 'beyond', logons: 9, before: 1, after: 8 }).sentence).toContain(
      'Of 9 logons in 7 days that found their container held, 1 spent more than 2 min 0 s in container, the limit now; 8 more than 10.0 s, the limit then.',
    )
  })
})
