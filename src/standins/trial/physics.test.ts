import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Random } from '../random'
import { companyOf } from './company'
import { run, tell, throwDice, type Conditions, type Run } from './physics'

const company = companyOf('physics', 'tuning', 200)
const poolOf = (mode: string) => {
  const pool = company.pools.find((one) => one.mode === mode)
  if (!pool) throw new Error(`no pool with ${mode}`)
  return pool
}
const plain: Conditions = {
  first: false,
  shareMs: 3,
  distanceMs: 0,
  directoryMs: 10,
  cpu: company.parameters.cpu,
  cold: false,
  relay: false,
  rttMs: 8,
  kbps: 50_000,
  factor: 'none',
  approvalMs: 0,
  gatewayMs: 120_000,
  autostart: 5,
  profileBytes: 2e8,
  profileFiles: 2000,
  packages: 8,
  slowPackage: null,
  slowPart: null,
  slowScript: null,
  drag: null,
  scanMs: 0,
  containerFreeBytes: 2e10,
  shareFreeBytes: 2e12,
  retries: 0,
  retryMs: 5000,
  holder: null,
  gap: null,
  refused: null,
  instead: null,
  extra: {},
}
/** The same dice under other conditions: what differs follows from these alone. */
const play = (more: Partial<Conditions> = {}, mode = 'container', seed = 'dice') =>
  run(company, poolOf(mode), { ...plain, ...more }, throwDice(new Random(seed), 0.2))
const lengths = ({ steps }: Run) => Object.fromEntries(steps.filter(({ part }) => part === null).map(({ phase, ms }) => [phase, ms]))
/** The phases that take longer than they do plainly. */
function slower(more: Partial<Conditions>, mode = 'container'): string[] {
  const [before, after] = [lengths(play({}, mode)), lengths(play(more, mode))]
  return Object.keys(after)
    .filter((phase) => (after[phase] ?? 0) > (before[phase] ?? 0) + 1)
    .sort()
}

describe('a logon', () => {
  it.each<[string, Partial<Conditions>, string[]]>([
    ['a slow share', { shareMs: 30 }, ['container', 'profile']],
    ['a long way to the share', { distanceMs: 20 }, ['container', 'profile']],
    ['a scanner', { scanMs: 40 }, ['container', 'profile']],
    ['hardly any room', { containerFreeBytes: 1e7 }, ['container', 'profile']],
    ['a slow directory', { directoryMs: 300 }, ['policy', 'sign-on']],
    ['a busy host', { cpu: 0.97 }, ['packages', 'policy', 'profile', 'scripts', 'shell']],
    ['many programs', { autostart: 40 }, ['shell']],
    ['many packages', { packages: 90 }, ['packages']],
    ['a relay', { relay: true }, ['connect']],
    ['a poor line', { rttMs: 400, kbps: 300 }, ['connect', 'shell']],
    ['a first logon', { first: true }, ['profile', 'shell']],
    ['an approval', { factor: 'push', approvalMs: 30_000 }, ['sign-on']],
    ['a host that is off', { cold: true }, ['power']],
  ])('is made slower by %s where that works, and nowhere else', (_, more, phases) => {
    expect(slower(more)).toEqual(phases)
  })

  it('waits for bytes and files only where files are copied', () => {
    const much = { profileBytes: 4e9, profileFiles: 60_000 }
    expect([slower(much), slower(much, 'files')]).toEqual([[], ['profile']])
  })

  it('ends when its last phase does, and what it consists of lies within it', () => {
    fc.assert(
      fc.property(
        fc.string({ maxLength: 8 }),
        fc.constantFrom('container', 'files'),
        fc.record({
          shareMs: fc.double({ min: 0.5, max: 200, noNaN: true }),
          cpu: fc.double({ min: 0, max: 1, noNaN: true }),
          first: fc.boolean(),
          retries: fc.nat(6),
        }),
        (seed, mode, more) => {
          const { steps, marks, totalMs, outcome } = play(more, mode, seed)
          expect(outcome).toBe('ready')
          expect(Math.max(...steps.map(({ startMs, ms }) => startMs + ms))).toBeCloseTo(totalMs, 6)
          for (const { startMs, ms } of steps) expect(Math.min(startMs, ms)).toBeGreaterThanOrEqual(0)
          for (const { atMs } of marks) expect(atMs).toBeLessThanOrEqual(totalMs)
          expect(marks).toHaveLength(mode === 'container' ? more.retries : 0)
        },
      ),
    )
  })

  it('that is refused goes no further, and says why unless nobody answers', () => {
    const refused = play({ refused: { in: 'container', code: 'STATUS_ACCESS_DENIED', afterMs: 900 } })
    expect([refused.outcome, refused.code, refused.silent]).toEqual(['failed', 'STATUS_ACCESS_DENIED', false])
    expect(Object.keys(lengths(refused))).toEqual(['broker', 'connect', 'sign-on', 'container'])
    const silent = play({ refused: { in: 'connect', code: null, afterMs: 0 } })
    expect([silent.outcome, silent.code, silent.silent, Object.keys(lengths(silent))]).toEqual(['failed', null, true, ['broker']])
    const late = play({ factor: 'push', approvalMs: 40_000, gatewayMs: 15_000 })
    expect([late.outcome, late.code]).toEqual(['failed', 'factor.timeout'])
  })

  it('that waits where nothing is recorded takes longer by just that', () => {
    const [before, after] = [play(), play({ gap: { before: 'profile', ms: 20_000 } })]
    expect(after.totalMs - before.totalMs).toBeCloseTo(20_000, 6)
    expect(slower({ gap: { before: 'profile', ms: 20_000 } })).toEqual([])
  })
})

describe('what is told of it', () => {
  const [person, host] = [company.people[0], company.hosts[0]]
  if (!person || !host) throw new Error('an empty company')
  const told = (c: Partial<Conditions>) => tell(company, 'a1', person, host, poolOf('container'), 1e12, { ...plain, ...c }, play(c))

  it('begins with a begin and ends with an end, unless nobody answers', () => {
    const all = told({})
    expect([all[0]?.kind, all.at(-1)?.kind, all.at(-1)?.outcome]).toEqual(['begin', 'end', 'ready'])
    expect(told({ refused: { in: 'connect', code: null, afterMs: 0 } }).some(({ kind }) => kind === 'end')).toBe(false)
  })

  it('says of the host only what the host was reached for', () => {
    const early = told({ refused: { in: 'broker', code: 'broker.refused', afterMs: 500 } })[0]?.attrs ?? {}
    expect(Object.keys(early)).not.toContain('share')
    expect(Object.keys(early)).not.toContain('hostCpu')
  })
})
