import { describe, expect, it } from 'vitest'
import { Front } from './front'

describe('how far files have come that are read beside each other', () => {
  it('is what all of them have passed: nothing while one of them has not begun', () => {
    const front = new Front()
    const [one, other] = [front.open(), front.open()]
    for (const ms of [1000, 2000, 9000]) one(ms)
    expect(front.passed(0)(1500)).toBe(false)
    for (const ms of [500, 4000]) other(ms)
    const passed = front.passed(1000)
    expect([2999, 3000, 8000].map(passed)).toEqual([true, false, false])
    other(NaN)
    expect([7999, 8000].map(front.passed(1000))).toEqual([true, false])
    one(NaN)
    expect(front.passed(1000)(1e15)).toBe(true)
  })

  it('goes backwards in one that is written backwards', () => {
    const front = new Front()
    const file = front.open()
    for (const ms of [9000, 8000, 3000]) file(ms)
    expect([4001, 4000, 1000].map(front.passed(1000))).toEqual([true, false, false])
  })
})
