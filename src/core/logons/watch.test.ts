import { describe, expect, it } from 'vitest'
import { Random } from '../../standins/random'
import { watchHelp, type Watched } from './watch'

const around = (random: Random, middleMs: number, n: number): Watched[] =>
  Array.from({ length: n }, () => ({ totalMs: middleMs * Math.exp(0.4 * (random.next() + random.next() - 1)), failed: false }))

describe('watching whether it helped', () => {
  it('says so when it did, when it did not, and when it got worse', () => {
    const random = new Random('watch')
    const before = around(random, 94_000, 60)
    expect(watchHelp(before, around(random, 31_000, 46))).toMatchObject({ verdict: 'helped', after: { n: 46, failed: 0 } })
    expect(watchHelp(before, around(random, 94_000, 200)).verdict).toBe('no effect')
    expect(watchHelp(before, around(random, 190_000, 30)).verdict).toBe('worse')
    expect(watchHelp(before, []).verdict).toBe('waiting')
  })

  it('does not cry too early: a good logon or two are not enough', () => {
    const before = Array.from({ length: 8 }, () => ({ totalMs: 60_000, failed: true }))
    const fine = { totalMs: 13_000, failed: false }
    expect(watchHelp(before, [fine]).verdict).toBe('too early')
    expect(watchHelp(before, [fine, fine]).verdict).toBe('helped')
    const mixed = around(new Random('m'), 90_000, 40)
    expect(watchHelp(mixed, [fine, fine]).verdict).toBe('too early')
  })

  it('rarely says that it helped where nothing changed', () => {
    let cried = 0
    for (let i = 0; i < 400; i++) {
      const random = new Random(`same ${i}`)
      if (watchHelp(around(random, 40_000, 50), around(random, 40_000, 150)).verdict === 'helped') cried++
    }
    // 1 % by the test itself; more because the middle of 50 is itself uncertain.
    expect(cried / 400).toBeLessThan(0.05)
  })
})
