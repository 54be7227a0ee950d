import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'

const USUAL = { broker: 600, connect: 1000, 'sign-on': 1800, profile: 1200, policy: 3400, shell: 4000 }

/** A logon every twenty minutes on two zones: those of one zone whose numbers are given wait for the directory. */
function told(slow: (nth: number) => boolean, hostOf = (i: number) => `VD-${i % 2 === 0 ? 'A' : 'B'}-${i % 6}`) {
  const attempts = Array.from({ length: 96 }, (_, i) => {
    const zone = i % 2 === 0 ? 'A' : 'B'
    const vary = 1 + ((i * 31) % 9) / 40
    const times = zone === 'A' && slow(i / 2) ? 4 : 1
    const phases = Object.fromEntries(
      Object.entries(USUAL).map(([phase, ms]) => [phase, ms * vary * (phase === 'sign-on' || phase === 'policy' ? times : 1)]),
    )
    return logon({ id: `a${i}`, person: `p${i % 61}`, host: hostOf(i), pool: 'desk', at: START_MS + i * 20 * 60_000, phases, attrs: { zone } })
  })
  return analyseAll(correlate(attempts.flat(), START_MS + 3 * 86_400_000).map(({ attempt }) => attempt)).flatMap(({ attempt, diagnosis }) =>
    diagnosis.cause ? [{ nth: Number(attempt.id.slice(1)) / 2, ...diagnosis.cause }] : [],
  )
}

describe('what some had one after another where few log on', () => {
  it('is of their place, as nobody before and after them had it', () => {
    const causes = told((nth) => nth >= 20 && nth < 23)
    expect(causes.map(({ nth, id }) => [nth, id])).toEqual([20, 21, 22].map((nth) => [nth, 'directory-slow']))
    expect(causes[1]?.evidence.map(({ sentence }) => sentence)).toContainEqual(
      expect.stringMatching(/^The 2 logons with zone A next to this one were slow in policy, too; of the other \d+ around, 0\.$/),
    )
  })

  it('is not, where those who had it came now and then', () => {
    expect(told((nth) => nth === 6 || nth === 17 || nth === 29 || nth === 40)).toEqual([])
  })
})
