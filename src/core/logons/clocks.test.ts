import { describe, expect, it } from 'vitest'
import { analyseAll } from './batch'
import { corrected, offIn } from './clock-right'
import type { Timed } from './clock-turns'
import { ClockWatch } from './clock-watch'
import { clockOffsets } from './clocks'
import { correlate } from './correlate'
import { START_MS } from './fixtures/builders'
import { handedOver } from './fixtures/clocks'
import type { Observation } from './observation'

const attempts = (offsets: Readonly<Record<string, number>>) => correlate(handedOver(offsets), START_MS + 86_400_000).map(({ attempt }) => attempt)

/** The same, where the broker names only the host that it chose, and the directory server is the only other that says who it is. */
const chosen = (offsets: Readonly<Record<string, number>>) =>
  correlate(
    handedOver(offsets).map(({ source, ...one }) => (source === 'DC' ? { ...one, source } : one)),
    START_MS + 86_400_000,
  ).map(({ attempt }) => attempt)

describe('clocks', () => {
  it('that agree are left alone', () => {
    expect(clockOffsets(attempts({}))).toEqual(new Map())
    // Long before each of them something may be waited for that nobody records.
    expect(clockOffsets(attempts({ BROKER: -3_600_000 })).size).toBe(0)
  })

  it('of who sends are off where every host has gone through it before it was sent', () => {
    const found = clockOffsets(attempts({ BROKER: 3_600_000 }))
    expect([...found.keys()]).toEqual(['BROKER'])
    expect(Math.abs((found.get('BROKER')?.offsetMs ?? 0) - 3_600_000)).toBeLessThan(500)
    const totals = attempts({}).map(({ totalMs }) => totalMs)
    for (const [i, attempt] of attempts({ BROKER: 3_600_000 }).entries())
      expect(Math.abs(corrected(attempt, offIn(attempt, found)).totalMs - (totals[i] ?? 0))).toBeLessThan(900)
  })

  it('are found, too, where the broker names only the host that it chose, also its own', () => {
    const right = new Map(chosen({}).map(({ id, totalMs }) => [id, totalMs]))
    expect(clockOffsets(chosen({})).size).toBe(0)
    const all = Object.fromEntries(Array.from({ length: 8 }, (_, i) => [`H-${i}`, (i - 3.5) * 1500]))
    for (const offsets of [all, { ...all, BROKER: 9000 }]) {
      const found = clockOffsets(chosen(offsets))
      expect(found.has('the broker')).toBe(offsets !== all)
      for (const attempt of chosen(offsets)) {
        const mended = corrected(attempt, offIn(attempt, found))
        expect(Math.abs(mended.totalMs - (right.get(attempt.id) ?? 0))).toBeLessThan(1300)
        expect(mended.phases[0]).toMatchObject({ phase: 'broker', host: attempt.host })
      }
    }
  })

  it('are found by pool, so that many others of which only the hosts tell, by clocks that agree, do not hide them', () => {
    const offsets = Object.fromEntries(Array.from({ length: 8 }, (_, i) => [`H-${i}`, (i - 3.5) * 1500]))
    const some = chosen(offsets).map((one) => ({ ...one, pool: 'front' }))
    const others = Array.from({ length: 12 }, (_, copy) =>
      chosen({}).map(({ phases, ...one }) => ({
        ...one,
        id: `${copy}-${one.id}`,
        pool: 'back',
        host: `B${copy}-${one.host}`,
        phases: phases.map((phase) => ({ ...phase, host: `B${copy}-${one.host}` })),
        marks: [],
      })),
    ).flat()
    const found = clockOffsets([...others, ...some])
    expect([...found.keys()].filter((machine) => machine.startsWith('B')).length).toBe(0)
    // They are held against their middle one, and no surer than that is.
    const off = [...found.values()].filter(({ machine }) => machine.startsWith('H'))
    expect(off.length).toBeGreaterThan(4)
    for (const { machine, offsetMs, uncertaintyMs } of off) {
      expect(Math.abs(offsetMs - (offsets[machine] ?? 0))).toBeLessThan(2 * uncertaintyMs)
      expect(uncertaintyMs).toBeGreaterThan(500)
    }
    const right = new Map(chosen({}).map(({ id, totalMs }) => [id, totalMs]))
    for (const attempt of some) expect(Math.abs(corrected(attempt, offIn(attempt, found)).totalMs - (right.get(attempt.id) ?? 0))).toBeLessThan(1300)
  })

  it('of gateways at which people sign on before a host is looked for are right', () => {
    const phase = (name: string, host: string, startMs: number, endMs: number) => ({ phase: name, host, startMs, endMs, ended: true, code: null })
    const list = Array.from({ length: 90 }, (_, i): Timed => {
      const host = `H-${i % 5}`
      const [asked, chosen] = [3000 + (i % 7) * 900, 3700 + (i % 7) * 900]
      const phases = [
        phase('sign-on', `GW-${i % 3}`, 0, asked),
        phase('broker', 'CB', asked + 20, chosen),
        phase('connect', host, chosen + 30, chosen + 600),
        phase('container', host, chosen + 620, chosen + 2000),
      ]
      return { host, pool: null, marks: [], phases }
    })
    expect(clockOffsets(list)).toEqual(new Map())
  })

  it('of who times what lies between two phases of the hosts are off where that cannot be so; what overlaps says nothing', () => {
    const phase = (name: string, host: string, startMs: number, endMs: number) => ({ phase: name, host, startMs, endMs, ended: true, code: null })
    const list = (offsets: Readonly<Record<string, number>>, overlaps = false): Timed[] =>
      Array.from({ length: 60 }, (_, i) => {
        const host = `H-${i % 4}`
        const [own, files] = [offsets[host] ?? 0, offsets['FILES'] ?? 0]
        const [begun, done] = [2000 + (i % 7) * 90, 3400 + (i % 5) * 130]
        const phases = [
          phase('sign-on', host, own, (overlaps ? done + 40 : begun) + own),
          phase('container', 'FILES', begun + 20 + files, done + files),
          phase('profile', host, done + 60 + own, 6000 + own),
        ]
        return { host, pool: null, marks: [], phases }
      })
    expect(clockOffsets(list({})).size).toBe(0)
    for (const offset of [-90_000, -4000, 4000, 90_000]) {
      const found = clockOffsets(list({ FILES: offset }))
      expect([...found.keys()]).toEqual(['FILES'])
      expect(Math.abs((found.get('FILES')?.offsetMs ?? 0) - offset)).toBeLessThanOrEqual(100)
    }
    expect([...clockOffsets(list({ 'H-2': 30_000 })).keys()]).toEqual(['H-2'])
    expect(clockOffsets(list({}, true)).size).toBe(0)
    // Of one host and one machine, nobody can say which of them is wrong.
    expect(clockOffsets(list({ FILES: 4000 }).filter(({ host }) => host === 'H-1')).size).toBe(0)
  })

  it('that are off are found, with how sure that is, and what they timed is put right', () => {
    const offsets = { 'H-3': 330_000, 'H-6': -45_000 }
    const found = clockOffsets(attempts(offsets))
    expect([...found.keys()].sort()).toEqual(['H-3', 'H-6'])
    for (const [machine, offset] of Object.entries(offsets)) {
      const one = found.get(machine)
      expect(Math.abs((one?.offsetMs ?? 0) - offset)).toBeLessThanOrEqual(Math.max(300, one?.uncertaintyMs ?? 0))
      expect(one?.uncertaintyMs).toBeLessThan(1000)
      expect(one?.n).toBe(15)
    }
    const right = new Map(attempts({}).map((attempt) => [attempt.id, attempt]))
    for (const attempt of attempts(offsets)) {
      const mended = corrected(attempt, offIn(attempt, found))
      const truth = right.get(attempt.id)
      expect(Math.abs(mended.totalMs - (truth?.totalMs ?? 0))).toBeLessThan(600)
      expect(mended.startedAtMs).toBe(truth?.startedAtMs)
      for (const { startMs } of mended.phases) expect(startMs).toBeGreaterThan(-600)
    }
  })

  it('that all differ are found where some of them cannot be right, each by how far it is from the middle', () => {
    const offsets = Object.fromEntries(Array.from({ length: 8 }, (_, i) => [`H-${i}`, (i - 3.5) * 4000]))
    const found = clockOffsets(attempts(offsets))
    const told = Object.keys(offsets).filter((machine) => found.has(machine))
    expect(told.length).toBeGreaterThanOrEqual(6)
    const [first = ''] = told
    // Against each other: which of them is right, nobody knows.
    for (const machine of told)
      expect(
        Math.abs((found.get(machine)?.offsetMs ?? 0) - (found.get(first)?.offsetMs ?? 0) - ((offsets[machine] ?? 0) - (offsets[first] ?? 0))),
      ).toBeLessThan(700)
    // Waits of hosts that are handed their logons late are no clocks, however much they differ.
    expect(clockOffsets(attempts(Object.fromEntries(Object.keys(offsets).map((machine, i) => [machine, i * 3000])))).size).toBe(0)
  })

  it('are found where nobody gives an id: what others say of a logon comes before it, amid it or after it, and belongs to it all the same', () => {
    const nameless = (offsets: Readonly<Record<string, number>>) =>
      correlate(
        handedOver(offsets).map(({ attempt: _, ...observation }) => observation),
        START_MS + 86_400_000,
      ).map(({ attempt }) => attempt)
    const totals = nameless({}).map(({ totalMs }) => totalMs)
    for (const offset of [-400_000, -90_000, -5000, 5000, 47_000, 400_000]) {
      const found = clockOffsets(nameless({ 'H-3': offset }))
      expect([...found.keys()]).toEqual(['H-3'])
      expect(Math.abs((found.get('H-3')?.offsetMs ?? 0) - offset)).toBeLessThan(100)
      const mended = nameless({ 'H-3': offset }).map((attempt) => corrected(attempt, offIn(attempt, found)))
      mended.sort((a, b) => a.startedAtMs - b.startedAtMs)
      expect(mended).toHaveLength(totals.length)
      mended.forEach(({ totalMs }, i) => {
        expect(Math.abs(totalMs - (totals[i] ?? 0))).toBeLessThan(600)
      })
    }
  })

  it('are found where only the broker knows ids, and tells begin and end: before, amid or after what the host tells', () => {
    const told = (offsets: Readonly<Record<string, number>>) =>
      handedOver(offsets).flatMap(({ attempt, source, host, ...one }, i): Observation[] => {
        const person = `p${Math.floor(i / 6) % 30}`
        if (one.kind === 'mark') return []
        if (one.kind === 'begin') return [{ ...one, attempt, source, person }]
        if (one.kind === 'end') return [{ ...one, timeMs: one.timeMs - (offsets[host ?? ''] ?? 0), attempt, source: 'BROKER', person }]
        return [source ? { ...one, attempt, source, host, person } : { ...one, host, person }]
      })
    const right = new Map(correlate(told({}), START_MS + 86_400_000).map(({ attempt }) => [attempt.id, attempt]))
    expect(right.size).toBe(120)
    const offsets = { 'H-3': 85_000, 'H-5': 20_000, 'H-6': -70_000 }
    const list = correlate(told(offsets), START_MS + 86_400_000).map(({ attempt }) => attempt)
    expect(list.map(({ id }) => id).sort()).toEqual([...right.keys()].sort())
    const found = clockOffsets(list)
    expect([...found.keys()].sort()).toEqual(Object.keys(offsets))
    for (const attempt of list) {
      const mended = corrected(attempt, offIn(attempt, found))
      const truth = right.get(attempt.id)
      expect(mended.phases.map(({ phase }) => phase)).toEqual(['broker', 'sign-on', 'shell'])
      expect(Math.abs(mended.totalMs - (truth?.totalMs ?? 0))).toBeLessThan(600)
      expect(mended.startedAtMs).toBe(truth?.startedAtMs)
    }
  })

  it('are put right also in a logon that failed before it had any phase', () => {
    const who = { person: 'mara', host: 'H-3' }
    const [attempt] = correlate(
      [
        { ...who, kind: 'mark', phase: 'sign-on', code: 'KDC_ERR_PREAUTH_FAILED', source: 'DC', timeMs: START_MS },
        { ...who, kind: 'end', outcome: 'failed', code: '0xC000006A', timeMs: START_MS + 47_080 },
      ],
      START_MS + 86_400_000,
    )
    const mended = corrected(attempt?.attempt ?? (undefined as never), [
      { machine: 'H-3', offsetMs: 47_000, uncertaintyMs: 100, n: 9, typicalMs: null },
    ])
    expect(mended).toMatchObject({ startedAtMs: START_MS, totalMs: 80 })
  })

  it('are followed while logons come in: whoever came before a clock was known to be off is named, and one that is set is left alone', () => {
    const watch = new ClockWatch()
    const timed = (offsets: Readonly<Record<string, number>>) => attempts(offsets).map((attempt) => ({ thread: `id:${attempt.id}`, attempt }))
    const off = timed({ 'H-3': -94_000 })
    expect(watch.take(off.slice(0, 20))).toBeNull()
    const again = watch.take(off.slice(20))
    expect(again?.map(({ thread }) => thread).sort()).toEqual(
      off
        .slice(0, 20)
        .filter(({ attempt }) => attempt.host === 'H-3')
        .map(({ thread }) => thread)
        .sort(),
    )
    expect(Math.abs((watch.off.get('H-3')?.offsetMs ?? 0) + 94_000)).toBeLessThan(500)
    // Set in the meantime: what is still believed of it is not held against an attempt that shows otherwise.
    for (const { attempt } of timed({})) expect(offIn(attempt, watch.off)).toEqual([])
    for (const { attempt } of off) expect(offIn(attempt, watch.off)).toHaveLength(attempt.host === 'H-3' ? 1 : 0)
    expect(new ClockWatch(watch.off.values()).off).toEqual(watch.off)
  })

  it('are found also among very many logons of which only the host tells; where some of these wait, that is no clock', () => {
    const watch = new ClockWatch()
    // Two of the hosts are slow to go on after they were chosen, always by as much.
    const alone = handedOver({ 'H-1': 4000, 'H-2': 2500 }, 1200).map(({ source: _, ...one }) => one)
    const told = (observations: readonly Observation[]) =>
      correlate(observations, START_MS + 86_400_000).map(({ attempt }) => ({ thread: `id:${attempt.id}`, attempt }))
    for (let at = 0; at < alone.length; at += 600) expect(watch.take(told(alone.slice(at, at + 600)))).toBeNull()
    expect(watch.off.size).toBe(0)
    watch.take(told(handedOver({ 'H-3': 330_000 }).map((one) => ({ ...one, attempt: `b-${one.attempt}` }))))
    expect([...watch.off.keys()]).toEqual(['H-3'])
  })

  it('are put right before anything is measured, and said in the evidence of who could not sign on', () => {
    const list = handedOver({ 'H-3': 400_000 })
    const refused = list.map((o) =>
      o.attempt === 'a3' && o.kind === 'end' ? { ...o, outcome: 'failed' as const, code: 'KRB_AP_ERR_SKEW', phase: 'sign-on' } : o,
    )
    const told: number[] = []
    const explained = analyseAll(
      correlate(refused, START_MS + 86_400_000).map(({ attempt }) => attempt),
      undefined,
      (found) => told.push(...[...found.values()].map(({ offsetMs }) => offsetMs)),
    )
    expect(told).toHaveLength(1)
    expect(Math.abs((told[0] ?? 0) - 400_000)).toBeLessThan(1000)
    expect(explained.filter(({ attempt }) => attempt.totalMs > 60_000)).toEqual([])
    const one = explained.find(({ attempt }) => attempt.id === 'a3')
    expect(one?.diagnosis.cause?.id).toBe('clock-skew')
    expect(one?.diagnosis.cause?.evidence.map(({ sentence }) => sentence).join(' ')).toContain('6 min')
  })
})
