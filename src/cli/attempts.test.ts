import fc from 'fast-check'
import { readdirSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { describe, expect, it } from 'vitest'
import { correlate, endOf, Gatherer, type Attempt, type Observation } from '../core/logons'
import { logon, START_MS } from '../core/logons/fixtures/builders'
import { attemptsOf } from './attempts'
import { readGivens } from './given-file'
import type { Follower } from './sorted'

const HOUR = 3_600_000
const evidence = [
  ...logon({ id: 'a', attrs: { rttMs: 2 } }),
  ...logon({ person: 'jonas' }),
  ...logon({ person: 'jonas', at: START_MS + HOUR / 2, outcome: 'failed', marks: [['0xC0000043', 'container', 5000]] }),
  ...logon({ person: 'jonas', at: START_MS + 30 * HOUR }),
  ...logon({ person: 'ilse', host: 'BO-H1-03' }).filter(({ kind }) => kind !== 'end'),
  ...logon({ id: 'b', person: 'vera', at: START_MS + 2 * HOUR }),
  // An id that its source uses again.
  ...logon({ id: 'b', person: 'mara', at: START_MS + 33 * HOUR }),
  // The broker knows the id, the host does not; and they log on again, once without any.
  ...logon({ id: 'd', person: 'rut', at: START_MS + HOUR }).map((o, i) => (i < 3 ? { ...o, host: 'BROKER-1' } : { ...o, attempt: undefined })),
  ...logon({ person: 'rut', at: START_MS + 3 * HOUR }),
  ...logon({ id: 'e', person: 'rut', at: START_MS + 29 * HOUR }).map((o, i) => (i % 2 ? { ...o, person: undefined } : { ...o, attempt: undefined })),
  ...logon({ id: 'c', person: 'aino', at: START_MS + 31 * HOUR, phases: { broker: 900 } }).filter(({ kind }) => kind !== 'end'),
]
const newest = Math.max(...evidence.map(endOf))
const expected = correlate(evidence, newest).map(({ attempt }) => attempt)

async function inLittleMemory(
  observations: readonly Observation[],
  waiting: number,
): Promise<{ attempts: Attempt[]; reads: number; followed: boolean }> {
  let reads = 0
  const follower = new Following()
  const { attempts, followed, dispose } = await attemptsOf(
    (take) => {
      reads++
      observations.forEach(take)
      return Promise.resolve()
    },
    follower,
    { inMemory: 2, waiting },
  )
  const list = [...attempts]
  // Whoever follows has all of them, or was told that it has not.
  expect(followed).toBe(follower.path !== '' && !follower.stopped)
  if (followed) expect([...readGivens(follower.path, (frame) => frame < follower.frames)].map(({ attempt }) => attempt)).toEqual(list)
  dispose()
  return { attempts: list, reads, followed }
}

class Following implements Follower {
  path = ''
  frames = 0
  stopped = false
  begin(path: string) {
    this.path = path
  }
  grown() {
    this.frames++
  }
  stop() {
    this.stopped = true
  }
}

describe('attempts of evidence larger than memory', () => {
  it('are the same as with everything in memory, in whatever order the evidence comes, and however often', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.shuffledSubarray(evidence, { minLength: evidence.length }),
        fc.array(fc.constantFrom(...evidence), { maxLength: 20 }),
        fc.integer({ min: 4, max: 30 }),
        async (shuffled, again, waiting) => {
          expect((await inLittleMemory([...again, ...shuffled], waiting)).attempts).toEqual(expected)
        },
      ),
      { numRuns: 150 },
    )
  })

  it('are those of whoever is named in a session, where others only say which', async () => {
    const some = [0, 1, 2, 3, 4, 5].flatMap((i) =>
      logon({ person: `p${i % 3}`, host: `H-${i % 2}`, at: START_MS + i * HOUR })
        .map((o) => ({ ...o, session: String(i % 2) }))
        .map((o, at) => (at > 3 ? { ...o, person: undefined } : o)),
    )
    const whole = correlate(some, Math.max(...some.map(endOf))).map(({ attempt }) => attempt)
    expect(whole.map(({ person, totalMs }) => [person, totalMs])).toEqual([0, 1, 2, 0, 1, 2].map((i) => [`p${i}`, 13_100]))
    for (const waiting of [8, 30, 400]) expect(await inLittleMemory(some, waiting)).toMatchObject({ attempts: whole, reads: 1 })
    // In any order, also where names come after what has none was given out.
    await fc.assert(
      fc.asyncProperty(fc.shuffledSubarray(some, { minLength: some.length }), fc.integer({ min: 4, max: 40 }), async (shuffled, waiting) => {
        expect((await inLittleMemory(shuffled, waiting)).attempts).toEqual(whole)
      }),
    )
    const byFile = [...some.filter(({ person }) => person), ...some.filter(({ person }) => !person)]
    for (const files of [byFile, [...byFile].reverse()]) expect((await inLittleMemory(files, 8)).attempts).toEqual(whole)
  })

  it('need one reading where the evidence is in order, and two where it is not', async () => {
    const ordered = [...evidence].sort((a, b) => a.timeMs - b.timeMs)
    expect(await inLittleMemory(ordered, 80)).toEqual({ attempts: expected, reads: 1, followed: true })
    const byKind = [...evidence].sort((a, b) => (a.kind < b.kind ? -1 : 1))
    expect(await inLittleMemory(byKind, 8)).toEqual({ attempts: expected, reads: 2, followed: false })
  })

  it('are given out while it is read also of people who log on again and again', async () => {
    // Two people, a logon every ten minutes, on two hosts at once: nobody is ever quiet.
    const busy = Array.from({ length: 120 }, (_, i) => logon({ person: `p${i % 2}`, host: `H-${i % 3}`, at: START_MS + Math.floor(i / 2) * 600_000 }))
    const ordered = busy.flat().sort((a, b) => a.timeMs - b.timeMs)
    let given = 0
    const gatherer = new Gatherer(() => given++, 200)
    let most = 0
    ordered.forEach((one, i) => {
      gatherer.add(one)
      most = Math.max(most, i + 1 - given * (busy[0]?.length ?? 0))
    })
    gatherer.end()
    expect([given, gatherer.late.size]).toEqual([120, 0])
    expect(most).toBeLessThan(320)
    const { attempts, reads } = await inLittleMemory(ordered, 200)
    expect(attempts).toEqual(correlate(ordered, Math.max(...ordered.map(endOf))).map(({ attempt }) => attempt))
    expect(reads).toBe(1)
  })

  it('are given out once, of whoever logs on again when the silence after their first logon has passed', async () => {
    const others = Array.from({ length: 400 }, (_, i) => logon({ person: `q${i}`, host: `H-${i % 9}`, at: START_MS + i * 3000 }))
    const again = (afterMs: number) =>
      [logon({ person: 'again', host: 'H-1', at: START_MS }), logon({ person: 'again', host: 'H-2', at: START_MS + afterMs }), ...others]
        .flat()
        .sort((a, b) => a.timeMs - b.timeMs)
    const [soon, later] = [again(10 * 60_000), again(17 * 60_000)]
    const whole = (all: typeof soon) => correlate(all, Math.max(...all.map(endOf))).map(({ attempt }) => attempt)
    // What comes within a quarter of an hour might belong to the first.
    expect(await inLittleMemory(soon, 200)).toMatchObject({ attempts: whole(soon), reads: 2 })
    expect(await inLittleMemory(later, 200)).toMatchObject({ attempts: whole(later), reads: 1 })
  })

  it('are given out soon after they are over, and none that only waits for some minutes', async () => {
    const many = Array.from({ length: 3000 }, (_, i) => logon({ id: `m${i}`, person: `p${i}`, host: `H-${i % 40}`, at: START_MS + i * 150 })).flat()
    // Four minutes of nothing, while thousands of records come.
    const waits = logon({ id: 'waits', person: 'waits', host: 'H-99', at: START_MS })
    const late = waits.map((one, i) => (i < waits.length / 2 ? one : { ...one, timeMs: one.timeMs + 4 * 60_000 }))
    let given = 0
    const gatherer = new Gatherer(() => given++)
    const ordered = [...many, ...late].sort((a, b) => a.timeMs - b.timeMs)
    ordered.forEach((one) => {
      gatherer.add(one)
    })
    expect(ordered.length).toBeGreaterThan(15_000)
    expect(given).toBeGreaterThan(100)
    gatherer.end()
    expect([given, gatherer.late.size]).toEqual([3001, 0])
  })

  it('leave nothing behind in the temporary folder, even when reading fails', async () => {
    const ours = () => readdirSync(tmpdir()).filter((name) => /^ikebana-[^-]{6}$/.test(name)).length
    const before = ours()
    await inLittleMemory(evidence, 8)
    await expect(attemptsOf(() => Promise.reject(new Error('gone')))).rejects.toThrow('gone')
    expect(ours()).toBe(before)
  })
})
