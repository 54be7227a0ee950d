import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'

const USUAL = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 1200, policy: 2400, shell: 4000 }
const MINUTE_MS = 60_000

interface Trouble {
  readonly phases: Record<string, number>
  readonly fromMinute?: number
  readonly until?: (minute: number) => boolean
}

/** A company with one pool, one share, and a logon every two minutes, whose hosts all have a new image from the middle on. Says the causes of those that are slow, and why. */
function told({ phases, fromMinute = 0, until = () => true }: Trouble, shares: readonly string[] = ['S1'], minutes = 1440) {
  const observations = Array.from({ length: minutes }, (_, i) => {
    const minute = 2 * i - minutes
    const wrong = minute >= fromMinute && until(minute)
    return logon({
      id: `l${i}`,
      person: `p${i % 150}`,
      host: `H${i % 9}`,
      at: START_MS + minute * MINUTE_MS,
      attrs: { image: minute < 0 ? 'may' : 'june', share: shares[(i * 7) % shares.length] ?? '' },
      phases: { ...USUAL, profile: 1100 + (i % 7) * 40, ...(wrong ? phases : {}) },
    })
  }).flat()
  const slow = analyseAll(correlate(observations, START_MS + minutes * MINUTE_MS).map(({ attempt }) => attempt)).filter(({ lostMs }) => lostMs > 0)
  const counts: Record<string, number> = {}
  for (const { diagnosis } of slow) counts[diagnosis.cause?.id ?? 'nothing'] = (counts[diagnosis.cause?.id ?? 'nothing'] ?? 0) + 1
  return { n: slow.length, counts, causes: slow.flatMap(({ diagnosis: { cause } }) => cause ?? []) }
}
const most = ({ counts, n }: ReturnType<typeof told>) => Object.entries(counts).find(([, one]) => one > 0.9 * n)?.[0]

describe('an image that all hosts have at once', () => {
  it('is what is slow since its first logon, though nobody is left on the older one; of a part that the share serves as well, where other shares are slow, too', () => {
    const shell = told({ phases: { shell: 19_000 } })
    expect(shell.n).toBeGreaterThan(700)
    expect(most(shell)).toBe('image-regression')
    const [one] = shell.causes.slice(-1)
    expect(one?.sentence).toBe('Hosts with image june are slow in shell; before this image came they were not.')
    expect(one?.evidence.map(({ sentence }) => sentence)).toContain(
      'Of the first 20 logons on image june 20 were slow in shell; of the last 20 before it on the pool, 0.',
    )
    expect(most(told({ phases: { profile: 12_000 } }, ['S1', 'S2', 'S3']))).toBe('image-regression')
  })

  it('is not what is slow only since later, or only for a while, nor what began before', () => {
    const share = { container: 9000, profile: 9000 }
    for (const trouble of [{ phases: { shell: 19_000 }, fromMinute: 120 }, ...[120, -60].map((fromMinute) => ({ phases: share, fromMinute }))]) {
      const other = told(trouble)
      expect(other.n).toBeGreaterThan(500)
      expect(most(other)).not.toBe('image-regression')
      expect(other.causes.flatMap(({ evidence }) => evidence).filter(({ sentence }) => sentence.startsWith('Of the first '))).toEqual([])
    }
    // What was over long ago says nothing of one who is slow now.
    const twice = told({ phases: { shell: 19_000 }, until: (minute) => minute < 100 || (minute > 900 && minute % 30 === 0) })
    expect(twice.causes.filter(({ id }) => id === 'image-regression')).toHaveLength(50)
  })

  /** Two pools of which the first gets it, all of its hosts at once; the crowd in the morning is of both, on one share. */
  const ofTwo = (phases: Record<string, number>, attrs = {}, crowd = 3) => {
    const observations = Array.from({ length: 1200 }, (_, i) => {
      const minute = 4 * i - 2400
      const isFirst = i % 4 === 0
      return [...Array(minute % 1440 < 60 && minute % 1440 >= 0 ? crowd : 1).keys()].flatMap((k) =>
        logon({
          id: `l${i}-${k}`,
          person: `p${(i + 31 * k) % 150}`,
          pool: isFirst ? 'quay' : 'hill',
          host: `${isFirst ? 'Q' : 'H'}${i % 9}`,
          at: START_MS + (minute + k) * MINUTE_MS,
          attrs: { image: isFirst ? (minute < 0 ? 'may' : 'june') : 'hill 1', share: 'S1', ...attrs },
          phases: { ...USUAL, profile: 1100 + (i % 7) * 40, ...(isFirst && minute >= 0 ? phases : {}) },
        }),
      )
    }).flat()
    const all = analyseAll(correlate(observations, START_MS + 4000 * MINUTE_MS).map(({ attempt }) => attempt))
    // Some days after it came.
    return all.filter(({ attempt, lostMs }) => lostMs > 0 && attempt.startedAtMs > START_MS + 1500 * MINUTE_MS)
  }

  it('is what is slow in policy whose parts nobody records, also where other pools on the share are quick in quiet moments', () => {
    const late = ofTwo({ policy: 12_000 })
    expect(late.length).toBeGreaterThan(50)
    expect(late.filter(({ diagnosis }) => diagnosis.cause?.id === 'image-regression').length).toBeGreaterThan(0.95 * late.length)
  })

  it('is no scanner where opening the container takes what it always did', () => {
    const late = ofTwo({ profile: 9000 }, { shareLatencyMs: 3 })
    expect(late.length).toBeGreaterThan(50)
    expect(new Set(late.map(({ diagnosis }) => diagnosis.cause?.id))).toEqual(new Set(['image-regression']))
    expect(late[0]?.diagnosis.others.find(({ id }) => id === 'scanner')?.confidence ?? 0).toBeLessThan(0.2)
  })

  it('is no storm where those of other pools who crowd onto the share are quick', () => {
    const late = ofTwo({ profile: 9000 }, { shareLatencyMs: 3 }, 9)
    expect(late.length).toBeGreaterThan(50)
    expect(new Set(late.map(({ diagnosis }) => diagnosis.cause?.id))).toEqual(new Set(['image-regression']))
    // Not even as what it could be instead.
    expect(late.filter(({ diagnosis }) => diagnosis.others.some(({ id }) => id === 'logon-storm'))).toEqual([])
  })
})
