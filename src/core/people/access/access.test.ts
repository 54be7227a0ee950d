import { existsSync } from 'node:fs'
import { spawnSync } from 'node:child_process'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  ace,
  accessRecord,
  canonicalSid,
  explainAccess,
  FULL,
  inherited,
  isCanonical,
  maximumAllowed,
  parseSddl,
  readSid,
  rightsSay,
  SddlFault,
  SID,
  writeSddl,
} from '.'

const PERSON = 'S-1-5-21-1-2-3-1104'
const CREW = 'S-1-5-21-1-2-3-1200'
const DOMAIN = 'S-1-5-21-1-2-3'
const token = (...sids: string[]) => new Set(sids)
const maskOf = (sddl: string, ...sids: string[]) => maximumAllowed(parseSddl(sddl, DOMAIN), token(...sids))

describe('SDDL', () => {
  // The example of [MS-DTYP] 2.5.1.4 (from memory): parts, flags, rights in words and in hexadecimal.
  it('reads owner, group and both lists', () => {
    const { owner, group, dacl, sacl } = parseSddl(
      'O:BAG:SYD:PAI(D;OICI;FA;;;BG)(A;OICI;FRFX;;;AU)(A;OICIIO;GA;;;CO)(A;OICI;0x1f01ff;;;BA)S:(AU;SAFA;SDWD;;;WD)',
    )
    expect([owner, group, dacl?.flags]).toEqual(['S-1-5-32-544', 'S-1-5-18', ['P', 'AI']])
    expect(dacl?.aces.map(({ type, mask, sid, flags }) => [type, mask, sid, [...flags].join('')])).toEqual([
      ['deny', 0x1f01ff, 'S-1-5-32-546', 'OICI'],
      ['allow', 0x1200a9, 'S-1-5-11', 'OICI'],
      ['allow', 0x10000000, 'S-1-3-0', 'OICIIO'],
      ['allow', 0x1f01ff, 'S-1-5-32-544', 'OICI'],
    ])
    expect(sacl?.aces[0]).toMatchObject({ type: 'other', letters: 'AU', mask: 0x50000 })
  })

  it('keeps conditions and object types as they are written', () => {
    const text =
      'D:(XA;;0x1200a9;;;S-1-1-0;(@USER.Title=="Chief (acting)" && Member_of {SID(BA)}))(OA;CI;0x30;4c164200-20c0-11d0-a768-00aa006e0529;;S-1-5-32-548)'
    expect(writeSddl(parseSddl(text))).toBe(text)
  })

  it.each<[string, RegExp]>([
    ['', /empty/],
    ['hello', /begins no section/],
    ['D:(A;;FA;;;BA', /no closing bracket/],
    ['D:(A;;FA;;BA)', /6 fields/],
    ['D:(Q;;FA;;;BA)', /no type/],
    ['D:(A;ZZ;FA;;;BA)', /no flag/],
    ['D:(A;;QQ;;;BA)', /no right/],
    ['D:(A;;FA;;;nobody)', /neither a SID/],
    ['D:(A;;FA;;;DU)', /in a domain/],
    ['O:BAO:BA', /twice/],
    ['D:(A;;99999999999;;;BA)', /no right|32 bits/],
    ['O:S-1-5-99999999999', /neither a SID/],
  ])('refuses %j with the place and the reason', (text, reason) => {
    expect(() => parseSddl(text)).toThrow(reason)
    expect(() => parseSddl(text)).toThrow(SddlFault)
  })

  it('reads back what it writes, and survives any text', () => {
    const sid = fc
      .tuple(fc.constantFrom(1, 5, 32), fc.array(fc.nat(0xffffffff), { maxLength: 5 }))
      .map(([authority, parts]) => ['S-1', authority, ...parts].join('-'))
    const anAce = fc.record({
      type: fc.constantFrom('allow' as const, 'deny' as const),
      sid,
      mask: fc.nat(0xffffffff),
      flags: fc.subarray(['OI', 'CI', 'IO', 'NP', 'ID'] as const),
    })
    fc.assert(
      fc.property(fc.option(sid), fc.array(anAce, { maxLength: 6 }), (owner, list) => {
        const descriptor = {
          owner,
          group: null,
          dacl: { flags: ['P' as const], aces: list.map(({ type, sid: who, mask, flags }) => ace(type, who, mask, flags)) },
          sacl: null,
        }
        expect(parseSddl(writeSddl(descriptor))).toEqual(descriptor)
      }),
    )
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.stringMatching(/^[OGDS:(); A-Z0-9x-]{0,80}$/)), (text) => {
        try {
          parseSddl(text)
        } catch (error) {
          expect(error).toBeInstanceOf(SddlFault)
        }
      }),
      { numRuns: 500 },
    )
  })

  it('writes SIDs in one form', () => {
    expect([canonicalSid('s-1-5-21-01-2'), canonicalSid('S-1-0x5-32'), canonicalSid('S-1-5-4294967296'), canonicalSid('S-2-5')]).toEqual([
      'S-1-5-21-1-2',
      'S-1-5-32',
      null,
      null,
    ])
    expect(readSid('du', DOMAIN)).toEqual({ sid: `${DOMAIN}-513` })
  })
})

describe('access', () => {
  it('decides in the order of the list', () => {
    expect(maskOf(`D:(D;;FR;;;${CREW})(A;;FA;;;${PERSON})`, PERSON, CREW)).toBe(FULL & ~0x120089)
    expect(maskOf(`D:(A;;FA;;;${PERSON})(D;;FR;;;${CREW})`, PERSON, CREW)).toBe(FULL)
  })

  it('gives the owner the permissions, unless the list says what owners may', () => {
    expect(maskOf(`O:${PERSON}D:`, PERSON)).toBe(0x60000)
    expect(maskOf(`O:${PERSON}D:(A;;FR;;;OW)`, PERSON)).toBe(0x120089)
    expect(maskOf(`O:${PERSON}D:(A;;FR;;;OW)`, CREW)).toBe(0)
  })

  it('tells a missing list from an empty one', () => {
    expect([maskOf('O:BA', PERSON), maskOf('O:BAD:NO_ACCESS_CONTROL', PERSON), maskOf('O:BAD:', PERSON)]).toEqual([FULL, FULL, 0])
  })

  it('says what each entry did', () => {
    const { mask, rights, reasons } = accessRecord(
      explainAccess(
        parseSddl(`O:BAD:(A;;0x1200a9;;;${CREW})(A;OICIIO;FA;;;${PERSON})(D;;WD;;;WD)(A;;0x1;;;${PERSON})`),
        token(PERSON, CREW, SID.everyone),
      ),
    )
    expect([mask, rights.slice(0, 3)]).toEqual(['0x001200a9', ['read', 'execute', 'list']])
    expect(reasons.map(({ ace: n, type, effect }) => [n, type, effect])).toEqual([
      [1, 'allow', '0x001200a9'],
      [2, 'allow', '0x00000000'],
      [3, 'deny', '0x00040000'],
      [4, 'allow', '0x00000000'],
    ])
    expect(reasons[1]?.sentence).toContain('only for what lies inside')
  })

  it('the explained mask is the computed one, and the effects add up to it', () => {
    const who = fc.constantFrom(PERSON, CREW, SID.everyone, SID.ownerRights, 'S-1-5-32-544')
    const list = fc.array(
      fc.record({
        type: fc.constantFrom('allow' as const, 'deny' as const),
        sid: who,
        mask: fc.nat(FULL),
        flags: fc.subarray(['IO', 'CI'] as const),
      }),
      { maxLength: 8 },
    )
    fc.assert(
      fc.property(who, list, fc.subarray([PERSON, CREW, SID.everyone]), (owner, entries, sids) => {
        const descriptor = { owner, dacl: { flags: [], aces: entries.map((e) => ace(e.type, e.sid, e.mask, e.flags)) } }
        const { mask, reasons } = explainAccess(descriptor, new Set(sids))
        expect(mask).toBe(maximumAllowed(descriptor, new Set(sids)))
        expect(reasons.filter(({ type }) => type !== 'deny').reduce((sum, { effect }) => (sum | effect) >>> 0, 0)).toBe(mask)
      }),
    )
  })

  it('brings permissions down to new folders and files', () => {
    // A share for profiles as it is commonly set: people may make their own folder, and own what they make.
    const { dacl } = parseSddl(`D:P(A;OICIIO;GA;;;CO)(A;OICI;FA;;;BA)(A;OICI;FA;;;SY)(A;;0x1000a1;;;${CREW})(A;;0x4;;;${CREW})`)
    const folder = inherited(dacl, 'folder', PERSON)
    expect(maximumAllowed({ owner: PERSON, dacl: folder }, token(PERSON, CREW))).toBe(FULL)
    expect(maximumAllowed({ owner: PERSON, dacl: folder }, token('S-1-5-21-1-2-3-1105', CREW))).toBe(0)
    const file = inherited(folder, 'file', 'S-1-5-21-1-2-3-1105')
    expect(file.aces.map(({ sid }) => sid)).toEqual(['S-1-5-21-1-2-3-1105', 'S-1-5-32-544', 'S-1-5-18'])
    expect(isCanonical(folder)).toBe(true)
  })

  it('has a word for what a mask allows', () => {
    expect([FULL, 0x1301bf, 0x1200a9, 0x80000000, 0x4, 0, 0x1200af, 0x1201bf].map(rightsSay)).toEqual([
      'full control',
      'read, write and delete',
      'read',
      'read, not open folders',
      'create folders',
      'nothing',
      'read, create files, create folders',
      'read and write',
    ])
  })
})

// Outside peer: Samba's access check and SDDL reader, over random descriptors (python3-samba).
const samba = existsSync('/usr/lib/python3/dist-packages/samba')
const SCRIPT = `
import sys, json
from samba import security as check
from samba.dcerpc import security
domain = security.dom_sid('${DOMAIN}')
for line in sys.stdin:
    case = json.loads(line)
    sd = security.descriptor.from_sddl(case['sddl'], domain)
    token = security.token()
    token.sids = [security.dom_sid(s) for s in case['sids']]
    token.num_sids = len(case['sids'])
    aces = [[a.type, a.flags, a.access_mask, str(a.trustee)] for a in sd.dacl.aces]
    try:
        mask = check.access_check(sd, token, 0x02000000)
    except Exception:
        mask = 0
    print(json.dumps({'mask': mask, 'owner': str(sd.owner_sid), 'aces': aces}))
`
describe.skipIf(!samba)('beside Samba', () => {
  const ask = (cases: { sddl: string; sids: string[] }[]) => {
    const { stdout, status, stderr } = spawnSync('/usr/bin/python3', ['-c', SCRIPT], {
      input: cases.map((one) => JSON.stringify(one)).join('\n') + '\n',
      encoding: 'utf8',
    })
    if (status !== 0) throw new Error(stderr)
    return stdout
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { mask: number; owner: string; aces: [number, number, number, string][] })
  }

  it('computes the same access over 2,000 random descriptors', () => {
    const who = fc.constantFrom(PERSON, CREW, 'WD', 'AU', 'BA', 'BU', 'DU', 'OW')
    // Not FA: this Samba reads it as 0x1ff, where [MS-DTYP] 2.5.1.1 has 0x1f01ff.
    const rights = fc.oneof(
      fc.constantFrom('0x1f01ff', 'FR', 'FW', 'FX', 'RCWD', 'CCDC', 'SDWO'),
      fc.nat(FULL).map((mask) => `0x${mask.toString(16)}`),
    )
    const entry = fc
      .tuple(fc.constantFrom('A', 'A', 'D'), fc.constantFrom('', '', 'OICI', 'CIIO', 'OIIO', 'ID', 'NP'), rights, who)
      .map(([type, flags, mask, sid]) => `(${type};${flags};${mask};;;${sid})`)
    const cases = fc.sample(
      fc.record({
        sddl: fc
          .tuple(fc.constantFrom(PERSON, CREW, 'BA'), fc.array(entry, { minLength: 1, maxLength: 8 }))
          .map(([owner, entries]) => `O:${owner}G:BAD:${entries.join('')}`),
        sids: fc.subarray([PERSON, CREW, 'S-1-1-0', 'S-1-5-11', 'S-1-5-32-545', `${DOMAIN}-513`], { minLength: 1 }),
      }),
      { numRuns: 2000, seed: 7 },
    )
    const theirs = ask(cases)
    const FLAG = { OI: 1, CI: 2, NP: 4, IO: 8, ID: 16 } as Record<string, number>
    cases.forEach(({ sddl, sids }, i) => {
      const ours = parseSddl(sddl, DOMAIN)
      expect([sddl, sids, maximumAllowed(ours, new Set(sids))]).toEqual([sddl, sids, theirs[i]?.mask])
      expect(
        ours.dacl?.aces.map((a) => [a.type === 'allow' ? 0 : 1, [...a.flags].reduce((sum, flag) => sum + (FLAG[flag] ?? 0), 0), a.mask, a.sid]),
      ).toEqual(theirs[i]?.aces)
    })
  })

  it('means the same by every two-letter name that both know', () => {
    const names = [
      'AN',
      'AO',
      'AU',
      'BA',
      'BG',
      'BO',
      'BU',
      'CA',
      'CG',
      'CO',
      'DA',
      'DC',
      'DD',
      'DG',
      'DU',
      'EA',
      'ED',
      'IU',
      'LA',
      'LG',
      'LS',
      'NO',
      'NS',
      'NU',
      'PA',
      'PO',
      'PS',
      'PU',
      'RC',
      'RD',
      'RE',
      'RO',
      'RS',
      'RU',
      'SA',
      'SO',
      'SU',
      'SY',
      'WD',
      'OW',
      'AA',
      'CD',
      'CY',
      'ER',
      'HA',
      'IS',
      'MU',
      'LU',
      'ES',
      'MS',
      'RA',
      'RM',
      'CN',
      'AP',
    ]
    const theirs = names.flatMap((name) => {
      try {
        return [[name, ask([{ sddl: `O:${name}G:BAD:(A;;FA;;;BA)`, sids: ['S-1-1-0'] }])[0]?.owner]]
      } catch {
        return []
      }
    })
    expect(theirs.length).toBeGreaterThan(30)
    expect(
      theirs.map(([name]) => {
        const read = readSid(name ?? '', DOMAIN)
        return [name, 'sid' in read ? read.sid : null]
      }),
    ).toEqual(theirs)
  }, 60_000)
})
