import { deflateRawSync } from 'node:zlib'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { OBSERVATION_KINDS, type Observation } from '../../core/logons'
import { logon } from '../../core/logons/fixtures/builders'
import { packEvidence, unpackEvidence } from './pack'

const text = fc.option(fc.string({ minLength: 1, maxLength: 8 }), { nil: undefined })
const observation = fc
  .record({
    timeMs: fc.double({ min: 6e11, max: 4e12, noNaN: true }).map((ms) => Math.round(ms * 4) / 4),
    kind: fc.constantFrom(...OBSERVATION_KINDS),
    attempt: text,
    person: text,
    host: text,
    source: text,
    pool: text,
    session: text,
    phase: text,
    part: text,
    durationMs: fc.option(fc.integer({ min: -5, max: 1e6 }), { nil: undefined }),
    code: text,
    outcome: fc.constantFrom(undefined, 'ready', 'failed'),
    text,
    span: text,
    within: text,
    attrs: fc.option(fc.dictionary(fc.constantFrom('share', 'first', 'rttMs'), fc.oneof(fc.string(), fc.boolean(), fc.integer())), {
      nil: undefined,
    }),
  })
  .map((one) => one as Observation)
/** Without what was not given. */
const given = (list: readonly Observation[]) => list.map((one) => JSON.parse(JSON.stringify(one)) as unknown)
const unpacked = (packed: string) => unpackEvidence(Buffer.from(packed, 'base64'))

describe('evidence as it is kept', () => {
  it('comes back as it was, whatever it says', () => {
    fc.assert(
      fc.property(fc.array(observation, { minLength: 1, maxLength: 6 }), (list) => {
        expect(given(unpacked(packEvidence(list)))).toEqual(given(list))
      }),
    )
  })

  it('of a usual logon takes less than half of its lines, and older bodies are still read', () => {
    const list = logon({ id: 'a', attrs: { share: 's', zone: 'z' } })
    const lines = list.map((one) => JSON.stringify(one)).join('\n')
    expect(Buffer.from(packEvidence(list), 'base64').length).toBeLessThan(lines.length / 2)
    expect(given(unpackEvidence(deflateRawSync(lines)))).toEqual(given(list))
  })
})
