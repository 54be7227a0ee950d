import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { DIMENSIONS, maskOf, PlaceKinds, placesOf, type Dimension, type Places } from './places'

const NOWHERE = Object.fromEntries(DIMENSIONS.map((dimension) => [dimension, ''])) as Places
const at = (more: Partial<Places>): Places => ({ ...NOWHERE, ...more })
const somewhere = fc.record(
  Object.fromEntries(DIMENSIONS.map((dimension) => [dimension, fc.constantFrom('', 'a', 'b', 'c')])),
) as fc.Arbitrary<Places>
const bits = (fits: (dimension: Dimension) => boolean) => maskOf(DIMENSIONS.filter(fits))

describe('places', () => {
  it('are those that an attempt has, and texts only', () => {
    const attempt = { host: 'TH-1', pool: null, attrs: { share: 'quay', zone: 7, image: '2026.11', network: true } }
    expect(placesOf({ attempt })).toEqual(at({ host: 'TH-1', share: 'quay', image: '2026.11' }))
  })

  it('are one bit each', () => {
    expect(maskOf([])).toBe(0)
    expect(maskOf(DIMENSIONS)).toBe(2 ** DIMENSIONS.length - 1)
    expect(maskOf(['host', 'share'])).toBe(maskOf(['share']) | maskOf(['host']))
  })
})

describe('kinds of place', () => {
  it('are the same for the same places, and for no others', () => {
    fc.assert(
      fc.property(fc.array(somewhere, { minLength: 1, maxLength: 200 }), (all) => {
        const kinds = new PlaceKinds()
        const numbers = all.map((places) => kinds.kindOf(places))
        const keys = all.map((places) => JSON.stringify(places))
        expect(new Set(numbers).size).toBe(new Set(keys).size)
        expect(kinds.size).toBe(new Set(keys).size)
        all.forEach((places, i) => expect(numbers[keys.indexOf(JSON.stringify(places))]).toBe(numbers[i]))
      }),
    )
  })

  it('know what was not reported, and what is as somewhere else', () => {
    fc.assert(
      fc.property(fc.array(somewhere, { minLength: 1, maxLength: 80 }), somewhere, somewhere, (all, one, other) => {
        const kinds = new PlaceKinds()
        const numbers = all.map((places) => kinds.kindOf(places))
        for (const own of [one, other]) {
          kinds.compareWith(own)
          all.forEach((places, i) => {
            const kind = numbers[i] ?? -1
            expect(kinds.unreported(kind)).toBe(bits((dimension) => places[dimension] === ''))
            expect(kinds.sameAs(kind)).toBe(bits((dimension) => places[dimension] === own[dimension]))
          })
        }
      }),
    )
  })

  it('that are used are kept, and nothing else', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(somewhere, { minLength: 2, maxLength: 60, selector: (places) => JSON.stringify(places) }),
        fc.integer({ min: 1, max: 59 }),
        (all, n) => {
          const kinds = new PlaceKinds()
          const before = all.map((places) => kinds.kindOf(places))
          const fault = kinds.numberOf('STATUS_DISK_FULL')
          kinds.numberOf('nobody has this')
          const used = all.slice(0, Math.min(n, all.length))
          const kept = kinds.keepOnly(new Set(before.slice(0, used.length)), new Set([fault]))
          expect(kinds.size).toBe(used.length)
          used.forEach((places, i) => {
            const kind = kept.get(before[i] ?? -1) ?? -1
            expect(kinds.kindOf(places)).toBe(kind)
            DIMENSIONS.forEach((dimension, d) => expect(kinds.valueOf(kind, d)).toBe(places[dimension] === '' ? 0 : kinds.known(places[dimension])))
            kinds.compareWith(places)
            expect(kinds.sameAs(kind)).toBe(maskOf(DIMENSIONS))
          })
          expect([kinds.known('STATUS_DISK_FULL'), kinds.known('nobody has this'), kinds.known('')]).toEqual([fault, -1, 0])
          // Values that come anew are told apart from all that were kept.
          const fresh = kinds.numberOf('fresh')
          expect([fault, ...['a', 'b', 'c'].map((value) => kinds.known(value))]).not.toContain(fresh)
        },
      ),
    )
  })
})
