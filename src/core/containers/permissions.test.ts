import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { ace, maximumAllowed, parseSddl, SID, type AceFlag } from '../people/access'
import {
  effective,
  EVERYBODYS,
  ownFolder,
  permissionFindings,
  permissionSentences,
  tokenOf,
  wantedPermissions,
  type Audience,
  type SharePermissions,
} from '.'

const CREW = 'S-1-5-21-1-2-3-1200'
const sid = (n: number) => `S-1-5-21-1-2-3-${n}`
const CREWS = new Set([CREW, ...EVERYBODYS])
const members = [1101, 1102, 1103].map((n, i) => ({ id: `p${n}`, name: ['Mara', 'Jonas', 'Ilse'][i] ?? '', sid: sid(n), groups: CREWS }))
const audience: Audience = {
  group: { name: 'Season crew', sid: CREW },
  members,
  nameOf: (one) => (one === CREW ? 'Season crew' : (members.find((member) => member.sid === one)?.name ?? null)),
  isPerson: (one) => members.some((member) => member.sid === one),
}
const wanted = wantedPermissions(CREW)
const permissions = (
  over: { share?: string; root?: string; folders?: SharePermissions['folders']; onDirectoryServer?: boolean } = {},
): SharePermissions => ({
  share: over.share ? parseSddl(over.share) : wanted.share,
  root: over.root ? parseSddl(over.root) : wanted.root,
  folders: over.folders ?? [],
  onDirectoryServer: over.onDirectoryServer ?? false,
})
const codes = (over: Parameters<typeof permissions>[0] = {}) =>
  permissionFindings(permissions(over), audience).map(({ code, layer }) => `${code} ${layer}`)

describe('permissions of a share for profiles', () => {
  it('what is recommended has nothing against it, and does what it should', () => {
    expect(codes()).toEqual([])
    const [mara, jonas] = members
    if (!mara || !jonas) throw new Error('nobody')
    const mine = ownFolder(wanted.root, mara.sid)
    expect(effective(wanted.share, mine, tokenOf(mara)) & 0x1301bf).toBe(0x1301bf)
    expect(effective(wanted.share, mine, tokenOf(jonas))).toBe(0)
    expect(maximumAllowed(mine, new Set([SID.administrators]))).toBe(0x1f01ff)
    // An owner could otherwise always change the permissions.
    expect(effective(wanted.share, mine, tokenOf(mara)) & 0x40000).toBe(0)
  })

  const good = `O:BAD:P(A;OICI;FA;;;BA)(A;;0x1200a4;;;${CREW})(A;OICIIO;0x1301bf;;;CO)(A;OICIIO;0x1301bf;;;OW)`
  it.each<[string, Parameters<typeof permissions>[0], string[]]>([
    ['everyone has full control of the folder', { root: 'O:BAD:(A;OICI;FA;;;WD)' }, ['everyone-full folder', 'one-layer folder']],
    ['there is no list at all', { root: 'O:BA' }, ['everyone-full folder', 'one-layer folder']],
    ['only the folder is set', { share: 'D:(A;;FA;;;WD)', root: good }, ['one-layer share']],
    ['people cannot make their folder', { root: `O:BAD:P(A;OICI;FA;;;BA)(A;;0x1200a0;;;${CREW})(A;OICIIO;0x1301bf;;;OW)` }, ['cannot-create folder']],
    ['the share only lets them read', { share: `D:(A;;FA;;;BA)(A;;0x1200a9;;;${CREW})`, root: good }, ['cannot-create share']],
    [
      'what the group has comes down to all folders',
      { root: `O:BAD:P(A;OICI;FA;;;BA)(A;OICI;0x1200af;;;${CREW})(A;OICIIO;0x1301bf;;;OW)` },
      ['opens-others folder'],
    ],
    ['one person was given it', { root: `${good}(A;;0x1200a9;;;${sid(1102)})` }, ['single-person folder']],
    ['owners can lock administrators out', { root: `O:BAD:P(A;OICI;FA;;;BA)(A;;0x1200a4;;;${CREW})(A;OICIIO;FA;;;CO)` }, ['owner-locks-out folder']],
    ['administrators have nothing', { root: `O:BAD:P(A;;0x1200a4;;;${CREW})(A;OICIIO;FA;;;CO)` }, ['administrators-out folder']],
    ['it lies on a directory server', { onDirectoryServer: true }, ['directory-server both']],
  ])('%s', (_, over, expected) => {
    expect(codes(over)).toEqual(expected)
  })

  it('finds the folder that has other permissions than those that come down', () => {
    const folders = [
      { name: 'mara', descriptor: parseSddl(`O:${sid(1101)}D:(A;OICI;0x1301bf;;;${sid(1101)})(A;OICI;0x1200a9;;;AU)`) },
      { name: 'ilse', descriptor: ownFolder(wanted.root, sid(1103)) },
    ]
    const [finding] = permissionFindings(permissions({ folders }), audience)
    expect(finding).toMatchObject({ code: 'opens-others', people: 1, sentence: 'The folder of Mara can be opened by others of “Season crew”.' })
  })

  it('says permissions in sentences', () => {
    expect(
      permissionSentences(parseSddl(`D:(A;OICI;FA;;;BA)(D;;0x10000;;;${CREW})(A;OICIIO;0x1301bf;;;CO)(A;CIID;0x1200a9;;;S-1-5-99)`), audience.nameOf),
    ).toEqual([
      'Administrators of the machine may do everything: this and folders and files inside',
      'Season crew may not delete: this only',
      'Whoever creates it may read, write and delete: folders and files inside, not this',
      'S-1-5-99 may read: this and folders inside (from above)',
    ])
    expect(permissionSentences(parseSddl('O:BA'), () => null)).toEqual(['There is no list: everybody may do everything.'])
  })
})

it('finds the same whether people of the same groups are looked at together or one by one', () => {
  const sids = [1101, 1102, 1103, 1104].map(sid)
  const who = fc.constantFrom(...sids, CREW, 'S-1-5-21-1-2-3-1300', SID.everyone)
  const list = fc.array(
    fc.record({
      type: fc.constantFrom('allow' as const, 'allow' as const, 'deny' as const),
      who,
      mask: fc.constantFrom(0x1f01ff, 0x1301bf, 0x1200a9, 0x1200a4, 0x4, 0x1),
      flags: fc.constantFrom<AceFlag[]>([], ['OI', 'CI'], ['OI', 'CI', 'IO']),
    }),
    { maxLength: 6 },
  )
  const dacl = list.map((entries) => ({ flags: [], aces: entries.map((e) => ace(e.type, e.who, e.mask, e.flags)) }))
  const folder = fc.record({ owner: fc.constantFrom(...sids), dacl })
  fc.assert(
    fc.property(
      dacl,
      dacl,
      fc.array(folder, { maxLength: 4 }),
      fc.array(fc.boolean(), { minLength: 4, maxLength: 4 }),
      (shareList, rootList, folders, inCrew) => {
        const crew = new Set([CREW, ...EVERYBODYS])
        const others = new Set(['S-1-5-21-1-2-3-1300', ...EVERYBODYS])
        const people = (oneByOne: boolean) =>
          sids.map((one, i) => ({
            id: one,
            name: one,
            sid: one,
            groups: inCrew[i] ? (oneByOne ? new Set(crew) : crew) : oneByOne ? new Set(others) : others,
          }))
        const described = {
          share: { owner: null, group: null, dacl: shareList, sacl: null },
          root: { owner: SID.administrators, group: null, dacl: rootList, sacl: null },
          folders: folders.map((one, i) => ({ name: `f${i}`, descriptor: { ...one, group: null, sacl: null } })),
          onDirectoryServer: false,
        }
        const found = (oneByOne: boolean) => permissionFindings(described, { ...audience, members: people(oneByOne) })
        expect(found(false)).toEqual(found(true))
      },
    ),
    { numRuns: 600 },
  )
})
