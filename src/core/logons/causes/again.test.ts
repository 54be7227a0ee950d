import { describe, expect, it } from 'vitest'
import { analyseAll } from '../batch'
import { correlate } from '../correlate'
import { logon, START_MS } from '../fixtures/builders'
import { EMPTY_ORG } from '../../people/org'
import type { Attrs, Observation } from '../observation'

const MINUTE_MS = 60_000
const HOUR_MS = 60 * MINUTE_MS
const DAY_MS = 24 * HOUR_MS
const MIDNIGHT_MS = START_MS - (START_MS % DAY_MS)
const QUAY = String.raw`\\quay-fs1\profiles`
const HILL = String.raw`\\hill-fs1\profiles`

interface One {
  readonly day: number
  /** Hours since midnight. */
  readonly hour: number
  readonly zone: string
  readonly share: string
  readonly network: string
  readonly pool: string
}
interface Trouble {
  readonly times?: Readonly<Record<string, number>>
  readonly part?: number
  readonly attrs?: Attrs
}

/** Eight days with 220 logons each from six to midnight, most of them in the morning; two pools, zones and shares, three networks, and times that vary. */
function week(trouble: (one: One) => Trouble | null): { observations: Observation[]; ill: Set<string> } {
  const observations: Observation[] = []
  const ill = new Set<string>()
  let state = 7
  const next = () => (state = (Math.imul(state, 1_103_515_245) + 12_345) >>> 0) / 2 ** 32
  const vary = (ms: number) => Math.round(ms * Math.exp(0.55 * (next() + next() - 1)))
  for (let day = 0; day < 8; day++)
    for (let i = 0; i < 220; i++) {
      const hour = i < 90 ? 8 + 1.5 * next() : 6 + 18 * next()
      const pick = (...values: string[]) => values[Math.floor(next() * values.length)] ?? ''
      const one: One = { day, hour, zone: pick('Q1', 'H1'), share: pick(QUAY, HILL), network: pick('office', 'home', 'port'), pool: pick('a', 'b') }
      const found = trouble(one)
      const usual = { broker: 600, connect: 1000, 'sign-on': 2800, container: 1100, profile: 2400, policy: 3200, shell: 4000 }
      const phases = Object.fromEntries(Object.entries(usual).map(([phase, ms]) => [phase, vary(ms) * (found?.times?.[phase] ?? 1)]))
      const printers = found?.part ?? 400
      phases['policy'] = (phases['policy'] ?? 0) + printers
      const at = MIDNIGHT_MS + day * DAY_MS + hour * HOUR_MS
      const id = `d${day}-${i}`
      if (found) ill.add(id)
      const list = logon({
        id,
        person: `p${Math.floor(next() * 300)}`,
        host: `${one.pool}-${one.zone}-${Math.floor(next() * 6)}`,
        pool: one.pool,
        at,
        attrs: {
          zone: one.zone,
          share: one.share,
          network: one.network,
          shareLatencyMs: 2 + 3 * next(),
          rttMs: { office: 4, home: 30, port: 40 }[one.network] ?? 4,
          ...found?.attrs,
        },
        phases,
      })
      const policy = list.find(({ phase }) => phase === 'policy')
      if (policy) list.push({ ...policy, part: 'printers', durationMs: printers })
      observations.push(...list)
    }
  return { observations, ill }
}

/** How often what is said of those that are ill, and of the others. */
function said({ observations, ill }: ReturnType<typeof week>) {
  const [ofIll, ofOthers]: [Record<string, number>, Record<string, number>] = [{}, {}]
  const attempts = correlate(observations, MIDNIGHT_MS + 30 * DAY_MS).map(({ attempt }) => attempt)
  for (const { attempt, diagnosis } of analyseAll(attempts, EMPTY_ORG)) {
    const counts = ill.has(attempt.id) ? ofIll : ofOthers
    const cause = diagnosis.cause?.id ?? 'nothing'
    counts[cause] = (counts[cause] ?? 0) + 1
  }
  return { of: ill.size, ofIll, ofOthers }
}

const isMorning = ({ hour }: One) => hour >= 8 && hour < 9.5

describe('what comes again day after day', () => {
  it('is told from the first morning on, however many log on then', () => {
    const { of, ofIll, ofOthers } = said(week((one) => (one.pool === 'a' && isMorning(one) ? { part: 20_000 } : null)))
    expect(of).toBeGreaterThan(300)
    expect(ofIll['policy-part-slow']).toBeGreaterThan(0.98 * of)
    expect(Object.keys(ofOthers)).toEqual(['nothing'])
  })

  it('is told on the first of some mornings, too, though everybody has it then', () => {
    const { of, ofIll, ofOthers } = said(week((one) => (one.day % 3 === 0 && isMorning(one) ? { part: 20_000 } : null)))
    expect(of).toBeGreaterThan(250)
    expect(ofIll['policy-part-slow']).toBeGreaterThan(0.98 * of)
    expect(Object.keys(ofOthers)).toEqual(['nothing'])
  })

  it('is a slow share where its latency is more than ever, though one in ten have as much by then', () => {
    const slow = { container: 3.4, profile: 3.4 }
    const { of, ofIll } = said(
      week((one) => (one.share === QUAY && one.hour >= 13 && one.hour < 17 ? { times: slow, attrs: { shareLatencyMs: 8.4 } } : null)),
    )
    expect(ofIll['share-slow']).toBeGreaterThan(0.85 * of)
    expect(ofIll['near-full']).toBeUndefined()
  })

  it('is the way to a share that is long for some hours every evening', () => {
    const slow = { container: 4, profile: 4 }
    const { of, ofIll } = said(
      week(({ share, zone, hour }) => (share === QUAY && zone === 'H1' && hour >= 20.5 && hour < 23.5 ? { times: slow } : null)),
    )
    expect(of).toBeGreaterThan(35)
    expect(ofIll['far-share']).toBeGreaterThan(0.6 * of)
    expect(Object.keys(ofIll).sort()).toEqual(['far-share', 'nothing'])
  })

  it('is a poor line of those from one place, though most from there had it by the end', () => {
    const slow = { connect: 4, shell: 2.4 }
    const { of, ofIll } = said(week(({ network, day }) => (network === 'port' && day >= 3 ? { times: slow, attrs: { rttMs: 330 } } : null)))
    expect(ofIll['poor-line']).toBeGreaterThan(0.85 * of)
  })
})

describe('what came since days', () => {
  it('is no image version where two troubles leave nothing else, and the first on it were well', () => {
    const { ofIll } = said(
      week(({ pool, zone, day }) => {
        const [ofPool, ofZone] = [pool === 'a', zone === 'H1']
        if (day < 3 || !(ofPool || ofZone)) return { attrs: { image: `${pool} 7` } }
        const times = ofZone ? { 'sign-on': 3.5, policy: 3.5 } : {}
        return { times, part: (ofPool ? 12_000 : 400) * (ofZone ? 1.4 : 1), attrs: { image: `${pool} 7` } }
      }),
    )
    expect(Object.keys(ofIll).sort()).toEqual(['directory-slow', 'nothing', 'policy-part-slow'])
    expect(ofIll['directory-slow']).toBeGreaterThan(250)
    expect(ofIll['policy-part-slow']).toBeGreaterThan(250)
    expect((ofIll['directory-slow'] ?? 0) + (ofIll['policy-part-slow'] ?? 0)).toBeGreaterThan(800)
  })
})
