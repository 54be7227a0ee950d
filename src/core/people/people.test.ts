import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readAccount } from './account'
import { EMPTY_ORG, grantOf, transitiveGroups } from './org'

describe('an account', () => {
  it.each([
    ['LARKMERE\\Mara', 'domain', 'mara', 'LARKMERE'],
    ['Mara@larkmere.example', 'address', 'mara', 'larkmere.example'],
    [' mara ', 'short', 'mara', null],
    ['S-1-5-21-1-2-3-1104', 'sid', 's-1-5-21-1-2-3-1104', null],
  ])('%s is of the form %s', (written, form, key, domain) => {
    expect(readAccount(written)).toMatchObject({ form, key, domain })
  })

  it('has one key for all its forms', () => {
    fc.assert(
      fc.property(fc.stringMatching(/^[a-z][a-z0-9.-]{0,15}$/), (name) => {
        const keys = [name, name.toUpperCase(), `CORP\\${name}`, `${name}@corp.example`].map((written) => readAccount(written).key)
        expect(new Set(keys)).toEqual(new Set([name]))
      }),
    )
  })

  it('survives any text', () => {
    fc.assert(
      fc.property(fc.string(), (written) => {
        expect(typeof readAccount(written).key).toBe('string')
      }),
    )
  })
})

describe('groups', () => {
  it('are transitive, and a circle of groups is harmless', () => {
    const groups = [{ id: 'a', memberOf: ['b'] }, { id: 'b', memberOf: ['c'] }, { id: 'c', memberOf: ['a'] }, { id: 'd' }]
    expect([...transitiveGroups(['a'], groups)].sort()).toEqual(['a', 'b', 'c'])
    expect([...transitiveGroups([], groups)]).toEqual([])
  })

  it('give a pool through nesting; at the source and in the copy apart', () => {
    const org = {
      ...EMPTY_ORG,
      groups: [{ id: 'halls', memberOf: ['desktops'] }],
      pools: [{ id: 'p', grants: ['desktops'] }, { id: 'open' }],
      people: [{ id: 'Mara', groups: ['halls'] }, { id: 'ole', groups: [], groupsAtSource: ['halls'] }, { id: 'una' }],
    }
    expect(grantOf(org, 'mara', 'p')).toEqual({ inCopy: true, atSource: true })
    expect(grantOf(org, 'ole', 'p')).toEqual({ inCopy: false, atSource: true })
    expect([grantOf(org, 'una', 'p'), grantOf(org, 'mara', 'open'), grantOf(org, 'nobody', 'p')]).toEqual([null, null, null])
  })
})
