import { describe, expect, it } from 'vitest'
import { analyseAll } from './batch'
import { blame } from './blame'
import { correlate } from './correlate'
import { logon, START_MS } from './fixtures/builders'
import { illAmong } from './learning'
import type { Attrs } from './observation'

/** One day of a small firm, in which some logons take longer in one phase: who, and what else is said of them. */
function oneDay(n: number, phase: string, isLong: (i: number, host: number) => boolean, attrs: (i: number, host: number) => Attrs = () => ({})) {
  return correlate(
    Array.from({ length: n }, (_, i) => {
      // Hosts in no order, and durations that vary a little.
      const host = (i * 7 + Math.floor(i / 12)) % 12
      const vary = (ms: number) => ms + ((i * 37) % 11) * 20
      const phases: Record<string, number> = { broker: vary(500), 'sign-on': vary(2500), policy: vary(2400), shell: vary(4000) }
      if (isLong(i, host)) phases[phase] = (phases[phase] ?? 0) + 30_000
      return logon({ id: `a${i}`, person: `p${i}`, host: `VD-${host}`, pool: 'desk', at: START_MS + i * 60_000, phases, attrs: attrs(i, host) })
    }).flat(),
    START_MS + 86_400_000,
  ).map(({ attempt }) => attempt)
}
const illIn = (attempts: ReturnType<typeof oneDay>) => illAmong(attempts.map((attempt) => ({ attempt, split: blame(attempt) })))
const zoneOf = (_: number, host: number): Attrs => ({ zone: host < 4 ? 'A' : 'B' })

describe('what is not to be learnt from', () => {
  it.each([2, 4, 5])('is what takes long at %i of 12 hosts, and not elsewhere', (ill) => {
    const attempts = oneDay(240, 'policy', (_, host) => host < ill)
    const found = illIn(attempts)
    expect([...found].map(({ host }) => host).every((host) => Number(host?.slice(3)) < ill)).toBe(true)
    expect(found.size).toBe(attempts.filter(({ host }) => Number(host?.slice(3)) < ill).length)
  })

  it('is what takes long on the way between two places, and not from elsewhere to the one, or from there to others', () => {
    const way = (i: number, host: number): Attrs => ({ zone: host < 6 ? 'A' : 'B', share: `s${i % 2}` })
    const attempts = oneDay(240, 'shell', (i, host) => host < 6 && i % 2 === 0, way)
    const found = illIn(attempts)
    expect(found.size).toBe(attempts.filter(({ attrs }) => attrs['zone'] === 'A' && attrs['share'] === 's0').length)
    expect([...found].every(({ attrs }) => attrs['zone'] === 'A' && attrs['share'] === 's0')).toBe(true)
  })

  it('is what takes long on the ways that cross, though more than half of all go them, and not what one place has', () => {
    const isFar = (i: number) => i % 5 < 3
    const shareOf = (i: number, host: number, far: boolean) => (host < 6 === far ? 's0' : 's1')
    const way = (i: number, host: number): Attrs => ({ zone: host < 6 ? 'A' : 'B', share: shareOf(i, host, isFar(i)) })
    const found = illIn(oneDay(240, 'shell', isFar, way))
    expect([...found].map(({ id }) => Number(id.slice(1))).every(isFar)).toBe(true)
    expect(found.size).toBe(144)
    // More than half are on one share, which is slow for all: there is nothing to see what would be well.
    expect(illIn(oneDay(240, 'shell', isFar, (i, host) => ({ zone: host < 6 ? 'A' : 'B', share: isFar(i) ? 's0' : 's1' }))).size).toBe(0)
  })

  it('is what takes long on ways that cross also for a pool of which there are few, as for all others', () => {
    const isFar = (i: number) => i % 5 < 3
    const way = (i: number, host: number): Attrs => ({ zone: host < 6 ? 'A' : 'B', share: host < 6 === isFar(i) ? 's0' : 's1' })
    const inAttic = (phase: string) =>
      [...illIn(oneDay(240, phase, isFar, way).map((attempt, i) => (i % 10 === 2 ? { ...attempt, pool: 'attic' } : attempt)))].filter(
        ({ pool }) => pool === 'attic',
      )
    expect(inAttic('profile')).toHaveLength(24)
    // What is not read from a share is told by the logons of each pool.
    expect(inAttic('shell')).toHaveLength(0)
  })

  it('is what takes long for the few who have much of what it grows with', () => {
    const ofEach = (nth: number, attrs: (much: boolean) => Attrs) =>
      illIn(
        oneDay(
          240,
          'shell',
          (i) => i % nth === 0,
          (i) => attrs(i % nth === 0),
        ),
      ).size
    expect(ofEach(8, (much) => ({ autostart: much ? 24 : 3 }))).toBe(30)
    // Every third: that is how they differ.
    expect(ofEach(3, (much) => ({ autostart: much ? 24 : 3 }))).toBe(0)
    expect(ofEach(8, () => ({ autostart: 3 }))).toBe(0)
    expect(ofEach(8, () => ({}))).toBe(0)
  })

  it('is what nearly half have, where the times of all others vary', () => {
    const attempts = oneDay(240, 'shell', () => false).map((attempt, i) => {
      const more = 400 * (i % 8) + (Number(attempt.host?.slice(3)) < 5 ? 14_000 : 0)
      const phases = attempt.phases.map((one) => (one.phase === 'shell' ? { ...one, endMs: one.endMs + more } : one))
      return { ...attempt, phases, totalMs: attempt.totalMs + more }
    })
    const found = illIn(attempts)
    expect(found.size).toBe(attempts.filter(({ host }) => Number(host?.slice(3)) < 5).length)
  })

  it('is what takes long for some time, and not before and after it, wherever it is', () => {
    const found = illIn(oneDay(240, 'scripts', (i) => i >= 100 && i < 140))
    expect([...found].map(({ id }) => Number(id.slice(1))).sort((a, b) => a - b)).toEqual(Array.from({ length: 40 }, (_, i) => i + 100))
    // Every other one since then: it is how they differ.
    expect(illIn(oneDay(240, 'scripts', (i) => i >= 60 && i % 2 > 0)).size).toBe(0)
  })

  it('is what takes long in several stretches of time, and hardly ever beside them, unless people are asked for something then', () => {
    const isThen = (i: number) => (i >= 30 && i < 52) || (i >= 120 && i < 140) || (i >= 190 && i < 215)
    const found = illIn(oneDay(240, 'policy', (i) => (isThen(i) && i % 10 > 0) || i === 80 || i === 100))
    expect([...found].map(({ id }) => Number(id.slice(1))).sort((a, b) => a - b)).toEqual(
      Array.from({ length: 240 }, (_, i) => i).filter((i) => isThen(i) && i % 10 > 0),
    )
    expect(illIn(oneDay(240, 'sign-on', isThen)).size).toBe(0)
    // A few in a row, and as many one by one.
    expect(illIn(oneDay(240, 'policy', (i) => (i >= 30 && i < 50) || i % 9 === 0)).size).toBe(0)
  })

  it('is what goes on to the end, though few logged on right after it began', () => {
    // The first two hours of it are at the end of a day; most of it is on the next.
    const days = [0, 1].flatMap((day) =>
      oneDay(120, 'scripts', (i) => (day === 0 ? i >= 100 : true)).map((attempt) => ({
        ...attempt,
        id: `${day}-${attempt.id}`,
        startedAtMs: attempt.startedAtMs + day * 86_400_000,
      })),
    )
    expect(illIn(days).size).toBe(140)
  })

  it('is what takes long for a few people, from some moment on, and for hardly anybody else', () => {
    const isIll = (i: number, ill: number) => (i * 7) % 24 < ill && i > 60
    const of = (ill: number) =>
      oneDay(240, 'profile', (i) => isIll(i, ill)).map((attempt, i) => ({ ...attempt, person: `p${i % 24}`, account: `p${i % 24}` }))
    const numbers = [...illIn(of(4))].map(({ id }) => Number(id.slice(1))).sort((a, b) => a - b)
    expect(numbers).toEqual(Array.from({ length: 240 }, (_, i) => i).filter((i) => isIll(i, 4)))
    // A third of them: these have more to load.
    expect(illIn(of(8)).size).toBe(0)
    // Once, or twice: anybody's may.
    expect(illIn(oneDay(240, 'profile', (i) => i % 8 === 0)).size).toBe(0)
  })

  it('is not how logons differ everywhere, as by a second factor; nor what most have', () => {
    expect(illIn(oneDay(240, 'sign-on', (i) => i % 3 === 0)).size).toBe(0)
    expect(illIn(oneDay(240, 'policy', (_, host) => host < 8)).size).toBe(0)
  })

  it('is what takes long at the same hours day after day, unless people are asked for something then', () => {
    const days = (phase: string, isLong: (day: number, i: number) => boolean) =>
      Array.from({ length: 4 }, (_, day) =>
        oneDay(240, phase, (i) => isLong(day, i)).map((attempt) => ({
          ...attempt,
          id: `${day}-${attempt.id}`,
          startedAtMs: attempt.startedAtMs + day * 86_400_000,
        })),
      ).flat()
    // An hour and a half of the four hours that anybody logs on in; of a half hour that is only partly in it, it may not be told.
    expect(illIn(days('policy', (_, i) => i >= 60 && i < 150)).size).toBeGreaterThan(310)
    expect(illIn(days('sign-on', (_, i) => i >= 60 && i < 150)).size).toBe(0)
    // Of one day only, or now and then.
    expect(illIn(days('policy', (day, i) => i >= 60 + 20 * day && i < 150 && (i * 7 + day) % 3 === 0)).size).toBe(0)
  })

  it('is told among all of a pool, or all who come from a network, where few are of one kind', () => {
    const networks = ['home', 'office', 'ship', 'port', 'yard', 'bus', 'depot', 'club', 'inn', 'hall']
    const few = (i: number, host: number): Attrs => ({ ...zoneOf(i, host), network: networks[(i * 3) % 10] ?? '' })
    const attempts = oneDay(240, 'policy', (_, host) => host < 4, few)
    expect(illIn(attempts).size).toBe(attempts.filter(({ host }) => Number(host?.slice(3)) < 4).length)
    // From one network since the middle of the day, whichever of the pools.
    const ofPools = oneDay(240, 'connect', () => false, few).map((attempt, i) => ({ ...attempt, pool: `p${(i >> 2) % 3}` }))
    const ill = ofPools.map((attempt, i) => {
      if (i < 140 || (attempt.attrs['network'] !== 'home' && attempt.attrs['network'] !== 'office')) return attempt
      const phases = attempt.phases.map((one) => (one.phase === 'shell' ? { ...one, endMs: one.endMs + 30_000 } : one))
      return { ...attempt, attrs: { ...attempt.attrs, network: 'home' }, phases, totalMs: attempt.totalMs + 30_000 }
    })
    const home = ill.map((attempt, i) => (i < 140 && i % 2 === 0 ? { ...attempt, attrs: { ...attempt.attrs, network: 'home' } } : attempt))
    const found = illIn(home)
    expect(found.size).toBeGreaterThan(15)
    expect([...found].every(({ totalMs }) => totalMs > 30_000)).toBe(true)
  })

  it('is what a place has, also where one in twelve of all others happen to take as long', () => {
    const attempts = oneDay(240, 'policy', (i, host) => host < 2 || i % 13 === 0)
    const found = illIn(attempts)
    expect([...found].filter(({ host }) => Number(host?.slice(3)) < 2).length).toBe(attempts.filter(({ host }) => Number(host?.slice(3)) < 2).length)
  })

  it('is nothing where there are too few, or where it may be chance', () => {
    expect(illIn(oneDay(24, 'policy', (_, host) => host < 4)).size).toBe(0)
    expect(illIn(oneDay(36, 'policy', (i, host) => host < 2 && i < 30)).size).toBe(0)
  })
})

describe('evidence of a single day', () => {
  it('tells what is ill in it from the first logon to the last', () => {
    const long = analyseAll(oneDay(240, 'policy', (_, host) => host < 4, zoneOf)).filter(({ attempt }) => attempt.totalMs > 30_000)
    expect(long).toHaveLength(80)
    for (const { excess, lostMs, diagnosis } of long) {
      expect(excess.map(({ phase }) => phase)).toEqual(['policy'])
      expect(Math.abs(lostMs - 30_000)).toBeLessThan(1000)
      expect(diagnosis.cause?.evidence.some(({ for: speaksFor, sentence }) => speaksFor && /zone A|host VD-/.test(sentence))).toBe(true)
    }
  })

  it('tells what is ill of networks that few come from, however many had it before them', () => {
    const attrs = (i: number): Attrs => ({ network: ['home', 'office', 'ship'][i % 3] ?? '', image: i < 46 ? '1' : '2' })
    const long = analyseAll(oneDay(90, 'shell', (i) => i >= 46, attrs)).filter(({ attempt }) => attempt.totalMs > 30_000)
    expect(long).toHaveLength(44)
    expect(long.filter(({ excess }) => excess[0]?.phase === 'shell')).toHaveLength(44)
  })

  it('tells that a host had to be started, also where one in eight had to', () => {
    const started = (i: number) => i % 8 === 3
    const attempts = oneDay(48, 'power', started).map((attempt) => ({
      ...attempt,
      phases: attempt.phases.filter(({ startMs, endMs }) => endMs > startMs),
    }))
    const causes = analyseAll(attempts).map(({ attempt, diagnosis }) => [started(Number(attempt.id.slice(1))), diagnosis.cause?.id ?? null] as const)
    expect(causes.filter(([isStarted]) => isStarted)).toEqual(Array.from({ length: 6 }, () => [true, 'host-cold']))
    expect(causes.filter(([isStarted, cause]) => !isStarted && cause !== null)).toEqual([])
  })

  it('calls nobody unusual who only signed on with a second factor', () => {
    const unusual = analyseAll(oneDay(240, 'sign-on', (i) => i % 3 === 0, zoneOf)).filter(({ diagnosis, excess }) => diagnosis.cause ?? excess[0])
    expect(unusual).toEqual([])
  })
})
