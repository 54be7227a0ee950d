import fc from 'fast-check'
import { mkdtempSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Attempt, Given } from '../core/logons'
import { GivenWriter, readGivens } from './given-file'

let folder = ''
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'given-'))
})
afterAll(() => {
  rmSync(folder, { recursive: true })
})

const text = fc.string({ unit: 'binary', maxLength: 12 })
const maybe = fc.option(text)
const ms = fc.double({ noNaN: true, noDefaultInfinity: true })
const phase = fc.record({ phase: text, startMs: ms, endMs: ms, ended: fc.boolean(), code: maybe, host: maybe })
const given: fc.Arbitrary<Given> = fc.record({
  thread: fc.maxSafeNat(),
  person: fc.constantFrom(-1, 17),
  mixed: fc.boolean(),
  attempt: fc.record({
    id: text,
    person: maybe,
    account: maybe,
    host: maybe,
    pool: maybe,
    session: maybe,
    startedAtMs: ms,
    totalMs: fc.nat(),
    outcome: fc.constantFrom<Attempt['outcome']>('ready', 'failed', 'open'),
    phases: fc.array(phase, { maxLength: 4 }),
    parts: fc.array(
      phase.chain((one) => text.map((part) => ({ ...one, part }))),
      { maxLength: 3 },
    ),
    marks: fc.array(fc.record({ atMs: ms, code: maybe, phase: maybe, text: maybe, host: maybe }), { maxLength: 3 }),
    // No reader lets that name in.
    attrs: fc.dictionary(
      text.filter((name) => name !== '__proto__'),
      fc.oneof(text, ms, fc.boolean()),
      { noNullPrototype: true },
    ),
    oddities: fc.array(fc.record({ code: fc.constant('clock.off' as const), sentence: text }), { maxLength: 2 }),
    observations: fc.nat(),
  }),
})

const some = (i: number): Given => ({
  thread: i,
  person: -1,
  mixed: false,
  attempt: {
    id: `attempt-${i}`,
    person: `person-${i % 50}`,
    account: null,
    host: 'BR-H1-01',
    pool: 'bridge-ops',
    session: null,
    startedAtMs: i,
    totalMs: 2 * i,
    outcome: 'ready',
    phases: Array.from({ length: 12 }, (_, n) => ({ phase: `phase-${n}`, startMs: n, endMs: n + 0.5, ended: true, code: null, host: null })),
    parts: [],
    marks: [],
    attrs: { first: false, zone: 'H1', rttMs: i },
    oddities: [],
    observations: 12,
  },
})

describe('attempts in a file', () => {
  it('are read as they were written', () => {
    fc.assert(
      fc.property(fc.array(given, { maxLength: 6 }), (list) => {
        const writer = new GivenWriter(join(folder, 'any'))
        for (const one of list) writer.add(one)
        writer.end()
        expect([...readGivens(writer.path)]).toEqual(list)
      }),
    )
  })

  it('are read while more are written, also when so many texts were named that the first are forgotten', () => {
    let frames = 0
    const writer = new GivenWriter(join(folder, 'growing'), () => frames++)
    const reading = readGivens(writer.path, (frame) => {
      // Waits, as another thread would.
      while (frames <= frame && next < 12_000) writer.add(some(next++))
      if (frames <= frame) writer.end()
      return true
    })
    let next = 0
    let read = 0
    for (const one of reading) expect(one).toEqual(some(read++))
    expect([next, read]).toEqual([12_000, 12_000])
    expect(frames).toBeGreaterThan(20)
    // Texts are written once a while, not each time.
    expect(statSync(writer.path).size / 12_000).toBeLessThan(900)
  })
})
