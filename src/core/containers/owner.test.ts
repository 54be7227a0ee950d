import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { ownerOf, readNaming, type Owners } from './owner'

const SID = (n: number) => `S-1-5-21-7-7-7-${n}`
const people: Owners = {
  byAccount: new Map([
    ['mara', 'mara'],
    ['mara.lind', 'mara.lind'],
    ['jonas', 'jonas'],
    ['jl', 'jonas'],
  ]),
  bySid: new Map([
    [SID(1), 'mara'],
    [SID(2), 'jonas'],
  ]),
}
const naming = (text: string) => {
  const reading = readNaming(text)
  if (!reading.ok) throw new Error(reading.sentence)
  return reading.naming
}
const whose = (text: string, file: string) => ownerOf(file, naming(text), people)

describe('whose a container is', () => {
  it.each([
    ['%account%', 'mara/profile.vhdx', 'mara', 'naming'],
    ['%account%', 'MARA/deep/er/profile.vhdx', 'mara', 'naming'],
    ['%ACCOUNT%', 'Jl/profile.vhdx', 'jonas', 'naming'],
    ['%account%', 'nobody.at.all/profile.vhdx', 'nobody.at.all', 'naming'],
    ['%sid%', `${SID(2)}/profile.vhdx`, 'jonas', 'naming'],
    ['%sid%', `${SID(2).toLowerCase()}/profile.vhdx`, 'jonas', 'naming'],
    ['%sid%', `${SID(9)}/profile.vhdx`, null, null],
    ['%sid%_%account%', `${SID(1)}_renamed/profile.vhdx`, 'mara', 'naming'],
    ['%account%_%sid%', `somebody_${SID(9)}/p.vhdx`, 'somebody', 'naming'],
    ['profiles\\%account%', 'profiles/mara/x.vhdx', 'mara', 'naming'],
    ['profiles/%account%', 'other/mara/x.vhdx', null, null],
    ['%account%.%any%', 'mara.larkmere/p.vhdx', 'mara', 'naming'],
    ['%account%.%any%', 'mara.lind.larkmere/p.vhdx', 'mara.lind', 'naming'],
    ['%any%-%account%', 'larkmere-mara/p.vhdx', 'mara', 'naming'],
    ['%any%/%account%', 'H1/mara/p.vhdx', 'mara', 'naming'],
    ['%any%-%any%-%account%', 'x-y-mara.lind/p.vhdx', 'mara.lind', 'naming'],
    // A naming whose last piece is the file itself.
    ['%account%', 'mara.vhdx', 'mara', 'naming'],
    ['%account%', 'golden.vhdx', null, null],
    // Where the naming does not fit, a SID of somebody who is known.
    ['%account%-home', `old/${SID(1)}/p.vhdx`, 'mara', 'sid'],
    ['%account%-home', `profile_${SID(2)}.vhd`, 'jonas', 'sid'],
    ['%account%', `${SID(2)}/p.vhdx`, 'jonas', 'sid'],
    ['%account%', `mara/${SID(2)}.vhdx`, 'mara', 'naming'],
    ['a.b/%account%', 'axb/mara/p.vhdx', null, null],
  ])('%s: %s', (text, file, person, by) => {
    expect(whose(text, file)).toEqual({ person, by })
  })

  it.each([
    ['', 'Say how'],
    ['  / ', 'Say how'],
    ['profiles', 'Neither'],
    ['%any%', 'Neither'],
    ['%nickname%', '%nickname% is not known here'],
    ['%account', 'percent sign'],
    ['%any%account%', 'percent sign'],
    ['%account%%account%', 'stand once only'],
    ['a/b/c/d/e/f/g/h/%account%', 'More than 8'],
    ['%any%-%any%_%any%.%account%', 'at most'],
  ])('refuses “%s” and says why', (text, sentence) => {
    const reading = readNaming(text)
    expect(reading.ok ? '' : reading.sentence).toContain(sentence)
  })

  it('is found again under any name that its naming makes, and never throws on others', () => {
    const part = fc.stringMatching(/^[a-z0-9 ()+.-]{1,12}$/)
    fc.assert(
      fc.property(part, part, fc.constantFrom('mara', 'mara.lind', 'jl'), (before, behind, account) => {
        const text = `${before}[%account%]${behind}`.trim()
        expect(whose(text, `${text.replace('%account%', account)}/x.vhdx`).person).toBe(people.byAccount.get(account))
      }),
    )
    fc.assert(
      fc.property(fc.string({ maxLength: 40 }), fc.string({ maxLength: 60 }), (text, file) => {
        const reading = readNaming(text)
        if (reading.ok) expect([null, 'naming', 'sid']).toContain(ownerOf(file, reading.naming, people).by)
      }),
    )
  })
})
