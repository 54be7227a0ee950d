import { describe, expect, it } from 'vitest'
import { inOneName } from './one-name'
import { EMPTY_ORG } from './org'

const SID = 'S-1-5-21-1-2-3-1105'
const named = inOneName({
  ...EMPTY_ORG,
  people: [
    { id: 'p1', accounts: ['LARKMERE\\mara', 'lang@larkmere.example', SID] },
    { id: 'p2', sid: 'S-1-5-21-1-2-3-1106' },
  ],
})
const nameOf = (person: string, attempt?: string) => named({ person, attempt }).person

describe('one name', () => {
  it('is that of the first account, whichever a source names', () => {
    expect(nameOf(SID)).toBe('LARKMERE\\mara')
    expect(nameOf(SID.toLowerCase())).toBe('LARKMERE\\mara')
    expect(nameOf('LARKMERE\\lang')).toBe('LARKMERE\\mara')
    expect(nameOf('p1')).toBe('LARKMERE\\mara')
    expect(nameOf('S-1-5-21-1-2-3-1106')).toBe('p2')
  })

  it('is as it was written where that is it, in any form, where nobody knows it, and where an id brings it together', () => {
    for (const written of ['LARKMERE\\mara', 'Mara@larkmere.example', 'somebody', 'S-1-5-21-9-9-9-500']) expect(nameOf(written)).toBe(written)
    expect(nameOf('LARKMERE\\lang', 'a1')).toBe('LARKMERE\\lang')
    // A SID is no name for anybody who reads it.
    expect(nameOf(SID, 'a1')).toBe('LARKMERE\\mara')
    const one = { kind: 'mark', person: undefined }
    expect(named(one)).toBe(one)
    expect(inOneName(EMPTY_ORG)({ person: SID }).person).toBe(SID)
  })
})
