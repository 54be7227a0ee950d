import { describe, expect, it } from 'vitest'
import { readSet, type Policy } from '../../core/policies'
import { when as condition } from '../fixtures/policies'
import { timeZone } from '../kit/format'
import { freeId, sayCondition, sayThen, tryLink } from './set'

const say = (text: string) => {
  const { whom, when } = sayCondition(condition(text))
  return [whom, when]
}

describe('a policy in words', () => {
  it('says whom it is for, and apart from that when', () => {
    expect(say('always')).toEqual(['everybody', null])
    expect(say('group is crew')).toEqual(['crew', null])
    expect(say('group is crew and network is home')).toEqual(['crew', 'network is home'])
    expect(say('person is mara, ole and not network is office')).toEqual(['mara or ole', 'network is not office'])
    expect(say('not group is crew')).toEqual(['nobody of crew', null])
    expect(say('network is home')).toEqual(['everybody', 'network is home'])
  })

  it('says what it does in the order of the catalogue, and does not hide what it does not know', () => {
    const policy = { settings: { zzz: [1], disconnectedMinutes: 90, onFailure: 'temporary' } } as unknown as Policy
    const said = sayThen(policy)
    expect(said.map(({ title, known }) => [title, known])).toEqual([
      ['When the container cannot be had', true],
      ['Disconnected limit', true],
      ['zzz', false],
    ])
    expect(said.map((one) => one.said)).toEqual(['give a temporary profile', '90 min', '[1]'])
  })

  it('finds an id that no other has, whatever the name', () => {
    const set = readSet({ policies: [{ id: 'night-watch', name: 'Night watch', when: { all: [] }, settings: {} }] }).set
    expect(['Night watch', 'Nights!', '***', 'Base', 'Überfahrt 2'].map((name) => freeId(set, name))).toEqual([
      'night-watch-2',
      'nights',
      'policy',
      'base-2',
      'überfahrt-2',
    ])
  })

  it('links to a session that can be tried, with the moment as a field takes it', () => {
    timeZone.value = 'Europe/Copenhagen'
    const atMs = Date.UTC(2026, 10, 27, 4, 40)
    expect(tryLink({ person: 'mara', first: true, network: undefined, atMs })).toEqual({
      path: '/policies/try',
      query: { person: 'mara', first: 'true', at: '2026-11-27T05:40' },
    })
    timeZone.value = 'UTC'
  })
})
