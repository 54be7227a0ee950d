import { describe, expect, it } from 'vitest'
import { bytesSay, onlyZeros, repairable, upkeepOf, type ContainerFacts, type OwnerFacts } from '.'

const GIB = 2 ** 30
const NOW = Date.UTC(2026, 10, 23)
const limits = { nowMs: NOW, limitBytes: 30 * GIB, unusedDays: 60, fullFrom: 0.9 }
const mara: OwnerFacts = { enabled: true, inScope: true }
const container = (over: Partial<ContainerFacts> = {}): ContainerFacts => ({
  id: '\\\\s\\mara\\profile.vhdx',
  person: 'mara',
  state: 'clean',
  kind: 'dynamic',
  virtualBytes: 30 * GIB,
  fileBytes: 5 * GIB,
  allocatedBytes: 4 * GIB,
  lastUsedMs: NOW - 86_400_000,
  holder: null,
  parentFound: null,
  structure: [],
  ...over,
})
const codes = (one: ContainerFacts, owner: OwnerFacts | null = mara, siblings: { id: string; lastUsedMs: number | null }[] = []) =>
  upkeepOf(one, owner, siblings, limits).map(({ code }) => code)

describe('what should be looked at in a container', () => {
  it('nothing in a healthy one', () => {
    expect(codes(container())).toEqual([])
  })

  it.each<[string, Partial<ContainerFacts>, OwnerFacts | null]>([
    ['damaged', { state: 'damaged', structure: ['Block 4 …'] }, mara],
    ['damaged', { state: 'unknown' }, mara],
    ['dirty', { state: 'dirty' }, mara],
    ['copy-broken', { structure: ['Header …'] }, mara],
    ['parent-missing', { kind: 'differencing', parentFound: false }, mara],
    ['held-by-nobody', { holder: { host: 'H7', session: 's', alive: false } }, mara],
    ['nearly-full', { allocatedBytes: 27 * GIB }, mara],
    ['limit-below-use', { virtualBytes: 60 * GIB, allocatedBytes: 31 * GIB }, mara],
    ['nobody', {}, null],
    ['disabled', {}, { enabled: false, inScope: true }],
    ['out-of-scope', {}, { enabled: true, inScope: false }],
    ['unused', { lastUsedMs: NOW - 61 * 86_400_000 }, mara],
  ])('%s', (code, over, owner) => {
    expect(codes(container(over), owner)).toEqual([code])
  })

  it('does not ask what it cannot know', () => {
    expect(
      codes(container({ holder: { host: 'H7', session: 's', alive: null }, lastUsedMs: null, kind: 'differencing', parentFound: null }), {
        enabled: true,
        inScope: null,
      }),
    ).toEqual([])
    // In use, it is not unused, however old its date.
    expect(codes(container({ lastUsedMs: NOW - 90 * 86_400_000, holder: { host: 'H7', session: 's', alive: true } }))).toEqual([])
  })

  it('of two for one person says which was used later', () => {
    const [older] = upkeepOf(container(), mara, [{ id: 'other', lastUsedMs: NOW }], limits)
    const [newer] = upkeepOf(container(), mara, [{ id: 'other', lastUsedMs: NOW - 9 * 86_400_000 }], limits)
    expect([older?.sentence, newer?.sentence]).toEqual([
      'The same person has other, used later than this one.',
      'The same person also has other; this one was used last.',
    ])
  })

  it('knows what a repair can do without guessing', () => {
    expect([
      repairable({ state: 'dirty', findings: [] }),
      repairable({ state: 'clean', findings: [{ code: 'vhdx.header.copy', offset: 0, sentence: '' }] }),
      repairable({ state: 'clean', findings: [] }),
      repairable({ state: 'damaged', findings: [] }),
    ]).toEqual([true, true, false, false])
  })

  it('sees a single bit among zeros, wherever it stands', () => {
    for (const length of [0, 8, 4096, 4099]) expect(onlyZeros(new Uint8Array(length))).toBe(true)
    for (const at of [0, 7, 4095]) {
      const bytes = new Uint8Array(4096)
      bytes[at] = 0x80
      expect(onlyZeros(bytes)).toBe(false)
    }
  })

  it('writes sizes', () => {
    expect([0, 512, 1536, 30 * GIB, 2.5 * 2 ** 40, 200 * 2 ** 20].map(bytesSay)).toEqual([
      '0 bytes',
      '512 bytes',
      '1.5 KiB',
      '30.0 GiB',
      '2.5 TiB',
      '200 MiB',
    ])
  })
})
