import fc from 'fast-check'
import { expect, test } from 'vitest'
import { Alike, BEYOND, COULD, Courses, FAULT, UNREPORTED } from './alike'

const bits = fc.integer({ min: 0, max: 0xffff })
const course = fc.record({ beyond: bits, fault: fc.nat({ max: 5 }), unreported: bits, could: bits })

test('a course says how it went, and the same is the same, also after others were forgotten', () => {
  fc.assert(
    fc.property(fc.array(course, { minLength: 1, maxLength: 200 }), fc.nat({ max: 3 }), (all, every) => {
      const courses = new Courses()
      const read = (at: number) => ({
        beyond: courses.table[at + BEYOND],
        fault: courses.table[at + FAULT],
        unreported: courses.table[at + UNREPORTED],
        could: courses.table[at + COULD],
      })
      const named = all.map(({ beyond, fault, unreported, could }) => courses.of(beyond, fault, unreported, could))
      expect(named.map(read)).toEqual(all)
      expect(new Set(named).size).toBe(courses.size)
      const used = named.filter((_, i) => i % (every + 1) === 0)
      const kept = courses.keepOnly(new Set(used))
      expect(courses.size).toBe(kept.size)
      named.forEach((at, i) => {
        const now = kept.get(at)
        if (now !== undefined) expect(read(now)).toEqual(all[i])
        else expect(used).not.toContain(at)
      })
      expect(courses.faults()).toEqual(new Set(all.filter((_, i) => kept.has(named[i] ?? -1)).map(({ fault }) => fault)))
    }),
    { numRuns: 200 },
  )
})

test('what is alike is counted together, however much there is of it', () => {
  const alike = new Alike()
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.nat({ max: 2047 }), fc.nat({ max: 40 })), { maxLength: 2000 }), (all) => {
      alike.clear()
      const wanted = new Map<string, number>()
      for (const [mask, course] of all) {
        alike.add(mask, 4 * course)
        const key = `${mask} ${4 * course}`
        wanted.set(key, (wanted.get(key) ?? 0) + 1)
      }
      const found = Array.from({ length: alike.n }, (_, i) => [`${alike.masks[i]} ${alike.courses[i]}`, alike.times[i]] as const)
      expect(found.length).toBe(wanted.size)
      expect(new Map(found)).toEqual(wanted)
    }),
    { numRuns: 200 },
  )
})
