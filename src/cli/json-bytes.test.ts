import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { JsonBytes, pieceOf } from './json-bytes'

const written = (write: (json: JsonBytes) => void): string => {
  const json = new JsonBytes()
  write(json)
  return Buffer.from(json.take(), 'latin1').toString()
}

describe('JSON in bytes', () => {
  it('writes texts, numbers and moments as JSON.stringify does', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 60 }), (text) => {
        expect(written((json) => json.text(text))).toBe(JSON.stringify(text))
      }),
    )
    fc.assert(
      fc.property(fc.oneof(fc.maxSafeNat(), fc.integer(), fc.double()), (number) => {
        expect(written((json) => json.number(number))).toBe(JSON.stringify(number))
      }),
    )
    fc.assert(
      fc.property(fc.double({ min: -62_000_000_000_000, max: 253_000_000_000_000, noNaN: true }), (ms) => {
        expect(written((json) => json.instant(ms))).toBe(JSON.stringify(new Date(ms)))
      }),
    )
    expect(written((json) => json.text(null))).toBe('null')
    expect(() => written((json) => json.instant(NaN))).toThrow(RangeError)
  })

  it('goes on after what was taken, however long it is', () => {
    const json = new JsonBytes()
    const long = 'Ærø "\\ '.repeat(20_000)
    for (let i = 0; i < 3; i++) {
      json.raw(pieceOf('{"name":'))
      json.text(long)
      json.raw(pieceOf(',"list":'))
      json.value([i, long])
      json.raw(pieceOf('}'))
      expect(JSON.parse(Buffer.from(json.take(), 'latin1').toString())).toEqual({ name: long, list: [i, long] })
    }
  })
})
