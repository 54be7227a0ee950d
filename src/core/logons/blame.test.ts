import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { blame, criticalPath } from './blame'
import { phase } from './fixtures/builders'

const shares = (totalMs: number, ...phases: ReturnType<typeof phase>[]) =>
  Object.fromEntries(blame({ totalMs, phases }).shares.map(({ phase, ms }) => [phase, ms]))

describe('blame', () => {
  it('gives each of a row of phases its own time', () => {
    expect(shares(10_000, phase('broker', 0, 4000), phase('shell', 4000, 10_000))).toEqual({ broker: 4000, shell: 6000 })
  })

  it('does not blame what ran beside and ended early', () => {
    expect(shares(12_000, phase('profile', 0, 6000), phase('packages', 1000, 3000), phase('shell', 6000, 12_000))).toEqual({
      profile: 6000,
      shell: 6000,
    })
  })

  it('blames of two parallel phases the one that the next was waiting for', () => {
    expect(shares(12_000, phase('policy', 0, 5000), phase('packages', 0, 9000), phase('shell', 9000, 12_000))).toEqual({
      packages: 9000,
      shell: 3000,
    })
    expect(shares(12_000, phase('policy', 0, 9000), phase('packages', 0, 5000), phase('shell', 9000, 12_000))).toEqual({ policy: 9000, shell: 3000 })
  })

  it('walks on through a phase that ran on past the handover', () => {
    expect(shares(12_000, phase('scripts', 0, 10_000), phase('container', 2000, 5000), phase('shell', 5000, 12_000))).toEqual({
      scripts: 2000,
      container: 3000,
      shell: 7000,
    })
  })

  it('calls a gap unrecorded', () => {
    expect(shares(10_000, phase('broker', 0, 2000), phase('shell', 7000, 10_000))).toEqual({ broker: 2000, unrecorded: 5000, shell: 3000 })
    expect(shares(10_000)).toEqual({ unrecorded: 10_000 })
  })

  it('leaves settle out, and cuts what lies outside the attempt', () => {
    expect(shares(5000, phase('shell', -1000, 5000), phase('settle', 5000, 90_000))).toEqual({ shell: 5000 })
  })

  it('sums to the total exactly, and covers it without gap or overlap, whatever the phases', () => {
    const anyPhase = fc.record({
      name: fc.constantFrom('broker', 'sign-on', 'container', 'profile', 'shell', 'settle', 'made-up'),
      from: fc.integer({ min: -5000, max: 100_000 }),
      ms: fc.integer({ min: -3000, max: 120_000 }),
    })
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 90_000 }), fc.array(anyPhase, { maxLength: 14 }), (totalMs, list) => {
        const attempt = { totalMs, phases: list.map(({ name, from, ms }) => phase(name, from + 0.4, from + ms + 0.4)) }
        const result = blame(attempt)
        expect(result.shares.reduce((sum, { ms }) => sum + ms, 0)).toBe(totalMs)
        let at = 0
        for (const { fromMs, toMs } of criticalPath(attempt)) {
          expect(fromMs).toBe(at)
          expect(toMs).toBeGreaterThan(fromMs)
          at = toMs
        }
        expect(at).toBe(totalMs)
      }),
      { numRuns: 2000 },
    )
  })

  it('says unrecorded exactly where no phase was under way', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 300 }),
        fc.array(fc.tuple(fc.integer({ min: 0, max: 300 }), fc.integer({ min: 1, max: 200 })), { maxLength: 8 }),
        (totalMs, list) => {
          const path = criticalPath({ totalMs, phases: list.map(([from, ms], i) => phase(`p${i}`, from, from + ms)) })
          for (let ms = 0; ms < totalMs; ms++) {
            const covered = list.some(([from, length]) => from <= ms && ms < from + length)
            const said = path.find(({ fromMs, toMs }) => fromMs <= ms && ms < toMs)?.phase
            expect(said === 'unrecorded').toBe(!covered)
          }
        },
      ),
      { numRuns: 300 },
    )
  })
})
