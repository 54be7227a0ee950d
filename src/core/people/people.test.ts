import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { readAccount } from './account'
import { finderOf, grantOf, newlyKnown } from './finder'
import { familyOf, hostKey, isSameHost } from './host'
import { EMPTY_ORG, transitiveGroups, type Org } from './org'

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

describe('names in evidence', () => {
  const org: Org = {
    people: [
      { id: 'p007', accounts: ['LARKMERE\\Mara', 'mara.lindqvist@larkmere.example'], sid: 'S-1-5-21-1-2-3-1104', groups: ['halls'] },
      { id: 'ole', groups: [] },
    ],
    groups: [],
    pools: [{ id: 'halls', name: 'Ticket halls', grants: ['halls'] }],
    hosts: [
      { id: 'TH-01.larkmere.example', pool: 'Ticket halls' },
      { id: 'th-02', pool: 'halls' },
      { id: '10.1.2.3', pool: 'gone' },
    ],
    shares: [{ id: 'quay', path: '\\\\quay-fs1\\profiles\\' }, { path: '//hill-fs1/profiles' }],
    containers: [{ person: 'P007', share: 'quay' }, { person: 'ole' }],
  }
  const find = finderOf(org)

  it('are those of one person, by id, by any account, or by SID', () => {
    for (const written of ['P007', 'larkmere\\MARA', 'mara.lindqvist@larkmere.example', 'Mara', 's-1-5-21-1-2-3-1104'])
      expect(find.person(readAccount(written).key)?.id).toBe('p007')
    expect([find.person('nobody'), find.person(null)]).toEqual([undefined, undefined])
    expect(grantOf(org, 'mara', 'Ticket Halls')).toEqual({ inCopy: true, atSource: true })
  })

  it('are those of a host with its domain or without, but never of half an address', () => {
    expect(['th-01', 'TH-01.larkmere.example', 'th-02.other.example'].map((name) => find.host(name)?.id)).toEqual([
      'TH-01.larkmere.example',
      'TH-01.larkmere.example',
      'th-02',
    ])
    expect(find.host('10.1.2.3')?.id).toBe('10.1.2.3')
    expect([find.host('10.1.2.4'), find.host('th-03'), find.host(null)]).toEqual([undefined, undefined, undefined])
  })

  it('are of one host where only one of them has a domain', () => {
    expect(['TH-1', 'th-1.larkmere.example', '10.1.2.3'].map(hostKey)).toEqual(['th-1', 'th-1', '10.1.2.3'])
    expect(isSameHost('TH-1', 'th-1.larkmere.example')).toBe(true)
    expect([isSameHost('th-1.a.example', 'th-1.b.example'), isSameHost('th-1', 'th-10'), isSameHost('th-1', 'th-1x.example')]).toEqual([
      false,
      false,
      false,
    ])
  })

  it('are of hosts that are numbered, under one name', () => {
    const families = ['FIE-VD07', 'fie-vd12.larkmere.example', 'th-q1-03', 'WARD3', 'atlas', '10.1.2.3', '12', 'vd-9b'].map(familyOf)
    expect(families).toEqual(['FIE-VD*', 'FIE-VD*', 'TH-Q1*', 'WARD*', null, null, null, null])
  })

  it('are those of a share by id, by path, and by what lies below', () => {
    const paths = ['QUAY', String.raw`\\QUAY-FS1\Profiles`, String.raw`\\quay-fs1\profiles\mara\disk.vhdx`, '//quay-fs1/profiles/']
    expect(paths.map((name) => find.share(name)?.id)).toEqual(['quay', 'quay', 'quay', 'quay'])
    expect(find.share(String.raw`\\hill-fs1\profiles\x`)?.path).toBe('//hill-fs1/profiles')
    expect([find.share(String.raw`\\quay-fs1\other`), find.share(''), find.share(null)]).toEqual([undefined, undefined, undefined])
  })

  it('are told apart into those that were known before and those that are known only now', () => {
    const none = { people: [], groups: [], pools: [], hosts: [] }
    expect(newlyKnown(org, org)).toEqual({ people: [], hosts: [], homes: [] })
    expect(newlyKnown(none, org)).toEqual({
      people: ['p007', 'mara', 'mara.lindqvist', 's-1-5-21-1-2-3-1104', 'ole'],
      hosts: ['th-01', 'th-02', '10.1.2.3'],
      homes: ['p007', 'mara', 'mara.lindqvist', 's-1-5-21-1-2-3-1104'],
    })
    const later: Org = {
      ...org,
      // A person who has another id as well, one more, and one with another group.
      people: [{ id: 'm.lindqvist', accounts: ['mara'], sid: 'S-1-5-21-1-2-3-1109' }, { id: 'aino' }, { id: 'ole', groups: ['halls'] }],
      // One host says where it is, one is on another pool, one is new.
      hosts: [{ id: 'TH-01', pool: 'halls', zone: 'Q1' }, { id: 'th-02', pool: 'other' }, { id: '10.1.2.3' }, { id: 'TH-09.larkmere.example' }],
    }
    expect(newlyKnown(org, later)).toMatchObject({ people: ['m.lindqvist', 's-1-5-21-1-2-3-1109', 'aino'], hosts: ['th-01', 'th-09'] })
    expect(newlyKnown(later, { ...later, hosts: later.hosts.map((host) => ({ ...host, zone: 'Q2' })) }).hosts).toEqual(['th-02', '10.1.2.3', 'th-09'])
  })

  it('tell since when it is known where whose container lies', () => {
    const bare: Org = { ...org, containers: [] }
    expect(newlyKnown(bare, org)).toEqual({ people: [], hosts: [], homes: ['p007', 'mara', 'mara.lindqvist', 's-1-5-21-1-2-3-1104'] })
    const moved: Org = {
      ...org,
      containers: [
        { person: 'p007', share: 'hill' },
        { person: 'ole', share: 'quay' },
      ],
    }
    expect(newlyKnown(org, moved).homes).toEqual(['ole'])
  })

  it('say whose container lies where, and which hosts a pool has, by its id or by what people call it', () => {
    expect([find.shareOf(find.person('mara')), find.shareOf(find.person('ole')), find.shareOf(undefined)]).toEqual(['quay', undefined, undefined])
    const halls = find.pool('halls')
    expect(halls && find.hostsOf(halls).map(({ id }) => id)).toEqual(['TH-01.larkmere.example', 'th-02'])
  })

  it('tell which image a host had at a moment, as far as changes say since when it has the one that it has', () => {
    const change = (atMs: number, ...scope: [string, string][]) => ({
      id: String(atMs),
      atMs,
      kind: 'image' as const,
      scope: scope.map(([dimension, value]) => ({ dimension, value })),
      sentence: '',
    })
    const imagesOf = (...changes: ReturnType<typeof change>[]) => {
      const hosts = [{ id: 'TH-01.larkmere.example', pool: 'halls', image: 'v3' }]
      const images = finderOf({ ...EMPTY_ORG, hosts, changes })
      return [50, 150, 250].map((atMs) => hosts[0] && images.imageOf(hosts[0], atMs))
    }
    expect(imagesOf()).toEqual(['v3', 'v3', 'v3'])
    expect(imagesOf(change(200, ['image', 'v3']))).toEqual(['older than v3', 'older than v3', 'v3'])
    expect(imagesOf(change(200, ['host', 'th-01']), change(100, ['pool', 'halls'], ['image', 'v2']))).toEqual(['older than v3', 'v2', 'v3'])
    // Elsewhere, of another image, or of what no host is known by.
    expect(imagesOf(change(200, ['image', 'v3'], ['pool', 'crew']), change(200, ['image', 'v4']), change(200, ['person', 'mara']))).toEqual([
      'v3',
      'v3',
      'v3',
    ])
  })
})
